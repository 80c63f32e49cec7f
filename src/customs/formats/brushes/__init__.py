"""Levels of brushes: the text form of planes through three points, with entities of keys and values."""

from __future__ import annotations

import re

from customs.formats.brushes.read import INCH, read_brushes
from customs.formats.registry import Format, register

_START = re.compile(rb"\s*(//[^\n]*\n\s*)*\{\s*(//[^\n]*\n\s*)*(\"[^\"\n]*\"\s+\"[^\"\n]*\"|\{)")


def looks_like_brushes(head: bytes) -> bool:
    """True for the first bytes of a brush level: an entity's bracket, then a key with its value in quotes, or a brush."""
    return _START.match(head.replace(b"\0", b"").lstrip(b"\xef\xbb\xbf\xff\xfe")) is not None


register(
    Format(
        id="brushes",
        title="brush level",
        endings=(".map",),
        convention=INCH,
        carries=frozenset({"hierarchy", "normals", "texcoords", "materials"}),
        looks_like=looks_like_brushes,
        read=read_brushes,
    )
)
