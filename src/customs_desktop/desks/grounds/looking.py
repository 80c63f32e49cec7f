"""What of a level is looked at, and how: shared by the pages of the desk."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QTimer, pyqtSignal
from PyQt6.QtGui import QPolygonF

from customs.geometry.outline import inside_outline
from customs.grounds.rules import TITLES
from customs.grounds.walking import ground_under
from customs.ledger.row import Place
from customs.picture.camera import project
from customs.picture.pick import Met
from customs.scene.model import Scene
from customs.work.grounds import Ground, ground_of, key_of, place_met, thing_of, things_of_keys, veil_of
from customs_desktop.office import Office
from customs_desktop.views.twin import TwinView
from customs_desktop.views.walker import Walker
from customs_desktop.worker import Task

TICK = 40
"""Milliseconds between two steps while a key is held."""


class Looking(QObject):
    """The level after the picked stop, how its kinds are looked at, which things are picked. Emits `found` when figures have come and
    `changed` when it is looked at otherwise.
    """

    found = pyqtSignal()
    changed = pyqtSignal()
    pointed = pyqtSignal(object)
    """A place in metres, while places are asked for."""
    chosen = pyqtSignal(object, object)
    """What was met and where (metres, or None), while faces or edges are chosen."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__()
        self.session, self.twin = session, twin
        self.open = self.pointing = self.choosing = False
        self.ground: Ground | None = None
        self.states: dict[str, str] = {}
        self.solo = ""
        self.hidden: frozenset[int] = frozenset()
        self.kept_away: frozenset[int] = frozenset()
        """Things a person keeps off the floor plan."""
        self.only: frozenset[int] = frozenset()
        self.picked: tuple[int, ...] = ()
        self._plan: tuple[str, ...] | None = None
        self._of: Scene | None = None
        self._asset = ""
        self._timer = QTimer(self)
        self._timer.setInterval(TICK)
        self._timer.timeout.connect(self._tick)
        session.met.connect(self._met)
        twin.lassoed.connect(self._lassoed)

    # -- what is there

    def refresh(self) -> None:
        """Figures of what is looked at, taken beside the window's work."""
        result = self.session.result
        scene = result.at(self.session.stop) if result is not None and not self.twin.landing else None
        if scene is self._of or not self.open:
            self._keep_away()
            return
        self._of = scene
        if self.twin.veil is not None:
            # Numbers of things are another scene's from here on.
            self.twin.veil = None
        if self._asset != self.session.current:
            self._asset, self.states, self.solo = self.session.current, {}, ""
        arrived = result.passed[0].scene if result is not None and result.passed else scene
        if scene is None or arrived is None:
            self._take(None, None)
            return
        self.session.worker.submit(
            Task(
                0,
                key="ground",
                title="Kinds of things",
                run=lambda job: replace(ground_of(scene), missing=ground_of(arrived).missing),
                done=lambda ground: self._take(ground, scene),
                failed=self.session.fail,
                apart=True,
            )
        )

    def _take(self, ground: Ground | None, scene: Scene | None) -> None:
        if scene is not self._of:
            return
        self.ground = ground
        # Numbers of things are this scene's own.
        self.hidden = self.only = frozenset()
        self.picked = ()
        self._plan = None
        self._keep_away(False)
        self.found.emit()
        self.show()

    def _keep_away(self, shown: bool = True) -> None:
        """What is kept off the floor plan is not shown here either."""
        asset = self.session.asset
        hidden = asset.plan.hidden if asset is not None else ()
        if self.ground is None or hidden == self._plan:
            return
        self._plan, self.kept_away = hidden, things_of_keys(self.ground, hidden)
        if shown:
            self.show()

    @property
    def scene(self) -> Scene | None:
        """The level after the picked stop."""
        return self._of

    # -- how it is looked at

    def state(self, kind: str) -> str:
        """How a kind is looked at."""
        return self.states.get(kind, "shown")

    def set_state(self, kind: str, state: str) -> None:
        """Shown, faint or hidden."""
        self.states = {k: v for k, v in self.states.items() if k != kind}
        if state != "shown":
            self.states[kind] = state
        self.show()

    def set_solo(self, kind: str) -> None:
        """One kind alone, or all again."""
        self.solo = "" if self.solo == kind else kind
        self.show()
        self.session.said.emit(f"{TITLES[kind].capitalize()} alone" if self.solo else "All kinds", "note")

    def hide_picked(self) -> None:
        """What is picked is not shown."""
        self.hidden = self.hidden | set(self.picked)
        self.show()

    def only_picked(self) -> None:
        """Only what is picked is shown."""
        self.only = frozenset(self.picked)
        self.show()

    def all_again(self) -> None:
        """Everything is shown."""
        self.hidden = self.only = frozenset()
        self.states, self.solo = {}, ""
        self.show()

    def show(self) -> None:
        """Over the view."""
        veil = None
        if self.open and self.ground is not None:
            veil = veil_of(self.ground, self.states, self.solo, self.hidden | self.kept_away, self.only)
        if veil is not self.twin.veil:
            self.twin.veil = veil
            self.twin.ask()
        self.changed.emit()

    # -- picking

    def pick(self, things: tuple[int, ...], mark: bool = True) -> None:
        """Pick things by number, marked in the view."""
        self.picked = things
        if mark and self.ground is not None:
            self.twin.marks = {str(key_of(self.ground, t)): () for t in things[:2000]}
            self.twin.ask()
        self.changed.emit()

    def _met(self, found: Met | None) -> None:
        if not self.open or self.ground is None or not self.session.asset:
            return
        where = self.twin.pointed
        if where is not None and where.half == "left":
            return
        thing = thing_of(self.ground, found.key) if found is not None else None
        if (self.pointing or self.choosing) and found is not None and where is not None:
            place = place_met(self.ground, found, where.orbit, where.size, where.x, where.y)
            if self.choosing:
                self.chosen.emit(found, place)
                return
            if place is not None:
                self.pointed.emit(place)
                return
        self.pick((thing,) if thing is not None else ())

    def lasso(self) -> None:
        """The next line drawn in the view picks what stands inside it."""
        self.twin.lasso = QPolygonF()
        self.session.said.emit("Draw a line round things in the right half.", "note")

    def _lassoed(self, outline: QPolygonF) -> None:
        rect, picture = self.twin.areas().get("right"), self.twin.pictures.get("right")
        if not self.open or self.ground is None or rect is None or picture is None:
            return
        size = (max(int(rect.width()), 2), max(int(rect.height()), 2))
        pixels = project(self.ground.found.things.middle, picture.orbit, *size)
        ring = np.array([(p.x() - rect.x(), p.y() - rect.y()) for p in _points(outline)])
        found = np.flatnonzero(inside_outline(pixels, ring))
        veil = self.twin.veil
        if veil is not None:
            count = len(self.ground.found.things.nodes)
            rows = self.ground.found.things.rows
            found = found[[t < count or not veil.hidden_rows[rows[t - count]] for t in found.tolist()]]
        self.pick(tuple(found.tolist()))

    def show_place(self, name: str) -> None:
        """Mark every place of a mesh."""
        scene = self._of
        mesh = next((m for m in scene.meshes if m.name == name), None) if scene is not None else None
        if mesh is not None:
            self.twin.show_place(Place(mesh.key, "mesh"))

    # -- going about

    def go(self, how: str, speed: float) -> None:
        """Walk, fly, or turn about the whole again."""
        self._timer.stop()
        self.twin.walker = None
        if how != "turn" and self.ground is not None and self._of is not None:
            scene = self._of
            things = self.ground.found.things
            shown = np.isfinite(things.low).all(axis=1)
            low, high = (np.quantile(things.middle[shown], q, axis=0) for q in (0.1, 0.9))
            x, z = float((low[0] + high[0]) / 2), float(high[2])

            def ground(x: float, z: float, feet: float) -> float | None:
                return ground_under(scene, x, z, feet)

            feet = float(low[1])
            eye = (x, feet + 1.7 if how == "walk" else float(high[1]) + 2.0, z)
            self.twin.walker = Walker(eye, 0.0, speed, ground if how == "walk" else None)
            self._timer.start()
            self.twin.setFocus()
        self.twin.ask()

    def usual_speed(self, how: str) -> float:
        """Metres a second: a person's while walking, by the size of the level while flying."""
        if how == "walk" or self.ground is None:
            return 1.4
        things = self.ground.found.things
        reach = np.nanmax(things.high, axis=0) - np.nanmin(things.low, axis=0) if len(things) else np.ones(3)
        return float(np.clip(np.linalg.norm(reach) / 12, 1.4, 200.0))

    def _tick(self) -> None:
        if self.twin.walker is not None and self.twin.walker.go(TICK / 1000):
            self.twin.ask(moving=True)


def _points(outline: QPolygonF) -> list[QPointF]:
    return [outline.at(k) for k in range(outline.count())]
