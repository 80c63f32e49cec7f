"""The right-hand panel of a desk: a heading and sections that fold."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QApplication, QFrame, QScrollArea, QVBoxLayout, QWidget

from customs.ledger.row import RANK
from customs_desktop.widgets.basics import label, row
from customs_desktop.widgets.fold import Fold, chosen_open

SPACE = 4


class Panel(QScrollArea):
    """Sections with open rows come first and are open; nothing is open that does not fit, but for what a
    person asks for.
    """

    def __init__(self, title: str, about: str) -> None:
        super().__init__()
        self.setAccessibleName(f"Desk {title}")
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        inner = QWidget()
        self.box = QVBoxLayout(inner)
        self.box.setContentsMargins(14, 10, 14, 8)
        self.box.setSpacing(SPACE)
        self.box.addWidget(row(label(title, "title", 4, 700), label(about, "soft"), 1, spacing=8))
        self.setWidget(inner)
        self.folds: list[Fold] = []
        self._recent: list[Fold] = []
        self._first = 0
        self._arranged: tuple[object, ...] = (None,)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(0)
        self._soon.timeout.connect(self.arrange)

    def section(self, title: str, state: Callable[[], str], rules: Sequence[str] = ()) -> Fold:
        """A section from here on: what is added after it is in it."""
        if not self.folds:
            self._first = self.box.count()
        fold = Fold(title, state, rules)
        fold.pressed.connect(self._pressed)
        self.folds.append(fold)
        self.box.addWidget(fold)
        return fold

    def add(self, widget: QWidget) -> QWidget:
        """Put a widget below the others, in the section that was begun last."""
        (self.folds[-1].box if self.folds else self.box).addWidget(widget)
        return widget

    def needed_width(self) -> int:
        """Pixels that show everything in it from side to side, the scroll bar beside it."""
        inner, bar = self.widget(), self.verticalScrollBar()
        assert inner is not None and bar is not None
        margins = self.box.contentsMargins()
        folded = max((f.needed_width() for f in self.folds), default=0) + margins.left() + margins.right()
        return max(inner.minimumSizeHint().width(), folded) + bar.sizeHint().width()

    def finish(self, *signals: Any) -> None:
        """Push everything to the top; sections are arranged anew after any of `signals`."""
        self.box.addStretch(1)
        for signal in signals:
            signal.connect(self.arrange_soon)
        self.arrange_soon()

    # -- sections

    def open_rows(self) -> Mapping[str, str]:
        """The worst open verdict of each requirement that has an open row."""
        return {}

    def subject(self) -> object:
        """What the sections are about: for another one they are put in order anew."""
        return None

    def arrange_soon(self, *_: object) -> None:
        """Arrange the sections once what happens now is over."""
        self._soon.start()

    def arrange(self) -> None:
        """Marks and states as they are; order and folds anew for another subject or another size."""
        if not self.folds or not self.isVisible():
            return
        marks = self._marks()
        about = (self.subject(), [f.isHidden() for f in self.folds])
        size = self.viewport_size()
        rooms = [f.room(self._width()) for f in self.folds]
        before, self._arranged = self._arranged, (about, size, rooms)
        if about != before[0]:
            self._order(marks)
        if self._arranged != before:
            self._fold(marks)
        self._say(marks)

    def _width(self) -> int:
        margins = self.box.contentsMargins()
        return self.viewport_size()[0] - margins.left() - margins.right()

    def viewport_size(self) -> tuple[int, int]:
        """Width and height in which sections are shown."""
        size = self.maximumViewportSize()
        return size.width(), size.height()

    def _say(self, marks: Mapping[Fold, str]) -> None:
        for fold in self.folds:
            fold.head.say(fold.state(), marks.get(fold, ""), fold.open)

    def _marks(self) -> dict[Fold, str]:
        rows = self.open_rows()
        found = {f: [rows[r] for r in f.rules if r in rows] for f in self.folds if not f.isHidden()}
        return {f: max(v, key=lambda verdict: RANK[verdict]) for f, v in found.items() if v}

    def _order(self, marks: Mapping[Fold, str]) -> None:
        wanted = sorted(self.folds, key=lambda f: -RANK.get(marks.get(f, ""), 0))
        here = [self.box.itemAt(self._first + k).widget() for k in range(len(self.folds))]  # type: ignore[union-attr]
        if wanted == here:
            return
        for k, fold in enumerate(wanted):
            self.box.removeWidget(fold)
            self.box.insertWidget(self._first + k, fold)

    def _fold(self, marks: Mapping[Fold, str]) -> None:
        shown = [f for f in self.folds if not f.isHidden()]
        marked = sorted((f for f in shown if f in marks), key=lambda f: -RANK[marks[f]])
        busy = [f for f in shown if f.open and f.isAncestorOf(QApplication.focusWidget() or self)]
        recent = [f for f in [*busy, *self._recent] if f in shown]
        width, height = self._width(), self.viewport_size()[1]
        open_ = chosen_open(shown, marked, recent, height - self._lines(shown, width), width)
        for fold in shown:
            fold.set_open(fold in open_)

    def _lines(self, shown: Sequence[Fold], width: int) -> int:
        """Pixels of everything that is there in any case."""
        margins, tall = self.box.contentsMargins(), 0
        for k in range(self.box.count()):
            widget = self.box.itemAt(k).widget()  # type: ignore[union-attr]
            if widget is not None and not widget.isHidden() and not isinstance(widget, Fold):
                own = widget.heightForWidth(width) if widget.hasHeightForWidth() else -1
                tall += max(own, widget.sizeHint().height()) + SPACE
        tall += sum(f.head.sizeHint().height() + SPACE for f in shown)
        return tall + margins.top() + margins.bottom()

    def _pressed(self, fold: Fold) -> None:
        """A person folds or unfolds: what was opened last stays open, others give way where there is no
        room.
        """
        fold.wanted = not fold.open
        self._recent = [f for f in self._recent if f is not fold]
        if fold.wanted:
            self._recent.insert(0, fold)
        marks = self._marks()
        self._fold(marks)
        self._say(marks)

    def unfold(self, title: str) -> None:
        """Open the section of that name as a person would."""
        fold = next(f for f in self.folds if f.title == title)
        if not fold.open:
            self._pressed(fold)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self.arrange_soon()
