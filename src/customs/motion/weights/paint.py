"""Weights changed by hand: chosen vertices, one joint, the others giving or taking what is left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.geometry.laplace import neighbours
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.later import Sparse, later
from customs.motion.skeleton.tokens import meaning, words_of
from customs.motion.weights.table import influences_of, table_of
from customs.scene.model import Primitive

sparse = later("scipy.sparse")
spatial = later("scipy.spatial")
F64 = npt.NDArray[np.float64]
Rows = npt.NDArray[np.intp]


@dataclass(frozen=True, eq=False)
class Edit:
    """`kind` with `amount` on joint number `joint` at vertices `rows` (M,)."""

    joint: int
    kind: Literal["set", "add", "scale", "blend"]
    amount: float
    rows: Rows


def with_seams(prim: Primitive, rows: Rows) -> Rows:
    """`rows` with every vertex that lies at the place of one of them: seams stay shut."""
    group = groups_of_rows(prim.positions)
    chosen = np.zeros(int(group.max(initial=0)) + 1, dtype=bool)
    chosen[group[rows]] = True
    return np.flatnonzero(chosen[group])


def edited(
    prim: Primitive, joints: int, edit: Edit, locked: frozenset[int] = frozenset(), limit: int = 4
) -> Primitive:
    """The primitive with one edit: joints that are not locked share what is left in their old proportions.

    "blend" takes each vertex `amount` of the way to the mean of the vertices around the chosen ones (their
    border).
    """
    if prim.joints is None or prim.weights is None or not len(edit.rows):
        return prim
    rows = with_seams(prim, edit.rows)
    table = table_of(prim, joints).toarray()
    if edit.kind == "blend":
        border = _border(prim, rows)
        if len(border):
            table[rows] += np.clip(edit.amount, 0, 1) * (table[border].mean(axis=0) - table[rows])
    elif edit.joint not in locked:
        table[rows] = _trimmed(_changed(table[rows], edit, locked), edit.joint, max(limit, 1))
    new_joints, weights = influences_of(table[rows], max(limit, 1))
    width = max(prim.joints.shape[1], new_joints.shape[1])
    out_joints, out_weights = (
        np.zeros((len(table), width), np.uint16),
        np.zeros((len(table), width), np.float32),
    )
    out_joints[:, : prim.joints.shape[1]], out_weights[:, : prim.joints.shape[1]] = prim.joints, prim.weights
    out_joints[rows], out_weights[rows] = 0, 0
    out_joints[rows, : new_joints.shape[1]], out_weights[rows, : new_joints.shape[1]] = new_joints, weights
    out_joints.flags.writeable = out_weights.flags.writeable = False
    return replace(prim, joints=out_joints, weights=out_weights)


def _changed(table: F64, edit: Edit, locked: frozenset[int]) -> F64:
    j = edit.joint
    kept = table[:, sorted(locked)].sum(axis=1) if locked else np.zeros(len(table))
    old = table[:, j]
    wanted = {"set": np.full(len(old), edit.amount), "add": old + edit.amount, "scale": old * edit.amount}[
        edit.kind
    ]
    new = np.clip(wanted, 0.0, np.maximum(1.0 - kept, 0.0))
    others = [k for k in range(table.shape[1]) if k != j and k not in locked]
    left = np.maximum(1.0 - kept - new, 0.0)
    sums = table[:, others].sum(axis=1)
    out = table.copy()
    out[:, j] = np.where(sums > 1e-9, new, 1.0 - kept)
    out[:, others] = table[:, others] * (left / np.where(sums > 1e-9, sums, 1.0))[:, None]
    return out


def _trimmed(table: F64, joint: int, limit: int) -> F64:
    """No more than `limit` influences a row; what was painted stays exactly, the strongest others share the
    rest.
    """
    others = np.array(table)
    others[:, joint] = -1
    room = np.where(table[:, joint] > 0, limit - 1, limit)
    rank = np.argsort(np.argsort(-others, axis=1, kind="stable"), axis=1, kind="stable")
    kept = np.where((rank < room[:, None]) & (others > 0), others, 0.0)
    sums = kept.sum(axis=1)
    out = kept * ((1 - table[:, joint]) / np.where(sums > 1e-12, sums, 1.0))[:, None]
    out[:, joint] = np.where(sums > 1e-12, table[:, joint], 1.0)
    return out


def _border(prim: Primitive, rows: Rows) -> Rows:
    """Vertices beside the chosen ones, not chosen themselves."""
    graph, group = _graph(prim)
    chosen = np.zeros(graph.shape[0])
    chosen[group[rows]] = 1
    beside = (graph @ chosen > 0) & (chosen == 0)
    return np.flatnonzero(beside[group])


def _graph(prim: Primitive) -> tuple[Sparse, npt.NDArray[Any]]:
    group = groups_of_rows(prim.positions)
    return neighbours(group[triangles_of(prim)], int(group.max(initial=0)) + 1), group


def grown(prim: Primitive, rows: Rows, rounds: int = 1) -> Rows:
    """The chosen vertices with those beside them, `rounds` times; negative rounds shrink the choice."""
    graph, group = _graph(prim)
    chosen = np.zeros(graph.shape[0], dtype=bool)
    chosen[group[rows]] = True
    for _ in range(abs(rounds)):
        if rounds > 0:
            chosen |= graph @ chosen.astype(float) > 0
        else:
            chosen &= ~(graph @ (~chosen).astype(float) > 0)
    return np.flatnonzero(chosen[group])


def island(prim: Primitive, rows: Rows) -> Rows:
    """All vertices of the connected pieces the chosen ones are on."""
    graph, group = _graph(prim)
    labels = sparse.csgraph.connected_components(graph, directed=False)[1]
    return np.flatnonzero(np.isin(labels, np.unique(labels[group[rows]]))[group])


def moved_by(prim: Primitive, joint: int, least: float = 0.01) -> Rows:
    """Vertices a joint moves with at least `least`."""
    if prim.joints is None or prim.weights is None:
        return np.zeros(0, dtype=np.intp)
    return np.flatnonzero(((prim.joints == joint) & (prim.weights >= least)).any(axis=1))


def counterpart(names: Sequence[str], joint: int) -> int:
    """The joint on the other side by name, the joint itself in the middle, −1 where there is none."""
    mine = meaning(names[joint])
    if not mine.side:
        return joint
    plain = [w for w in words_of(names[joint])]
    for k, name in enumerate(names):
        other = meaning(name)
        if other.side and other.side != mine.side and other.part == mine.part and other.number == mine.number:
            if len(words_of(name)) == len(plain):
                return k
    return -1


def mirrored(prim: Primitive, names: Sequence[str], joint: int, limit: int = 4) -> Primitive:
    """Weights of `joint` taken over mirrored to the joint on the other side: each vertex from its mirror
    image across X = 0.
    """
    other = counterpart(names, joint)
    if other < 0 or prim.joints is None or prim.weights is None:
        return prim
    table = table_of(prim, len(names)).toarray()
    points = prim.positions.astype(np.float64)
    far, near = spatial.cKDTree(points * [-1, 1, 1]).query(points)
    size = float(np.linalg.norm(np.ptp(points, axis=0))) or 1.0
    column = np.where(far < 0.02 * size, table[near, joint], table[:, other])
    if other == joint:
        column = (column + table[:, joint]) / 2
    table[:, other] = 0
    rest = table.sum(axis=1)
    table *= np.where(rest > 1e-9, (1 - column) / np.where(rest > 1e-9, rest, 1), 1.0)[:, None]
    table[:, other] = column
    joints, weights = influences_of(table, limit)
    return replace(prim, joints=joints, weights=weights)
