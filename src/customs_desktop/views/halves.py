"""The halves of the twin view: what each shows, and the boxes that have to be in its picture."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any, NamedTuple, Protocol

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPixmap

from customs.ledger.row import Place
from customs.picture.camera import FIELD, Orbit, framing
from customs.picture.lines import length_text
from customs.picture.look import Look
from customs.route.steps.fit.arrive import arriving
from customs.scene.kept import kept
from customs.scene.levels import FIELD as SEEN
from customs.scene.levels import at_level, level_at, level_count
from customs.scene.model import Scene
from customs.work.measure import measure
from customs_desktop.style.theme import is_evening


@dataclass(frozen=True, eq=False)
class Half:
    """One of the two: its scene, the factor that makes its numbers metres, whether they are mirrored, its
    heading.
    """

    scene: Scene
    unit: float
    mirrored: bool
    title: str
    facts: str
    box: tuple[Any, Any] | None


class Picture(NamedTuple):
    """A picture of a half, with the camera and the moment it shows; the view may have gone on to another half
    since.
    """

    pixmap: QPixmap
    orbit: Orbit
    half: Half
    clip: int | None
    seconds: float


def convention_of(result: Any) -> Any:
    """What the received numbers are taken to mean."""
    return arriving(result.taken.scene, result.passed[0].stop.settings)


def half_of(scene: Scene, unit: float, mirrored: bool, title: str, unit_name: str) -> Half:
    """A half with its heading: height, meshes, triangles."""
    figures = measure(scene)
    tall = ""
    if figures.box is not None:
        tall = length_text(figures.height * unit) if unit == 1.0 else f"{figures.height:,.1f} {unit_name}"
        tall += " high · "
    meshes = figures.counts["meshes"]
    placed = f"{len(scene.placements):,} placed · " if len(scene.placements) else ""
    facts = f"{tall}{placed}{meshes} mesh{'es' if meshes != 1 else ''} · {figures.counts['triangles']:,} tri"
    return Half(scene, unit, mirrored, title, facts, figures.bulk or figures.box)


def unless_alike(old: Half | None, new: Half | None) -> Half | None:
    """The old half where the new one shows the same, else the new one."""
    if old is None or new is None or old.scene is not new.scene:
        return new
    same = (old.unit, old.mirrored, old.title, old.facts) == (new.unit, new.mirrored, new.title, new.facts)
    return old if same else new


def with_figure(low: Any, high: Any) -> tuple[Any, Any]:
    """A box that holds the standing figure too, where that is not absurd beside the asset."""
    size = float((high - low).max())
    if size < 0.3 or size > 12:
        return low, high
    return np.minimum(low, [low[0] - 0.75, 0, -0.2]), np.maximum(high, [high[0], 1.82, 0.2])


def with_other(low: Any, high: Any, other: Half) -> tuple[Any, Any]:
    """A box that holds the received asset too, unless that is of another size altogether or far away."""
    if other.box is None:
        return low, high
    a, b = np.minimum(low, other.box[0] * other.unit), np.maximum(high, other.box[1] * other.unit)
    return (a, b) if float((b - a).max()) < 3 * float((high - low).max()) else (low, high)


class Wishes:
    """What has been asked for of each half, so that nothing is drawn twice; `due` are those on their way."""

    def __init__(self) -> None:
        self._asked: dict[str, tuple[Any, ...]] = {}
        self.due: set[str] = set()

    def new(self, name: str, wish: tuple[Any, ...], there: bool) -> bool:
        """True where a picture is to be asked for: another one than last time, or the same that is neither
        `there` nor on its way.
        """
        if wish == self._asked.get(name) and (there or name in self.due):
            return False
        self._asked[name] = wish
        self.due.add(name)
        return True


class Seen(Protocol):
    """What the cameras of the halves hang on."""

    left: Half | None
    beside: Half | None
    mode: str
    landing: bool
    figure: bool
    look: Look

    def halves(self) -> dict[str, Half | None]:
        """All that is shown, by name."""


def areas_of(view: Seen, body: QRectF) -> dict[str, QRectF]:
    """Where each half is drawn in the place there is for them; a donor lies over the right one."""
    if view.landing:
        return {"right": body}
    if view.mode != "twin":
        return {"left": body, "right": body}
    half = body.width() / 2
    out = {"left": body.adjusted(0, 0, -half, 0), "right": body.adjusted(half, 0, 0, 0)}
    if view.beside is not None:
        out["beside"] = QRectF(half + 8, body.y() + 8, min(half * 0.4, 170), min(body.height() * 0.5, 210))
    return out


def look_of(view: Seen, name: str, half: Half, moving: bool) -> Look:
    """How a half is drawn."""
    ghost = view.mode == "ghost" and name == "left" and not view.landing
    x = None
    if view.figure and half.box is not None and view.beside is None and (name == "right" or view.landing):
        x = float(half.box[0][0]) - 0.45
    return replace(
        view.look,
        shading="plain" if ghost else view.look.shading,
        grid=view.look.grid and not ghost,
        dimensions=view.look.dimensions and name == "right",
        transparent=ghost,
        dual=view.look.dual and name == "right",
        figure=x,
        evening=is_evening(),
        smooth=not moving,
    )


def cameras(view: Seen, areas: dict[str, QRectF], towards: Orbit) -> dict[str, Orbit]:
    """Cameras that see each half whole: one direction; one distance too, where their sizes are of a kind."""
    out: dict[str, Orbit] = {}
    for name, half in view.halves().items():
        if half is None or half.box is None or name not in areas:
            continue
        low, high = half.box[0] * half.unit, half.box[1] * half.unit
        if view.figure and view.beside is None and half.unit == 1.0 and name == "right":
            low, high = with_figure(low, high)
        if name == "right" and view.mode != "twin" and not view.landing and view.left is not None:
            low, high = with_other(low, high, view.left)
        out[name] = framing(low, high, areas[name].width() / max(areas[name].height(), 1), towards)
    if "left" in out and "right" in out:
        a, b = out["left"].distance, out["right"].distance
        if view.mode != "twin":
            out["left"] = out["right"]
        elif max(a, b) < 4 * min(a, b):
            out |= {k: replace(out[k], distance=max(a, b)) for k in ("left", "right")}
    return out


def keys_of(scene: Scene, place: Place) -> dict[str, tuple[tuple[int, int], ...]]:
    """Whole primitives a place stands for: those of a node, mesh, material or image."""
    out: dict[str, tuple[tuple[int, int], ...]] = {}
    shown = {n.mesh for n in scene.nodes if place.kind != "node" or n.key == place.key}
    shown |= set(scene.placements.meshes) if place.kind != "node" else set()
    for i, mesh in enumerate(scene.meshes):
        if i not in shown or (place.kind == "mesh" and mesh.key != place.key):
            continue
        for p in mesh.primitives:
            material = scene.materials[p.material] if p.material is not None else None
            images = {scene.images[u.image].key for u in material.textures.values()} if material else set()
            if place.kind == "material" and (material is None or material.key != place.key):
                continue
            if place.kind == "image" and place.key not in images:
                continue
            out[str(p.key)] = ()
    return out


def seen_from(scene: Scene, metres: float) -> Scene:
    """A landed scene as it is shown from so far away: each level as long as the document says. The view's field is narrower
    than the one distances are counted in, so as much is seen of it from farther away.
    """
    if not level_count(scene):
        return scene
    away = metres * math.tan(FIELD / 2) / math.tan(math.radians(SEEN) / 2)
    reach = next((m.reach for m in scene.meshes if m.levels), ())
    level = level_at(reach, away)
    number = level if level is not None else level_count(scene)
    return kept(("at level", number), scene, lambda: at_level(scene, number)) if number else scene
