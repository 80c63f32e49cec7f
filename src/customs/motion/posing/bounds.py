"""Where a scene is: the box of all its vertices as they stand."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.later import later
from customs.motion.posing.pose import joint_matrices, morph_weights, morphed, posed_positions
from customs.scene.arrays import bounds
from customs.scene.folding import row_worlds
from customs.scene.kept import kept
from customs.scene.model import Mesh, Primitive, Scene
from customs.scene.tree import mesh_nodes, world_matrices

spatial = later("scipy.spatial")
F64 = npt.NDArray[np.float64]
FEW_ROWS = 1_000
"""Rows that are all looked at."""
FEW_POINTS, MOST_POINTS = 64, 60_000
"""Points that need no hull to be looked at all, and most that are placed in one go."""


def local_bounds(prim: Primitive) -> tuple[F64, F64]:
    """Box (low (3,), high (3,)) of a primitive's own positions, those that are finite."""
    points = prim.positions
    return (
        _finite_bounds(points)
        if points.flags.writeable
        else kept("box", points, lambda: _finite_bounds(points))
    )


def _finite_bounds(points: npt.NDArray[np.float32]) -> tuple[F64, F64]:
    box = bounds(points) if len(points) else (np.zeros(3), np.zeros(3))
    if np.isfinite(box[0]).all() and np.isfinite(box[1]).all():
        return box
    good = points[np.isfinite(points).all(axis=1)]
    return bounds(good) if len(good) else (np.zeros(3), np.zeros(3))


def world_bounds(scene: Scene) -> tuple[F64, F64] | None:
    """Box (low (3,), high (3,)) of everything at rest that can be held, or None when there is nothing. Kept
    while the scene lives.
    """
    return kept("bounds", scene, lambda: _world_bounds(scene))


@np.errstate(over="ignore", invalid="ignore")
def _world_bounds(scene: Scene) -> tuple[F64, F64] | None:
    # What a matrix throws beyond all numbers is left out here, and said by a requirement.
    world = world_matrices(scene)
    lows, highs = [], []
    for n in mesh_nodes(scene):
        mesh = scene.meshes[scene.nodes[n].mesh or 0]
        weights = morph_weights(scene, n, None, 0.0)
        for p in mesh.primitives:
            low, high = _placed_bounds(scene, n, p, world, weights)
            lows.append(low)
            highs.append(high)
    if scene.placements.meshes:
        low, high = _rows_bounds(scene)
        lows, highs = [*lows, low], [*highs, high]
    if not lows:
        return None
    return np.min(lows, axis=0), np.max(highs, axis=0)


def _rows_bounds(scene: Scene) -> tuple[F64, F64]:
    """Box of all rows: boxes of meshes where rows stand straight, else the points of the mesh, mesh by
    mesh.
    """
    rows, worlds = scene.placements, row_worlds(scene)
    lows, highs = [], []
    outermost, known = _outermost(scene)
    if known is not None:
        lows, highs = [known[0]], [known[1]]
    for m, which in rows.by_mesh():
        at = worlds[which[outermost[which]]]
        if not len(at):
            continue
        for p in scene.meshes[m].primitives:
            weights = scene.meshes[m].weights
            still = weights is None or not weights.any() or not p.targets
            points = p.positions if still else morphed(p, weights)
            corners = (
                hull_points(points)
                if points.flags.writeable
                else kept("hull", points, partial(hull_points, points))
            )
            for part in np.array_split(at, -(-len(at) * len(corners) // MOST_POINTS)):
                # One product for all rows and axes; where each stands comes to its ends alone.
                turned = corners @ np.ascontiguousarray(part[:, :, :3]).reshape(-1, 3).T
                shift = part[:, :, 3]
                low, high = (end(axis=0).reshape(-1, 3) + shift for end in (turned.min, turned.max))
                held = (np.isfinite(low) & np.isfinite(high)).all(axis=1)
                if held.any():
                    lows.append(low[held].min(axis=0))
                    highs.append(high[held].max(axis=0))
    return (np.min(lows, axis=0), np.max(highs, axis=0)) if lows else (np.zeros(3), np.zeros(3))


def _outermost(scene: Scene) -> tuple[npt.NDArray[np.bool_], tuple[F64, F64] | None]:
    """((N,) rows that may reach beyond what is known, the box that one vertex of each row already needs): the box around the box of
    their mesh reaches beyond that. All rows, and nothing known, where they are few or move.
    """
    rows, worlds = scene.placements, row_worlds(scene)
    out = rows.shows.copy()
    if len(rows) < FEW_ROWS:
        return out, None
    boxes, some = np.zeros((len(scene.meshes) + 1, 2, 3)), np.full((len(scene.meshes) + 1, 6, 3), np.nan)
    for m in rows.meshes:
        mesh = scene.meshes[m]
        if any(p.targets for p in mesh.primitives) or not any(len(p.positions) for p in mesh.primitives):
            return out, None
        each = [local_bounds(p) for p in mesh.primitives if len(p.positions)]
        boxes[m] = np.min([b[0] for b in each], axis=0), np.max([b[1] for b in each], axis=0)
        some[m] = kept("ends", mesh, partial(_ends, mesh))
    of = np.where(rows.shows, rows.of, len(scene.meshes)).astype(np.intp)
    turn, shift = worlds[:, :, :3], worlds[:, :, 3]
    middle = np.einsum("nij,nj->ni", turn, boxes[of].mean(axis=1)) + shift
    half = np.einsum("nij,nj->ni", np.abs(turn), np.ptp(boxes[of], axis=1) / 2)
    known = (some[of] @ turn.transpose(0, 2, 1))[out] + shift[out][:, None]
    if not np.isfinite(known).all():
        return out, None
    low, high = known.min(axis=(0, 1)), known.max(axis=(0, 1))
    far = (middle + half > high) | (middle - half < low)
    return np.asarray(out & far.any(axis=1)), (low, high)


def _ends(mesh: Mesh) -> F64:
    """(6, 3) the vertices of a mesh that lie lowest and highest along each axis."""
    out = np.zeros((6, 3))
    best = np.array([np.inf] * 3 + [-np.inf] * 3)
    for p in mesh.primitives:
        for k in range(6 if len(p.positions) else 0):
            column = p.positions[:, k % 3]
            at = int(column.argmin() if k < 3 else column.argmax())
            if (column[at] < best[k]) if k < 3 else (column[at] > best[k]):
                best[k], out[k] = column[at], p.positions[at]
    return out


def hull_points(points: npt.NDArray[Any]) -> F64:
    """(M, 3) of `points` (V, 3) that decide any box around them, whatever way they are turned: the convex
    hull's corners.
    """
    good = points[np.isfinite(points).all(axis=1)].astype(np.float64)
    if not len(good):
        return np.zeros((1, 3))
    if len(good) <= FEW_POINTS:
        return good
    try:
        return good[spatial.ConvexHull(good).vertices]
    except spatial.QhullError:
        # Flat or on one line: there is no hull with a volume.
        return np.unique(good, axis=0)


def _placed_bounds(
    scene: Scene, node: int, prim: Primitive, world: F64, weights: npt.NDArray[np.float32] | None
) -> tuple[F64, F64]:
    m = world[node]
    skinned = scene.nodes[node].skin is not None and prim.joints is not None
    moved = bool(prim.targets) and weights is not None and bool(weights.any())
    straight = (np.count_nonzero(np.abs(m[:3, :3]) > 1e-12, axis=0) <= 1).all()
    if not skinned and not moved and straight:
        low, high = local_bounds(prim)
        a, b = m[:3, :3] @ low + m[:3, 3], m[:3, :3] @ high + m[:3, 3]
        if np.isfinite(a).all() and np.isfinite(b).all():
            return np.minimum(a, b), np.maximum(a, b)
    if skinned and not moved and _at_bind(scene, node, world):
        return local_bounds(prim)
    points = posed_positions(scene, node, prim, world, weights)
    good = points[np.isfinite(points).all(axis=1)]
    return bounds(good) if len(good) else (np.zeros(3), np.zeros(3))


def _at_bind(scene: Scene, node: int, world: F64) -> bool:
    """True when every joint matrix of the node's skin is the identity: the mesh stands as it was bound."""
    skin = scene.nodes[node].skin
    assert skin is not None
    return bool(np.abs(joint_matrices(scene, skin, world) - np.eye(4)).max() < 1e-9)
