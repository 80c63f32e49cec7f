"""What hangs under what, as columns: `above` (N,) integers, the number of the item each hangs under, negative
for none.

All are found by pointer jumping, in as many rounds as the logarithm of the depth (J. C. Wyllie, The
complexity of parallel computations, 1979).
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Bools = npt.NDArray[np.bool_]
MOST_ROUNDS = 33
"""More than the logarithm of any depth that fits an index: who is not done by then goes round in a circle."""


def _rounds(above: npt.NDArray[Any]) -> Any:
    """(items still on their way up (M,), what each hangs under (M,)), each round twice as far up. Raises
    ValueError for a circle.
    """
    now = above.astype(np.intp)
    for _ in range(MOST_ROUNDS):
        at = np.flatnonzero(now >= 0)
        if not len(at):
            return
        up = now[at]
        yield at, up
        now[at] = now[up]
    raise ValueError("items that hang under each other in a circle")


def topmost(above: npt.NDArray[Any]) -> Ints:
    """(N,) the topmost item above each; itself for those that hang under none. Raises ValueError for a
    circle.
    """
    out = np.arange(len(above))
    for at, up in _rounds(above):
        out[at] = out[up]
    return out


def depths(above: npt.NDArray[Any]) -> Ints:
    """(N,) how many items are above each. Raises ValueError for a circle."""
    out = (above >= 0).astype(np.intp)
    for at, up in _rounds(above):
        out[at] += out[up]
    return out


def up_to(above: npt.NDArray[Any], matrices: F64) -> F64:
    """Transforms (N, 3, 4) of items with all above them taken in, of their own ones (N, 3, 4). Raises
    ValueError for a circle.
    """
    out = matrices
    for at, up in _rounds(above):
        out = out.copy() if out is matrices else out
        out[at] = through(out[up], out[at])
    return out


def through(outer: F64, inner: F64) -> F64:
    """outer · inner of affine transforms (..., 3, 4)."""
    out = outer[..., :3, :3] @ inner
    out[..., 3] += outer[..., 3]
    return out


def leading(above: npt.NDArray[Any], which: Bools) -> Bools:
    """(N,) the items `which` (N,) and all above them."""
    out, new = which.copy(), np.flatnonzero(which)
    while len(new):
        up = above[new]
        up = np.unique(up[up >= 0])
        new = up[~out[up]]
        out[new] = True
    return out


def held_up(above: npt.NDArray[Any], matrices: F64, stay: Bools) -> tuple[npt.NDArray[np.int32], F64]:
    """(`above` in numbers of what stays, matrices) (N,), (N, 3, 4), when only the items `stay` (N,) do: the
    others' transforms go into those of what hung under them."""
    now, out = above.astype(np.int32), matrices
    while (lost := np.flatnonzero((now >= 0) & ~stay[now])).size:
        out = out.copy() if out is matrices else out
        out[lost] = through(matrices[now[lost]], out[lost])
        now[lost] = above[now[lost]]
    numbers = np.append(np.cumsum(stay) - 1, -1).astype(np.int32)
    return numbers[now], out


def shapes(shown: npt.NDArray[Any], above: npt.NDArray[Any]) -> npt.NDArray[np.uint64]:
    """(N,) a number for what each item shows (N,) (−1: nothing) with all that hangs under it: the same where
    both are the same.

    A sum over scattered numbers of what hangs under an item, so that order plays no part. Source of the
    scattering: the finalizer of SplitMix64 (Steele, Lea, Flood, Fast splittable pseudorandom number
    generators, 2014).
    """
    out = _scattered(shown.astype(np.int64).astype(np.uint64))
    deep = depths(above)
    order = np.argsort(deep, kind="stable")
    for at in reversed(np.split(order, np.flatnonzero(np.diff(deep[order])) + 1)[1:]):
        np.add.at(out, above[at], _scattered(out[at]))
    return out


def _scattered(values: npt.NDArray[np.uint64]) -> npt.NDArray[np.uint64]:
    x = values + np.uint64(0x9E3779B97F4A7C15)
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return x ^ (x >> np.uint64(31))
