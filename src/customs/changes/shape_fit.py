"""How well collision shapes stand in for an asset: measured once for all purposes, from one look at its surface."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from customs.changes.shapes import all_of, body_of, shapes_of
from customs.changes.standing_parts import Whole
from customs.geometry.bodies import Body
from customs.geometry.closest import Surface
from customs.geometry.shells import shells
from customs.geometry.triangles import face_vectors
from customs.scene.kept import kept
from customs.scene.model import Scene
from customs.scene.selection import ranges_of_rows
from customs.scene.tree import world_matrices

F64 = npt.NDArray[np.float64]
WITHIN = 1e-5
"""Of the size, how far outside a point may lie and still count as covered: single precision."""


@dataclass(frozen=True)
class Fit:
    """How well the shapes of a purpose stand in for the asset: the share of its surface that is outside all of them, how far
    the farthest point of it is (metres), and the share of their room that holds nothing, None where the asset has no inside.

    `corners` are those of the shape that has most; `bare` are ranges of faces that are not covered, by the Key of their
    primitive.
    """

    count: int
    out: float
    farthest: float
    air: float | None
    corners: int
    bare: Mapping[str, tuple[tuple[int, int], ...]] = field(default_factory=dict, compare=False)


def fits_of(scene: Scene) -> Mapping[str, Fit]:
    """The fit of each purpose the scene at rest has shapes for; kept while it lives."""
    return kept("shape fits", scene, lambda: _fits(scene))


def _fits(scene: Scene) -> dict[str, Fit]:
    found = shapes_of(scene)
    if not found:
        return {}
    worlds, bodies = world_matrices(scene), dict[str, list[Body]]()
    for n, shape in found:
        bodies.setdefault(shape.purpose, []).append(body_of(shape, worlds[n]))
    whole = all_of(scene)
    inside = _room(whole)
    with np.errstate(invalid="ignore", over="ignore"):  # what is no number has no area
        area = np.nan_to_num(
            np.linalg.norm(face_vectors(whole.points, whole.faces.astype(np.uint32)), axis=1), posinf=0.0
        )
    return {purpose: _fit(mine, whole, area, inside) for purpose, mine in bodies.items()}


def _fit(bodies: Sequence[Body], whole: Whole, area: F64, inside: float | None) -> Fit:
    corners = max(len(b.points) if b.points is not None else 0 for b in bodies)
    out = outside_of(bodies, whole)
    apart = np.asarray((out[whole.faces] > WITHIN * whole.size).any(axis=1))
    share = float(area[apart].sum() / area.sum()) if area.sum() > 0 else float(apart.any())
    room = sum(abs(b.volume) for b in bodies)
    air = None if inside is None or room <= 0 else min(max(1 - inside / room, 0.0), 1.0)
    bare = {
        str(p.prim.key): ranges_of_rows(np.flatnonzero(whole.mine(k, apart)))
        for k, p in enumerate(whole.parts)
    }
    return Fit(
        len(bodies), share, float(out.max(initial=0.0)), air, corners, {k: r for k, r in bare.items() if r}
    )


def outside_of(bodies: Sequence[Body], whole: Whole) -> F64:
    """(V,) metres each vertex lies outside all of the bodies; 0 for those inside one, and for what is no number. A mesh is its
    surface alone: what lies off it on either side counts.
    """
    out = np.zeros(len(whole.points))
    good = np.isfinite(whole.points).all(axis=1)
    points = whole.points[good]
    least = np.full(len(points), np.inf)
    for body in bodies:
        least = np.minimum(least, _off_surface(body, points) if body.kind == "mesh" else body.outside(points))
    out[good] = least
    return out


def _off_surface(body: Body, points: F64) -> F64:
    """(N,) distances from the surface of a mesh."""
    assert body.points is not None and body.faces is not None
    if not len(body.faces) or not len(points):
        return np.full(len(points), np.inf)
    return Surface(body.points @ body.axes.T + body.middle, body.faces).closest(points).distance


def _room(whole: Whole) -> float | None:
    """The room (m³) inside the asset, shell by shell; None where one of them is open. Source: Gauss's theorem."""
    if not len(whole.faces):
        return None
    found = shells(whole.places.astype(np.uint32))
    if found.opened.any() or not np.isfinite(whole.points).all():
        return None
    a, b, c = (whole.points[whole.faces[:, k]] - whole.points[whole.faces[0, 0]] for k in range(3))
    return float(np.abs(np.bincount(found.part, np.einsum("ij,ij->i", a, np.cross(b, c)) / 6)).sum())
