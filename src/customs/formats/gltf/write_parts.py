"""Materials, meshes, nodes and motion as glTF JSON."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.formats.gltf.form import QUANTISED, shares, small_texcoords, weight_shares
from customs.formats.gltf.layers import layers_json
from customs.formats.gltf.pack import INDICES, VERTICES, Array, Packer
from customs.formats.gltf.squeeze import DRACO, drawn_together
from customs.geometry.triangles import flat_indices, triangles_of
from customs.scene.key import Key
from customs.scene.layers import LAYERS
from customs.scene.model import (
    GLTF_SLOTS,
    Camera,
    Clip,
    Light,
    Material,
    Mesh,
    Primitive,
    Scene,
    Skin,
    TextureUse,
)
from customs.scene.transforms import unit_rows

MODES = {
    "points": 0,
    "lines": 1,
    "line_loop": 2,
    "line_strip": 3,
    "triangles": 4,
    "triangle_strip": 5,
    "triangle_fan": 6,
}
STRENGTHS = {"normal": "scale", "occlusion": "strength"} | {
    m.role: m.strength for layer in LAYERS for m in layer.maps if m.strength
}
INTERPOLATIONS = {"linear": "LINEAR", "step": "STEP", "cubic": "CUBICSPLINE"}
LIGHTS_AT = "extensions/KHR_lights_punctual/lights"
Json = dict[str, Any]


def extras_of(extras: Mapping[str, Any]) -> Json:
    """`{"extras": …}`, or nothing."""
    return {"extras": dict(extras)} if extras else {}


def differing(out: Json, **pairs: tuple[Any, Any]) -> Json:
    """`out` with each name whose value differs from its default."""
    for name, (value, default) in pairs.items():
        if value != default:
            out[name] = list(value) if isinstance(value, tuple) else value
    return out


class Textures:
    """Textures and samplers, each pair stored once."""

    def __init__(self, numbers: Mapping[int, int], by: Mapping[int, str] | None = None) -> None:
        self.numbers, self.by = numbers, by or {}
        self.textures: list[Json] = []
        self.samplers: list[Json] = []
        self._known: dict[Any, int] = {}
        self._known_samplers: dict[Any, int] = {}

    def info(self, use: TextureUse, strength: str, used: set[str]) -> Json:
        """The texture info object of a use."""
        out: Json = {"index": self._texture(use)}
        differing(out, texCoord=(use.texcoord, 0))
        if strength:
            differing(out, **{strength: (use.strength, 1.0)})
        if use.transformed:
            used.add("KHR_texture_transform")
            moved = differing(
                {},
                offset=(use.offset, (0.0, 0.0)),
                rotation=(use.rotation, 0.0),
                scale=(use.scale, (1.0, 1.0)),
            )
            out["extensions"] = {"KHR_texture_transform": moved}
        return out | extras_of(use.extras)

    def _texture(self, use: TextureUse) -> int:
        key = (use.image, use.sampler)
        if key not in self._known:
            self._known[key] = len(self.textures)
            source: Json = {"source": self.numbers[use.image]}
            if use.image in self.by:
                source = {"extensions": {self.by[use.image]: source}}
            self.textures.append({**source, "sampler": self._sampler(use)})
        return self._known[key]

    def _sampler(self, use: TextureUse) -> int:
        s = use.sampler
        if s not in self._known_samplers:
            self._known_samplers[s] = len(self.samplers)
            self.samplers.append(
                differing(
                    {},
                    magFilter=(s.mag, None),
                    minFilter=(s.min, None),
                    wrapS=(s.wrap_s, 10497),
                    wrapT=(s.wrap_t, 10497),
                )
            )
        return self._known_samplers[s]


def material_json(material: Material, textures: Textures, used: set[str]) -> Json:
    """One material; the names of extensions it needs are added to `used`."""
    m = material
    out: Json = {"name": m.name}
    infos = {
        slot: textures.info(use, STRENGTHS.get(slot, ""), used)
        for slot, use in m.textures.items()
        if slot in GLTF_SLOTS
    }
    pbr = differing(
        {},
        baseColorFactor=(m.base_colour, (1.0,) * 4),
        metallicFactor=(m.metallic, 1.0),
        roughnessFactor=(m.roughness, 1.0),
    )
    for slot, name in (
        ("base_colour", "baseColorTexture"),
        ("metallic_roughness", "metallicRoughnessTexture"),
    ):
        if slot in infos:
            pbr[name] = infos[slot]
    if pbr:
        out["pbrMetallicRoughness"] = pbr
    for slot, name in (
        ("normal", "normalTexture"),
        ("occlusion", "occlusionTexture"),
        ("emissive", "emissiveTexture"),
    ):
        if slot in infos:
            out[name] = infos[slot]
    differing(out, emissiveFactor=(m.emissive, (0.0,) * 3), doubleSided=(m.double_sided, False))
    differing(out, alphaMode=(m.alpha_mode.upper(), "OPAQUE"))
    if m.alpha_mode == "mask":
        differing(out, alphaCutoff=(m.alpha_cutoff, 0.5))
    extensions = _material_extensions(m, infos)
    if extensions:
        used.update(extensions)
        out["extensions"] = extensions
    return out | extras_of(m.extras)


def _material_extensions(material: Material, infos: Json) -> Json:
    out: Json = {}
    if material.model == "unlit":
        out["KHR_materials_unlit"] = {}
    if material.emissive_strength != 1.0:
        out["KHR_materials_emissive_strength"] = {"emissiveStrength": material.emissive_strength}
    if material.model == "specular_glossiness":
        table = differing(
            {},
            diffuseFactor=(material.diffuse, (1.0,) * 4),
            specularFactor=(material.specular, (1.0,) * 3),
            glossinessFactor=(material.glossiness, 1.0),
        )
        for slot, name in (
            ("diffuse", "diffuseTexture"),
            ("specular_glossiness", "specularGlossinessTexture"),
        ):
            if slot in infos:
                table[name] = infos[slot]
        out["KHR_materials_pbrSpecularGlossiness"] = table
    return out | layers_json(material, infos)


def attributes_of(prim: Primitive, quantised: bool) -> dict[str, Array]:
    """What is written of each vertex, by the names of glTF: (V, W) float32, or whole numbers that stand for parts of one
    where they are `quantised`. Positions stay as they are: as whole numbers they would need nodes of their own.
    """
    out: dict[str, Array] = {"POSITION": prim.positions}
    if prim.normals is not None:
        normals = _unit(prim.normals)
        out["NORMAL"] = shares(normals, np.int16) if quantised else normals
    if prim.tangents is not None and prim.normals is not None:
        out["TANGENT"] = shares(prim.tangents, np.int16) if quantised else prim.tangents
    for i, values in enumerate(prim.texcoords):
        small = small_texcoords(values) if quantised else None
        out[f"TEXCOORD_{i}"] = values if small is None else small
    for i, values in enumerate(prim.colours):
        clipped = np.clip(values, 0, 1) if values.max() > 1 else values
        out[f"COLOR_{i}"] = shares(clipped, np.uint16) if quantised else clipped
    return out | _influences(prim, quantised) | dict(prim.custom)


def primitive_json(prim: Primitive, pack: Packer, used: set[str]) -> Json:
    """One primitive."""
    mode = "triangles" if prim.mode == "polygons" else prim.mode
    flat = triangles_of(prim).reshape(-1) if prim.mode == "polygons" else prim.indices
    out: Json = differing({}, mode=(MODES[mode], 4))
    extensions: Json = {}
    packed = pack.form.compression == "draco" and mode == "triangles"
    arrays = attributes_of(prim, pack.form.quantised and not packed)
    if packed:
        flat = flat_indices(prim) if flat is None else flat
        extensions[DRACO] = _drawn_together(arrays, flat, pack)
    out["attributes"] = {n: _attribute(n, v, pack, not packed, used) for n, v in arrays.items()}
    if flat is not None:
        # 65,535 is the restart value of 16-bit indices and may not be used (glTF 2.0, 3.7.2.1).
        narrow = len(prim.positions) <= 65535
        out["indices"] = pack.accessor(flat.astype(np.uint16) if narrow else flat, INDICES, held=not packed)
    differing(out, material=(prim.material, None))
    if prim.targets:
        out["targets"] = [_target(t, pack) for t in prim.targets]
    if prim.variants:
        mappings = [{"material": m, "variants": list(v)} for m, v in prim.variants]
        extensions["KHR_materials_variants"] = {"mappings": mappings}
    if extensions:
        used.update(extensions)
        out["extensions"] = extensions
    return out | extras_of(prim.extras)


def _attribute(name: str, values: Array, pack: Packer, held: bool, used: set[str]) -> int:
    whole = values.dtype.kind != "f" and not name.startswith(("JOINTS_", "_"))
    if whole and name in ("NORMAL", "TANGENT"):
        used.add(QUANTISED)
    return pack.accessor(values, VERTICES, limits=name == "POSITION", shares=whole, held=held)


def _drawn_together(arrays: dict[str, Array], flat: Array, pack: Packer) -> Json:
    """The extension of a primitive that Draco packs; positions become those a reader will find."""
    made = drawn_together(arrays, flat.reshape(-1, 3), pack.form.quantised)
    arrays["POSITION"] = made.positions
    return {"bufferView": pack.view(made.data), "attributes": made.ids}


def _unit(normals: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """Normals as they are when all are unit to the validator's 5e-4, else scaled; zeros become +Y."""
    squares = np.einsum("ij,ij->i", normals, normals)
    if np.abs(squares - 1).max() < 5e-4:
        return normals
    out = unit_rows(normals)
    out[squares == 0] = (0, 1, 0)
    return out


def _influences(prim: Primitive, quantised: bool) -> dict[str, Array]:
    """JOINTS_n and WEIGHTS_n; joints without weight are 0, as the validator asks, and 8-bit where they
    fit.
    """
    if prim.joints is None or prim.weights is None:
        return {}
    out: dict[str, Array] = {}
    for i in range(prim.joints.shape[1] // 4):
        part = slice(4 * i, 4 * i + 4)
        # Together with others a set of four does not sum to one.
        alone = quantised and prim.joints.shape[1] == 4
        kept = np.ascontiguousarray(prim.weights[:, part])
        weights = weight_shares(kept) if alone else kept
        joints = np.where(weights > 0, prim.joints[:, part], 0).astype(np.uint16)
        out[f"JOINTS_{i}"] = joints.astype(np.uint8) if joints.max() < 256 else joints
        out[f"WEIGHTS_{i}"] = weights
    return out


def _target(target: Any, pack: Packer) -> dict[str, int]:
    out = {}
    if target.positions is not None:
        out["POSITION"] = pack.accessor(target.positions, VERTICES, limits=True)
    if target.normals is not None:
        out["NORMAL"] = pack.accessor(target.normals, VERTICES)
    if target.tangents is not None:
        out["TANGENT"] = pack.accessor(target.tangents, VERTICES)
    return out


def mesh_json(mesh: Mesh, pack: Packer, used: set[str]) -> Json:
    """One mesh."""
    out: Json = {"name": mesh.name, "primitives": [primitive_json(p, pack, used) for p in mesh.primitives]}
    if mesh.weights is not None and any(p.targets for p in mesh.primitives):
        out["weights"] = [float(w) for w in mesh.weights]
    extras = dict(mesh.extras)
    if mesh.target_names:
        extras["targetNames"] = list(mesh.target_names)
    return out | extras_of(extras)


def skin_json(skin: Skin, pack: Packer) -> Json:
    """One skin; the last row of every inverse bind matrix is written exactly."""
    flat = skin.inverse_bind.transpose(0, 2, 1).reshape(-1, 16).astype(np.float32)
    flat[:, [3, 7, 11]], flat[:, 15] = 0, 1
    out: Json = {"name": skin.name, "joints": list(skin.joints), "inverseBindMatrices": pack.accessor(flat)}
    differing(out, skeleton=(skin.root, None))
    return out | extras_of(skin.extras)


def places_of(scene: Scene) -> dict[Key, str]:
    """Where each thing that animation may point into stands in the file, as a JSON pointer."""
    keys = {
        "materials": [m.key for m in scene.materials],
        "cameras": [c.key for c in scene.cameras],
        LIGHTS_AT: [x.key for x in scene.lights],
    }
    return {key: f"/{name}/{i}" for name, found in keys.items() for i, key in enumerate(found)}


def _pointers(clip: Clip, pack: Packer, places: Mapping[Key, str], samplers: list[Json]) -> list[Json]:
    """Channels of what is no node, for things that are still there, in a clip that is as long as it was."""
    out = []
    for p in clip.pointers:
        if p.subject not in places or not p.tells(clip.seconds):
            continue
        sampler = {
            "input": pack.accessor(p.times, limits=True),
            "output": pack.accessor(p.values.reshape(-1, p.values.shape[-1])),
        }
        samplers.append(differing(sampler, interpolation=(INTERPOLATIONS[p.interpolation], "LINEAR")))
        said = {"KHR_animation_pointer": {"pointer": f"{places[p.subject]}{p.path}"}}
        out.append({"sampler": len(samplers) - 1, "target": {"path": "pointer", "extensions": said}})
    return out


def clip_json(clip: Clip, pack: Packer, places: Mapping[Key, str], used: set[str]) -> Json:
    """One animation."""
    samplers, channels = [], []
    for c in clip.channels:
        width = 1 if c.path == "weights" else c.values.shape[-1]
        values = c.values.reshape(-1, width)
        if c.path == "rotation" and c.interpolation != "cubic":
            values = unit_rows(values)
        sampler = {"input": pack.accessor(c.times, limits=True), "output": pack.accessor(values)}
        samplers.append(differing(sampler, interpolation=(INTERPOLATIONS[c.interpolation], "LINEAR")))
        channels.append({"sampler": len(samplers) - 1, "target": {"node": c.node, "path": c.path}})
    if more := _pointers(clip, pack, places, samplers):
        used.add("KHR_animation_pointer")
        channels += more
    return {"name": clip.name, "samplers": samplers, "channels": channels} | extras_of(clip.extras)


def camera_json(camera: Camera) -> Json:
    """One camera."""
    c = camera
    if c.perspective:
        lens = differing(
            {"yfov": c.yfov, "znear": c.znear}, aspectRatio=(c.aspect, None), zfar=(c.zfar, None)
        )
        return {"name": c.name, "type": "perspective", "perspective": lens} | extras_of(c.extras)
    lens = {"xmag": c.xmag, "ymag": c.ymag, "znear": c.znear, "zfar": c.zfar or 100.0}
    return {"name": c.name, "type": "orthographic", "orthographic": lens} | extras_of(c.extras)


def light_json(light: Light) -> Json:
    """One light of KHR_lights_punctual."""
    out: Json = {"name": light.name, "type": light.kind}
    differing(
        out, color=(light.colour, (1.0,) * 3), intensity=(light.intensity, 1.0), range=(light.range, None)
    )
    if light.kind == "spot":
        out["spot"] = {"innerConeAngle": light.inner, "outerConeAngle": light.outer}
    return out | extras_of(light.extras)
