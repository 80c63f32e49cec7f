"""Levels as lists of placements: level files (the page Lists of placements of the guide) and lists in our own shape."""

from __future__ import annotations

from customs.formats.level.read import read_level
from customs.formats.registry import Format, register
from customs.levels.file import ENDING, looks_like_level
from customs.scene.convention import WORKING

register(
    Format(
        id="level",
        title="level of placements",
        endings=(ENDING,),
        convention=WORKING,
        carries=frozenset({"hierarchy", "normals", "texcoords", "materials", "colours", "tangents"}),
        looks_like=looks_like_level,
        read=read_level,
    )
)
