"""Which joint of an arriving skeleton is which of a donor's: by name and by shape, each pair with a
confidence.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.motion.skeleton.skeleton import Skeleton
from customs.motion.skeleton.tokens import likeness, meaning

optimize = later("scipy.optimize")
F64 = npt.NDArray[np.float64]
LEAST = 0.38
"""Pairs less likely than this are not proposed."""
DOUBTFUL = 0.7
"""Pairs less likely than this are shown as doubtful."""


@dataclass(frozen=True)
class Pair:
    """Joint `arriving` stands for joint `donor` (names); `confidence` 0 to 1, and what speaks for it."""

    arriving: str
    donor: str
    confidence: float
    why: str

    @property
    def doubtful(self) -> bool:
        """True when a person should look."""
        return self.confidence < DOUBTFUL


def side_of(skeleton: Skeleton) -> npt.NDArray[np.intp]:
    """(J,) 1 left, −1 right, 0 middle: by where a joint rests, +X being an asset's left as it faces +Z."""
    x = skeleton.places[:, 0] - np.median(skeleton.places[:, 0])
    wide = max(float(np.abs(x).max(initial=0.0)), 1e-9)
    return np.where(np.abs(x) < 0.06 * wide, 0, np.sign(x)).astype(np.intp)


def features(skeleton: Skeleton) -> F64:
    """(J, 7) of what tells joints apart and hardly changes with pose and size.

    Way from the root and longest way beyond, as shares of their greatest; joints below, as a share; side;
    height and depth in the box at rest; children.
    """
    p = skeleton.places
    low, size = p.min(axis=0), np.maximum(np.ptp(p, axis=0), 1e-9)
    along = skeleton.along / max(float(skeleton.along.max()), 1e-9)
    beyond = skeleton.beyond / max(float(skeleton.beyond.max()), 1e-9)
    under = np.log1p(skeleton.under) / np.log1p(max(int(skeleton.under.max()), 1))
    kids = np.minimum(np.array([len(c) for c in skeleton.children]), 4) / 4
    place = (p - low) / size
    return np.column_stack([along, beyond, under, side_of(skeleton) * 0.5, place[:, 1], place[:, 2], kids])


WEIGHTS = np.array([1.2, 1.0, 0.8, 1.6, 0.9, 0.4, 0.5])
"""How much each feature counts."""


def shape_likeness(skeleton: Skeleton, b: Skeleton) -> F64:
    """(A, B) how alike joints are by shape, 0 to 1."""
    x, y = features(skeleton), features(b)
    off = ((x[:, None] - y[None]) ** 2 * WEIGHTS).sum(axis=2)
    return np.exp(-off / 0.12)


def name_likeness(skeleton: Skeleton, b: Skeleton) -> F64:
    """(A, B) how alike joints are by name, 0 to 1."""
    return np.array([[likeness(x, y) for y in b.names] for x in skeleton.names], dtype=np.float64).reshape(
        skeleton.count, b.count
    )


def propose(
    arriving: Skeleton, donor: Skeleton, fixed: Mapping[str, str] | None = None, refused: Sequence[str] = ()
) -> tuple[Pair, ...]:
    """Pairs in the order of the arriving joints; one donor joint stands for at most one.

    The best pairing of all as a whole (assignment problem) on names and shape, found again with pairs that
    turn the hierarchy round made unlikely. `fixed` are a person's pairs; joints in `refused` get none.
    """
    fixed = dict(fixed or {})
    if not arriving.count or not donor.count:
        return ()
    names, shape = name_likeness(arriving, donor), shape_likeness(arriving, donor)
    known = np.array([bool(meaning(n).part) for n in arriving.names])
    trust = np.where(known & (names.max(axis=1) > 0.6), 0.8, 0.45)[:, None]
    score = trust * names + (1 - trust) * shape
    for k, name in enumerate(arriving.names):
        if name in fixed:
            score[k] = np.array([1.5 if d == fixed[name] else -1.0 for d in donor.names])
        elif name in refused:
            score[k] = -1.0
    taken = {d for a, d in fixed.items() if a in arriving.names}
    free = [k for k, n in enumerate(arriving.names) if n not in fixed]
    blocked = [k for k, d in enumerate(donor.names) if d in taken]
    score[np.ix_(free, blocked)] = -1.0
    rows, columns = _assigned(score)
    for _ in range(4):
        doubt = _against(arriving, donor, rows, columns, len(arriving.names))
        if not doubt.any():
            break
        rows, columns = _assigned(score - 0.25 * doubt)
    return _pairs(arriving, donor, rows, columns, score, names, shape, fixed)


def _assigned(score: F64) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]:
    rows, columns = optimize.linear_sum_assignment(-np.maximum(score, LEAST * 0.9))
    good = score[rows, columns] >= LEAST
    return rows[good], columns[good]


def _against(
    skeleton: Skeleton, b: Skeleton, rows: npt.NDArray[np.intp], columns: npt.NDArray[np.intp], count: int
) -> F64:
    """(A, B) share of the other pairs that a pair contradicts: an ancestor on one side that is none on the
    other.
    """
    if len(rows) < 2:
        return np.zeros((count, b.count))
    up_a, up_b = skeleton.above[:, rows], b.above[:, columns]
    down_a, down_b = skeleton.above[rows].T, b.above[columns].T
    clash = (up_a[:, None] != up_b[None]) | (down_a[:, None] != down_b[None])
    share = clash.mean(axis=2)
    return np.where(share > 0.15, share * 4, 0.0)


def _pairs(
    arriving: Skeleton,
    donor: Skeleton,
    rows: npt.NDArray[np.intp],
    columns: npt.NDArray[np.intp],
    score: F64,
    names: F64,
    shape: F64,
    fixed: Mapping[str, str],
) -> tuple[Pair, ...]:
    out = []
    for a, d in zip(rows.tolist(), columns.tolist()):
        name, other = arriving.names[a], donor.names[d]
        if name in fixed:
            out.append(Pair(name, other, 1.0, "chosen by a person"))
            continue
        best = float(score[a, d])
        rivals = np.delete(score[a], d)
        margin = best - float(rivals.max(initial=0.0))
        sure = float(np.clip(best + 0.25 * min(margin, 0.4) - (0.1 if margin < 0 else 0.0), 0.0, 0.99))
        why = (
            "name and shape"
            if names[a, d] > 0.6 and shape[a, d] > 0.5
            else "name"
            if names[a, d] >= shape[a, d]
            else "shape"
        )
        out.append(Pair(name, other, round(sure, 2), why))
    return tuple(out)
