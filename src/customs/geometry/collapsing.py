"""The order in which a surface is made coarser, found once: any coarser version of it is a prefix of that order."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from types import ModuleType
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import ToolError
from customs.geometry.weld import groups_of_rows
from customs.kernels.cores import cuts, on_cores
from customs.kernels.store import PATIENCE, begin, kernel

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
I32 = npt.NDArray[np.int32]
U32 = npt.NDArray[np.uint32]
Tell = Callable[[float, str], None]
SHARES = ((20_000, 0.5), (2_000, 0.25), (100, 0.1), (0, 0.0))
"""Of so many ways and more, the cheapest share that is gone in one pass; what is dearer is asked again after it. The fewer are
left, the more each of them is seen.
"""
ALONE = 20_000
"""Places up to which one core is quicker than handing them out."""
BINS = 16
"""Prices that are told apart where there are very many."""
OPEN, SEAM = 10.0, 1.0
"""How strongly open edges and seams hold to their line, against the surface itself (common practice)."""
ENOUGH = 0.0005
"""Of the faces, the share a pass has to take away before normals alone no longer hold a seam."""


@dataclass(frozen=True, eq=False)
class Collapses:
    """Rows moved onto rows, step after step, and parts that go whole at last, the smallest first: `source`, `target` (M,) int32; of step s the last move is
    `ends`[s], the faces left after it `left`[s], the error so far `errors`[s] (units; a mean distance from the planes around,
    never falling).

    `faces` (F, 3) are those it begins with, over `rows` rows, `died` (F,) int32 the step each goes at, −1 for one that has no three places.
    """

    faces: U32
    rows: int
    died: I32
    source: I32
    target: I32
    ends: I32
    left: I32
    errors: F64

    @property
    def least(self) -> int:
        """Faces left at the end of the order."""
        return int(self.left[-1]) if len(self.left) else self.first

    @cached_property
    def first(self) -> int:
        """Faces it begins with that have three places."""
        return int(np.count_nonzero(self.died >= 0))

    def steps_for(self, faces: int) -> int:
        """Steps after which at most `faces` are left; all of them where that is not reached."""
        return min(int(np.searchsorted(-self.left, -faces)) + 1, len(self.left)) if faces < self.first else 0

    def steps_within(self, error: float) -> int:
        """Steps that keep the error at or below `error` units."""
        return int(np.searchsorted(self.errors, error, side="right"))

    def after(self, steps: int) -> tuple[U32, npt.NDArray[np.intp]]:
        """Faces (G, 3) after so many steps, over the same rows, and which ones (G,) of the first they were."""
        kept = np.flatnonzero(self.died >= steps)
        to = np.arange(self.rows, dtype=np.int32)
        _compiled("collapse").resolve(self.source, self.target, int(self.ends[steps - 1]) if steps else 0, to)
        return to.view(np.uint32)[self.faces[kept]], kept


def collapses(
    points: npt.NDArray[Any],
    faces: U32,
    values: F32,
    group: U32,
    tell: Tell,
    least: int = 0,
    floor: float = np.inf,
) -> Collapses:
    """The order for a surface of `faces` (F, 3) over `points` (R, 3), down to `least` faces or an error of `floor` units.

    `values` (R, K) is what else a row has (UVs, weights …) in units of the distance a difference in it is as bad as. Rows
    of one `group` (R,) differ by their normals alone. `tell` is told how far it is, and raises Cancelled. Raises ValueError
    for numbers that are not finite and for indices out of range, ToolError without compiled kernels.
    """
    if not np.isfinite(points).all() or not np.isfinite(values).all():
        raise ValueError("points and values that are finite")
    if len(faces) and int(faces.max()) >= len(points):
        raise ValueError(f"indices below {len(points)}")
    return _Pass(_compiled("collapse", tell), _compiled("quadrics", tell), points, faces, values, group).all(
        tell, least, floor
    )


class _Pass:
    """The surface between passes: what the kernels change stands here."""

    def __init__(
        self,
        compiled: ModuleType,
        measures: ModuleType,
        points: npt.NDArray[Any],
        faces: U32,
        values: F32,
        group: U32,
    ) -> None:
        self.compiled, self.measures, self.faces = compiled, measures, np.ascontiguousarray(faces)
        self.places = groups_of_rows(np.ascontiguousarray(points))
        count = int(self.places.max()) + 1 if len(self.places) else 0
        self.points = np.zeros((count, 3))
        low, high = points.min(axis=0, initial=0), points.max(axis=0, initial=0)
        self.size = max(float(np.abs(high.astype(np.float64) - low).max()), 1e-30)
        self.points[self.places] = (
            points.astype(np.float64) - (low.astype(np.float64) + high) / 2
        ) / self.size
        self.values = np.ascontiguousarray(values / np.float32(self.size), np.float32)
        self.group = np.ascontiguousarray(group, np.int32)
        self.at = np.ascontiguousarray(self.places[self.faces], np.int32).reshape(-1, 3)
        self.rows = self.faces.astype(np.int32)
        self.alive = np.ones(len(self.faces), np.uint8)
        self.planes = np.zeros((count, 11))
        width = self.values.shape[1]
        self.fields = np.zeros((len(points), 11 + 4 * width if width else 0), np.float32)
        self.edge, self.count = np.zeros(count, np.uint8), np.zeros(count, np.int32)
        self.failed, self.touched = np.zeros(count, np.uint8), np.zeros(count, np.uint8)
        self.best, self.cost = np.empty(count, np.int32), np.empty(count)
        self.stale = np.ones(count, np.uint8)
        self.starts, self.lists = np.zeros(count + 1, np.int32), np.empty(3 * len(self.faces), np.int32)
        self.moved = np.empty((len(points) + 1, 2), np.int32)
        self.counts = np.empty((2 * count + 1, 2), np.int32)
        self.errors = np.empty(2 * count + 1)
        self.some = np.arange(len(self.faces), dtype=np.int32)
        self.standing = np.zeros(0, np.int32)
        self.died = np.full(len(self.faces), np.iinfo(np.int32).max, np.int32)

    def all(self, tell: Tell, least: int, floor: float) -> Collapses:
        """Pass after pass, until nothing may move or enough is gone."""
        if len(self.faces):
            self._measure()
        self.died[self.alive == 0] = -1
        left = first = int(self.alive.sum())
        moves = steps = 0
        soft = False
        self._around()
        told = self.points, self.at, self.rows, self.starts, self.lists
        kinds = self.edge, self.count, self.planes, OPEN, SEAM
        on_cores(lambda part: self.measures.borders(*told, *part, *kinds), cuts(len(self.points)))
        while left > least:
            tell(1 - (left - least) / max(first - least, 1), "Finding what is least missed")
            before, blocked = left, int(self.failed.sum())
            left, moves, steps, done = self._once(soft, left, least, moves, steps)
            if steps and self.errors[steps - 1] * self.size > floor:
                break
            # A place that failed is asked otherwise the next time: only where none did is there no way left.
            stuck = not done and int(self.failed.sum()) == blocked
            if not soft and (stuck or before - left <= ENOUGH * before):
                soft = True
                self.stale[:] = 1
            elif stuck:
                break
            self._around()
        if left > least and not (steps and self.errors[steps - 1] * self.size > floor):
            steps = self._whole_parts(left, least, moves, steps)
        np.maximum.accumulate(self.errors[:steps], out=self.errors[:steps])
        return Collapses(
            self.faces, len(self.group), self.died, self.moved[:moves, 0].copy(), self.moved[:moves, 1].copy(),
            self.counts[:steps, 0].copy(), self.counts[:steps, 1].copy(), self.errors[:steps] * self.size,
        )  # fmt: skip

    def _measure(self) -> None:
        """What is known of planes and values around: of very many faces both halves side by side, on any machine, so that
        sums are the same on each.
        """
        count = len(self.faces)
        told = self.points, self.values, self.at, self.rows, self.alive
        if count <= ALONE:
            self.measures.measure(*told, 0, count, self.planes, self.fields)
            return
        planes, fields = np.zeros_like(self.planes), np.zeros_like(self.fields)
        halves = {(0, count // 2): (self.planes, self.fields), (count // 2, count): (planes, fields)}
        on_cores(lambda part: self.measures.measure(*told, *part, *halves[part]), list(halves))
        self.planes += planes
        self.fields += fields

    def _whole_parts(self, left: int, least: int, moves: int, steps: int) -> int:
        """Where nothing may move any more, parts go whole, the smallest first; the largest stays."""
        from scipy import sparse

        living = np.flatnonzero(self.alive)
        at = self.at[living]
        ties = np.concatenate([at[:, :2], at[:, 1:]])
        graph = sparse.coo_matrix((np.ones(len(ties), np.int8), tuple(ties.T)), shape=(len(self.points),) * 2)
        label = sparse.csgraph.connected_components(graph, directed=False)[1][at[:, 0]]
        names, part, counts = np.unique(label, return_inverse=True, return_counts=True)
        low, high = np.full((len(names), 3), np.inf), np.full((len(names), 3), -np.inf)
        for k in range(3):
            np.minimum.at(low, part, self.points[at[:, k]])
            np.maximum.at(high, part, self.points[at[:, k]])
        sizes = np.linalg.norm(high - low, axis=1)
        order = np.argsort(sizes, kind="stable")[:-1]
        after = left - np.cumsum(counts[order])
        order = order[: int(np.searchsorted(-after, -least)) + 1]
        rank = np.full(len(names), np.iinfo(np.int32).max, np.int64)
        rank[order] = steps + np.arange(len(order))
        self.died[living] = rank[part]
        end = steps + len(order)
        self.counts[steps:end, 0], self.counts[steps:end, 1] = moves, after[: len(order)]
        self.errors[steps:end] = sizes[order]
        return end

    def _around(self) -> None:
        """The faces around each place anew; those that are gone are no longer looked through."""
        self.some = self.some[self.alive[self.some] > 0]
        self.measures.around(self.at, self.alive, self.some, self.starts, self.lists)
        self.standing = np.flatnonzero(self.starts[1:] > self.starts[:-1]).astype(np.int32)

    def _once(self, soft: bool, left: int, least: int, moves: int, steps: int) -> tuple[int, int, int, int]:
        """One pass: every place near which something changed asked for its cheapest way, the cheapest of all gone."""
        told = (
            self.points, self.values, self.at, self.rows, self.alive, self.starts, self.lists, self.edge, self.group,
            self.count, self.planes, self.fields, self.failed, soft,
        )  # fmt: skip
        asked = self.standing[self.stale[self.standing] > 0]
        self.stale[:] = 0
        mine = cuts(len(asked)) if len(asked) > ALONE else [(0, len(asked))]
        on_cores(lambda part: self.compiled.rank(*told, asked, *part, self.best, self.cost), mine)
        ways = self.standing[self.best[self.standing] >= 0]
        if not len(ways):
            return left, moves, steps, 0
        prices = self.cost[ways]
        most = int(len(ways) * next(share for count, share in SHARES if len(ways) >= count))
        some = prices <= np.partition(prices, most)[most]
        ways, prices = ways[some], prices[some]
        order = ways[_cheapest_first(prices)]
        return self.compiled.collapse(
            told[0], *told[2:], order, self.best, self.touched, self.stale, left, least, moves, steps, self.moved, self.counts, self.errors,
            self.died,
        )  # fmt: skip


def _cheapest_first(prices: F64) -> npt.NDArray[np.intp]:
    """The order in which ways are gone. Of very many those that cost about the same go as they stand: neighbours one after
    another, whose faces are still at hand.
    """
    if len(prices) < ALONE:
        return np.argsort(prices, kind="stable")
    some = np.sort(prices[:: max(len(prices) // 4096, 1)])
    bounds = some[np.linspace(0, len(some) - 1, BINS + 1).astype(int)[1:-1]]
    return np.argsort(np.searchsorted(bounds, prices).astype(np.uint8), kind="stable")


def _compiled(name: str, tell: Tell = lambda share, text: None) -> ModuleType:
    """The kernel, waited for while it is compiled: the order must not depend on whether it is there. Raises ToolError
    where it cannot be.
    """
    until, child = time.monotonic() + PATIENCE, None
    while (found := kernel(name)) is None:
        tell(0.0, "Compiling, once")
        child = child or begin()
        if time.monotonic() > until or (child is not None and child.poll()):
            raise ToolError(
                "the compiled loops that make meshes coarser are not there",
                "a cache folder that can be written",
                "Run: python -m customs.kernels, which says what is in its way.",
            )
        time.sleep(0.2)
    return found
