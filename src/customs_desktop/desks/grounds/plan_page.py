"""The page Plan: the floor plan as it will be written, its marks and their legend, its scale; written as PNG, SVG and PDF."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from customs.errors import CustomsError
from customs.floorplan.compose import Sheet, sheets
from customs.floorplan.files import FORMS, on_paper
from customs.floorplan.page import PAPER, Line, Page, Shape
from customs.floorplan.picture import Pixels, drawn, veil_without
from customs.grounds.storeys import building
from customs.scene.floor_plan import SIGNS, FloorPlan, Mark
from customs.scene.model import Scene
from customs.words import many
from customs.work.floor_plan import write_plans
from customs_desktop.desks.grounds.storeys import Storeys
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import Chips, NameLabel, NumberField, button, label, row
from customs_desktop.widgets.tables import listing
from customs_desktop.worker import Task

MOST = 1600
"""Pixels of the picture on the page at most."""


@dataclass(frozen=True, eq=False)
class Shown:
    """A sheet with its picture, and what that hangs on."""

    sheet: Sheet
    picture: Pixels
    of: tuple[object, ...]


class PlanSheet(QWidget):
    """A page on the screen, as large as fits. Emits `pressed` with metres (x, z) of the plan."""

    pressed = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.shown: Shown | None = None
        self._image: QImage | None = None
        self.setMinimumSize(140, 120)
        self.setAccessibleName("Floor plan")

    def show_sheet(self, shown: Shown | None) -> None:
        """Another page."""
        if shown is not None and (self.shown is None or shown.picture is not self.shown.picture):
            flat = on_paper(shown.picture)
            h, w, _ = flat.shape
            self._image = QImage(flat.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).copy()
        self.shown = shown
        self.update()

    def _fit(self, page: Page) -> tuple[float, float, float]:
        """(pixels a millimetre, left, top) of the page."""
        k = min((self.width() - 8) / page.width, (self.height() - 8) / page.height)
        return k, (self.width() - page.width * k) / 2, (self.height() - page.height * k) / 2

    def place(self, x: float, z: float) -> QPointF:
        """Where metres of the plan lie on the widget."""
        assert self.shown is not None
        page, frame = self.shown.sheet.page, self.shown.sheet.frame
        k, left, top = self._fit(page)
        u, v = frame.place(x, z)
        mm = page.picture[2] / frame.wide
        return QPointF(left + (page.picture[0] + u * mm) * k, top + (page.picture[1] + v * mm) * k)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.shown is None:
            return
        page, frame = self.shown.sheet.page, self.shown.sheet.frame
        k, left, top = self._fit(page)
        mm = page.picture[2] / frame.wide
        u = ((event.position().x() - left) / k - page.picture[0]) / mm
        v = ((event.position().y() - top) / k - page.picture[1]) / mm
        if 0 <= u <= frame.wide and 0 <= v <= frame.high:
            self.pressed.emit(*frame.back(u, v))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if self.shown is None:
            painter.setPen(colour("soft"))
            painter.setFont(font())
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The plan of a level is drawn here.")
            painter.end()
            return
        page = self.shown.sheet.page
        k, left, top = self._fit(page)
        painter.translate(left, top)
        painter.scale(k, k)
        painter.fillRect(QRectF(0, 0, page.width, page.height), QColor(PAPER))
        painter.setPen(QPen(colour("rule"), 0))
        painter.drawRect(QRectF(0, 0, page.width, page.height))
        if self._image is not None:
            painter.drawImage(QRectF(*page.picture), self._image)
        for item in page.items:
            if isinstance(item, Line):
                painter.setPen(QPen(QColor(item.ink), max(item.width, 0.35 / k)))
                painter.drawLine(QPointF(*item.a), QPointF(*item.b))
            elif isinstance(item, Shape):
                painter.setPen(QPen(QColor(item.ink), item.width) if item.width else Qt.PenStyle.NoPen)
                painter.setBrush(QColor(item.fill))
                painter.drawPolygon(QPolygonF([QPointF(*p) for p in item.points]))
            else:
                _words(painter, item)
        painter.end()


def _words(painter: QPainter, item: Any) -> None:
    """Letters in millimetres: drawn ten times as large and brought back, as fonts know no tenths of a pixel."""
    face = QFont(font(0, 600 if item.bold else 400))
    face.setPixelSize(max(round(item.size * 10), 1))
    painter.save()
    painter.translate(*item.at)
    painter.scale(0.1, 0.1)
    painter.setFont(face)
    painter.setPen(QColor(item.ink))
    wide = painter.fontMetrics().horizontalAdvance(item.text)
    painter.drawText(QPointF(-wide * {"start": 0.0, "middle": 0.5, "end": 1.0}[item.anchor], 0), item.text)
    painter.restore()


class PlanPage(QWidget):
    """Marks, scale, north and brightness are kept decisions about the asset; nothing here is a stop."""

    def __init__(self, storeys: Storeys) -> None:
        super().__init__()
        self.storeys, self.session, self.looking = storeys, storeys.session, storeys.looking
        self.sheet = PlanSheet()
        self.sheet.pressed.connect(self._on_plan)
        self._asked: tuple[object, ...] = ()
        self.marks: QTableWidget = listing(("", "Mark", "Said"), "Marks", (24, 64, 120))
        header = self.marks.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.marks.itemChanged.connect(self._said)
        self.signs = Chips(SIGNS, True)
        self.signs.show_chosen("entry")
        self.put = button(
            "Put a mark", self._pointing, "", "", "Then press on the plan, or on a place in the view"
        )
        self.put.setCheckable(True)
        self.scale, self.north, self.bright = (
            NumberField(1, 1e6, 0, "Scale, 1 to"), NumberField(-360, 360, 0, "North (°)"), NumberField(0.1, 5, 1, "Brightness"),
        )  # fmt: skip
        for field, name in ((self.scale, "scale"), (self.north, "north"), (self.bright, "brightness")):
            field.setFixedWidth(span(46, 0.5))
            field.entered.connect(lambda v, n=name: storeys.decide("Plan", **{n: v}))
        self.shows = {
            n: QCheckBox(t) for n, t in (("grid", "Grid"), ("names", "Names"), ("legend", "Legend"))
        }
        for name, check in self.shows.items():
            check.toggled.connect(lambda on, n=name: storeys.decide("Plan", **{n: on}))
        self.told = NameLabel(-0.5, 400, "soft")
        self._lay()
        storeys.found.connect(self.refresh)
        storeys.cut_changed.connect(self.refresh)
        self.looking.pointed.connect(self._in_view)

    def _lay(self) -> None:
        side = QVBoxLayout()
        side.setSpacing(4)
        self.away = button("Take away", self._take_away, "flat")
        side.addWidget(self.signs)
        side.addWidget(row(self.put, self.away, 1))
        side.addWidget(self.marks, 1)
        side.addWidget(
            row(
                label("1 :"),
                self.scale,
                label("North"),
                self.north,
                label("°"),
                label("Light"),
                self.bright,
                1,
            )
        )
        side.addWidget(row(*self.shows.values(), 1))
        self.every = QCheckBox("Every storey")
        side.addWidget(row(self.every, 1, button("Write plans …", self._write, "main")))
        side.addWidget(self.told)
        holder = QWidget()
        holder.setLayout(side)
        side.setContentsMargins(0, 0, 0, 0)
        holder.setFixedWidth(span(264, 0.5))
        box = QHBoxLayout(self)
        box.setContentsMargins(8, 4, 12, 6)
        box.addWidget(self.sheet, 1)
        box.addWidget(holder)

    # -- what is shown

    @property
    def plan(self) -> FloorPlan:
        """What is kept, cut where the view is now."""
        return self.storeys.plan.model_copy(update={"cut": self.storeys.cut})

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.refresh()

    def refresh(self) -> None:
        """The plan as it is kept now; its picture is drawn anew only where what it shows has changed."""
        self._fields()
        scene, asset = self.looking.scene, self.session.asset
        if not self.isVisible():
            return
        if scene is None or asset is None or self.storeys.heights is None:
            self._asked = ()
            self.sheet.show_sheet(None)
            return
        plan, name, before = self.plan, asset.name, self.sheet.shown
        asked = (scene, plan, name, self.sheet.width(), self.sheet.height())
        if asked == self._asked:
            return
        self._asked = asked
        size = self.sheet.width(), self.sheet.height()
        self.session.worker.submit(
            Task(
                1, key="floor plan", title="Drawing the plan", run=lambda job: _drawn(scene, plan, name, size, before, job),
                done=lambda shown: self._take(asked, shown), failed=self._failed, apart=True,
            )
        )  # fmt: skip

    def _take(self, asked: tuple[object, ...], shown: Shown) -> None:
        if asked == self._asked:
            self.sheet.show_sheet(shown)
            page = shown.sheet.page
            self.told.setText(
                f"{page.width / 10:.1f} × {page.height / 10:.1f} cm on paper · {many(len(self.plan.marks), 'mark')}"
            )

    def _failed(self, problem: Exception) -> None:
        self.sheet.show_sheet(None)
        self.told.setText(str(problem) if isinstance(problem, CustomsError) else "")
        self.session.fail(problem)

    def _fields(self) -> None:
        plan = self.storeys.plan
        for field, value in (
            (self.scale, plan.scale),
            (self.north, plan.north),
            (self.bright, plan.brightness),
        ):
            if not field.hasFocus():
                field.show_value(value)
        for name, check in self.shows.items():
            check.blockSignals(True)
            check.setChecked(getattr(plan, name))
            check.blockSignals(False)
        self.marks.blockSignals(True)
        self.marks.setRowCount(len(plan.marks))
        titles = dict(SIGNS)
        for k, mark in enumerate(plan.marks):
            for column, text in enumerate((str(k + 1), titles[mark.sign], mark.text)):
                item = QTableWidgetItem(text)
                if column < 2:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                self.marks.setItem(k, column, item)
        self.marks.blockSignals(False)

    # -- marks

    @property
    def sign(self) -> str:
        """The sign that is put next."""
        return next((i for i, b in self.signs.buttons.items() if b.isChecked()), "note")

    def _pointing(self) -> None:
        self.looking.pointing = self.put.isChecked()

    def _on_plan(self, x: float, z: float) -> None:
        if self.put.isChecked() and self.sheet.shown is not None:
            floor = self.sheet.shown.sheet.floor
            self.add((x, floor, z))

    def _in_view(self, place: tuple[float, float, float]) -> None:
        if self.put.isChecked():
            self.add(place)

    def add(self, at: tuple[float, float, float]) -> None:
        """A mark at a place in metres."""
        mark = Mark.model_validate({"sign": self.sign, "at": tuple(round(v, 3) for v in at)})
        self.put.setChecked(False)
        self._pointing()
        self.storeys.decide("Mark", marks=(*self.storeys.plan.marks, mark))
        row_ = self.marks.rowCount() - 1
        self.marks.setCurrentCell(row_, 2)

    def _said(self, item: QTableWidgetItem) -> None:
        marks = list(self.storeys.plan.marks)
        k = item.row()
        if item.column() == 2 and k < len(marks):
            marks[k] = marks[k].model_copy(update={"text": item.text().strip()[:400]})
            self.storeys.decide("Name a mark", marks=tuple(marks))

    def _take_away(self) -> None:
        k = self.marks.currentRow()
        marks = self.storeys.plan.marks
        if 0 <= k < len(marks):
            self.storeys.decide("Take a mark away", marks=(*marks[:k], *marks[k + 1 :]))

    # -- writing

    def _write(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder the plans go to")
        if folder:
            self.write_to(Path(folder))

    def write_to(self, folder: Path) -> None:
        """Write the plan, or that of every storey, as PNG, SVG and PDF."""
        scene, asset = self.looking.scene, self.session.asset
        if scene is None or asset is None:
            self.session.said.emit("Choose a level first.", "query")
            return
        plan, name, every = self.plan, asset.name, self.every.isChecked()
        self.session.worker.submit(
            Task(
                0, key="write plans", title="Writing plans",
                run=lambda job: write_plans(scene, plan, name, folder, list(FORMS), every, job=job),
                done=partial(self._written, folder), failed=self.session.fail, apart=True,
            )
        )  # fmt: skip

    def _written(self, folder: Path, found: list[Any]) -> None:
        self.session.said.emit(f"{many(len(found), 'plan')} written to {folder}", "note")


def _drawn(
    scene: Scene, plan: FloorPlan, name: str, size: tuple[int, int], before: Shown | None, job: Any
) -> Shown:
    """The page that a plan makes, its picture as large as it is shown; the picture before where it shows the same."""
    sheet = sheets(scene, plan, name, False)[0]
    page = sheet.page
    k = min(size[0] / page.width, size[1] / page.height)
    width, height = (int(min(max(mm * k, 2), MOST)) for mm in page.picture[2:])
    of = (scene, sheet.frame, width, height, plan.brightness, plan.hidden)
    if before is not None and before.of == of:
        return Shown(sheet, before.picture, of)
    seen = building(scene)
    return Shown(
        sheet,
        drawn(seen, sheet.frame, width, height, plan.brightness, veil_without(seen, plan.hidden), job),
        of,
    )
