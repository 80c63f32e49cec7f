"""The bar over the twin view: modes and what is shown."""

from __future__ import annotations

from typing import cast

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QPainter, QPaintEvent
from PyQt6.QtWidgets import QBoxLayout, QButtonGroup, QHBoxLayout, QMenu, QPushButton, QToolButton, QWidget

from customs.picture.look import Shading
from customs_desktop.style.theme import colour, font
from customs_desktop.views.twin import Mode, TwinView
from customs_desktop.widgets.basics import tool

MODES = (("twin", "Twin"), ("wipe", "Wipe"), ("ghost", "Ghost"))
SHADINGS = (("surface", "Surface"), ("plain", "Plain"), ("sides", "Faces by side"), ("checker", "UV checker"),
            ("density", "Texel density"))  # fmt: skip


class ViewBar(QWidget):
    """A pill that floats over the view's lower edge."""

    def __init__(self, view: TwinView) -> None:
        super().__init__(view)
        self.view = view
        self._box = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._box.setContentsMargins(5, 4, 8, 4)
        self._box.setSpacing(3)
        box, tools = QHBoxLayout(), QHBoxLayout()
        for line in (box, tools):
            line.setSpacing(3)
            self._box.addLayout(line)
        group = QButtonGroup(self)
        self.modes: dict[str, QPushButton] = {}
        for id_, name in MODES:
            made = QPushButton(name)
            made.setCheckable(True)
            made.setFont(font(0, 600))
            made.setObjectName("mode")
            made.clicked.connect(lambda _=False, i=id_: view.set_mode(cast(Mode, i)))
            group.addButton(made)
            self.modes[id_] = made
            box.addWidget(made)
        self.modes["twin"].setChecked(True)
        view.mode_changed.connect(lambda m: self.modes[m].setChecked(True))
        view.room_changed.connect(self.place)
        self.shading = tool("layers", "What is shown", self._menu)
        self.shading.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.wire = tool("spline", "Wire", lambda: view.set_look(wire=self.wire.isChecked()), True)
        self.grid = tool("grid-3x3", "Ground grid", lambda: view.set_look(grid=self.grid.isChecked()), True)
        self.ruler = tool(
            "ruler", "Dimensions", lambda: view.set_look(dimensions=self.ruler.isChecked()), True
        )
        self.figure = tool(
            "person-standing",
            "Standing figure, 1.80 m",
            lambda: view.set_figure(self.figure.isChecked()),
            True,
        )
        for button, on in ((self.grid, True), (self.ruler, True), (self.figure, True)):
            button.setChecked(on)
        for button in (self.shading, self.wire, self.grid, self.ruler, self.figure):
            tools.addWidget(button)
        self.setAttribute(Qt.WidgetAttribute.WA_NoMousePropagation)
        # The view changes its size for many reasons: a line at the foot, a dragged edge, another deck.
        view.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """In its place whenever the view has another size."""
        if event is not None and event.type() == QEvent.Type.Resize:
            self.place()
        return False

    def _menu(self) -> None:
        menu = QMenu(self)
        for id_, name in SHADINGS:
            action = QAction(name, menu)
            action.setCheckable(True)
            action.setChecked(self.view.look.shading == id_)
            action.triggered.connect(lambda _=False, i=id_: self.view.set_look(shading=cast(Shading, i)))
            menu.addAction(action)
        menu.exec(self.shading.mapToGlobal(self.shading.rect().bottomLeft()))

    def place(self) -> None:
        """Centre over the lower edge of the view, in two lines where one is too long for it."""
        for id_ in self.modes:
            self.modes[id_].setVisible(not self.view.landing)
        free = self.view.width() - self.view.kept_free
        for way in (QBoxLayout.Direction.LeftToRight, QBoxLayout.Direction.TopToBottom):
            self._box.setDirection(way)
            if self._box.sizeHint().width() <= free - 8:
                break
        self.resize(self._box.sizeHint())
        self.move(max((free - self.width()) // 2, 4), self.view.height() - self.height() - 10)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(colour("rule"))
        painter.setBrush(colour("card"))
        half = min(self.height() / 2, 24) - 1
        painter.drawRoundedRect(self.rect().adjusted(0, 0, -1, -1), half, half)
        painter.end()
