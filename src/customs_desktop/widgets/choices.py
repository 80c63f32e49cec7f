"""Entries of a menu with columns: a title, what it takes, and what it expects below; for the pointer and for
the keyboard.
"""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QMenu, QWidget, QWidgetAction

from customs_desktop.style.theme import colour
from customs_desktop.widgets.basics import NameLabel, label

TITLE, WIDTH = 200, 510
"""Width of the first column, and of an entry (pixels)."""


class Choice(QWidgetAction):
    """One entry. Its text is its title, as for any action."""

    def __init__(self, menu: QMenu, title: str, ticket: str, about: str, chosen: bool) -> None:
        super().__init__(menu)
        self.setText(title)
        self.setToolTip(about)
        self.setCheckable(True)
        self.setChecked(chosen)
        self.row = _Row(self, menu, ticket, about, chosen)
        self.setDefaultWidget(self.row)
        menu.hovered.connect(lambda action: self.row.set_active(action is self))


class _Row(QWidget):
    def __init__(self, action: Choice, menu: QMenu, ticket: str, about: str, chosen: bool) -> None:
        super().__init__(menu)
        self.action, self.menu, self.active = action, menu, False
        self.setFixedWidth(WIDTH)
        self.setMouseTracking(True)
        self.setAccessibleName(f"{action.text()}, {ticket}. {about}")
        box = QGridLayout(self)
        box.setContentsMargins(10, 4, 12, 4)
        box.setHorizontalSpacing(8)
        box.setVerticalSpacing(0)
        tick = label("✓" if chosen else "", "", 0, 700)
        tick.setFixedWidth(14)
        box.addWidget(tick, 0, 0)
        box.addWidget(label(action.text(), "", 0, 600), 0, 1)
        box.addWidget(label(ticket, "soft", -0.5), 0, 2)
        below = NameLabel(-1, 400)
        below.setText(about)
        below.setProperty("role", "soft")
        box.addWidget(below, 1, 1, 1, 2)
        box.setColumnMinimumWidth(1, TITLE)
        box.setColumnStretch(2, 1)
        for child in self.findChildren(QWidget):
            child.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def set_active(self, active: bool) -> None:
        """Whether it is the one a key or the pointer is on."""
        if active != self.active:
            self.active = active
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """The pointer makes it the active one."""
        self.menu.setActiveAction(self.action)
        self.action.hover()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Chosen."""
        self.menu.close()
        self.action.trigger()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.active:
            painter = QPainter(self)
            painter.fillRect(self.rect(), colour("teal_soft"))
            painter.end()
