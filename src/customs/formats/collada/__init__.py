"""COLLADA 1.4 and 1.5: in through libassimp, out (1.4.1) by a writer of our own. Source: Khronos Group,
"COLLADA – Digital Asset Schema Release 1.4.1".
"""

from __future__ import annotations

from customs.formats.collada.leans import leans
from customs.formats.collada.read import read_collada
from customs.formats.collada.write import write_collada
from customs.formats.collada.write_surface import PLACES
from customs.formats.registry import Format, register
from customs.scene.convention import Convention


def _looks_like(head: bytes) -> bool:
    return b"<COLLADA" in head or b"<\0C\0O\0L\0L\0A\0D\0A" in head


register(
    Format(
        id="dae",
        title="COLLADA",
        endings=(".dae", ".zae"),
        convention=Convention(v="up", stated="format"),
        carries=frozenset({"hierarchy", "skins", "clips", "colours", "normals", "texcoords", "materials"}),
        looks_like=_looks_like,
        read=read_collada,
        leans=leans,
        write=write_collada,
        share=2.4,
        image_forms=("png", "jpeg", "tga", "bmp", "dds"),
        texture_roles=tuple(PLACES),
    )
)
