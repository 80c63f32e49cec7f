"""glTF 2.0 and GLB."""

from __future__ import annotations

from dataclasses import replace

from customs.formats.gltf.form import GltfForm
from customs.formats.gltf.leans import leans
from customs.formats.gltf.read import read_gltf
from customs.formats.gltf.write import FORMS, write_glb, write_gltf
from customs.formats.registry import Format, register
from customs.scene.convention import RAW_GLTF
from customs.scene.model import GLTF_SLOTS

EVERYTHING = frozenset(
    {"hierarchy", "skins", "clips", "morphs", "cameras", "lights", "colours", "normals", "tangents", "texcoords",
     "materials", "humanoid", "placements", "strips", "points", "lines", "pbr", "variants", "texture transform", "layers", "springs"}
)  # fmt: skip


def _is_json(head: bytes) -> bool:
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    return text[:1] == b"{"


_GLB = Format(
    id="glb",
    title="GLB",
    endings=(".glb", ".vrm"),
    convention=RAW_GLTF,
    carries=EVERYTHING,
    looks_like=lambda head: head[:4] == b"glTF",
    read=read_gltf,
    leans=leans,
    write=write_glb,
    fixed=True,
    images_inside=True,
    image_forms=FORMS,
    settings=GltfForm,
    places=True,
    channels=True,
    texture_roles=GLTF_SLOTS,
    factors=True,
)

register(_GLB)
register(
    replace(
        _GLB,
        id="gltf",
        title="glTF",
        endings=(".gltf",),
        looks_like=_is_json,
        wide=True,
        write=write_gltf,
        images_inside=False,
        written=lambda scene: (".gltf", ".bin") if scene.meshes or scene.skins or scene.clips else (".gltf",),
    )
)
