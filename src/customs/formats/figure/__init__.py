"""Figures of boxes: nested parts with pivots, boxes and texture cells, in our own shape or through a mapping (the page Boxed figures of the guide)."""

from __future__ import annotations

from customs.formats.figure.mapping import ENDING
from customs.formats.figure.read import read_figure
from customs.formats.registry import Format, register
from customs.scene.convention import Convention


def looks_like_figure(head: bytes) -> bool:
    """True for the first bytes of a figure file."""
    start = head.replace(b"\0", b"").lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n")
    return start.startswith(b"{") and start[1:].lstrip().startswith(b'"figure"')


register(
    Format(
        id="figure",
        title="boxed figure",
        endings=(ENDING,),
        convention=Convention(stated="assumed"),
        carries=frozenset({"hierarchy", "normals", "texcoords", "materials"}),
        looks_like=looks_like_figure,
        read=read_figure,
    )
)
