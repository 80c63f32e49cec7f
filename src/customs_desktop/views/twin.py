"""The twin view: as received beside what it becomes. One camera moves both."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPixmap, QPolygonF

from customs.ledger.row import Place
from customs.picture.camera import Orbit
from customs.picture.look import Lit, Look, Shot, Veil
from customs.picture.received import as_seen
from customs.route.step import step_of
from customs.scene.model import Scene
from customs_desktop.session import Session
from customs_desktop.style.theme import colour
from customs_desktop.views import twin_paint as paint
from customs_desktop.views.halves import (
    Half,
    Picture,
    Wishes,
    areas_of,
    cameras,
    convention_of,
    half_of,
    keys_of,
    look_of,
    seen_from,
    unless_alike,
)
from customs_desktop.views.handles import Handles
from customs_desktop.views.twin_hands import Hands, Pointed
from customs_desktop.views.twin_paint import HEAD, Measured, Overlay
from customs_desktop.views.walker import Walker

Mode = Literal["twin", "wipe", "ghost"]
MOVING_MS = 220


class TwinView(Hands):
    """Asks the painter for pictures and puts them together."""

    mode_changed = pyqtSignal(str)
    first_picture = pyqtSignal()
    room_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumSize(320, 220)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("View")
        self.mode: Mode = "twin"
        self.look = Look(grid=True, figure=None, dimensions=True)
        self.figure = True
        self.landing = False
        self.wipe_at = 0.5
        self.yaw, self.pitch, self.zoom, self.pan = -32.0, 14.0, 1.0, (0.0, 0.0)
        self.left: Half | None = None
        self.right: Half | None = None
        self.pictures: dict[str, Picture] = {}
        self._wishes = Wishes()
        self.problem = ""
        self.marks: dict[str, tuple[tuple[int, int], ...]] = {}
        self.poses: dict[str, tuple[int | None, float]] = {}
        self.overlay: Overlay | None = None
        self.found = ("", "")
        self.drawn: dict[str, Scene] = {}
        self.lasso: QPolygonF | None = None
        self.veil: Veil | None = None
        self.lit: Lit | None = None
        self.cut: float | None = None
        self.kept_free = 0
        """Pixels at the right edge that something else stands on."""
        self.walker: Walker | None = None
        self.handles: Handles | None = None
        self.lines: list[Measured] = []
        self.pointed: Pointed | None = None
        self.beside: Half | None = None
        self._grip: tuple[QPoint, Qt.MouseButton] | None = None
        self._pressed: tuple[QPoint, Qt.MouseButton] | None = None
        self._wiping = False
        self._seen = False
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.timeout.connect(self.ask)
        for signal in (session.changed, session.selected, session.picked):
            signal.connect(self.refresh)
        for signal in (session.evaluated, session.landed):
            signal.connect(self._looked_at)
        session.selected.connect(self._new_asset)
        session.expected.connect(self.update)
        session.painter.painted.connect(self._painted)
        session.painter.met.connect(self._met)
        session.painter.absent.connect(self._absent)
        session.place.connect(self.show_place)
        if session.painter.problem:
            self._absent(session.painter.problem)

    def sizeHint(self) -> QSize:
        return QSize(700, 460)

    # -- what is shown

    def refresh(self, *_: object) -> None:
        """Take over the selected asset and the picked stop."""
        result = self.session.result
        if result is None or result.taken is None or not result.passed:
            self.left = self.right = None
            self.pictures.clear()
            self.update()
            return
        convention = convention_of(result)
        received = as_seen(result.taken.scene, convention)
        mirrored = (convention.hand == "left") != (convention.front == "cw")
        unit_name = {0.01: "cm", 0.0254: "in", 1.0: "m", 0.001: "mm"}.get(convention.metres_per_unit, "units")
        left = half_of(received, convention.metres_per_unit, mirrored, "As received", unit_name)
        scene = result.at(self.session.stop) or result.taken.scene
        stop = self.session.stop or result.passed[-1].stop.id
        name = next((step_of(a.stop.step).name for a in result.passed if a.stop.id == stop), "the end")
        right: Half | None = half_of(scene, 1.0, False, f"At “{name}”", "m")
        if self.landing:
            landed = self.session.landed_scenes.get(self.session.current)
            sheet = self.session.sheet
            half = half_of(landed, 1.0, False, "In the destination", sheet.axes.unit_name) if landed else None
            right = replace(half, facts=f"{sheet.ticket()} · {half.facts}") if half else None
        # The very same ones while they show the same: what has been drawn of them holds.
        self.left, self.right = unless_alike(self.left, left), unless_alike(self.right, right)
        self.ask()

    def _looked_at(self, id_: str) -> None:
        """Only what is shown is drawn again."""
        if id_ == self.session.current:
            self.refresh()

    def _new_asset(self, _: str) -> None:
        self.zoom, self.pan, self.marks, self.found = 1.0, (0.0, 0.0), {}, ("", "")
        self.poses, self.drawn, self.beside = {}, {}, None
        self.veil, self.lit, self.walker, self.cut = None, None, None, None
        QTimer.singleShot(MOVING_MS, self._drop_others)

    def _drop_others(self) -> None:
        """A picture of another asset does not stand under this one's name while this one is drawn."""
        self.pictures = {k: p for k, p in self.pictures.items() if p.half is self.halves().get(k)}
        self.update()

    def set_mode(self, mode: Mode) -> None:
        """Twin, wipe or ghost."""
        self.mode = mode
        self.mode_changed.emit(mode)
        self.ask()

    def set_look(self, **changed: Any) -> None:
        """Change shading, wire, grid, dimensions."""
        self.look = replace(self.look, **changed)
        self.ask()

    def set_figure(self, on: bool) -> None:
        """The standing figure beside the asset."""
        self.figure = on
        self.ask()

    def set_landing(self, on: bool) -> None:
        """Show the landed package instead."""
        if on != self.landing:
            self.landing, self.found = on, ("", "")
            self.refresh()

    def keep_free(self, pixels: int) -> None:
        """Something stands on so many pixels at the right edge: nothing is drawn there."""
        if pixels != self.kept_free:
            self.kept_free = pixels
            self.room_changed.emit()
            self.ask()

    def show_place(self, place: Place | None) -> None:
        """Mark where a ledger row points."""
        self.marks = {}
        if place is not None and place.kind == "primitive":
            self.marks = {str(place.key): place.ranges}
        elif place is not None and self.right is not None:
            self.marks = keys_of(self.right.scene, place)
        self.ask()

    # -- cameras

    def areas(self) -> dict[str, QRectF]:
        """Where each half is drawn."""
        found = areas_of(self, QRectF(0, HEAD, self.width(), max(self.height() - HEAD, 1)))
        if self.kept_free:
            # What stands at the right edge hides nothing.
            right = self.width() - self.kept_free
            found = {
                k: QRectF(r.x(), r.y(), min(r.right(), right) - r.x(), r.height()) for k, r in found.items()
            }
        return found

    def orbits(self) -> dict[str, Orbit]:
        """The cameras of the halves."""
        if self.walker is not None:
            return dict.fromkeys(("left", "right"), self.walker.orbit)
        found = cameras(self, self.areas(), Orbit(yaw=self.yaw, pitch=self.pitch))
        return {k: o if k == "beside" else o.nearer(self.zoom).moved(*self.pan) for k, o in found.items()}

    def halves(self) -> dict[str, Half | None]:
        """All that is shown, by name."""
        return {"left": self.left, "right": self.right, "beside": self.beside}

    def show_beside(self, scene: Scene | None, title: str) -> None:
        """A donor in a small picture of its own, or none."""
        if (self.beside.scene if self.beside is not None else None) is not scene:
            self.beside = half_of(scene, 1.0, False, title, "m") if scene is not None else None
            self.pictures.pop("beside", None)
            self.ask()

    def ask(self, moving: bool = False) -> None:
        """Ask for both pictures; coarser ones while the camera moves."""
        ratio = self.devicePixelRatioF() * (0.6 if moving else 1.0)
        orbits = self.orbits()
        for name, rect in self.areas().items():
            half = self.halves()[name]
            if half is None or name not in orbits:
                self.pictures.pop(name, None)
                continue
            width, height = max(int(rect.width() * ratio), 2), max(int(rect.height() * ratio), 2)
            shot = self._shot(name, half, orbits[name], (width, height), moving)
            if self._wishes.new(name, (half, *shot.told()), name in self.pictures):
                tag = (half, orbits[name], *self.pose(name, half.scene))
                self.session.painter.ask(f"view {name}", shot, tag)
        if moving:
            self._still.start(MOVING_MS)
        else:
            self.update()

    def _shot(self, name: str, half: Half, orbit: Orbit, size: tuple[int, int], moving: bool = False) -> Shot:
        clip, seconds = self.pose(name, half.scene)
        scene = self.drawn.get(name, half.scene)
        if self.landing:
            scene = seen_from(scene, orbit.distance)
        clip = clip if clip is not None and clip < len(scene.clips) else None
        look, marks = look_of(self, name, half, moving), self.marks if name == "right" else {}
        lit, veil = (self.lit, self.veil) if name == "right" and not self.landing else (None, None)
        return Shot(
            scene,
            orbit,
            *size,
            look,
            clip,
            seconds,
            half.unit,
            half.mirrored,
            lit=lit,
            veil=veil,
            cut=self.cut if name == "right" and not self.landing else None,
            marks=marks,
        )

    def pose(self, name: str, scene: Scene) -> tuple[int | None, float]:
        """(clip, seconds) a half stands at; at rest where nothing is played."""
        clip, seconds = self.poses.get(name, (None, 0.0))
        return (clip, seconds) if clip is not None and clip < len(scene.clips) else (None, 0.0)

    def show_poses(self, poses: dict[str, tuple[int | None, float]], moving: bool) -> None:
        """Pose the halves ("left", "right"): (clip, seconds) of each, coarse pictures while it is moving."""
        if poses != self.poses or not moving:
            self.poses = poses
            self.ask(moving)

    def show_drawn(self, scenes: dict[str, Scene]) -> None:
        """Draw other scenes in the place of the halves' own: the same meshes in other colours."""
        if scenes != self.drawn:
            self.drawn = scenes
            self.ask()

    def set_overlay(self, overlay: Overlay | None) -> None:
        """Joints over the pictures, or none."""
        self.overlay = overlay
        if overlay is None:
            self.poses, self.drawn, self.beside = {}, {}, None
            self.ask()
        self.update()

    def _painted(self, slot: str, image: QImage, tag: Any) -> None:
        if not slot.startswith("view "):
            return
        name, (half, orbit, clip, seconds) = slot[5:], tag
        self._wishes.due.discard(name)
        if half is self.halves().get(name):
            self.pictures[name] = Picture(QPixmap.fromImage(image), orbit, half, clip, seconds)
            self.problem = self.session.painter.problem
            self.update()
            if not self._seen and name == "right":
                self._seen = True
                self.first_picture.emit()

    def _absent(self, problem: str) -> None:
        self.problem = problem
        self._wishes.due.clear()
        self.update()

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("view"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        areas = self.areas()
        if self.left is None and self.right is None:
            paint.empty(self, painter)
        elif self.mode == "wipe" and not self.landing:
            paint.wipe(self, painter, areas["right"])
        else:
            for name in ("right", "left") if self.mode == "ghost" else ("left", "right"):
                if name in areas and name in self.pictures:
                    through = self.mode == "ghost" and name == "left" and not self.landing
                    painter.setOpacity(0.5 if through else 1.0)
                    painter.drawPixmap(areas[name].toRect(), self.pictures[name][0])
            painter.setOpacity(1.0)
            if self.mode == "twin" and not self.landing:
                painter.fillRect(QRectF(self.width() / 2 - 1, HEAD, 2, self.height()), colour("paper"))
        paint.overlaid(self, painter, areas)
        paint.held(self, painter, areas)
        if "beside" in areas:
            paint.beside(self, painter, areas["beside"])
        paint.labels(self, painter, areas.get("right"))
        paint.heads(self, painter)
        paint.met(self, painter, areas)
        if self.problem:
            paint.say_problem(self, painter)
        painter.end()
