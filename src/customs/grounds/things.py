"""Everything that stands in a level, as columns: nodes that show or hold something, empty ones, and rows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.changes.emptying import empties
from customs.geometry.triangles import face_vectors, triangles_of
from customs.motion.posing.bounds import local_bounds
from customs.scene.folding import row_key, row_worlds
from customs.scene.kept import kept
from customs.scene.key import Key
from customs.scene.kinds import STAND_IN
from customs.scene.model import Light, Material, Mesh, Scene
from customs.scene.tree import mesh_nodes, walk, world_matrices

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Mask = npt.NDArray[np.bool_]
LEVEL = 64
"""Things from which on an asset is a level (ours: goods of one piece are told by their parts up to that)."""
UP = 0.5
"""Least height part of a normal that looks up or down."""


@dataclass(frozen=True, eq=False)
class MeshColumns:
    """M meshes: boxes `low`, `high` (M, 3) in their own units, `triangles` (M,), `level` (M,) share of their area that looks up or
    down, `up` (M,) the signed share; `blend`, `mask`, `unlit`, `glows`, `stands_in` (M,).
    """

    low: F64
    high: F64
    triangles: Ints
    level: F64
    up: F64
    blend: Mask
    mask: Mask
    unlit: Mask
    glows: Mask
    stands_in: Mask


@dataclass(frozen=True, eq=False)
class Things:
    """T things: `nodes` (A,) are the nodes of the first A, `rows` (B,) the rows of the others. `mesh` (T,) or −1, world transforms
    `matrices` (T, 3, 4), boxes `low`, `high` (T, 3) in metres (NaN where nothing is shown), `names` (T,), `said` (T,) places of what
    the list says in `scene.kinds.words`, −1 for nothing; `light` and `empty` (T,).
    """

    nodes: Ints
    rows: Ints
    mesh: Ints
    matrices: F64
    low: F64
    high: F64
    names: npt.NDArray[np.object_]
    said: Ints
    light: Mask
    empty: Mask

    def __len__(self) -> int:
        return len(self.mesh)

    @property
    def size(self) -> F64:
        """(T, 3) metres."""
        return self.high - self.low

    @property
    def middle(self) -> F64:
        """(T, 3) metres; where nothing is shown, where it stands."""
        return np.where(np.isfinite(self.low), (self.low + self.high) / 2, self.matrices[:, :, 3])

    def triangles(self, meshes: MeshColumns) -> Ints:
        """(T,) triangles each shows."""
        return np.append(meshes.triangles, 0)[self.mesh]


def mesh_columns(scene: Scene) -> MeshColumns:
    """Of all meshes. Kept while the scene lives."""
    return kept("columns of meshes", scene, lambda: _mesh_columns(scene))


def _mesh_columns(scene: Scene) -> MeshColumns:
    rows = [_measured(m) for m in scene.meshes]
    low = np.array([r[0] for r in rows]).reshape(-1, 3)
    high = np.array([r[1] for r in rows]).reshape(-1, 3)
    counts, level, up = (np.array([r[k] for r in rows]) for k in (2, 3, 4))
    used = [
        [scene.materials[p.material] for p in m.primitives if p.material is not None] for m in scene.meshes
    ]

    def flags(test: Callable[[Material], bool]) -> Mask:
        return np.array([bool(mine) and all(map(test, mine)) for mine in used], dtype=np.bool_)

    return MeshColumns(
        low,
        high,
        counts.astype(np.intp),
        level,
        up,
        flags(lambda m: m.alpha_mode == "blend"),
        flags(lambda m: m.alpha_mode == "mask"),
        flags(lambda m: m.model == "unlit"),
        flags(lambda m: (max(m.emissive) > 0 and max(m.base_colour[:3]) == 0) or "emissive" in m.textures),
        np.array([STAND_IN in m.extras for m in scene.meshes], bool),
    )


def _measured(mesh: Mesh) -> tuple[F64, F64, int, float, float]:
    return kept("measured for kinds", mesh, lambda: _measure(mesh))


def _measure(mesh: Mesh) -> tuple[F64, F64, int, float, float]:
    """(low, high, triangles, share of the area that looks up or down, the signed share)."""
    low, high, count, whole, level, up = np.full(3, np.inf), np.full(3, -np.inf), 0, 0.0, 0.0, 0.0
    for p in mesh.primitives:
        a, b = local_bounds(p)
        low, high = np.minimum(low, a), np.maximum(high, b)
        faces = triangles_of(p)
        count += len(faces)
        with np.errstate(invalid="ignore", over="ignore"):
            normals = np.nan_to_num(face_vectors(p.positions.astype(np.float64), faces))
            areas = np.linalg.norm(normals, axis=1)
        flat = np.abs(normals[:, 1]) > UP * areas
        whole += float(areas.sum())
        level += float(areas[flat].sum())
        up += float((areas * np.sign(normals[:, 1]))[flat].sum())
    if not np.isfinite(low).all():
        low = high = np.zeros(3)
    return low, high, count, level / whole if whole else 0.0, up / whole if whole else 0.0


def things_of(scene: Scene) -> Things:
    """Everything that stands in a scene. Kept while it lives."""
    return kept("things", scene, lambda: _things(scene))


def _things(scene: Scene) -> Things:
    # What holds nothing but leads to something is no thing of its own.
    led = set(scene.placements.parents.tolist())
    bare = {n for n in empties(scene) if not scene.nodes[n].children and n not in led}
    shown, lit = (
        set(mesh_nodes(scene)),
        {n for n, node in enumerate(scene.nodes) if any(isinstance(h, Light) for h in node.holds)},
    )
    nodes = [n for n, _, _ in walk(scene) if n in shown or n in bare or n in lit]
    rows = scene.placements
    # Rows that lead to others are no things of their own.
    leads = np.zeros(len(rows), bool)
    leads[rows.above[rows.above >= 0]] = True
    which = np.flatnonzero(rows.shows | ~leads)
    mesh = np.concatenate(
        [
            [(-1 if (m := scene.nodes[n].mesh) is None else m) for n in nodes],
            np.where(rows.shows, rows.of, 0)[which].astype(np.intp) - ~rows.shows[which],
        ]
    ).astype(np.intp)
    matrices = np.concatenate([world_matrices(scene)[nodes, :3].reshape(-1, 3, 4), row_worlds(scene)[which]])
    low, high = placed_boxes(mesh_columns(scene), mesh, matrices)
    said = scene.kinds.of(_numbers(scene, nodes, which))
    names = np.array(
        [*(scene.nodes[n].name for n in nodes), *(rows.names[k] for k in which.tolist())], object
    )
    return Things(
        np.array(nodes, np.intp),
        which,
        mesh,
        matrices,
        low,
        high,
        names,
        said,
        np.concatenate([np.array([n in lit for n in nodes], bool), np.zeros(len(which), bool)]),
        np.concatenate([np.array([n in bare for n in nodes], bool), ~rows.shows[which]]),
    )


def numbers_of(scene: Scene, things: Things) -> Ints:
    """(T,) numbers by which notes speak of things: of their nodes in the level's files, −1 for what a step has made."""
    return _numbers(scene, things.nodes.tolist(), things.rows)


def _numbers(scene: Scene, nodes: list[int], rows: Ints) -> Ints:
    own = scene.digest
    found = [
        k.ordinal if (k := scene.nodes[n].key).kind == "node" and k.digest == own and not k.path else -1
        for n in nodes
    ]
    return np.concatenate([np.array(found, np.int64), scene.placements.ordinals[rows].astype(np.int64)])


def thing_key(scene: Scene, things: Things, thing: int) -> Key:
    """The Key of a thing by its number."""
    count = len(things.nodes)
    if thing < count:
        return scene.nodes[int(things.nodes[thing])].key
    return row_key(scene, int(things.rows[thing - count]))


def placed_boxes(meshes: MeshColumns, mesh: Ints, matrices: F64) -> tuple[F64, F64]:
    """Boxes (low (T, 3), high (T, 3)) around the boxes of meshes (T,) as they stand, NaN where none is shown."""
    none = np.full((1, 3), np.nan)
    low, high = (np.concatenate([a, none])[mesh] for a in (meshes.low, meshes.high))
    with np.errstate(invalid="ignore", over="ignore"):
        middle = np.einsum("nij,nj->ni", matrices[:, :, :3], (low + high) / 2) + matrices[:, :, 3]
        half = np.einsum("nij,nj->ni", np.abs(matrices[:, :, :3]), (high - low) / 2)
    return middle - half, middle + half


def is_level(scene: Scene) -> bool:
    """True for what is so many things that it is looked at as a whole: one that comes as a list, or of LEVEL things and more."""
    if scene.kinds.words or scene.format in ("level", "brushes"):
        return True
    # Counted, not measured: every asset is asked.
    return len(mesh_nodes(scene)) + int(scene.placements.shows.sum()) >= LEVEL


def bulk_box(scene: Scene) -> tuple[F64, F64] | None:
    """The box of most of a level in the scene's own units, without the few things that stand around it or far away; None of what is no
    level.
    """
    if not is_level(scene):
        return None
    things = things_of(scene)
    shown = np.isfinite(things.low).all(axis=1) & (things.mesh >= 0)
    if not shown.any():
        return None
    low, high = np.quantile(things.low[shown], 0.02, axis=0), np.quantile(things.high[shown], 0.98, axis=0)
    reach = float(np.linalg.norm(high - low))
    near = shown & (things.low >= low - reach).all(axis=1) & (things.high <= high + reach).all(axis=1)
    near = near if near.any() else shown
    return things.low[near].min(axis=0), things.high[near].max(axis=0)
