"""Atlas: several materials become one, their textures side by side."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.changes.materials import Textures, with_pixels
from customs.errors import StepError
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.layers import layers_in_use
from customs.scene.model import Image, Material, Primitive, Remark, Sampler, Scene, TextureUse
from customs.scene.settings import Targeted
from customs.surface.atlas import Atlas as Sheets
from customs.surface.atlas import make_atlas
from customs.surface.green import GreenWay, green_of
from customs.surface.pixels import image_pixels
from customs.surface.relief import flipped_green
from customs.words import many

CLAMP = Sampler(9729, 9987, 33071, 33071)


class AtlasSettings(Targeted):
    """How large, and how far apart."""

    limit: int = Field(default=4096, ge=16, le=16384, description="longest edge in pixels")
    padding: int = Field(default=8, ge=0, le=256, description="pixels drawn out around each texture")


def refusal(scene: Scene, index: int) -> str:
    """Why a material cannot go into an atlas, or ""."""
    m = scene.materials[index]
    if m.model == "specular_glossiness":
        return "specular-glossiness: convert it first"
    if any(not scene.images[u.image].there or scene.images[u.image].problem for u in m.textures.values()):
        return "a texture of it is missing"
    if any(u.transformed or u.texcoord for u in m.textures.values()):
        return "its textures are scaled, moved or on a second UV set"
    if more := layers_in_use(m.layers, m.textures):
        return f"its look goes beyond the core ({', '.join(x.title for x in more)})"
    for mesh in scene.meshes:
        for p in mesh.primitives:
            if p.material != index and all(k != index for k, _ in p.variants):
                continue
            if p.variants:
                return "it has variants"
            if m.textures and not p.texcoords:
                return f"{mesh.name} has no UVs"
            if p.texcoords:
                uv = p.texcoords[0][np.unique(triangles_of(p))]
                if len(uv) and (float(uv.min()) < -1e-3 or float(uv.max()) > 1.001):
                    return f"its texture tiles over {mesh.name} (UV {float(uv.min()):.1f} to {float(uv.max()):.1f})"
    return ""


def _groups(
    scene: Scene, settings: AtlasSettings
) -> tuple[dict[tuple[object, ...], list[int]], list[Remark]]:
    """Materials that can share one, by what one material can be only once; and the refused ones."""
    groups: dict[tuple[object, ...], list[int]] = {}
    refused = []
    for i, m in enumerate(scene.materials):
        if not settings.takes(m.key, m.name, m.made_from):
            continue
        why = refusal(scene, i)
        if why:
            refused.append(Remark(f"{m.name} stays apart: {why}", m.key))
        else:
            cut = m.alpha_cutoff if m.alpha_mode == "mask" else 0.0
            groups.setdefault((m.model, m.alpha_mode, cut, m.double_sided), []).append(i)
    return {k: v for k, v in groups.items() if len(v) > 1}, refused


def after_atlas(scene: Scene) -> int:
    """How many materials would be in use after an atlas of all that can go into one."""
    groups, _ = _groups(scene, AtlasSettings())
    used = {p.material for m in scene.meshes for p in m.primitives if p.material is not None}
    gone = sum(len(used & set(g)) - 1 for g in groups.values() if len(used & set(g)) > 1)
    return len(used) - gone


def _one_way(members: list[Material], textures: Textures, origin: GreenWay) -> GreenWay:
    """The green direction of the first normal map; those of the others are turned to it."""
    found = [
        u.image
        for m in members
        if (u := m.textures.get("normal")) is not None and textures.images[u.image].there
    ]
    way = green_of(textures.images[found[0]], origin) if found else origin
    for i in dict.fromkeys(found):
        image = textures.images[i]
        if green_of(image, origin) != way:
            textures.images[i] = replace(with_pixels(image, flipped_green(image_pixels(image))), green=way)
    return way


def _material(first: Material, sheets: Sheets, textures: Textures, way: GreenWay) -> Material:
    uses = {}
    for role, pixels in sheets.sheets.items():
        cut = pixels[:, :, :3] if role == "base_colour" and first.alpha_mode == "opaque" else pixels
        image = Image(
            made_key(first.key, "atlas", role),
            f"atlas_{role}",
            pixels=frozen(cut, np.uint8),
            green=way if role == "normal" else "",
        )
        uses[role] = TextureUse(textures.add(image), sampler=CLAMP)
    if "metallic_roughness" in uses:
        uses["occlusion"] = uses["metallic_roughness"]
    white = (1.0, 1.0, 1.0)
    return replace(
        first,
        key=made_key(first.key, "atlas"),
        name="atlas",
        textures=uses,
        base_colour=(*white, 1.0),
        metallic=1.0 if "metallic_roughness" in uses else first.metallic,
        roughness=1.0 if "metallic_roughness" in uses else first.roughness,
        emissive=white if "emissive" in uses else first.emissive,
        emissive_strength=1.0,
    )


def _moved(prim: Primitive, sheets: Sheets, at: int, material: int) -> Primitive:
    """The primitive with its UVs in its place of the sheet."""
    x, y, w, h = sheets.places[at]
    uv = prim.texcoords[0] if prim.texcoords else np.full((len(prim.positions), 2), 0.5, np.float32)
    new = (np.clip(uv, 0, 1) * np.array([w, h]) + np.array([x, y])) / sheets.edge
    return replace(prim, texcoords=(frozen(new), *prim.texcoords[1:]), material=material)


def _apply(scene: Scene, settings: AtlasSettings, resources: Content, job: Job) -> Outcome:
    groups, remarks = _groups(scene, settings)
    if not groups:
        if remarks and settings.targets:
            raise StepError(
                "; ".join(r.text for r in remarks)[:300],
                "materials that do not tile",
                "Choose others, or unwrap them.",
            )
        return Outcome(scene, tuple(remarks))
    textures, materials = Textures(scene), list(scene.materials)
    place: dict[int, tuple[Sheets, int, int]] = {}
    for group in groups.values():
        job.check()
        members = [scene.materials[i] for i in group]
        way = _one_way(members, textures, scene.convention.green)
        sheets = make_atlas(members, textures.images, settings.limit, settings.padding)
        made = _material(members[0], sheets, textures, way)
        materials.append(replace(made, made_from=tuple(m.key for m in members)))
        place |= {i: (sheets, k, len(materials) - 1) for k, i in enumerate(group)}
        remarks.append(
            Remark(f"{many(len(group), 'material')} in one of {sheets.edge} × {sheets.edge}", made.key)
        )
    return Outcome(_with_places(scene, materials, textures, place), tuple(remarks))


def _with_places(
    scene: Scene, materials: list[Material], textures: Textures, place: Mapping[int, tuple[Sheets, int, int]]
) -> Scene:
    def prim(prim: Primitive) -> Primitive:
        found = place.get(prim.material) if prim.material is not None else None
        return _moved(prim, *found) if found else prim

    meshes = tuple(replace(m, primitives=tuple(prim(p) for p in m.primitives)) for m in scene.meshes)
    return replace(scene, meshes=meshes, materials=tuple(materials), images=tuple(textures.images))


register(
    Step(
        id="atlas",
        name="Atlas",
        desk="surface",
        order=83,
        phase="together",
        about="Makes one material of several: their textures side by side, UVs moved. Tiling ones stay apart.",
        settings=AtlasSettings,
        targets="materials",
        apply=_apply,
        summary=lambda s: f"≤ {s.limit} px",
        placements=True,
    )
)
