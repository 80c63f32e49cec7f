"""Shells: faces that hang together over edges, and those of them that run against the others."""

from __future__ import annotations

from dataclasses import dataclass
from types import ModuleType

import numpy as np
import numpy.typing as npt

from customs.geometry.weld import groups_of_rows
from customs.kernels.store import kernel_for
from customs.later import later

sparse = later("scipy.sparse")
U32 = npt.NDArray[np.uint32]
I32 = npt.NDArray[np.int32]
Mask = npt.NDArray[np.bool_]
Edges = npt.NDArray[np.intp]
SPARSE = 64
"""Places a face up to which their numbers count as dense."""


@dataclass(frozen=True, eq=False)
class Shells:
    """Faces that share an edge with no third face hang together. `part` (F,) numbers the shells in the order
    they first appear; `flipped` (F,) are the faces to turn over so that neighbours agree, never more than
    half of a shell, and none of one that cannot be made consistent (a Möbius band); bits of `opened` (F,) uint8 are the edges (1 from the first corner, 2 from the second, 4 from the third) a
    face has alone; `pairs` is how many edges have two faces.
    """

    part: I32
    flipped: Mask
    opened: npt.NDArray[np.uint8]
    pairs: int


def shells(place: U32) -> Shells:
    """The shells of faces (F, 3) uint32 by the numbers of their places."""
    # Numbers far apart would ask for a table of them all.
    dense = int(place.max(initial=0)) <= SPARSE * (len(place) + 1)
    compiled = kernel_for("shells", len(place) * 3) if dense else None
    return by_joining(compiled, place) if compiled is not None else by_graph(place)


def by_joining(compiled: ModuleType, place: U32) -> Shells:
    """`shells` by a kernel."""
    n, places = len(place), int(place.max(initial=0)) + 1
    starts, edges = np.zeros(places + 2, np.int64), np.empty(3 * n, np.uint64)
    up, part = np.empty(n, np.int32), np.empty(n, np.int32)
    turned, twisted, opened = np.empty(n, np.bool_), np.empty(n, np.bool_), np.empty(n, np.uint8)
    rows = np.ascontiguousarray(place, np.uint32)
    pairs, _ = compiled.joined(rows, starts, edges, up, turned, twisted, part, opened)
    return Shells(part, _fewer(turned, part), opened, pairs)


def by_graph(place: U32) -> Shells:
    """`shells` in numpy and SciPy."""
    a, b = place.T.reshape(-1), place[:, [1, 2, 0]].T.reshape(-1)
    first, second, clash, alone = _edge_pairs(a, b)
    n = len(place)
    flipped, part = _consistent(n, first % n, second % n, clash)
    opened = np.zeros(3 * n, np.uint8)
    opened[alone] = np.repeat(np.array([1, 2, 4], np.uint8), n)[alone]
    whole = opened.reshape(3, n).sum(axis=0, dtype=np.uint8)
    return Shells(part, _fewer(flipped, part), whole, len(first))


def border(found: Shells, place: U32) -> npt.NDArray[np.intp]:
    """Places at the ends of edges a face has alone, in order."""
    some = np.flatnonzero(found.opened)
    row, k = np.nonzero(found.opened[some, None] & np.array([1, 2, 4], np.uint8))
    ends = np.stack([place[some[row], k], place[some[row], (k + 1) % 3]])
    return np.unique(ends).astype(np.intp)


def _fewer(flipped: Mask, part: I32) -> Mask:
    """The smaller half of each part counts as the one out of line."""
    if not flipped.any():
        return flipped
    share = np.bincount(part, weights=flipped) / np.bincount(part)
    return flipped ^ (share[part] > 0.5)


def _edge_pairs(a: U32, b: U32) -> tuple[Edges, Edges, Mask, Edges]:
    """Of edges from `a` to `b` (E,): pairs at the same two places with no third (first, second, same
    direction?), and those that are alone.
    """
    forward = a < b
    edge = np.where(forward, a, b).astype(np.uint64) << np.uint64(32) | np.where(forward, b, a).astype(
        np.uint64
    )
    order = np.argsort(edge, kind="stable")
    edge, forward = edge[order], forward[order]
    starts = np.flatnonzero(np.r_[True, edge[1:] != edge[:-1]]) if len(edge) else np.zeros(0, np.intp)
    sizes = np.diff(np.r_[starts, len(edge)])
    two = starts[sizes == 2]
    return order[two], order[two + 1], forward[two] == forward[two + 1], order[starts[sizes == 1]]


def _consistent(n: int, first: Edges, second: Edges, clash: Mask) -> tuple[Mask, I32]:
    """Faces (n,) that run against the first of their part, and the part (n,) of each.

    Every face stands twice in a graph, as it is and flipped; an edge ties the copies that agree. A part whose
    two copies fall into one component cannot be made consistent (a Möbius band) and is left as it is.
    """
    rows = np.concatenate([first, first + n])
    cols = np.concatenate([np.where(clash, second + n, second), np.where(clash, second, second + n)])
    graph = sparse.coo_matrix((np.ones(len(rows), dtype=np.int8), (rows, cols)), shape=(2 * n, 2 * n))
    label = sparse.csgraph.connected_components(graph, directed=False)[1]
    plain, other = label[:n], label[n:]
    part = np.unique(np.minimum(plain, other), return_inverse=True)[1].reshape(-1).astype(np.int32)
    return (plain > other).astype(bool), part


def is_closed(positions: npt.NDArray[np.float32], faces: U32) -> bool:
    """True when every edge between places is shared by exactly two faces."""
    if not len(faces):
        return False
    found = shells(groups_of_rows(positions)[faces])
    return not found.opened.any() and found.pairs * 2 == len(faces) * 3
