"""As few colours as asked for, chosen from those there are or given; nearest in OKLab."""

from __future__ import annotations

import heapq
import re
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.surface.colour import from_oklab, to_oklab

spatial = later("scipy.spatial")
F32 = npt.NDArray[np.float32]
Bytes = npt.NDArray[np.uint8]
Ints = npt.NDArray[np.intp]
ROUNDS = 12
"""Rounds in which colours are moved to the middle of what is nearest to them (common practice: they hardly move after that)."""
R3 = 1.2207440846057596
"""The root of x⁴ = x + 1: its powers spread thresholds evenly over space (M. Roberts, "The unreasonable effectiveness of quasirandom
sequences", 2018).
"""


def parsed(colours: Sequence[str]) -> Bytes:
    """(K, 3) of colours as #rrggbb. Raises ValueError for what is none."""
    bad = next((c for c in colours if not re.fullmatch(r"#[0-9a-fA-F]{6}", c)), None)
    if bad is not None:
        raise ValueError(f"{bad!r} is no colour as #rrggbb")
    return np.array([[int(c[k : k + 2], 16) for k in (1, 3, 5)] for c in colours], np.uint8).reshape(-1, 3)


def chosen(colours: Bytes, count: int) -> Bytes:
    """At most `count` colours (K, 3) for colours (N, 3): those there are where they are few enough. Otherwise boxes of colours are divided where
    they differ most (P. Heckbert, "Color image quantization for frame buffer display", 1982, by variance in OKLab), then each moved to the
    middle of what is nearest to it (S. Lloyd, "Least squares quantization in PCM", 1982).
    """
    every, times = np.unique(colours.reshape(-1, 3), axis=0, return_counts=True)
    if len(every) <= count:
        return every.astype(np.uint8)
    lab, weight = _lab(every).astype(np.float64), times.astype(np.float64)
    middles = _divided(lab, weight, count)
    for _ in range(ROUNDS):
        near = spatial.cKDTree(middles).query(lab)[1]
        whole = np.bincount(near, weight, len(middles))
        moved = np.stack([np.bincount(near, weight * lab[:, k], len(middles)) for k in range(3)], axis=1)
        there = whole > 0
        middles[there] = moved[there] / whole[there, None]
    found = np.round(from_oklab(middles.astype(np.float32)) * 255).astype(np.uint8)
    return np.unique(found, axis=0)


def _lab(colours: Bytes) -> F32:
    return to_oklab(colours.astype(np.float32) / np.float32(255))


def _divided(
    lab: npt.NDArray[np.float64], weight: npt.NDArray[np.float64], count: int
) -> npt.NDArray[np.float64]:
    """Middles (count, 3) of boxes: the one that differs most is divided at its middle until there are enough."""
    boxes = [np.arange(len(lab))]
    heap = [(-_spread(lab, weight, boxes[0])[0], 0)]
    while len(boxes) < count and heap:
        much, k = heapq.heappop(heap)
        if much >= 0:
            break
        rows = boxes[k]
        _, axis, middle = _spread(lab, weight, rows)
        low = lab[rows, axis] <= middle
        boxes[k] = rows[low]
        boxes.append(rows[~low])
        for n in (k, len(boxes) - 1):
            heapq.heappush(heap, (-_spread(lab, weight, boxes[n])[0], n))
    return np.array([np.average(lab[rows], axis=0, weights=weight[rows]) for rows in boxes])


def _spread(
    lab: npt.NDArray[np.float64], weight: npt.NDArray[np.float64], rows: Ints
) -> tuple[float, int, float]:
    """(how much some colours differ, along which axis most, where their middle lies on it)."""
    mine, w = lab[rows], weight[rows]
    mean = np.average(mine, axis=0, weights=w)
    much = (w[:, None] * (mine - mean) ** 2).sum(axis=0)
    axis = int(much.argmax())
    # Rounding must not leave everything on one side.
    middle = min(float(mean[axis]), float(np.nextafter(mine[:, axis].max(), -1)))
    return float(much[axis]) if len(rows) > 1 else 0.0, axis, middle


def nearest(colours: Bytes, palette: Bytes, at: Ints | None = None, shape: Sequence[int] = ()) -> Ints:
    """(N,) places in a palette (K, 3) nearest to colours (N, 3). With cells `at` (N, 3) of a grid of `shape` mixed by dots: of the two nearest
    each as often as the colour lies near it, alike on both sides of a mirror.
    """
    lab = _lab(colours)
    tree = spatial.cKDTree(_lab(palette))
    if at is None or len(palette) < 2:
        return np.asarray(tree.query(lab)[1], np.intp)
    found = np.asarray(tree.query(lab, k=2)[1], np.intp)
    one, other = _lab(palette)[found[:, 0]], _lab(palette)[found[:, 1]]
    way = other - one
    share = ((lab - one) * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), 1e-12)
    mirrored = np.minimum(at, np.array(shape) - 1 - at)
    threshold = (0.5 + mirrored @ np.array([R3**-1, R3**-2, R3**-3])) % 1.0
    return np.where(share > threshold, found[:, 1], found[:, 0])
