"""The rims of holes: edges one face has alone, in order round each hole; and the faces that close them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.geometry.polygons import triangulate
from customs.geometry.weld import groups_of_rows

U32 = npt.NDArray[np.uint32]
Ints = npt.NDArray[np.int64]


def open_edges(positions: npt.NDArray[np.float32], faces: U32) -> tuple[Ints, Ints]:
    """(edges (E, 2) of vertices as their face runs, the face (E,) of each) that no second face has; edges of three
    faces and more are none.
    """
    place = groups_of_rows(positions)[faces].astype(np.int64)
    a, b = place.reshape(-1), place[:, [1, 2, 0]].reshape(-1)
    low, high = np.minimum(a, b), np.maximum(a, b)
    edge = low * (int(place.max(initial=0)) + 1) + high
    _, back, count = np.unique(edge, return_inverse=True, return_counts=True)
    alone = np.flatnonzero((count[back.reshape(-1)] == 1) & (a != b))
    ends = np.stack([faces.reshape(-1), faces[:, [1, 2, 0]].reshape(-1)], axis=1)[alone].astype(np.int64)
    return ends, alone // 3


def rims(positions: npt.NDArray[np.float32], faces: U32) -> tuple[list[Ints], int]:
    """(vertices of each rim in the order a face that closes it runs, how many rims cannot be followed): those where
    more than two open edges meet at a place, and those that do not come back.
    """
    ends, _ = open_edges(positions, faces)
    if not len(ends):
        return [], 0
    place = groups_of_rows(positions).astype(np.int64)
    here, there = place[ends[:, 1]], place[ends[:, 0]]  # a closing face runs against those beside it
    count = int(place.max()) + 1
    simple = (np.bincount(here, minlength=count) <= 1) & (np.bincount(there, minlength=count) <= 1)
    onward = np.full(count, -1, np.int64)
    onward[here] = there
    label = _rings(onward, here, there)
    bad = np.unique(label[np.concatenate([here, there])[~simple[np.concatenate([here, there])]]])
    vertex = np.full(count, -1, np.int64)
    vertex[here] = ends[:, 1]
    good = ~np.isin(label[here], bad)
    starts = here[good]
    order = _walked(onward, starts, label)
    out = []
    for ring in np.split(order, np.flatnonzero(np.diff(label[order])) + 1) if len(order) else []:
        if len(ring) > 2 and onward[ring[-1]] == ring[0]:
            out.append(vertex[ring])
        else:
            bad = np.append(bad, label[ring[0]])
    return out, len(np.unique(bad))


def _rings(onward: Ints, here: Ints, there: Ints) -> Ints:
    """(P,) the same number for places on one rim, by joining (pointer jumping)."""
    from scipy import sparse

    n = len(onward)
    graph = sparse.coo_matrix((np.ones(len(here), np.int8), (here, there)), shape=(n, n))
    return np.asarray(sparse.csgraph.connected_components(graph, directed=False)[1], dtype=np.int64)


def _walked(onward: Ints, starts: Ints, label: Ints) -> Ints:
    """Places of the rims, one rim after another, each from its lowest place on: how far a place is from there is
    found by doubling steps.
    """
    n = len(onward)
    lowest = np.full(int(label.max()) + 1, n, np.int64)
    np.minimum.at(lowest, label[starts], starts)
    first = np.zeros(n, dtype=bool)
    first[lowest[lowest < n]] = True
    jump = np.where(onward < 0, np.arange(n), onward)
    # Steps until the first of the rim is come to; it has none.
    steps = np.where(first, 0, 1)
    jump = np.where(first, np.arange(n), jump)
    for _ in range(max(int(np.ceil(np.log2(max(len(starts), 2)))), 1) + 1):
        steps = steps + steps[jump]
        jump = jump[jump]
    left = np.where(first, 0, -steps)
    return starts[np.lexsort((left[starts], label[starts]))]


def closing(positions: npt.NDArray[np.float32], loops: list[Ints]) -> U32:
    """Faces (F, 3) over the vertices of rims that close them: as flat as each rim is."""
    loops = [ring for ring in loops if len(ring) > 2]
    if not loops:
        return np.zeros((0, 3), np.uint32)
    sizes = np.array([len(ring) for ring in loops], np.uint32)
    return triangulate(positions, np.concatenate(loops).astype(np.uint32), sizes)[0]
