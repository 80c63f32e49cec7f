"""Modules of a level against a grid step: pieces whose size, pivot or place is off by a little, and how they are brought onto it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.changes.moving import moved_mesh
from customs.grounds.kinds import base_name, kinds_of
from customs.grounds.rules import GEOMETRY
from customs.grounds.things import Things, placed_boxes
from customs.scene.arrays import runs
from customs.scene.folding import row_worlds
from customs.scene.hanging import topmost
from customs.scene.kept import kept
from customs.scene.model import Scene
from customs.scene.tree import parents, walk, world_matrices

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Mask = npt.NDArray[np.bool_]
PLAN = (0, 2)
"""Axes of the plan: heights follow storeys, not the grid."""
EXACT = 1e-4
"""Metres that count as nothing."""
SLIGHTLY = 0.1
"""Share of a step up to which a piece is meant to be on the grid; what is off by more is no module (ours)."""
TOUCHING, OPENED = 1e-3, 5e-4
"""Metres between pieces that touch, and by which a seam may grow."""
ROUNDS = 6
MOST_PARTS = 24
"""Nodes of a piece at most."""


@dataclass(frozen=True)
class Offence:
    """A piece that is off: its name, what of it ("size", "pivot" or "place"), along which axis, metres it is off at most, in how many
    places.
    """

    name: str
    what: str
    axis: str
    off: float
    count: int

    def text(self) -> str:
        """For a person."""
        places = f" in {self.count:,} places" if self.count > 1 else ""
        return f"{self.name}: {self.what} {self.off * 1000:+.1f} mm along {self.axis}{places}"


@dataclass(frozen=True, eq=False)
class Pieces:
    """P pieces as they stand: `kind` (P,) places in `names`; worlds `at` (P, 3, 4), what they hang from `leads` (P,), a node or the number of nodes and a row; `things` are the T things of buildings, with the
    piece (T,) each belongs to and where it stands within it, `inside` (T, 3, 4). `low`, `high` (K, 3) are the boxes of the kinds in
    their own frame.
    """

    names: tuple[str, ...]
    kind: Ints
    at: F64
    leads: Ints
    things: Ints
    piece: Ints
    inside: F64
    low: F64
    high: F64


def pieces_of(scene: Scene) -> Pieces:
    """Pieces of the building of a scene in the working frame. Kept while it lives."""
    return kept("pieces", scene, lambda: _pieces(scene))


def _pieces(scene: Scene) -> Pieces:
    found = kinds_of(scene)
    things = found.things
    own = np.flatnonzero(
        (things.mesh >= 0)
        & np.isfinite(things.matrices).all(axis=(1, 2))
        & np.isfinite(things.low).all(axis=1)
    )
    lead = _leads(scene, things)[own]
    leads, piece = np.unique(lead, return_inverse=True)
    # A piece of the building is one with some part of the building in it.
    built = np.zeros(len(leads), bool)
    built[piece.reshape(-1)[found.of(GEOMETRY)[own]]] = True
    own = own[built[piece.reshape(-1)]]
    leads, piece = np.unique(_leads(scene, things)[own], return_inverse=True)
    piece = piece.reshape(-1)
    nodes = len(scene.nodes)
    single = leads < nodes
    at = np.empty((len(leads), 3, 4))
    at[single] = world_matrices(scene)[leads[single], :3].reshape(-1, 3, 4)
    at[~single] = row_worlds(scene)[leads[~single] - nodes]
    called = [scene.nodes[k].name if k < nodes else scene.placements.names[k - nodes] for k in leads.tolist()]
    first = np.full(len(leads), len(scene.meshes))
    np.minimum.at(first, piece, things.mesh[own])
    labels = [base_name(n) for n in called]
    keys = np.array([f"{m}|{n}" for m, n in zip(first.tolist(), labels)], str)
    _, lead_of, kind = np.unique(keys, return_index=True, return_inverse=True)
    inside = _within(at[piece], things.matrices[own])
    low, high = placed_boxes(found.meshes, things.mesh[own], inside)
    kinds = kind.reshape(-1)
    lows, highs = np.full((len(lead_of), 3), np.inf), np.full((len(lead_of), 3), -np.inf)
    # All pieces of a kind are alike: the first of each tells.
    sample = np.isin(piece, lead_of)
    np.minimum.at(lows, kinds[piece[sample]], low[sample])
    np.maximum.at(highs, kinds[piece[sample]], high[sample])
    return Pieces(
        tuple(labels[k] for k in lead_of.tolist()), kinds, at, leads, own, piece, inside, lows, highs
    )


def _leads(scene: Scene, things: Things) -> Ints:
    """(T,) what the piece of each thing hangs from: a node, or the number of nodes and a row."""
    above = np.array(parents(scene), np.intp).reshape(-1)
    size = np.ones(len(scene.nodes), np.intp)
    for n, _, _ in reversed(list(walk(scene))):
        if above[n] >= 0:
            size[above[n]] += size[n]
    # A file's own parts hang together; what holds many things is no piece.
    up = np.where((above >= 0) & (size[above] <= MOST_PARTS), above, -1) if len(above) else above
    top = topmost(up)[things.nodes] if len(things.nodes) else things.nodes
    return np.concatenate([top, len(scene.nodes) + topmost(scene.placements.above)[things.rows]]).astype(
        np.intp
    )


def _within(outer: F64, inner: F64) -> F64:
    """(N, 3, 4) inner transforms as seen from within the outer ones, which can be undone."""
    flat = np.abs(np.linalg.det(outer[:, :, :3])) < 1e-12
    linear = np.where(flat[:, None, None], np.eye(3), outer[:, :, :3])
    back = np.linalg.inv(linear)
    out = back @ inner
    out[:, :, 3] = np.einsum("nij,nj->ni", back, inner[:, :, 3] - outer[:, :, 3])
    return out


def _off(values: F64, step: float) -> F64:
    """How far values are above the nearest multiple of a step; zero where that is next to nothing, or so much that no multiple is meant."""
    off = values - np.round(values / step) * step
    return np.where((np.abs(off) > EXACT) & (np.abs(off) <= SLIGHTLY * step), off, 0.0)


def _size_off(p: Pieces, step: float) -> tuple[F64, F64]:
    """(how far sizes (K, 3) are off, how far their low ends lie from halves of the step) of kinds at least half a step wide."""
    size = p.high - p.low
    wide = np.round(size / step) >= 1
    sizes, pivots = np.where(wide, _off(size, step), 0.0), np.where(wide, _off(p.low, step / 2), 0.0)
    sizes[:, 1] = pivots[:, 1] = 0.0
    return sizes, pivots


def _place_off(p: Pieces, step: float) -> F64:
    """(P, 3) how far pieces stand from the grid, which begins where most of them do; only those that stand square."""
    m = np.abs(p.at[:, :, :3])
    square = ((m < 1e-3) | (np.abs(m - 1) < 1e-3)).all(axis=(1, 2))
    size = (p.high - p.low)[p.kind]
    modules = square & (np.round(size[:, list(PLAN)] / step) >= 1).any(axis=1)
    out = np.zeros((len(p.kind), 3))
    for axis in PLAN:
        at = p.at[modules, axis, 3]
        if len(at):
            out[modules, axis] = _off(at - _phase(at, step / 2), step / 2)
    return out


def _phase(values: F64, step: float) -> float:
    """What most values are above a multiple of a step."""
    left = np.round(np.mod(values, step), 4)
    left[left >= step - EXACT] = 0.0
    found, counts = np.unique(left, return_counts=True)
    return float(found[np.argmax(counts)])


def offences(scene: Scene, step: float) -> tuple[Offence, ...]:
    """All pieces that are off a grid of `step` metres, the farthest first."""
    p = pieces_of(scene)
    sizes, pivots = _size_off(p, step)
    places = _place_off(p, step)
    times = np.bincount(p.kind, minlength=len(p.names))
    out = []
    for axis in PLAN:
        for what, off in (("size", sizes), ("pivot", pivots)):
            out += [
                Offence(p.names[k], what, "xyz"[axis], float(off[k, axis]), int(times[k]))
                for k in np.flatnonzero(off[:, axis]).tolist()
            ]
        for k in np.unique(p.kind[places[:, axis] != 0]).tolist():
            mine = places[p.kind == k, axis]
            worst = float(mine[np.argmax(np.abs(mine))])
            out.append(Offence(p.names[k], "place", "xyz"[axis], worst, int((mine != 0).sum())))
    return tuple(sorted(out, key=lambda o: (-abs(o.off), o.name, o.what, o.axis)))


def things_named(scene: Scene, name: str) -> Ints:
    """Numbers of the things that pieces of a name are made of."""
    p = pieces_of(scene)
    kinds = [k for k, n in enumerate(p.names) if n == name]
    return p.things[np.isin(p.kind[p.piece], kinds)]


@dataclass(frozen=True)
class Snapped:
    """A level with its modules on the grid: how many pieces were made to fit, how many moved, names of those left as they are because a
    seam would open or their meshes are shared.
    """

    scene: Scene
    fitted: int
    moved: int
    left: tuple[str, ...]


def snapped(scene: Scene, step: float, only: Collection[str] = ()) -> Snapped:
    """The scene with its modules (or those `only` named) on a grid of `step` metres. Where a seam that was closed would open, the pieces at
    it stay as they are.
    """
    p = pieces_of(scene)
    wanted = np.array([not only or n in only for n in p.names], bool)
    moving = np.ones(len(p.kind), bool)
    before = _boxes(scene, p)
    shared = _shared(scene, p)
    kinds = wanted & ~shared
    for _ in range(ROUNDS):
        out, fitted, moved = _applied(scene, p, step, kinds, moving & wanted[p.kind])
        if out is scene:
            break
        bad = _opened(p, before, _boxes(out, p))
        if not bad.any():
            break
        # What changed at an open seam goes back; pieces of one kind go together.
        kinds &= ~np.isin(np.arange(len(kinds)), p.kind[bad])
        moving &= ~bad
    else:
        out, fitted, moved = scene, 0, 0
    sizes, pivots = _size_off(p, step)
    off = (sizes != 0).any(axis=1) | (pivots != 0).any(axis=1)
    off[p.kind[(_place_off(p, step) != 0).any(axis=1) & ~moving]] = True
    stays = sorted({p.names[k] for k in np.flatnonzero(off & wanted & ~kinds).tolist()})
    return Snapped(out, fitted, moved, tuple(stays))


def _shared(scene: Scene, p: Pieces) -> Mask:
    """(K,) kinds with a mesh that other pieces, or other places within, show too."""
    found = kinds_of(scene)
    mesh = found.things.mesh[p.things]
    rows = (
        np.concatenate(
            [mesh[:, None], p.kind[p.piece][:, None], np.round(p.inside.reshape(len(mesh), 12), 6)], axis=1
        )
        + 0.0
    )
    ways = np.unique(rows, axis=0)
    several = np.flatnonzero(np.bincount(ways[:, 0].astype(np.intp), minlength=len(scene.meshes)) > 1)
    others = np.setdiff1d(np.arange(len(found.things)), p.things)
    also = np.unique(found.things.mesh[others][found.things.mesh[others] >= 0])
    out = np.zeros(len(p.names), bool)
    out[np.unique(p.kind[p.piece[np.isin(mesh, np.union1d(several, also))]])] = True
    return out


def _applied(scene: Scene, p: Pieces, step: float, kinds: Mask, moving: Mask) -> tuple[Scene, int, int]:
    """(the scene with some kinds (K,) fitted and some pieces (P,) moved, how many of each)."""
    sizes, pivots = _size_off(p, step)
    fits = kinds & ((sizes != 0).any(axis=1) | (pivots != 0).any(axis=1))
    meshes = list(scene.meshes)
    thing_mesh = kinds_of(scene).things.mesh
    for k in np.flatnonzero(fits).tolist():
        change = _fitting(p.low[k], p.high[k], sizes[k], pivots[k])
        mine = np.flatnonzero(p.kind[p.piece] == k)
        _, first = np.unique(thing_mesh[p.things[mine]], return_index=True)
        for t in mine[first].tolist():
            m = int(thing_mesh[p.things[t]])
            inside = np.vstack([p.inside[t], [0, 0, 0, 1]])
            meshes[m] = moved_mesh(meshes[m], np.linalg.inv(inside) @ change @ inside)
    off = np.where(moving[:, None], _place_off(p, step), 0.0)
    out = replace(scene, meshes=tuple(meshes)) if fits.any() else scene
    if off.any():
        out = _shifted(out, p, off)
    return out, int(fits.sum()), int((off != 0).any(axis=1).sum())


def _fitting(low: F64, high: F64, size: F64, pivot: F64) -> F64:
    """(4, 4) what stretches a box so that its size and its low end are on the grid: all of it together, so that nothing in it parts."""
    change = np.eye(4)
    for axis in PLAN:
        if size[axis] == 0 and pivot[axis] == 0:
            continue
        wide, wanted = high[axis] - low[axis], high[axis] - low[axis] - size[axis]
        start = low[axis] - pivot[axis]
        if pivot[axis] == 0 and size[axis] != 0:
            # About a pivot in the middle the middle stays; else the low end does.
            middle = abs(low[axis] + high[axis]) < 0.1 * wide
            start = (low[axis] + high[axis] - wanted) / 2 if middle else low[axis]
        change[axis, axis] = wanted / wide
        change[axis, 3] = start - low[axis] * wanted / wide
    return change


def _shifted(scene: Scene, p: Pieces, off: F64) -> Scene:
    """Pieces moved by −`off` (P, 3) metres."""
    count = len(scene.nodes)
    matrices, nodes = scene.placements.matrices.copy(), list(scene.nodes)
    moved = (off != 0).any(axis=1)
    for k in np.flatnonzero(moved & (p.leads < count)).tolist():
        n = int(p.leads[k])
        nodes[n] = replace(nodes[n], translation=nodes[n].translation - _own(scene, n, off[k]))
    rows = np.flatnonzero(moved & (p.leads >= count))
    matrices[p.leads[rows] - count, :, 3] -= off[rows]
    return replace(scene, nodes=tuple(nodes), placements=scene.placements.moved(matrices))


def _own(scene: Scene, node: int, off: F64) -> F64:
    """A way in the world as a node's own translation has it."""
    above = int(parents(scene)[node])
    return off if above < 0 else np.asarray(np.linalg.inv(world_matrices(scene)[above][:3, :3]) @ off)


def _boxes(scene: Scene, p: Pieces) -> tuple[F64, F64]:
    """(P, 3) boxes of the pieces as they stand."""
    found = kinds_of(scene)
    low, high = np.full((len(p.kind), 3), np.inf), np.full((len(p.kind), 3), -np.inf)
    np.minimum.at(low, p.piece, found.things.low[p.things])
    np.maximum.at(high, p.piece, found.things.high[p.things])
    return low, high


def _opened(p: Pieces, before: tuple[F64, F64], after: tuple[F64, F64]) -> Mask:
    """(P,) pieces that changed and at which a seam that was closed has opened."""
    changed = (np.abs(before[0] - after[0]) > EXACT / 10).any(axis=1) | (
        np.abs(before[1] - after[1]) > EXACT / 10
    ).any(axis=1)
    out = np.zeros(len(p.kind), bool)
    for axis in PLAN:
        i, j = _touching(*before, axis)
        gap = after[0][j, axis] - after[1][i, axis]
        was = before[0][j, axis] - before[1][i, axis]
        bad = gap > np.maximum(was, TOUCHING / 2) + OPENED
        out[i[bad]] = out[j[bad]] = True
    return out & changed


def _touching(low: F64, high: F64, axis: int) -> tuple[Ints, Ints]:
    """Pairs (i, j): j begins along an axis where i ends, and they lie side by side."""
    order = np.argsort(low[:, axis], kind="stable")
    starts = low[order, axis]
    first = np.searchsorted(starts, high[:, axis] - TOUCHING, "left")
    last = np.searchsorted(starts, high[:, axis] + TOUCHING, "right")
    count = np.maximum(last - first, 0)
    i, j = np.repeat(np.arange(len(low)), count), order[runs(first, count)]
    rest = [a for a in range(3) if a != axis]
    beside = (
        (low[i][:, rest] < high[j][:, rest] - TOUCHING) & (low[j][:, rest] < high[i][:, rest] - TOUCHING)
    ).all(axis=1)
    keep = beside & (i != j)
    return i[keep], j[keep]
