"""Storeys of a level: the ruler at the view's edge with its cut handle, and the section that says them in numbers."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from customs.floorplan.compose import nice
from customs.grounds.heights import Heights, heights_of
from customs.grounds.storeys import CUT, Storey, building, storeys_of
from customs.scene.floor_plan import NO_PLAN, FloorPlan
from customs.scene.model import Scene
from customs.words import many
from customs.work.grounds import key_of
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.views.twin import TwinView
from customs_desktop.views.twin_paint import HEAD
from customs_desktop.widgets.basics import NumberField, button, empty, label, row
from customs_desktop.worker import Task

METRES, ROOM, AXIS = 36, 22, 68
"""Pixels for the numbers of the scale, left free above and below, and from the ruler's left to its scale."""
NUDGE = 0.1


class Storeys(QObject):
    """What is known of the storeys of the level that is looked at, and where it is cut. Emits `found` and `cut_changed`."""

    found = pyqtSignal()
    cut_changed = pyqtSignal()

    def __init__(self, session: Office, looking: Looking, twin: TwinView) -> None:
        super().__init__()
        self.session, self.looking, self.twin = session, looking, twin
        self.heights: Heights | None = None
        self.storeys: tuple[Storey, ...] = ()
        self._of: Scene | None = None
        self._plan: FloorPlan | None = None
        looking.found.connect(self.refresh)

    @property
    def plan(self) -> FloorPlan:
        """What was decided about the plan of the selected asset."""
        return self.session.asset.plan if self.session.asset is not None else NO_PLAN

    @property
    def cut(self) -> float | None:
        """Metres the view is cut at now."""
        return self.twin.cut

    def refresh(self) -> None:
        """Storeys of what is looked at, found beside the window's work."""
        scene = self.looking.scene if self.looking.ground is not None else None
        if scene is not self._of:
            self._of, self.heights, self.storeys = scene, None, ()
            self.found.emit()
            if scene is not None:
                self.session.worker.submit(
                    Task(
                        1, key="storeys", title="Storeys", run=lambda job: (heights_of(building(scene), job), storeys_of(scene, job)),
                        done=lambda answer: self._take(scene, *answer), failed=self.session.fail, apart=True,
                    )
                )  # fmt: skip
        self.follow()

    def _take(self, scene: Scene, heights: Heights, storeys: tuple[Storey, ...]) -> None:
        if scene is self._of:
            self.heights, self.storeys = heights, storeys
            self.found.emit()

    def follow(self) -> None:
        """The view is cut where it was decided."""
        plan = self.plan
        if plan.cut != self.twin.cut and self.looking.open:
            self.twin.cut = plan.cut
            self.twin.ask()
        if plan is not self._plan:
            self._plan = plan
            self.cut_changed.emit()

    def try_cut(self, height: float | None) -> None:
        """Cut the view there, while a hand moves the handle."""
        self.twin.cut = height
        self.twin.ask(moving=True)
        self.cut_changed.emit()

    def decide(self, label_: str, **changed: object) -> None:
        """Change what is kept about the plan: one decision."""
        plan = FloorPlan.model_validate(self.plan.model_dump() | changed)
        if plan != self.plan:
            self.session.change_asset(label_, lambda a: replace(a, plan=plan))
        self.follow()

    def keep_cut(self, height: float | None) -> None:
        """A hand has let go."""
        self.decide("Cut", cut=None if height is None else round(height, 3))


class StoreyRuler(QWidget):
    """Height in metres along the right edge of the view, with how much looks up at each height; the handle cuts."""

    def __init__(self, storeys: Storeys, twin: TwinView) -> None:
        super().__init__(twin)
        self.storeys, self.twin = storeys, twin
        longest = QFontMetrics(font(-1.0, 600)).horizontalAdvance("ground floor")
        self.axis = max(AXIS, longest + 6)
        self.wide = self.axis + 8 + span(METRES)
        self._held = False
        self.setAccessibleName("Storey ruler: cut height")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip("Drag the handle to cut the level; press twice for no cut")
        self.setCursor(Qt.CursorShape.SizeVerCursor)
        self.hide()
        twin.installEventFilter(self)
        storeys.found.connect(self._there)
        storeys.cut_changed.connect(self.update)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.Show):
            self._place()
        return False

    def sizeHint(self) -> QSize:
        return QSize(self.wide, 200)

    def _place(self) -> None:
        self.setGeometry(self.twin.width() - self.wide, HEAD, self.wide, max(self.twin.height() - HEAD, 40))

    def _there(self) -> None:
        self._place()
        low, high = self.range()
        shown = self.storeys.looking.open and high > low
        self.setVisible(shown)
        self.twin.keep_free(self.wide if shown else 0)
        self.update()

    def range(self) -> tuple[float, float]:
        """Metres of the lowest and the highest mark."""
        h = self.storeys.heights
        if h is None or not len(h.up):
            return 0.0, 0.0
        seen = np.flatnonzero(h.up + h.down > 0)
        return (float(h.at[seen[0]]) - 0.2, float(h.at[seen[-1]]) + 0.6) if len(seen) else (0.0, 0.0)

    def y_of(self, metres: float) -> float:
        """Pixels from the top of a height."""
        low, high = self.range()
        return ROOM + (self.height() - 2 * ROOM) * (high - metres) / max(high - low, 1e-6)

    def metres_at(self, y: float) -> float:
        """The height at a pixel."""
        low, high = self.range()
        share = (y - ROOM) / max(self.height() - 2 * ROOM, 1)
        return float(np.clip(high - share * (high - low), low, high))

    # -- hands

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._held = True
            self.storeys.try_cut(self.metres_at(event.position().y()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self.storeys.try_cut(self.metres_at(event.position().y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._held:
            self._held = False
            self.storeys.keep_cut(self.storeys.cut)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._held = False
        self.storeys.keep_cut(None)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() not in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            super().keyPressEvent(event)
            return
        way = NUDGE if event.key() == Qt.Key.Key_Up else -NUDGE
        cut = self.storeys.cut
        self.storeys.keep_cut((self.range()[1] if cut is None else cut) + way)

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        card = colour("card")
        card.setAlpha(235)
        painter.fillRect(self.rect(), card)
        self._bars(painter)
        self._scale(painter)
        painter.setFont(font(-1.0, 600))
        painter.setPen(colour("ink"))
        for s in self.storeys.storeys:
            painter.drawText(
                QRectF(2, self.y_of(s.height) - span(18), self.axis, span(14) + 2),
                Qt.AlignmentFlag.AlignLeft,
                s.name,
            )
        self._handle(painter)
        painter.end()

    def _bars(self, painter: QPainter) -> None:
        h = self.storeys.heights
        if h is None or not h.up.any():
            return
        floors = np.array([s.height for s in self.storeys.storeys])
        areas, there = h.up, h.up > 0
        floor = (np.abs(h.mean[:, None] - floors[None]) < 0.06).any(axis=1)
        # What falls on one line of pixels is one bar, however many heights there are.
        low, high = self.range()
        line = np.round(
            ROOM + (self.height() - 2 * ROOM) * (high - h.mean[there]) / max(high - low, 1e-6)
        ).astype(np.intp)
        line = np.clip(line, 0, self.height())
        sums = np.bincount(line, areas[there])
        marked = np.bincount(line, floor[there]) > 0
        # Small areas are to be seen beside a floor: lengths follow the root.
        long = 50 * np.sqrt(sums / sums.max())
        for y in np.flatnonzero(sums).tolist():
            bar = QRectF(self.axis - 2 - long[y], y - 1.2, long[y], 2.4)
            painter.fillRect(bar, colour("teal" if marked[y] else "rule"))

    def _scale(self, painter: QPainter) -> None:
        low, high = self.range()
        if high <= low:
            return
        painter.setPen(QPen(colour("ink"), 1))
        painter.setFont(font(-1.0))
        step = nice((high - low) / max((self.height() - 2 * ROOM) / 30, 1))
        for k in range(int(np.ceil(low / step)), int(np.floor(high / step)) + 1):
            y = self.y_of(k * step)
            painter.drawLine(QPointF(self.axis, y), QPointF(self.axis + 6, y))
            painter.drawText(
                QRectF(self.axis + 6, y - span(8), self.wide - self.axis - 8, span(16)),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                f"{k * step:g} m",
            )

    def _handle(self, painter: QPainter) -> None:
        cut = self.storeys.cut
        shown = self.range()[1] if cut is None else cut
        y = self.y_of(shown)
        painter.setPen(QPen(colour("teal"), 2))
        painter.drawLine(QPointF(0, y), QPointF(self.wide, y))
        pill = QRectF(0, y - span(18) / 2, span(54), span(18))
        painter.setBrush(colour("teal"))
        painter.drawRoundedRect(pill, pill.height() / 2, pill.height() / 2)
        painter.setPen(colour("on_teal"))
        painter.setFont(font(-0.5, 600))
        painter.drawText(pill, Qt.AlignmentFlag.AlignCenter, "no cut" if cut is None else f"{cut:.2f} m")


class StoreyTools(QWidget):
    """Storeys to press, the cut as a number, what is kept off the plan."""

    def __init__(self, storeys: Storeys) -> None:
        super().__init__()
        self.storeys = storeys
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.list = QVBoxLayout()
        self.list.setSpacing(4)
        box.addLayout(self.list)
        self.cut = NumberField(-1e6, 1e6, 2, "Cut height (m)")
        self.cut.setFixedWidth(span(58, 0.5))
        self.cut.entered.connect(storeys.keep_cut)
        self.whole = button("No cut", lambda: storeys.keep_cut(None), "flat")
        box.addWidget(row(label("Cut at"), self.cut, label("m"), 1, self.whole))
        self.away = button(
            "Keep it off the plan",
            self.keep_off,
            "",
            "",
            "What is picked in the view is not shown on the plan either",
        )
        self.back = button("Show all again", self.show_all, "flat")
        box.addWidget(row(self.away, self.back, 1))
        storeys.found.connect(self.refresh)
        storeys.cut_changed.connect(self.show_cut)
        storeys.looking.changed.connect(self._picked)

    def said(self) -> str:
        """Its state in words."""
        count, cut = len(self.storeys.storeys), self.storeys.plan.cut
        found = f"{count} found" if count else "none found"
        return found if cut is None else f"{found} · cut at {cut:.2f} m"

    def refresh(self) -> None:
        """The storeys there are."""
        empty(self.list)
        for s in self.storeys.storeys:
            text = f"{s.name.capitalize()}   {s.height:.2f} m · {s.area:,.0f} m²"
            self.list.addWidget(
                button(
                    text,
                    partial(self.storeys.keep_cut, s.height + CUT),
                    "chip",
                    "",
                    "Cut 1.2 m above its floor",
                )
            )
        self.show_cut()

    def show_cut(self) -> None:
        """Where the view is cut now."""
        cut, hidden = self.storeys.cut, len(self.storeys.plan.hidden)
        if cut is None:
            self.cut.clear()
        elif not self.cut.hasFocus():
            self.cut.show_value(cut)
        self.whole.setEnabled(cut is not None)
        self.back.setVisible(hidden > 0)
        self.back.setText(f"Show {many(hidden, 'thing')} again")
        self._picked()

    def _picked(self) -> None:
        self.away.setEnabled(bool(self.storeys.looking.picked))

    def keep_off(self) -> None:
        """What is picked is hidden here and on the plan: a kept decision."""
        looking = self.storeys.looking
        if looking.ground is None or not looking.picked:
            return
        keys = [str(key_of(looking.ground, t)) for t in looking.picked]
        hidden = tuple(dict.fromkeys([*self.storeys.plan.hidden, *keys]))
        self.storeys.decide("Keep off the plan", hidden=hidden)
        looking.refresh()

    def show_all(self) -> None:
        """Nothing is kept off the plan."""
        self.storeys.decide("Show on the plan", hidden=())
        self.storeys.looking.refresh()
