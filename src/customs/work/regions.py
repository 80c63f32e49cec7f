"""Levels joined at their openings: what is chosen of an opening, the snapshot of what joins, the stop that joins it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.changes.snapshot import make_snapshot
from customs.errors import StepError
from customs.geometry.rays import hits
from customs.geometry.triangles import triangles_of
from customs.grounds.faces_standing import faces_standing
from customs.grounds.openings import (
    Face,
    Opening,
    face_of,
    nearest_edge,
    opening_between,
    opening_of,
    turned,
)
from customs.grounds.things import bulk_box, things_of
from customs.picture.pick import Met
from customs.route.route import At, Route
from customs.scene.model import Scene
from customs.shipment.state import Asset
from customs.work.grounds import Ground, thing_of
from customs.work.mixing import state_of
from customs.work.selections import keep_packed

F64 = npt.NDArray[np.float64]
STEP = "regions"
How = Literal["faces", "edges"]


@dataclass(frozen=True, eq=False)
class Chosen:
    """What is chosen of one opening: faces, ends of edges (each (2, 3) metres), whether its way out is the other one."""

    faces: tuple[Face, ...] = ()
    edges: tuple[F64, ...] = ()
    other_way: bool = False

    def __len__(self) -> int:
        return len(self.faces) + len(self.edges)

    def opening(self, scene: Scene) -> Opening:
        """The opening in the scene it was chosen in. Raises StepError where it is none."""
        inside = inside_of(scene)
        if self.faces and not self.edges:
            found = opening_between(self.faces, inside, lambda at, way: first_met(scene, at, way))
        else:
            places = np.concatenate([np.zeros((0, 3)), *self.edges, *(f.patch for f in self.faces)])
            found = opening_of(places, inside)
        return turned(found) if self.other_way else found


def first_met(scene: Scene, at: F64, way: F64) -> float:
    """Metres along a unit `way` (3,) from a place to the first face of a level, inf where there is none."""
    things = things_of(scene)
    with np.errstate(invalid="ignore", divide="ignore"):
        ends = (np.stack([things.low, things.high]) - at) / way
        near, far = np.fmin(*ends).max(axis=1), np.fmax(*ends).min(axis=1)
        beside = np.abs(way) < 1e-9
        there = ((things.low <= at + 1e-6) & (things.high >= at - 1e-6))[:, beside].all(axis=1)
        which = there & ~(near > far + 1e-6) & ~(far < 0) & (things.mesh >= 0)
    best = np.inf
    for f in faces_standing(scene, things, which):
        for points in f.points:
            best = min(best, float(hits(points, f.faces, at, way).min(initial=np.inf)))
    return best


def inside_of(scene: Scene) -> F64:
    """(3,) a place in the middle of most of a level, in metres."""
    box = bulk_box(scene)
    if box is not None:
        return np.asarray((box[0] + box[1]) / 2)
    things = things_of(scene)
    middles = things.middle[np.isfinite(things.middle).all(axis=1)]
    return np.asarray(np.median(middles, axis=0)) if len(middles) else np.zeros(3)


def with_met(chosen: Chosen, ground: Ground, met: Met, how: How, place: Any = None) -> Chosen:
    """With the faces in one plane around what was met, or with its edge nearest to a `place` (3,)."""
    thing = thing_of(ground, met.key)
    faces = triangles_of(met.prim)
    if thing is None or not 0 <= met.face < len(faces):
        return chosen
    m = ground.found.things.matrices[thing]
    points = met.prim.positions.astype(np.float64) @ m[:, :3].T + m[:, 3]
    if how == "edges" and place is not None:
        ends = nearest_edge(points[faces[met.face]], place)
        return replace(chosen, edges=(*chosen.edges, ends))
    return replace(chosen, faces=(*chosen.faces, face_of(points, faces, met.face, place)))


@dataclass(frozen=True, eq=False)
class Measured:
    """What is chosen of an opening, measured: None and `why` where it is none yet; `box` is that of the level it was chosen in."""

    chosen: Chosen
    opening: Opening | None
    why: str
    box: tuple[float, ...]


def measured(chosen: Chosen, scene: Scene) -> Measured:
    """The opening that is chosen in a scene."""
    box = box_of(scene)
    try:
        return Measured(chosen, chosen.opening(scene), "", box)
    except StepError as problem:
        return Measured(chosen, None, f"{problem.found}. {problem.todo}", box)


def box_of(scene: Scene) -> tuple[float, ...]:
    """Corners of the box around a level, to the millimetre."""
    things = things_of(scene)
    low = np.nanmin(things.low, axis=0, initial=np.inf)
    high = np.nanmax(things.high, axis=0, initial=-np.inf)
    return tuple((np.round(np.concatenate([low, high]), 3) + 0.0).tolist())


def bring_level(store: Path, other: Asset, scene: Scene, theirs: Measured | None = None) -> dict[str, Any]:
    """Settings of a stop that brings all of another asset's `scene`, whose snapshot is kept in the store. Raises CustomsError, and where the
    opening `theirs` was chosen while that level stood otherwise.
    """
    if theirs is not None and theirs.box != box_of(scene):
        raise StepError(
            f"the opening of {other.name} was chosen where it stood, or was as large, as it is not at the end of its route",
            "an opening of the level as it is", "Choose it again there.",
        )  # fmt: skip
    name, data, _ = make_snapshot(scene, level=True)
    keep_packed(store, name, data)
    return {
        "part": name, "name": other.name, "source": f"{other.id} {state_of(other)}", "author": other.author,
        "licence": other.licence or scene.copyright, "use": other.use,
    }  # fmt: skip


def stays(route: Route, passed: Sequence[At]) -> bool:
    """True where nothing moves a level between where a stop that joins another goes by its step's order, and the end of its route."""
    new = route.added(STEP, {}, by="person")
    at = next(k for k, s in enumerate(new.stops) if s not in route.stops)
    return 0 < at <= len(passed) and box_of(passed[at - 1].scene) == box_of(passed[-1].scene)


def joined_route(route: Route, stop: str | None, values: Mapping[str, Any], still: bool) -> Route:
    """The route with a stop that joins a level, right after `stop`, which is looked at; where that is the last (None) and the level stays where
    it is (`still`), at its step's place, so that names and textures of both are looked after together.
    """
    if stop is None and still:
        return route.added(STEP, values, by="person")
    return route.after(stop, STEP, values)
