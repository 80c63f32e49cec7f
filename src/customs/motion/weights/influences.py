"""Influences: how many joints move a vertex, and bringing that number down."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.scene.arrays import frozen
from customs.scene.model import Primitive

U16 = npt.NDArray[np.uint16]
F32 = npt.NDArray[np.float32]
FINE = 2.0**24
"""Steps in which weights are stored: float32 holds every multiple of 2⁻²⁴ from 0 to 1."""


def most_influences(prim: Primitive) -> int:
    """Largest count of non-zero weights on one vertex."""
    return 0 if prim.weights is None else int(np.count_nonzero(prim.weights, axis=1).max(initial=0))


def limited(joints: U16, weights: F32, limit: int, least: float) -> tuple[U16, F32, float]:
    """(joints (V, K), weights (V, K), largest share let go): the `limit` strongest of each vertex, summing to
    one.

    K is `limit` rounded up to a multiple of four.
    """
    order = np.argsort(-weights, axis=1, kind="stable")[:, :limit]
    kept = np.take_along_axis(weights.astype(np.float64), order, axis=1)
    total = weights.sum(axis=1, dtype=np.float64)
    safe = np.where(total > 0, total, 1)[:, None]
    kept = np.where(kept / safe >= least, np.clip(kept, 0, None), 0)
    lost = float((1 - kept.sum(axis=1) / safe[:, 0]).max(initial=0.0, where=total > 0))
    sums = kept.sum(axis=1, keepdims=True)
    empty = sums[:, 0] <= 0
    kept[empty, 0], sums[empty] = 1, 1
    # Whole multiples of 2⁻²⁴ and the strongest takes the rest: every partial sum is a float32, so any order
    # adds up to one.
    steps = np.rint(kept / sums * FINE)
    steps[:, 0] = FINE - steps[:, 1:].sum(axis=1)
    shares = (steps / FINE).astype(np.float32)
    width = -(-limit // 4) * 4
    out_joints = np.zeros((len(joints), width), dtype=np.uint16)
    out_weights = np.zeros((len(joints), width), dtype=np.float32)
    count = order.shape[1]
    out_weights[:, :count] = shares
    out_joints[:, :count] = np.where(shares > 0, np.take_along_axis(joints, order, axis=1), 0)
    return frozen(out_joints, np.uint16), frozen(out_weights), lost


def sound_weights(prim: Primitive, joints: int) -> F32:
    """The weights (V, K) of a primitive with those that are no number, negative, or of joints outside the
    list at 0.

    The very same array comes back where all are sound.
    """
    assert prim.joints is not None and prim.weights is not None
    good = np.isfinite(prim.weights) & (prim.weights >= 0) & ((prim.joints < joints) | (prim.weights == 0))
    return prim.weights if good.all() else frozen(np.where(good, prim.weights, 0))
