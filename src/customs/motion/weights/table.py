"""Weights as a table of vertices by joints, and back to a few influences a vertex."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.later import Sparse, later
from customs.motion.weights.influences import limited
from customs.scene.model import Primitive

sparse = later("scipy.sparse")
F64 = npt.NDArray[np.float64]
F32 = npt.NDArray[np.float32]


def table_of(prim: Primitive, joints: int) -> Sparse:
    """(V, joints) weights of a primitive; a joint named twice on a vertex counts once, with the sum."""
    count = len(prim.positions)
    if prim.joints is None or prim.weights is None:
        return sparse.csr_matrix((count, joints))
    rows = np.repeat(np.arange(count), prim.joints.shape[1])
    flat = prim.weights.reshape(-1).astype(np.float64)
    good = (flat > 0) & (prim.joints.reshape(-1) < joints)
    columns = prim.joints.reshape(-1).astype(np.int64)[good]
    return sparse.coo_matrix((flat[good], (rows[good], columns)), shape=(count, joints)).tocsr()


def influences_of(table: Any, limit: int, least: float = 1e-4) -> tuple[npt.NDArray[np.uint16], F32]:
    """(joints, weights) (V, K) of a table (V, J), sparse or not: the `limit` strongest of each vertex,
    summing to one.
    """
    dense = np.asarray(table.toarray() if hasattr(table, "toarray") else table, dtype=np.float64)
    count = min(max(limit, 1), dense.shape[1])
    strongest = (
        np.argpartition(-dense, count - 1, axis=1)[:, :count]
        if count < dense.shape[1]
        else np.tile(np.arange(dense.shape[1]), (len(dense), 1))
    )
    kept = np.take_along_axis(dense, strongest, axis=1).astype(np.float32)
    joints, weights, _ = limited(strongest.astype(np.uint16), kept, limit, least)
    return joints, weights


def merged_columns(table: Sparse, target: npt.NDArray[np.intp], count: int) -> Sparse:
    """The table (V, J) with column j added to column `target[j]` of `count`; −1 drops it."""
    kept = np.flatnonzero(target >= 0)
    move = sparse.coo_matrix((np.ones(len(kept)), (kept, target[kept])), shape=(len(target), count)).tocsr()
    return (table @ move).tocsr()


def normalised(table: F64) -> F64:
    """Rows (V, J) that sum to one; rows of nothing stay so."""
    sums = table.sum(axis=1, keepdims=True)
    return table / np.where(sums > 0, sums, 1.0)
