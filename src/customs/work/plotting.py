"""Drawing on a plot: cells given to an area by brush, line, rectangle and fill, on both sides at once."""

from __future__ import annotations

from typing import Literal

import numpy as np
import numpy.typing as npt

from customs.later import later

ndimage = later("scipy.ndimage")
Letters = npt.NDArray[np.str_]
Mask = npt.NDArray[np.bool_]
Cell = tuple[int, int]
Tool = Literal["brush", "line", "rectangle", "fill"]


def met(tool: Tool, letters: Letters, inside: Mask, way: list[Cell]) -> Mask:
    """(R, C) the cells a hand gives with a tool, that went `way` over cells (row, column): the brush all of it, a line from its
    beginning to its end, a rectangle between them, a fill what hangs together with its end and is alike.
    """
    out = np.zeros(letters.shape, bool)
    if not way:
        return out
    first, last = way[0], way[-1]
    if tool == "brush":
        for a, b in zip(way, [*way[1:], way[-1]]):
            out |= _line(out.shape, a, b)
    elif tool == "line":
        out = _line(out.shape, first, last)
    elif tool == "rectangle":
        r, c = sorted((first[0], last[0])), sorted((first[1], last[1]))
        out[max(r[0], 0) : r[1] + 1, max(c[0], 0) : c[1] + 1] = True
    elif 0 <= last[0] < len(inside) and 0 <= last[1] < inside.shape[-1] and inside[last]:
        parts, _ = ndimage.label(inside & (letters == letters[last]))
        out = parts == parts[last]
    return out


def _line(shape: tuple[int, ...], a: Cell, b: Cell) -> Mask:
    """(R, C) the cells from one to another."""
    out = np.zeros(shape, bool)
    count = max(abs(b[0] - a[0]), abs(b[1] - a[1])) + 1
    rows = np.round(np.linspace(a[0], b[0], count)).astype(int)
    columns = np.round(np.linspace(a[1], b[1], count)).astype(int)
    good = (rows >= 0) & (rows < shape[0]) & (columns >= 0) & (columns < shape[1])
    out[rows[good], columns[good]] = True
    return out


def given(letters: Letters, inside: Mask, cells: Mask, letter: str, mirrored: bool) -> Letters:
    """`letters` with cells given to a letter, where they are inside; with those on the other side of the axis where it is
    `mirrored`.
    """
    both = cells | cells[:, ::-1] if mirrored else cells
    return np.where(both & inside, letter, letters)
