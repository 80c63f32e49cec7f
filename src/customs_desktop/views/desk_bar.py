"""The desks, in the order of the work."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from customs_desktop.style.theme import colour, colours, font, pixmap, span


class DeskButton(QAbstractButton):
    """An icon over its word; a teal edge marks the open one."""

    def __init__(self, name: str, icon_name: str) -> None:
        super().__init__()
        self.setText(name)
        self.icon_name = icon_name
        self.setCheckable(True)
        self.setFixedSize(span(74, 0.85), span(60, 0.5))
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        return QSize(span(74, 0.85), span(60, 0.5))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        on = self.isChecked()
        if on:
            painter.fillRect(self.rect(), colour("paper"))
            painter.fillRect(0, 0, 4, self.height(), colour("teal"))
        elif self.underMouse():
            painter.fillRect(self.rect(), colour("rule"))
        tone = colours().teal if on else colours().ink
        painter.drawPixmap(
            (self.width() - 22) // 2, 9, pixmap(self.icon_name, tone, 22, self.devicePixelRatioF())
        )
        painter.setPen(colour("teal" if on else "ink"))
        painter.setFont(font(0, 600 if on else 400))
        painter.drawText(
            QRectF(0, span(34, 0.5), self.width(), span(22, 0.5)), Qt.AlignmentFlag.AlignCenter, self.text()
        )
        if self.hasFocus():
            painter.setPen(colour("teal"))
            painter.drawRect(self.rect().adjusted(2, 2, -3, -3))
        painter.end()


class DeskBar(QWidget):
    """A button for each of `desks` (id, name, icon). Emits `chosen` with the desk's id."""

    chosen = pyqtSignal(str)

    def __init__(self, desks: Sequence[tuple[str, str, str]]) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 10, 0, 10)
        box.setSpacing(2)
        self.group = QButtonGroup(self)
        self.buttons: dict[str, DeskButton] = {}
        for id_, name, icon_name in desks:
            made = DeskButton(name, icon_name)
            made.clicked.connect(lambda _=False, i=id_: self.chosen.emit(i))
            self.group.addButton(made)
            self.buttons[id_] = made
            box.addWidget(made)
        box.addStretch(1)
        self.setFixedWidth(span(74, 0.85))

    def show_desk(self, id_: str) -> None:
        """Mark a desk as open."""
        self.buttons[id_].setChecked(True)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("desk"))
        painter.end()
