"""The faces of a grid that are seen, as few rectangles as their colours allow."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.later import later

ndimage = later("scipy.ndimage")
U32 = npt.NDArray[np.uint32]
Ints = npt.NDArray[np.intp]


def rectangles(cells: U32) -> tuple[Ints, Ints, Ints, Ints]:
    """Of cells (X, Y, Z), 0 for empty, the rectangles that cover all their sides that are seen: (low corner (N, 3) and size (N, 3) in cells, 0 along the
    way they face, that way (N,) as axis · 2 + 1 where it is towards more, colour (N,)). Runs along one axis of one colour become one,
    and so do equal runs side by side. Sides of hollows nothing leads into are not seen.
    """
    full = closed_up(cells)
    found = [_facing(cells, full, axis, up) for axis in range(3) for up in (False, True)]
    low, size, way, colour = (np.concatenate(parts) for parts in zip(*found))
    return low, size, way, colour


def closed_up(cells: U32) -> npt.NDArray[np.bool_]:
    """(X, Y, Z) cells that are filled or lie in a hollow nothing leads into."""
    pieces, _ = ndimage.label(np.pad(cells == 0, 1, constant_values=True))
    return np.asarray(pieces != pieces[0, 0, 0])[1:-1, 1:-1, 1:-1]


def _facing(cells: U32, full: npt.NDArray[np.bool_], axis: int, up: bool) -> tuple[Ints, Ints, Ints, Ints]:
    u, v = (a for a in range(3) if a != axis)
    grid, filled = (np.moveaxis(x, [axis, u, v], [0, 1, 2]) for x in (cells, full))
    beyond = np.zeros_like(filled)
    if up:
        beyond[:-1] = filled[1:]
    else:
        beyond[1:] = filled[:-1]
    seen = np.where(beyond, 0, grid)
    layer, row, begin, end, colour = runs_along(seen)
    # Equal runs, one row after another, lie together in this order.
    order = np.lexsort((row, colour, end, begin, layer))
    layer, row, begin, end, colour = (x[order] for x in (layer, row, begin, end, colour))
    new = np.ones(len(row), bool)
    same = [x[1:] == x[:-1] for x in (layer, begin, end, colour)]
    new[1:] = ~(np.logical_and.reduce(same) & (row[1:] == row[:-1] + 1))
    first = np.flatnonzero(new)
    rows = np.diff(np.append(first, len(row)))
    low, size = np.zeros((len(first), 3), np.intp), np.zeros((len(first), 3), np.intp)
    low[:, axis] = layer[first] + int(up)
    low[:, u], size[:, u] = row[first], rows
    low[:, v], size[:, v] = begin[first], end[first] - begin[first]
    return low, size, np.full(len(first), axis * 2 + int(up), np.intp), colour[first] - 1


def runs_along(seen: U32) -> tuple[Ints, Ints, Ints, Ints, Ints]:
    """(layer, row, begin, end, colour) of every run of one colour along the last axis of cells (X, Y, Z), 0 for empty."""
    wide = np.pad(seen, ((0, 0), (0, 0), (1, 1)))
    step = wide[:, :, 1:] != wide[:, :, :-1]
    begins = np.argwhere(step & (wide[:, :, 1:] != 0))
    ends = np.argwhere(step & (wide[:, :, :-1] != 0))
    # Both are in the order of rows, so that the n-th begin has the n-th end.
    layer, row, begin = begins.T
    return layer, row, begin, ends[:, 2], seen[layer, row, begin].astype(np.intp)


def mesh_of(low: Ints, size: Ints, way: Ints) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64], U32]:
    """(corners (4N, 3) in cells, normals (4N, 3), triangles (2N, 3)) of rectangles, wound so that their fronts look outwards."""
    axis, up = way // 2, way % 2
    u, v = np.where(axis == 0, 1, 0), np.where(axis == 2, 1, 2)
    one, other = np.zeros((len(way), 3)), np.zeros((len(way), 3))
    at = np.arange(len(way))
    one[at, u], other[at, v] = size[at, u], size[at, v]
    corners = low[:, None].astype(np.float64) + np.stack(
        [np.zeros_like(one), one, one + other, other], axis=1
    )
    normals = np.zeros((len(way), 3))
    normals[at, axis] = np.where(up == 1, 1.0, -1.0)
    # u × v looks along the axis for X and Z, against it for Y.
    forwards = (up == 1) == (axis != 1)
    faces = np.where(forwards[:, None], [[0, 1, 2, 0, 2, 3]], [[0, 2, 1, 0, 3, 2]]) + 4 * at[:, None]
    return corners.reshape(-1, 3), np.repeat(normals, 4, axis=0), faces.reshape(-1, 3).astype(np.uint32)
