"""Fittings of a landed package: pictures in their frames, the plot, posts with what hangs there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from customs.changes.hanging import with_hanging
from customs.changes.posts import posts_of, stands
from customs.scene.model import Scene
from customs.scene.tree import world_matrices
from customs_desktop.office import Office
from customs_desktop.style.theme import colours
from customs_desktop.views.plan_grid import PlanGrid
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import empty, label

if TYPE_CHECKING:
    from customs.work.requests.land import Landed

WIDE = 252
"""Pixels a picture may be wide in the panel."""
LONG = 0.12
"""Length of the line that shows where a post points, of the size of the view."""


class LandedFittings(QWidget):
    """Not there where nothing landed has any."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__()
        self.session, self.twin = session, twin
        self.any, self.open = False, False
        self._of: Landed | None = None
        self.pictures = QVBoxLayout()
        self.pictures.setContentsMargins(0, 0, 0, 0)
        self.grid = PlanGrid(read_only=True)
        self.grid.setMinimumHeight(150)
        self.posts = label("", "soft", -0.5, wrap=True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(self.pictures)
        box.addWidget(self.grid)
        box.addWidget(self.posts)
        self.refresh()

    @property
    def scene(self) -> Scene | None:
        """The landed model of the selected asset."""
        return self.session.landed_scenes.get(self.session.current)

    def said(self) -> str:
        """Its state in words."""
        seen = self._of.seen if self._of is not None else None
        words = [name for name, _ in seen.pictures] if seen is not None else []
        words += ["plot"] if seen is not None and seen.plot is not None else []
        return ", ".join(words)

    def refresh(self) -> None:
        """What has landed of the selected asset; drawn anew only where that is another."""
        landed = self.session.landed_whole.get(self.session.current)
        if landed is not self._of:
            self._of = landed
            self._show(landed)
        self.over_view()

    def _show(self, landed: Landed | None) -> None:
        empty(self.pictures)
        seen = landed.seen if landed is not None else None
        for name, data in seen.pictures if seen is not None else ():
            pixmap = QPixmap()
            if not pixmap.loadFromData(data):
                continue
            size = f"{name} · {pixmap.width()} × {pixmap.height()}"
            small = pixmap.width() > WIDE
            shown = (
                pixmap.scaledToWidth(WIDE, Qt.TransformationMode.SmoothTransformation) if small else pixmap
            )
            frame = QLabel()
            frame.setPixmap(shown)
            frame.setAccessibleName(f"{name} as landed")
            frame.setStyleSheet(f"border: 1px solid {colours().rule}; background: {colours().card};")
            frame.setFixedSize(shown.width() + 2, shown.height() + 2)
            self.pictures.addWidget(frame)
            self.pictures.addWidget(label(size + (", shown smaller" if small else ""), "soft", -0.5))
        plot = seen.plot if seen is not None else None
        self.grid.setVisible(plot is not None)
        if plot is not None:
            self.grid.show_plot(plot[1], plot[0], tuple(self.session.sheet.plot.areas))
        posts = posts_of(self.scene) if self.scene is not None else []
        self.posts.setText(
            "; ".join(p.name + (f" holds {p.attached}" if p.attached else "") for _, p in posts)
        )
        self.posts.setVisible(bool(posts))
        self.any = bool((seen is not None and seen.pictures) or plot is not None or posts)

    def over_view(self) -> None:
        """Posts as lines, what hangs there in place, while the desk is open."""
        scene = self.scene
        if not self.open or not self.twin.landing:
            return
        posts = posts_of(scene) if scene is not None else []
        orbit = self.twin.orbits().get("right")
        reach = LONG * (orbit.distance if orbit is not None else 1.0)
        lines = []
        for n, post in posts:
            at, way = stands(post, world_matrices(scene)[n]) if scene is not None else ((), ())
            lines.append(((tuple(at), tuple(a + b * reach for a, b in zip(at, way))), post.name))
        self.twin.lines = lines
        seen = with_hanging(scene) if scene is not None else None
        self.twin.show_drawn({"right": seen} if seen is not None and seen is not scene else {})
        self.twin.update()

    def set_open(self, on: bool) -> None:
        """Lines and hanging things belong to the open desk."""
        self.open = on
        if on:
            self.over_view()
        else:
            self.twin.lines = []
            self.twin.show_drawn({})
