"""The route strip: the journey of an asset as a line from ticket to ticket, a stop a step."""

from __future__ import annotations

from dataclasses import dataclass, field

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QAction,
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QMenu, QSizePolicy, QToolTip, QWidget

from customs.guide.places import about_stop
from customs.ledger.ledger import effective
from customs.ledger.row import RANK, requirements
from customs.route.route import Stop
from customs.route.step import step_of
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.marks import draw_mark

HEIGHT, TICKET, LINE = 82, 168, 36
NARROW = 74
"""Least pixels a stop needs before stops fold by desk."""


@dataclass
class Knot:
    """One thing on the line: a stop, or several of one desk folded into one."""

    stops: list[Stop]
    name: str
    summary: str
    mark: str = ""
    x: float = 0.0
    hit: QRectF = field(default_factory=QRectF)

    @property
    def folded(self) -> bool:
        """True for a fold."""
        return len(self.stops) > 1


class RouteStrip(QWidget):
    """Emits `origin_asked` and `sheet_asked` when a ticket is pressed, `plan_asked` for an empty line."""

    origin_asked = pyqtSignal(QPoint)
    sheet_asked = pyqtSignal(QPoint)
    plan_asked = pyqtSignal()

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumHeight(span(HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Route")
        self.knots: list[Knot] = []
        self.open_desk: str | None = None
        self.dragged: Knot | None = None
        self.drag_x = 0.0
        self.pressed_at = QPointF()
        self.plan_hit = QRectF()
        for signal in (session.changed, session.selected, session.seen, session.picked, session.opened):
            signal.connect(self.refresh)

    def sizeHint(self) -> QSize:
        return QSize(900, span(HEIGHT))

    # -- model

    def refresh(self, *_: object) -> None:
        """Take over the route of the selected asset."""
        self._lay_out()
        self.update()

    def _lay_out(self) -> None:
        asset = self.session.asset
        stops = list(asset.stops) if asset else []
        room = self.width() - 2 * (span(TICKET) + 24)
        self.knots = [self._knot([s]) for s in stops]
        if stops and room / len(stops) < NARROW:
            self.knots = self._folded(stops)
        step = room / max(len(self.knots), 1)
        for i, knot in enumerate(self.knots):
            knot.x = span(TICKET) + 24 + step * (i + 0.5)
            knot.hit = QRectF(knot.x - step / 2, 4, step, span(HEIGHT) - 8)

    def _folded(self, stops: list[Stop]) -> list[Knot]:
        """Stops of one desk in a row become one knot, but for the desk a person opened and the picked
        stop's.
        """
        picked = self.session.stop or (stops[-1].id if stops else "")
        groups: list[list[Stop]] = []
        for s in stops:
            desk = step_of(s.step).desk
            same = groups and step_of(groups[-1][0].step).desk == desk and groups[-1][0].step != "arrive"
            if same and desk != self.open_desk:
                groups[-1].append(s)
            else:
                groups.append([s])
        out: list[Knot] = []
        for group in groups:
            knot = self._knot(group)
            if (
                knot.folded
                and any(s.id == picked for s in group)
                and self.open_desk is None
                and len(groups) > 4
            ):
                out += [self._knot([s]) for s in group]
            else:
                out.append(knot)
        return out

    def _knot(self, stops: list[Stop]) -> Knot:
        mark = max((self._mark(s) for s in stops), key=lambda v: RANK.get(v, -1), default="")
        if len(stops) > 1:
            return Knot(
                stops, f"{step_of(stops[0].step).desk.capitalize()} · {len(stops)}", "press to unfold", mark
            )
        step = step_of(stops[0].step)
        return Knot(stops, step.name, step.summary(stops[0].settings), mark)

    def _mark(self, stop: Stop) -> str:
        """The worst open verdict whose matter this stop is."""
        result = self.session.result
        if result is None:
            return ""
        worst = ""
        rules = requirements()
        for r in result.ledger.rows:
            about = r.subject == stop.id if r.requirement == "step" else False
            rule = rules.get(r.requirement)
            about = about or (rule is not None and rule.step == stop.step)
            if about and effective(r) != "cleared" and RANK[effective(r)] > RANK.get(worst, 0):
                worst = effective(r)
        return worst

    def _picked(self) -> str:
        asset = self.session.asset
        if self.session.stop:
            return self.session.stop
        on = [s for s in asset.stops if s.on] if asset else []
        return on[-1].id if on else ""

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        asset = self.session.asset
        self._tickets(painter)
        if asset is None:
            painter.setPen(colour("soft"))
            painter.setFont(font())
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "Take something in, and its route appears here."
            )
            painter.end()
            return
        self._line(painter)
        for knot in self.knots:
            self._draw_knot(painter, knot)
        self._invitation(painter)
        if self.hasFocus():
            painter.setPen(QPen(colour("teal"), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(span(TICKET) + 18, 3, -span(TICKET) - 18, -4))
        painter.end()

    def _line(self, painter: QPainter) -> None:
        left, right = span(TICKET) + 12, self.width() - span(TICKET) - 12
        picked = self._picked()
        reach = next((k.x for k in self.knots if any(s.id == picked for s in k.stops)), left)
        painter.setPen(QPen(colour("rule"), 3))
        painter.drawLine(QPointF(reach, span(LINE)), QPointF(right, span(LINE)))
        painter.setPen(QPen(colour("teal"), 3))
        painter.drawLine(QPointF(left, span(LINE)), QPointF(reach, span(LINE)))

    def _draw_knot(self, painter: QPainter, knot: Knot) -> None:
        picked = any(s.id == self._picked() for s in knot.stops)
        x = self.drag_x if knot is self.dragged else knot.x
        on = any(s.on for s in knot.stops)
        ahead = x > next((k.x for k in self.knots if any(s.id == self._picked() for s in k.stops)), 0)
        ring = colour("rule") if not on else colour("soft") if ahead else colour("teal")
        painter.setPen(QPen(ring, 2.2, Qt.PenStyle.SolidLine if on else Qt.PenStyle.DashLine))
        painter.setBrush(colour("teal") if picked else colour("shade"))
        if knot.folded:
            painter.drawRoundedRect(QRectF(x - 13, span(LINE) - 7, 26, 14), 7, 7)
        else:
            radius = 8.5 if picked else 6.5
            painter.drawEllipse(QPointF(x, span(LINE)), radius, radius)
        width = max(knot.hit.width() - 4, 40)
        painter.setPen(colour("ink") if on and not ahead else colour("soft"))
        painter.setFont(font(0, 600))
        self._text(painter, QRectF(x - width / 2, span(5), width, span(18)), knot.name)
        painter.setPen(colour("soft"))
        painter.setFont(font(-1))
        self._text(
            painter, QRectF(x - width / 2, span(LINE) + 14, width, span(18)), knot.summary if on else "off"
        )
        if knot.mark in ("query", "held"):
            draw_mark(painter, knot.mark, QRectF(x + 9, span(LINE) - 17, 13, 13))

    @staticmethod
    def _text(painter: QPainter, rect: QRectF, text: str) -> None:
        shown = QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, rect.width())
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, shown)

    def _tickets(self, painter: QPainter) -> None:
        asset, session = self.session.asset, self.session
        origin = session.origins().get(asset.origin) if asset else None
        if asset is None:
            title, line = "No asset", "choose an origin on Intake"
        elif origin is None:
            title, line = "As the file says", "no origin chosen"
        else:
            unit = {0.01: "cm", 0.0254: "in", 1.0: "m", 0.001: "mm"}.get(
                origin.metres_per_unit, f"{origin.metres_per_unit:g} m"
            )
            title = origin.title
            line = f"{unit} · {origin.up[1]} up · faces {origin.faces}".replace("-", "−")
        self._ticket(
            painter, QRectF(12, 9, span(TICKET) - 8, span(HEIGHT) - 22), "Origin", title, line, False
        )
        right = QRectF(self.width() - span(TICKET) - 4, 9, span(TICKET) - 8, span(HEIGHT) - 22)
        self._ticket(painter, right, "Destination", session.sheet.title, session.sheet.ticket(), True)

    def _ticket(
        self, painter: QPainter, rect: QRectF, kind: str, title: str, line: str, strong: bool
    ) -> None:
        painter.setPen(QPen(colour("teal") if strong else colour("rule"), 1.4))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(rect, 4, 4)
        inner = rect.adjusted(9, 4, -8, -4)
        for k, (text, size, weight, tone) in enumerate(
            (
                (kind, -1.5, 600, "teal" if strong else "soft"),
                (title, 0.5, 600, "ink"),
                (line, -1, 400, "soft"),
            )
        ):
            painter.setFont(font(size, weight))
            painter.setPen(colour(tone))
            shown = QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideRight, inner.width())
            slot = QRectF(inner.x(), inner.y() + k * inner.height() / 3, inner.width(), inner.height() / 3)
            painter.drawText(slot, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)

    def _invitation(self, painter: QPainter) -> None:
        """An empty line offers to be planned."""
        self.plan_hit = QRectF()
        if len(self.knots) != 1:
            return
        self.plan_hit = QRectF(self.width() / 2 + 40, span(LINE) - 14, 110, 28)
        painter.setPen(QPen(colour("teal"), 1.4))
        painter.setBrush(colour("teal"))
        painter.drawRoundedRect(self.plan_hit, 14, 14)
        painter.setPen(colour("on_teal"))
        painter.setFont(font(0, 600))
        painter.drawText(self.plan_hit, Qt.AlignmentFlag.AlignCenter, "Plan route")

    # -- hands

    def resizeEvent(self, event: object) -> None:
        self._lay_out()

    def knot_at(self, place: QPointF) -> Knot | None:
        """The knot under a point."""
        return next((k for k in self.knots if k.hit.contains(place)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        place = event.position()
        self.pressed_at = place
        if place.x() < span(TICKET) + 6:
            self.origin_asked.emit(self.mapToGlobal(QPoint(12, span(HEIGHT) - 12)))
        elif place.x() > self.width() - span(TICKET) - 6:
            self.sheet_asked.emit(
                self.mapToGlobal(QPoint(self.width() - span(TICKET) - 4, span(HEIGHT) - 12))
            )
        elif self.plan_hit.contains(place):
            self.plan_asked.emit()
        else:
            self._press_knot(self.knot_at(place))

    def _press_knot(self, knot: Knot | None) -> None:
        if knot is None:
            return
        if knot.folded:
            self.open_desk = step_of(knot.stops[0].step).desk
            self.refresh()
        elif knot.stops[0].on:
            self.session.pick(knot.stops[0].id)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        place = event.position()
        if event.buttons() & Qt.MouseButton.LeftButton:
            knot = self.dragged or self.knot_at(self.pressed_at)
            movable = knot is not None and not knot.folded and not step_of(knot.stops[0].step).fixed
            if movable and abs(place.x() - self.pressed_at.x()) > 12:
                self.dragged, self.drag_x = knot, place.x()
                self.update()
            return
        knot = self.knot_at(place)
        if knot is not None:
            self._tip(knot, event)

    def _tip(self, knot: Knot, event: QMouseEvent) -> None:
        if knot.folded:
            text = ", ".join(step_of(s.step).name for s in knot.stops)
        else:
            stop = knot.stops[0]
            result = self.session.result
            remarks = [
                r.text for a in (result.passed if result else ()) if a.stop.id == stop.id for r in a.remarks
            ]
            text = "\n".join([f"{step_of(stop.step).about}  ({stop.id})", *remarks[:6]])
        QToolTip.showText(event.globalPosition().toPoint(), text, self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        knot, self.dragged = self.dragged, None
        if knot is None:
            return
        rest = [k for k in self.knots if k is not knot]
        index = sum(len(k.stops) for k in rest if k.x < self.drag_x)
        self.session.change_route("Move a stop", lambda r: r.moved(knot.stops[0].id, index))
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        knot = self.knot_at(QPointF(event.pos()))
        if knot is None or knot.folded:
            return
        self.menu_for(knot.stops[0]).exec(event.globalPos())

    def menu_for(self, stop: Stop) -> QMenu:
        """What can be done with a stop."""
        menu = QMenu(self)
        fixed = step_of(stop.step).fixed
        off = QAction("Switch off" if stop.on else "Switch on", menu)
        off.triggered.connect(
            lambda: self.session.change_route("Switch a stop", lambda r: r.switched(stop.id, not stop.on))
        )
        gone = QAction("Remove", menu)
        gone.triggered.connect(
            lambda: self.session.change_route("Remove a stop", lambda r: r.removed(stop.id))
        )
        fold = QAction("Fold by desk", menu)
        fold.triggered.connect(self._fold)
        what = QAction("What is this?", menu)
        what.triggered.connect(lambda: self.session.asked.emit(*about_stop(stop.step), ""))
        off.setEnabled(not fixed)
        gone.setEnabled(not fixed)
        for action in (off, gone, fold, what):
            menu.addAction(action)
        return menu

    def _fold(self) -> None:
        self.open_desk = None
        self.refresh()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        asset = self.session.asset
        if event is None or asset is None:
            return
        on = [s.id for s in asset.stops if s.on]
        at = on.index(self._picked()) if self._picked() in on else len(on) - 1
        key = event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            at += 1 if key == Qt.Key.Key_Right else -1
            self.session.pick(on[min(max(at, 0), len(on) - 1)])
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and at > 0:
            self.session.change_route("Remove a stop", lambda r: r.removed(on[at]))
        elif key == Qt.Key.Key_Space and at > 0:
            self.session.change_route("Switch a stop", lambda r: r.switched(on[at], False))
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()
