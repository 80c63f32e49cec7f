"""What the twin view draws over and beside its pictures."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, Protocol

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from customs.picture.camera import Orbit, project
from customs.picture.lines import dimension_lines
from customs.picture.look import Look
from customs.scene.model import Scene
from customs_desktop.session import Session
from customs_desktop.style.theme import colour, font
from customs_desktop.views.halves import Half, Picture
from customs_desktop.views.handles import Handles

HEAD = 30
"""Height of the headings (pixels)."""
Measured = tuple[Sequence[Sequence[float]], str]
"""Places (metres) of a figure that was measured, and what it comes to."""


class Over(NamedTuple):
    """What an overlay is drawn over: the place of a half, its camera and scene, the clip and second it stands at, metres of its unit."""

    rect: QRectF
    orbit: Orbit
    scene: Scene
    clip: int | None
    seconds: float
    unit: float


class Overlay(Protocol):
    """What a desk draws over the pictures: on each half what its scene holds, and a scale beside the right one."""

    def paint(self, painter: QPainter, over: Over) -> None: ...
    def paint_scale(self, painter: QPainter, rect: QRectF) -> None: ...


class Shown(Protocol):
    """What is painted: the view's halves and their pictures, how they are put together, and the place there
    is.
    """

    session: Session
    left: Half | None
    right: Half | None
    beside: Half | None
    pictures: dict[str, Picture]
    look: Look
    mode: str
    landing: bool
    wipe_at: float
    problem: str
    overlay: Overlay | None
    found: tuple[str, str]
    lasso: QPolygonF | None
    handles: Handles | None
    lines: list[Measured]

    def width(self) -> int: ...
    def height(self) -> int: ...
    def rect(self) -> QRect: ...


def wipe(view: Shown, painter: QPainter, body: QRectF) -> None:
    """Both pictures with the divider between them."""
    x = body.width() * view.wipe_at
    for name, clip in (
        ("left", QRectF(0, HEAD, x, body.height())),
        ("right", QRectF(x, HEAD, body.width() - x, body.height())),
    ):
        if name in view.pictures:
            painter.setClipRect(clip)
            painter.drawPixmap(body.toRect(), view.pictures[name][0])
    painter.setClipping(False)
    painter.setPen(QPen(colour("teal"), 2))
    painter.drawLine(QPointF(x, HEAD), QPointF(x, view.height()))
    painter.setBrush(colour("card"))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    grip = QRectF(x - 9, body.center().y() - 16, 18, 32)
    painter.drawRoundedRect(grip, 9, 9)
    painter.drawLine(QPointF(x - 3, grip.center().y() - 5), QPointF(x - 3, grip.center().y() + 5))
    painter.drawLine(QPointF(x + 3, grip.center().y() - 5), QPointF(x + 3, grip.center().y() + 5))


def empty(view: Shown, painter: QPainter) -> None:
    """What to do where there is nothing to see."""
    painter.setPen(colour("soft"))
    painter.setFont(font(2))
    asset, result = view.session.asset, view.session.result
    if asset is None and view.session.coming:
        text = f"Reading {next(iter(view.session.coming.values()))} …"
    elif asset is None:
        text = "Drop a model or a folder here.\nYou will see it as it is, beside what it will become."
    elif result is None:
        text = f"Looking at {asset.name} …"
    elif result.error is not None:
        text = f"{asset.name} cannot be read.\n{result.error}"
    elif view.landing:
        text = "Nothing has landed yet.\nDispatch this asset, and its package is read here as the destination would."
    else:
        text = "There is nothing to see in this asset."
    area = QRectF(view.rect()).adjusted(40, HEAD, -40, 0)
    painter.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, text)


def heads(view: Shown, painter: QPainter) -> None:
    """What each half is."""
    painter.fillRect(QRectF(0, 0, view.width(), HEAD), colour("paper"))
    both = [(view.left, 14.0, "ink"), (view.right, view.width() / 2 + 14, "teal")]
    if view.landing:
        both = [(view.right, 14.0, "teal")]
    for half, x, tone in both:
        if half is None:
            continue
        painter.setFont(font(0.5, 600))
        painter.setPen(colour(tone))
        painter.drawText(QRectF(x, 0, 200, HEAD), Qt.AlignmentFlag.AlignVCenter, half.title)
        start = x + painter.fontMetrics().horizontalAdvance(half.title) + 14
        painter.setFont(font())
        painter.setPen(colour("soft"))
        room = (view.width() if view.landing or half is view.right else view.width() / 2) - start - 8
        shown = painter.fontMetrics().elidedText(half.facts, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(start, 0, room, HEAD), Qt.AlignmentFlag.AlignVCenter, shown)


def labels(view: Shown, painter: QPainter, rect: QRectF | None) -> None:
    """Dimension figures beside their lines."""
    if (
        rect is None
        or view.right is None
        or view.right.box is None
        or not view.look.dimensions
        or "right" not in view.pictures
    ):
        return
    if view.mode == "wipe" and not view.landing and view.wipe_at > 0.97:
        return
    low, high = view.right.box[0] * view.right.unit, view.right.box[1] * view.right.unit
    _, figures = dimension_lines(low, high, False)
    orbit = view.pictures["right"][1]
    places = project([x.place for x in figures], orbit, int(rect.width()), int(rect.height()))
    painter.setFont(font(0, 500))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for text, (x, y) in zip((x.text for x in figures), places):
        if not np.isfinite([x, y]).all():
            continue
        width = painter.fontMetrics().horizontalAdvance(text) + 14
        cx = min(max(rect.x() + x, rect.x() + width / 2 + 4), rect.right() - width / 2 - 4)
        cy = min(max(rect.y() + y, rect.y() + 14), rect.bottom() - 60)
        box = QRectF(cx - width / 2, cy - 11, width, 22)
        painter.setPen(colour("rule"))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def met(view: Shown, painter: QPainter, areas: dict[str, QRectF]) -> None:
    """What was met under a place, below the heading of its half."""
    half, text = view.found
    if half not in areas:
        return
    painter.setFont(font(-0.5, 500))
    room = areas[half].width() * (0.5 if view.mode != "twin" and not view.landing else 1.0) - 40
    text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(room))
    box = QRectF(areas[half].left() + 12, HEAD + 8, painter.fontMetrics().horizontalAdvance(text) + 18, 24)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(colour("rule"))
    painter.setBrush(colour("card"))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(colour("ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def overlaid(view: Shown, painter: QPainter, areas: dict[str, QRectF]) -> None:
    """Joints over the pictures."""
    if view.overlay is None or view.mode == "wipe":
        return
    for name, half in (("left", view.left), ("right", view.right)):
        if (
            half is None
            or name not in areas
            or name not in view.pictures
            or (view.mode == "ghost" and name == "left")
        ):
            continue
        # As the picture stands, which a slow driver brings later than time runs.
        _, orbit, drawn, clip, seconds = view.pictures[name]
        view.overlay.paint(painter, Over(areas[name], orbit, drawn.scene, clip, seconds, drawn.unit))
    if "right" in areas:
        view.overlay.paint_scale(painter, areas["right"])


def held(view: Shown, painter: QPainter, areas: dict[str, QRectF]) -> None:
    """The line of a lasso, and handles on the right half."""
    if view.lasso is not None and len(view.lasso) > 1:
        painter.setPen(QPen(colour("teal"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(view.lasso)
    if "right" in areas and "right" in view.pictures:
        orbit = view.pictures["right"].orbit
        for points, text in view.lines:
            _measured(painter, areas["right"], orbit, points, text)
        if view.handles is not None:
            view.handles.paint(painter, areas["right"], orbit)


def _measured(
    painter: QPainter, rect: QRectF, orbit: Orbit, points: Sequence[Sequence[float]], text: str
) -> None:
    """A figure where it was taken: the places, the line between them, and what it comes to."""
    flat = project(points, orbit, max(int(rect.width()), 2), max(int(rect.height()), 2))
    spots = [QPointF(float(x) + rect.x(), float(y) + rect.y()) for x, y in flat if np.isfinite([x, y]).all()]
    if not spots:
        return
    painter.save()
    painter.setClipRect(rect)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(colour("ink"), 1.6))
    painter.setBrush(colour("card"))
    painter.drawPolyline(QPolygonF(spots))
    for spot in spots:
        painter.drawEllipse(spot, 3, 3)
    if text:
        painter.setFont(font(-0.5, 500))
        middle = spots[len(spots) // 2] if len(spots) == 3 else (spots[0] + spots[-1]) / 2
        box = QRectF(middle.x() + 8, middle.y() - 11, painter.fontMetrics().horizontalAdvance(text) + 14, 22)
        painter.setPen(colour("rule"))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.restore()


def say_problem(view: Shown, painter: QPainter) -> None:
    """Why there is no picture."""
    text = f"Pictures are not available: {view.problem}\nEverything else works."
    box = QRectF(view.rect()).adjusted(40, HEAD + 30, -40, -60)
    painter.setPen(colour("query_text"))
    painter.setFont(font(1, 500))
    painter.drawText(
        box, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap, text
    )


def beside(view: Shown, painter: QPainter, rect: QRectF) -> None:
    """The picture of another asset, framed, with its name."""
    picture = view.pictures.get("beside")
    if view.beside is None or picture is None:
        return
    painter.drawPixmap(rect.toRect(), picture[0])
    painter.setPen(QPen(colour("paper"), 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(rect)
    painter.setFont(font(-1, 600))
    high = painter.fontMetrics().height() + 4
    foot = QRectF(rect.left(), rect.bottom() - high, rect.width(), high)
    painter.fillRect(foot, colour("paper"))
    line = foot.adjusted(7, 0, -6, 0)
    name = painter.fontMetrics().elidedText(view.beside.title, Qt.TextElideMode.ElideRight, int(line.width()))
    painter.setPen(colour("ink"))
    painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
