"""OBJ with MTL. Source: the "Object Files" and "Material Library File" format appendices (public since
1995).
"""

from __future__ import annotations

import re

from customs.formats.obj.leans import leans
from customs.formats.obj.mtl import LOOSE_STATEMENTS
from customs.formats.obj.read import read_obj
from customs.formats.obj.write import ObjForm, files_of, write_obj
from customs.formats.registry import Format, register
from customs.scene.convention import Convention

_KEYWORD = re.compile(rb"^\s*(v|vt|vn|f|l|p|o|g|s|mtllib|usemtl)\s", re.M)


def _looks_like(head: bytes) -> bool:
    """Plain text whose first statements are those of an OBJ."""
    if b"\0" in head or head[:3] == b"ply" or head.lstrip()[:5].lower() == b"solid":
        return False
    lines = [line for line in head.splitlines()[:-1] if line.strip() and not line.lstrip().startswith(b"#")]
    return bool(lines) and all(_KEYWORD.match(line + b" ") for line in lines[:5])


register(
    Format(
        id="obj",
        title="OBJ",
        endings=(".obj",),
        convention=Convention(v="up", stated="assumed"),
        carries=frozenset(
            {"hierarchy", "colours", "normals", "texcoords", "materials", "points", "lines", "polygons"}
        ),
        looks_like=_looks_like,
        read=read_obj,
        leans=leans,
        write=write_obj,
        settings=ObjForm,
        written=files_of,
        share=2.1,
        image_forms=("png", "jpeg", "tga", "bmp", "webp", "dds", "ktx2"),
        texture_roles=(
            "base_colour",
            "diffuse",
            "metallic_roughness",
            "normal",
            "occlusion",
            "emissive",
            *LOOSE_STATEMENTS,
        ),
    )
)
