"""Finding equal rows and welding vertices."""

from __future__ import annotations

from collections.abc import Sequence
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.kernels.store import kernel_for
from customs.scene.arrays import frozen
from customs.scene.kept import kept

U32 = npt.NDArray[np.uint32]


def _words(values: npt.NDArray[Any]) -> npt.NDArray[np.uint32]:
    """Rows as 32-bit words, −0 made equal to 0."""
    if values.dtype.kind == "f":
        values = np.ascontiguousarray(values, dtype=np.float32) + np.float32(0)
        return values.view(np.uint32).reshape(len(values), values[:1].size)
    return np.ascontiguousarray(values.astype(np.uint32)).reshape(len(values), values[:1].size)


def hash_rows(columns: Sequence[npt.NDArray[Any]]) -> npt.NDArray[np.uint64]:
    """A 64-bit hash (N,) of each row over all `columns` ((N, D) each).

    Mixing constants from Steele, Lea and Flood, "Fast splittable pseudorandom number generators" (2014).
    """
    state = np.full(len(columns[0]), 0x9E3779B97F4A7C15, dtype=np.uint64)
    for column in columns:
        words = _words(column)
        for c in range(words.shape[1]):
            state ^= words[:, c]
            state *= np.uint64(0xBF58476D1CE4E5B9)
            state ^= state >> np.uint64(29)
            state *= np.uint64(0x94D049BB133111EB)
            state ^= state >> np.uint64(32)
    return state


def unique_rows(columns: Sequence[npt.NDArray[Any]]) -> tuple[npt.NDArray[np.intp], U32]:
    """(first, inverse): `first` (M,) the first row of each distinct one, in order of appearance; `inverse`
    (N,) uint32.

    −0 equals 0. In numpy rows are the same when their 64-bit hashes are: among a million rows the chance that
    two different ones are taken for the same is about 3e-8.
    """
    compiled = kernel_for("rows", len(columns[0]))
    return by_table(compiled, columns) if compiled is not None else by_hashes(columns)


def by_table(compiled: ModuleType, columns: Sequence[npt.NDArray[Any]]) -> tuple[npt.NDArray[np.intp], U32]:
    """`unique_rows` by a kernel: rows are compared word by word."""
    words = [_words(c) for c in columns]
    rows = words[0] if len(words) == 1 else np.concatenate(words, axis=1)
    n = len(rows)
    first, inverse = np.empty(n, np.int32), np.empty(n, np.uint32)
    table = np.full(2 << n.bit_length(), -1, np.int32)
    found = compiled.distinct_rows(np.ascontiguousarray(rows), table, first, inverse)
    return first[:found].astype(np.intp), inverse


def by_hashes(columns: Sequence[npt.NDArray[Any]]) -> tuple[npt.NDArray[np.intp], U32]:
    """`unique_rows` in numpy: by sorted hashes."""
    n = len(columns[0])
    if n == 0:
        return np.zeros(0, dtype=np.intp), np.zeros(0, dtype=np.uint32)
    hashed = hash_rows(columns)
    # An unstable sort is several times quicker; the first of each run is then found by its least row number.
    order = np.argsort(hashed)
    ordered = hashed[order]
    new = np.empty(n, dtype=bool)
    new[0] = True
    np.not_equal(ordered[1:], ordered[:-1], out=new[1:])
    starts = np.flatnonzero(new)
    first = np.minimum.reduceat(order, starts)
    by_appearance = np.argsort(first)
    rank = np.empty(len(first), dtype=np.uint32)
    rank[by_appearance] = np.arange(len(first), dtype=np.uint32)
    inverse = np.empty(n, dtype=np.uint32)
    inverse[order] = np.repeat(rank, np.diff(np.append(starts, n)))
    return first[by_appearance], inverse


ROUNDS = 24
"""Rounds of comparing before what is left is sorted: a vertex seldom has as many different UVs and
normals.
"""


def distinct_pairs(
    places: npt.NDArray[Any], keys: Sequence[npt.NDArray[Any]], count: int
) -> tuple[npt.NDArray[Any], U32]:
    """(first, inverse) as of `unique_rows`, for rows (place, *keys) of whole numbers: places 0..`count` − 1,
    at most two keys below 2³¹.
    """
    compiled = kernel_for("corners", len(places))
    quick = by_chains(compiled, places, keys, count) if compiled is not None else None
    return quick if quick is not None else by_rounds(places, keys, count)


def by_chains(
    compiled: ModuleType, places: npt.NDArray[Any], keys: Sequence[npt.NDArray[Any]], count: int
) -> tuple[npt.NDArray[Any], U32] | None:
    """`distinct_pairs` by a kernel; None where one place has too many different corners for it. Raises
    IndexError.
    """
    if len(places) and (int(places.min()) < 0 or int(places.max()) >= count):
        raise IndexError(f"places {places.min()}..{places.max()} of {count}")
    numbers = [np.ascontiguousarray(c, np.int32) for c in (places, *keys)]
    a, b = (numbers[k] if k < len(numbers) else numbers[0] for k in (1, 2))
    n = len(places)
    first, follows, inverse = np.empty(n, np.int32), np.empty(n, np.int32), np.empty(n, np.uint32)
    found = compiled.distinct(numbers[0], a, b, np.full(count, -1, np.int32), follows, first, inverse)
    return (first[:found].copy(), inverse) if found >= 0 else None


def by_rounds(
    places: npt.NDArray[Any], keys: Sequence[npt.NDArray[Any]], count: int
) -> tuple[npt.NDArray[np.intp], U32]:
    """`distinct_pairs` in numpy. Nothing is sorted: in each round every place's first row still left stands
    for all that agree with it."""
    n = len(places)
    stands = np.arange(n)
    left: npt.NDArray[np.intp] | None = None
    chosen = np.zeros(count, dtype=np.intp)
    for _ in range(ROUNDS):
        rows = stands if left is None else left
        mine = places if left is None else places[rows]
        # Written backwards, so that the first row of a place is the one that stays.
        chosen[mine[::-1]] = rows[::-1]
        lead = chosen[mine]
        same = np.ones(len(rows), dtype=bool)
        for key in keys:
            same &= key[lead] == (key if left is None else key[rows])
        if left is None:
            stands = np.where(same, lead, -1)
        else:
            stands[rows[same]] = lead[same]
        left = rows[~same]
        if not len(left):
            break
    if left is not None and len(left):
        first, inverse = unique_rows(
            [np.stack([places[left], *(k[left] for k in keys)], axis=1).astype(np.uint32)]
        )
        stands[left] = left[first][inverse]
    leads = stands == np.arange(n)
    rank = np.cumsum(leads, dtype=np.uint32)
    rank -= np.uint32(1)
    return np.flatnonzero(leads), rank[stands]


def groups_of_rows(rows: npt.NDArray[Any]) -> U32:
    """(N,) uint32: the same number for equal rows of `rows` (N, D), numbered by first appearance.

    Answers for read-only arrays are kept while the array lives: several checks ask for the same places.
    """
    if rows.flags.writeable:
        return unique_rows([rows])[1]
    return kept("groups of rows", rows, lambda: frozen(unique_rows([rows])[1], np.uint32))


def groups_near(points: npt.NDArray[Any], distance: float) -> U32:
    """(N,) uint32: the same number for points within `distance` (units) of one another, chained.

    `distance` 0 means equal to the bit.
    """
    same = groups_of_rows(points)
    if distance <= 0 or len(points) < 2:
        return same
    first = np.empty(int(same.max()) + 1, np.intp)
    # Written backwards, so that the first row of a place is the one that stays.
    first[same[::-1]] = np.arange(len(same))[::-1]
    apart = np.ascontiguousarray(points[first], np.float64)
    compiled = kernel_for("near", len(points))
    quick = near_by_cells(compiled, apart, distance) if compiled is not None else None
    return (quick if quick is not None else near_by_tree(apart, distance))[same]


CELLS = 64
"""Distances a cell is wide: few points are so near to its border that its neighbours have a say."""
MOST_CELLS = 2**20
"""Cells along an axis at most."""


def near_by_cells(compiled: ModuleType, points: npt.NDArray[np.float64], distance: float) -> U32 | None:
    """(N,) the same number for points (N, 3) within `distance`, chained, numbered by first appearance; by a
    kernel. None where too many share a cell, or where points or distance are no numbers for a grid.
    """
    n = len(points)
    low, high = points.min(axis=0, initial=np.inf), points.max(axis=0, initial=-np.inf)
    extent = float((high - low).max(initial=0.0)) if n else 0.0
    if not np.isfinite(extent) or not 0 < distance < np.inf:
        return None
    cell = max(CELLS * distance, extent / MOST_CELLS)
    size = 2 << n.bit_length()
    cells, heads = np.full(size, -1, np.int64), np.empty(size, np.int32)
    follows, group = np.empty(n, np.int32), np.empty(n, np.int32)
    found = compiled.chained(points, low, cell, distance, cells, heads, follows, group)
    return group.astype(np.uint32) if found >= 0 else None


def near_by_tree(points: npt.NDArray[np.float64], distance: float) -> U32:
    """`near_by_cells` by a k-d tree, which finds the pairs, and connected components."""
    from scipy import sparse
    from scipy.spatial import cKDTree

    pairs = cKDTree(points).query_pairs(distance, output_type="ndarray")
    n = len(points)
    graph = sparse.coo_matrix((np.ones(len(pairs), dtype=np.int8), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    return sparse.csgraph.connected_components(graph, directed=False)[1].astype(np.uint32)
