"""FBX: in through libassimp, out by a writer of our own."""

from __future__ import annotations

from customs.formats.fbx.leans import leans
from customs.formats.fbx.read import read_fbx
from customs.formats.fbx.write import write_fbx
from customs.formats.fbx.write_material import PROPERTIES
from customs.formats.registry import Format, register
from customs.scene.convention import Convention

BINARY = b"Kaydara FBX Binary  \x00"
"""First bytes of the binary form (common practice; the format is not an open standard)."""


def _looks_like(head: bytes) -> bool:
    return head.startswith(BINARY) or (head.lstrip()[:5] == b"; FBX" and b"FBX" in head)


register(
    Format(
        id="fbx",
        title="FBX",
        endings=(".fbx",),
        convention=Convention(metres_per_unit=0.01, v="up", stated="format"),
        carries=frozenset(
            {
                "hierarchy",
                "skins",
                "clips",
                "morphs",
                "colours",
                "normals",
                "tangents",
                "texcoords",
                "materials",
                "polygons",
            }
        ),
        looks_like=_looks_like,
        read=read_fbx,
        leans=leans,
        write=write_fbx,
        images_inside=True,
        image_forms=("png", "jpeg", "tga", "bmp", "dds"),
        texture_roles=tuple(PROPERTIES),
    )
)
