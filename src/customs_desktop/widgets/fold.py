"""Sections of a panel that fold: one line with a name and its state in words, or that and what is in it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.marks import draw_mark

HEAD, GAP = 27, 5


class FoldHead(QAbstractButton):
    """The line of a section. Pressed, or by the space bar, it folds and unfolds."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title, self.state, self.mark, self.open = title, "", "", False
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(title.capitalize())

    def sizeHint(self) -> QSize:
        return QSize(120, span(HEAD))

    def say(self, state: str, mark: str, open_: bool) -> None:
        """Show its state in words (while it is folded) and the mark of its worst open row."""
        if (state, mark, open_) == (self.state, self.mark, self.open):
            return
        self.state, self.mark, self.open = state, mark, open_
        told = "" if open_ else state
        self.setAccessibleName(
            ", ".join(filter(None, (self.title.capitalize(), told, mark, "" if open_ else "folded")))
        )
        self.setToolTip(told)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = (self.height() - 3) / 2
        painter.setPen(QPen(colour("teal" if self.hasFocus() or self.underMouse() else "soft"), 1.6))
        x, d = 4.0, 3.4
        points = (
            [QPointF(x, middle - d / 2), QPointF(x + d, middle + d / 2), QPointF(x + 2 * d, middle - d / 2)]
            if self.open
            else [QPointF(x + 1, middle - d), QPointF(x + 1 + d, middle), QPointF(x + 1, middle + d)]
        )
        painter.drawPolyline(points)
        painter.setFont(font(-0.5, 600))
        painter.setPen(colour("soft"))
        at = 17.0
        box = QRectF(at, 0, self.width() - at, self.height() - 3)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, self.title)
        at += painter.fontMetrics().horizontalAdvance(self.title) + 9
        if self.mark:
            draw_mark(painter, self.mark, QRectF(at, middle - 7, 14, 14))
            at += 20
        if not self.open and self.state:
            painter.setFont(font(-0.5))
            painter.setPen(colour("ink"))
            room = QRectF(at, 0, self.width() - at - 2, self.height() - 3)
            text = painter.fontMetrics().elidedText(
                self.state, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)
        painter.setPen(QPen(colour("teal" if self.hasFocus() else "rule"), 1))
        painter.drawLine(QPointF(0, self.height() - 1.5), QPointF(self.width(), self.height() - 1.5))
        painter.end()


class Fold(QWidget):
    """A section: `state` gives its state in words, `rules` are the requirements whose matter it is. Emits
    `pressed` when a person folds or unfolds it.
    """

    pressed = pyqtSignal(object)

    def __init__(self, title: str, state: Callable[[], str], rules: Sequence[str] = ()) -> None:
        super().__init__()
        self.title, self.state, self.rules = title, state, frozenset(rules)
        self.wanted: bool | None = None
        """What a person said of it: open, folded, or nothing yet."""
        self.head, self.body = FoldHead(title), QWidget()
        self.head.clicked.connect(lambda: self.pressed.emit(self))
        self.box = QVBoxLayout(self.body)
        self.box.setContentsMargins(0, 0, 0, 4)
        self.box.setSpacing(6)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(GAP)
        whole.addWidget(self.head)
        whole.addWidget(self.body)

    @property
    def open(self) -> bool:
        """True while what is in it is shown."""
        return not self.body.isHidden()

    def set_open(self, on: bool) -> None:
        """Fold or unfold."""
        self.body.setVisible(on)

    def room(self, width: int) -> int:
        """Pixels its body takes at that width, beside its line."""
        tall = self.box.totalHeightForWidth(width) if self.box.hasHeightForWidth() else -1
        return GAP + (tall if tall >= 0 else self.body.sizeHint().height())

    def needed_width(self) -> int:
        """Pixels that show all of it from side to side, folded or not."""
        return self.body.minimumSizeHint().width()


def chosen_open(
    folds: Sequence[Fold], marked: Sequence[Fold], recent: Sequence[Fold], room: int, width: int
) -> list[Fold]:
    """Which of `folds` are open in `room` pixels beside their lines: those a person opened (`recent`, the
    last first), those with open rows (`marked`), then the first one, then, where no row is open, the rest:
    each while there is room, the first of them in any case. One a person folded stays folded.
    """
    wishes = [*recent, *marked, *folds[:1], *(() if marked else folds)]
    out: list[Fold] = []
    for fold in dict.fromkeys(wishes):
        need = fold.room(width)
        if fold.wanted is False or (out and need > room):
            continue
        out.append(fold)
        room -= need
    return out
