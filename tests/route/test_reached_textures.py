"""Textures on assets drawn at random: whatever a step does, every spot of the surface shows what it
showed.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.posing.pose import posed_scene_points
from customs.route.step import NOTHING, get_step, make_settings, steps
from customs.scene.arrays import frozen
from customs.scene.model import Image, Material, Mesh, Node, Primitive, Scene, TextureUse
from customs.scene.tree import mesh_nodes
from customs.surface.channels import LAYOUT
from customs.surface.colour import to_linear
from customs.surface.lay import lay_of
from customs.surface.pixels import image_pixels
from tests.assets import DIGEST, key

SIZE, ACROSS = 64, 8
LEFT_ALONE: dict[str, dict[str, Any]] = {
    "settle": {}, "flatten": {}, "join": {}, "weld": {}, "triangulate": {}, "drop-broken": {}, "drop-empties": {},
    "split-material": {}, "unwrap": {}, "turn-outward": {}, "normals": {"only": "all"}, "tangents": {"where": "all"},
    "leave-out": {"cameras": True}, "drop-colours": {}, "numbers": {}, "rename": {"image": "{asset}_{name}"}, "static": {},
    "merge-textures": {}, "merge-materials": {}, "fold-flat": {}, "fill-roles": {}, "bake-factors": {}, "lay-uvs": {},
    "atlas": {"limit": 1024}, "split": {"values": ("roughness", "metallic", "occlusion")}, "bleed": {},
    "pack": {}, "nearest-look": {}, "resize": {"limit": 48}, "drop-alpha": {}, "convert-textures": {"form": "png"}, "colour-space": {},
    "complete-normal": {}, "renormalise": {}, "footing": {}, "turn-axes": {}, "roles": {}, "find-textures": {},
    "rigid": {}, "weights": {}, "weightless": {}, "weight-sums": {}, "split-joints": {}, "leftovers": {"outlines": True},
    "common-root": {}, "bind-pose": {}, "variants": {}, "merge-alpha": {}, "height-normal": {}, "clip-files": {},
    "green": {}, "spec-gloss": {}, "lods": {"ratios": (0.5,)}, "shapes": {"hits": "hull"}, "plot": {"rows": ("A",)}, "finest-levels": {}, "kept-levels": {}, "picture": {"angle": "front"},
    "terrain": {}, "tool-faces": {}, "faces-between": {}, "modules": {"grid": 0.5}, "regions": {}, "parts": {"by": "kind"}, "merge-cells": {}, "rig": {}, "glow-lights": {}, "light-units": {},
    "posts": {"posts": (("hook", (0, 1, 0), (0, 1, 0), "", ""),)},
}  # fmt: skip
"""Steps that do not exist to change what is seen."""
OTHERWISE = {
    "arrive", "turn", "scale", "pose", "donor", "merge-joints", "bind", "paint", "retarget", "humanoid", "light", "alpha",
    "detail", "glow", "tint", "preset", "copy-settings", "drop-roles", "merge-clips", "clips", "retime", "loop", "travel", "still",
    "reduce", "close-holes", "from-goods", "take-away", "cut-off", "soft-move", "simplify", "kinds", "small", "voxels",
}  # fmt: skip
"""Steps that do, that move the asset, or that want what is not here (a donor, clips, joints)."""


def wave(rng: np.random.Generator, channels: int) -> np.ndarray:
    """A smooth texture (SIZE, SIZE, channels) that meets itself at its edges."""
    at = (np.arange(SIZE) + 0.5) / SIZE * 2 * np.pi
    planes = []
    for _ in range(channels):
        a, b, c = rng.uniform(0, 2 * np.pi, 3)
        planes.append(
            0.5 + 0.2 * np.sin(at + a)[None, :] + 0.2 * np.cos(at + b)[:, None] * np.cos(at + c)[None, :]
        )
    return np.round(np.stack(planes, axis=-1) * 255).astype(np.uint8)


def patch(rng: np.random.Generator, number: int) -> Primitive:
    """A bent sheet with two UV sets, the second turned and smaller."""
    grid = np.stack(np.meshgrid(*[np.linspace(0, 1, ACROSS + 1)] * 2, indexing="ij"), axis=-1).reshape(-1, 2)
    quads = (np.arange(ACROSS)[:, None] * (ACROSS + 1) + np.arange(ACROSS)).ravel()
    faces = np.concatenate(
        [np.c_[quads, quads + ACROSS + 1, quads + ACROSS + 2], np.c_[quads, quads + ACROSS + 2, quads + 1]]
    )
    points = np.c_[grid, 0.2 * np.sin(grid[:, 0] * 3 + rng.uniform(0, 6))]
    sets = (frozen(0.02 + 0.96 * grid), frozen(0.1 + 0.6 * grid[:, ::-1]))
    return Primitive(
        key("primitive", number), frozen(points), indices=frozen(faces.reshape(-1), np.uint32), texcoords=sets
    )


def coat(rng: np.random.Generator, number: int, images: list[Image], mixed: bool) -> Material:
    """A material: some roles textured, packed or apart, moved or on the second set (`mixed`: each for
    itself).
    """

    def use(channels: int, place: TextureUse) -> TextureUse:
        images.append(
            Image(key("image", len(images)), f"t{len(images)}", pixels=frozen(wave(rng, channels), np.uint8))
        )
        return replace(place, image=len(images) - 1)

    def place() -> TextureUse:
        moved = {"offset": (0.25, 0.1), "scale": (0.5, 0.5)} if rng.random() < 0.4 else {}
        return TextureUse(0, texcoord=int(rng.random() < 0.4), **moved)  # type: ignore[arg-type]

    one, uses = place(), {}
    for role, channels in (
        ("base_colour", int(rng.choice([3, 4]))),
        ("metallic_roughness", 3),
        ("emissive", 3),
    ):
        if rng.random() < 0.7:
            uses[role] = use(channels, place() if mixed else one)
    if "metallic_roughness" in uses and rng.random() < 0.5:
        uses["occlusion"] = replace(uses["metallic_roughness"], strength=float(rng.uniform(0.4, 1)))
    elif rng.random() < 0.5:
        uses["occlusion"] = use(1, place() if mixed else one)
    return Material(
        key("material", number), f"coat_{number}", textures=uses, base_colour=(*rng.uniform(0.5, 1, 3).round(2), 1.0),
        metallic=float(rng.uniform(0.3, 1)), roughness=float(rng.uniform(0.3, 1)),
        emissive=(1.0, 1.0, 0.5) if "emissive" in uses else (0.0, 0.0, 0.0), alpha_mode=str(rng.choice(["opaque", "blend"])),
    )  # fmt: skip


def dressed(seed: int, mixed: bool = False) -> Scene:
    """Some sheets apart from each other, turned, some mirrored, two of them one mesh; a material each, or
    shared.
    """
    rng = np.random.default_rng(seed)
    images: list[Image] = []
    coats = tuple(coat(rng, k, images, mixed) for k in range(int(rng.integers(1, 4))))
    meshes = tuple(
        Mesh(key("mesh", k), f"sheet_{k}", (replace(patch(rng, k), material=int(rng.integers(len(coats)))),))
        for k in range(3)
    )
    nodes = []
    for k in range(4):
        scale = np.array([-1.0 if rng.random() < 0.3 else 1.0, 1, 1]) * rng.uniform(0.5, 1.5)
        turn = Rotation.random(rng=rng).as_quat()
        nodes.append(
            Node(
                key("node", k),
                f"at_{k}",
                mesh=min(k, 2),
                translation=np.array([4.0 * k, 0, 0]),
                rotation=turn,
                scale=scale,
            )
        )
    used = sorted({p.material for m in meshes for p in m.primitives if p.material is not None})
    meshes = tuple(
        replace(m, primitives=tuple(replace(p, material=used.index(p.material or 0)) for p in m.primitives))
        for m in meshes
    )
    return Scene(
        "drawn",
        DIGEST,
        tuple(nodes),
        (0, 1, 2, 3),
        meshes,
        tuple(coats[u] for u in used),
        tuple(images),
        format="glb",
    )


def sampled(scene: Scene, use: TextureUse, uv: np.ndarray, colour: bool = False) -> np.ndarray:
    """A texture at UVs (N, 2) → (N, 4), 0..1, between texels, repeated (glTF 2.0, 3.8.4); grey is said
    thrice.
    """
    pixels = image_pixels(scene.images[use.image])
    values = pixels / np.iinfo(pixels.dtype).max
    if values.shape[2] < 3:
        values = np.concatenate([np.repeat(values[..., :1], 3, axis=2), values[..., 1:]], axis=2)
    if values.shape[2] == 3:
        values = np.concatenate([values, np.ones((*values.shape[:2], 1))], axis=2)
    if colour:
        values[..., :3] = to_linear(values[..., :3])
    at = uv[:, ::-1] * values.shape[:2] - 0.5
    return np.stack(
        [map_coordinates(values[..., c], at.T, order=1, mode="grid-wrap") for c in range(4)], axis=1
    )


def look(scene: Scene, p: Primitive) -> np.ndarray:
    """What a material says in the middle of each face (F, 10): base colour 4, metallic, roughness, occlusion,
    emissive 3.
    """
    faces = triangles_of(p)
    m = scene.materials[p.material] if p.material is not None else Material(key("material", 99), "none")

    def at(role: str, colour: bool = False) -> np.ndarray | None:
        use = m.textures.get(role)
        if use is None:
            return None
        lay = lay_of(use)
        return sampled(scene, use, lay.apply(p.texcoords[lay.texcoord])[faces].mean(axis=1), colour)

    def channel(role: str, c: int) -> np.ndarray | None:
        found = at(role)
        return None if found is None else found[:, c]

    ones = np.ones(len(faces))
    base, shine = at("base_colour", True), at("emissive", True)
    metallic, roughness = channel("metallic_roughness", 2), channel("metallic_roughness", 1)
    metallic = channel("metallic", 0) if metallic is None else metallic
    roughness = channel("roughness", 0) if roughness is None else roughness
    occlusion = channel("occlusion", 0)
    strength = m.textures["occlusion"].strength if "occlusion" in m.textures else 1.0
    packed = at("parameters")
    if packed is not None:
        for part in str(m.textures["parameters"].extras[LAYOUT]).split():
            place, _, value = part.partition("=")
            plane = packed[:, "RGBA".index(place)]
            metallic = plane if value == "metallic" else metallic
            roughness = plane if value == "roughness" else roughness
            occlusion = plane if value == "occlusion" else occlusion
    cover = np.array(m.base_colour) * (1 if base is None else base) * np.ones((len(faces), 4))
    if m.alpha_mode == "opaque":
        cover[:, 3] = 1
    return np.column_stack([
        cover,
        m.metallic * (ones if metallic is None else metallic), m.roughness * (ones if roughness is None else roughness),
        1 + strength * ((ones if occlusion is None else occlusion) - 1),
        np.array(m.emissive) * m.emissive_strength * (1 if shine is None else shine[:, :3]) * np.ones((len(faces), 3)),
    ])  # fmt: skip


def seen(scene: Scene) -> tuple[np.ndarray, np.ndarray]:
    """(middle of every face (F, 3) around the middle of all, what is seen there (F, 10))."""
    prims = [p for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]
    middles = [q[triangles_of(p)].mean(axis=1) for q, p in zip(posed_scene_points(scene), prims)]
    at = np.concatenate(middles)
    return at - (at.min(axis=0) + at.max(axis=0)) / 2, np.concatenate([look(scene, p) for p in prims])


def run(step: str, scene: Scene) -> Scene:
    """One step with settings that leave the look alone."""
    entry = get_step(step)
    return entry.apply(scene, make_settings(entry, LEFT_ALONE[step]), NOTHING, Job()).scene


def compare(before: Scene, after: Scene) -> str:
    """What is seen otherwise, or ""."""
    (a, was), (b, now) = seen(before), seen(after)
    far, near = cKDTree(a).query(b)
    if len(a) != len(b) or far.max() > 1e-3:
        return f"{len(a)} → {len(b)} faces, {far.max():.3g} m off"
    off = np.abs(was[near] - now)
    worst = np.quantile(off, 0.97, axis=0)
    return "" if worst.max() < 0.04 else f"off by {worst.round(3)}"


def test_every_step_is_told_apart() -> None:
    assert set(steps()) == set(LEFT_ALONE) | OTHERWISE


OFTEN = settings(max_examples=6, deadline=None, suppress_health_check=[HealthCheck.too_slow])


@pytest.mark.parametrize("step", LEFT_ALONE)
@OFTEN
@given(seed=st.integers(0, 100_000), mixed=st.booleans())
def test_a_step_leaves_what_is_seen(step: str, seed: int, mixed: bool) -> None:
    scene = dressed(seed, mixed)
    assert compare(scene, run(step, scene)) == ""


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    seed=st.integers(0, 100_000),
    mixed=st.booleans(),
    picked=st.sets(st.sampled_from(sorted(LEFT_ALONE)), min_size=3, max_size=9),
)
def test_steps_after_each_other_leave_what_is_seen(seed: int, mixed: bool, picked: set[str]) -> None:
    scene = dressed(seed, mixed)
    out = scene
    for step in sorted(picked - {"turn-axes"}, key=lambda s: get_step(s).order):
        out = run(step, out)
        wrong = compare(scene, out)
        assert wrong == "", f"after {step}: {wrong}"
