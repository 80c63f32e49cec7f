"""Small builders for labels, buttons, sections and number fields."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtCore import QMargins, QPoint, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QFont, QFontMetrics, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLayoutItem,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from customs_desktop.style.theme import font, span, wear


def label(text: str, role: str = "", size: float = 0.0, weight: int = 400, wrap: bool = False) -> QLabel:
    """A label; `role` is one of the style sheet's."""
    out = QLabel(text)
    if role:
        out.setProperty("role", role)
    out.setFont(font(size, weight))
    out.setWordWrap(wrap)
    out.setTextInteractionFlags(
        Qt.TextInteractionFlag.TextSelectableByMouse if wrap else Qt.TextInteractionFlag.NoTextInteraction
    )
    return out


class NameLabel(QLabel):
    """Text of any length: it takes the room there is, ends in … where that is too little (is not there at all, where only the `whole` of it says
    anything), and is whole in its tip.
    """

    def __init__(self, size: float = 0.0, weight: int = 600, role: str = "", whole: bool = False) -> None:
        super().__init__()
        self._whole = whole
        if role:
            self.setProperty("role", role)
        self.setFont(font(size, weight))
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The text, shortened from the right."""
        self.setToolTip(self.text())
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        if self._whole and shown != self.text():
            return
        painter.drawText(self.rect(), self.alignment() | Qt.AlignmentFlag.AlignVCenter, shown)


def button(
    text: str, action: Callable[[], object], kind: str = "", icon_name: str = "", tip: str = ""
) -> QPushButton:
    """A push button."""
    out = Chip(text) if kind == "chip" else QPushButton(text)
    if kind:
        out.setProperty("kind", kind)
    if icon_name:
        wear(out, icon_name, "on_teal" if kind == "main" else "ink")
    out.setToolTip(tip)
    out.setAutoDefault(False)
    out.clicked.connect(lambda _=False: action())
    return out


def tool(icon_name: str, tip: str, action: Callable[[], object], checkable: bool = False) -> QToolButton:
    """An icon button with a tip that is also its accessible name."""
    out = QToolButton()
    wear(out, icon_name)
    out.setIconSize(QSize(17, 17))
    out.setToolTip(tip)
    out.setAccessibleName(tip)
    out.setCheckable(checkable)
    out.clicked.connect(lambda _=False: action())
    return out


def row(*widgets: QWidget | str | int, spacing: int = 6) -> QWidget:
    """Widgets side by side; a number is a stretch, a text a soft label."""
    out = QWidget()
    box = QHBoxLayout(out)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(spacing)
    for item in widgets:
        if isinstance(item, int):
            box.addStretch(item)
        else:
            box.addWidget(label(item, "soft") if isinstance(item, str) else item)
    return out


def lines_of(*widgets: QWidget | int, grows: bool = False) -> QWidget:
    """Widgets side by side, in as many lines as they need; after a number they stand at the right end of their line.
    Where one `grows` those that can share the room that is left in their line.
    """
    out = QWidget()
    flow = Flow(out)
    flow.grows = grows
    for item in widgets:
        if isinstance(item, int):
            flow.apart = flow.count()
        else:
            flow.addWidget(item)
    return out


def page_of(page: QWidget, *parts: QWidget, grows: int = 1) -> None:
    """A page of the deck: parts one below the other without gaps; the one numbered `grows` takes the room that is left."""
    box = QVBoxLayout(page)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(0)
    for k, part in enumerate(parts):
        box.addWidget(part, int(k == grows))


def empty(box: QLayout) -> None:
    """Take everything out of a layout and let it go.

    Hidden, not made an orphan: a layout's wish to show what it was just given is still on its way, and would
    open an orphan as a window of its own.
    """
    while box.count():
        item = box.takeAt(0)
        widget = item.widget() if item else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()


class NumberField(QLineEdit):
    """A number a person can type; wrong input is shown and not passed on. Emits `entered` once it is
    right.
    """

    entered = pyqtSignal(float)

    def __init__(self, least: float = -1e12, most: float = 1e12, decimals: int = 4, name: str = "") -> None:
        super().__init__()
        self.least, self.most, self.decimals = least, most, decimals
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(span(92, 0.5))
        self.setAccessibleName(name)
        self.setFont(font())
        self.editingFinished.connect(self._finish)
        self._shown = ""

    def show_value(self, value: float) -> None:
        """Show a value without telling anyone."""
        text = f"{value:.{self.decimals}f}" if 1e-3 <= abs(value) < 1e6 or value == 0 else f"{value:.5g}"
        self._shown = text
        self.setText(text)
        self._wrong(False)

    def value(self) -> float | None:
        """The number typed, or None when it is none or out of bounds."""
        try:
            number = float(self.text().replace(",", ".").replace("−", "-").strip())
        except ValueError:
            return None
        return number if self.least <= number <= self.most else None

    def _finish(self) -> None:
        if self.text() == self._shown:
            return
        number = self.value()
        self._wrong(number is None)
        if number is not None:
            self._shown = self.text()
            self.entered.emit(number)

    def _wrong(self, wrong: bool) -> None:
        self.setProperty("wrong", wrong)
        self.setToolTip(f"A number from {self.least:g} to {self.most:g}" if wrong else "")
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)


class Chip(QPushButton):
    """One that can be chosen; as wide as its text in the heavier letters it then has."""

    def sizeHint(self) -> QSize:
        hint, heavy = super().sizeHint(), QFont(self.font())
        heavy.setWeight(QFont.Weight(600))
        widths = [m.horizontalAdvance(self.text()) for m in (self.fontMetrics(), QFontMetrics(heavy))]
        return hint.grownBy(QMargins(0, 0, max(widths[1] - widths[0], 0) if self.isCheckable() else 0, 0))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()


class Chips(QWidget):
    """Chips of which one is chosen, in as many lines as they need, or in one where they lie `across`. Emits `chosen`
    with its id.
    """

    chosen = pyqtSignal(str)

    def __init__(self, options: Iterable[tuple[str, str]], across: bool = False, kind: str = "chip") -> None:
        super().__init__()
        flow: QLayout = QHBoxLayout(self) if across else Flow(self)
        flow.setContentsMargins(0, 0, 0, 0)
        self.group = QButtonGroup(self)
        self.group.setExclusive(True)
        self.buttons: dict[str, QPushButton] = {}
        for id_, text in options:
            chip = Chip(text)
            chip.setProperty("kind", kind)
            chip.setCheckable(True)
            chip.setFont(font(-0.5))
            chip.clicked.connect(lambda _=False, i=id_: self.chosen.emit(i))
            self.group.addButton(chip)
            self.buttons[id_] = chip
            flow.addWidget(chip)

    def show_chosen(self, id_: str) -> None:
        """Mark one as chosen without telling anyone."""
        if id_ in self.buttons:
            self.buttons[id_].setChecked(True)

    def current(self) -> str:
        """The one that is chosen, "" for none."""
        return next((id_ for id_, chip in self.buttons.items() if chip.isChecked()), "")


class Flow(QLayout):
    """Lays widgets out in lines; from the one numbered `apart` on they stand at the right end of theirs."""

    def __init__(self, parent: QWidget, gap: int = 6) -> None:
        super().__init__(parent)
        self.items: list[QLayoutItem] = []
        self.gap, self.apart, self.grows = gap, -1, False
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self.items.append(item)

    def count(self) -> int:
        return len(self.items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self.items[index] if 0 <= index < len(self.items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self.items.pop(index) if 0 <= index < len(self.items) else None

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._place(QRect(0, 0, width, 0), False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._place(rect, True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self.items:
            size = size.expandedTo(item.minimumSize())
        return size.grownBy(self.contentsMargins())

    def _place(self, rect: QRect, move: bool) -> int:
        room = rect.marginsRemoved(self.contentsMargins())
        y = room.y()
        for line in self._lines(room.width()):
            x, tall = room.x(), max(size.height() for _, size in line)
            free = room.width() - sum(size.width() + self.gap for _, size in line) + self.gap
            wide = [number for number, _ in line if self._grows(self.items[number])]
            for number, size in line:
                if number in wide:
                    size.setWidth(size.width() + max(free, 0) // len(wide))
                x += max(free, 0) if number == self.apart else 0
                if move:
                    low = (tall - size.height()) // 2
                    self.items[number].setGeometry(QRect(QPoint(x, y + low), size))
                x += size.width() + self.gap
            y += tall + self.gap
        margins = self.contentsMargins()
        return y - self.gap * bool(self.items) + margins.bottom() - rect.y()

    def _grows(self, item: QLayoutItem) -> bool:
        return self.grows and bool(item.expandingDirections() & Qt.Orientation.Horizontal)

    def _lines(self, width: int) -> list[list[tuple[int, QSize]]]:
        """Numbers and sizes of the items of each line."""
        out: list[list[tuple[int, QSize]]] = []
        x = 0
        for number, item in enumerate(self.items):
            size = item.sizeHint()
            size.setWidth(min(size.width(), max(width, 1)))
            if self._grows(item):
                size.setWidth(item.minimumSize().width())
            if not out or x + size.width() > width:
                out.append([])
                x = 0
            out[-1].append((number, size))
            x += size.width() + self.gap
        return out


def combo(options: Iterable[tuple[str, str]], name: str, chosen: Callable[[str], object]) -> QComboBox:
    """A drop-down of (id, text); `chosen` gets the id when a person picks."""
    out = QComboBox()
    out.setAccessibleName(name)
    out.setFont(font())
    for id_, text in options:
        out.addItem(text, id_)
    out.activated.connect(lambda i: chosen(str(out.itemData(i))))
    out.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    out.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    return out


def fill_combo(box: QComboBox, options: list[tuple[str, str]]) -> None:
    """Other options for a combo, without telling anyone."""
    if [(box.itemData(i), box.itemText(i)) for i in range(box.count())] == options:
        return
    box.blockSignals(True)
    box.clear()
    for id_, text in options:
        box.addItem(text, id_)
    box.blockSignals(False)


def show_choice(box: QComboBox, id_: str) -> None:
    """Show the entry with that id without telling anyone."""
    at = box.findData(id_)
    if at >= 0:
        box.setCurrentIndex(at)


def search_field(name: str, hint: str, changed: Callable[[str], object], width: int = 0) -> QLineEdit:
    """A search line with its glass."""
    out = QLineEdit()
    out.setPlaceholderText(hint)
    out.setAccessibleName(name)
    glass = QAction(out)
    wear(glass, "search", "soft")
    out.addAction(glass, QLineEdit.ActionPosition.LeadingPosition)
    out.textChanged.connect(changed)
    if width:
        out.setFixedWidth(width)
    return out
