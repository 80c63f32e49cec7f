"""The page Heap of the deck: what lies before a person, to look through and to choose from."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import QEvent, QModelIndex, QObject, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QTreeView,
    QVBoxLayout,
    QWidget,
)

from customs.intake.browse import Browsed
from customs.intake.heap import Entry
from customs.intake.kinds import GROUPS
from customs.words import byte_text, many
from customs_desktop.desks.intake.heap_model import HOLDS, NAME, SIZE, HeapModel
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import (
    Chips,
    button,
    combo,
    label,
    row,
    search_field,
    show_choice,
    tool,
)
from customs_desktop.widgets.tables import LastColumn, dressed

WIDTHS = (236, 128, 74, 158)
MOST_OPENED = 200
"""Rows up to which folders are opened by themselves."""
SEARCH_MS, WIDE, WIDER = 150, 640, 900
"""Milliseconds after the last key; pixels from which the chips say their counts, and the duplicates are told."""
BESIDE = 150
"""Pixels of the search and the buttons beside the kinds."""
GROUP_NAMES = (
    ("", "all"),
    ("model", "models"),
    ("texture", "textures"),
    ("clips", "clips"),
    ("other", "other"),
)
CHOOSING = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)
LETTERS = ("M", "T", "C", "O")
TONES = ("bar_model", "bar_texture", "bar_clips", "bar_other")


class Bars(QStyledItemDelegate):
    """A folder's or archive's share of the whole, split by kind: told apart by letter as well as by tone."""

    def __init__(self, model: HeapModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        super().paint(painter, option, index)
        browsed, node = self._model.browsed, self._model.node(index)
        if painter is None or self._model.flat or node < 0 or browsed.group[node] >= 0:
            return
        top = max(int(browsed.size[browsed.parent < 0].max(initial=0)), 1)
        held = browsed.held[node]
        room = QRectF(option.rect).adjusted(
            2, option.rect.height() / 2 - 6, -14, -(option.rect.height() / 2 - 6)
        )
        scale = room.width() / top
        x = room.x()
        painter.save()
        painter.setFont(font(-2.5, 700))
        for size, letter, tone in zip(held.tolist(), LETTERS, TONES):
            if not size:
                continue
            width = max(size * scale, 2.0)
            part = QRectF(x, room.y(), width, room.height())
            painter.fillRect(part, colour(tone))
            if width > 16:
                painter.setPen(colour("ink"))
                painter.drawText(part, Qt.AlignmentFlag.AlignCenter, letter)
            x += width + 1
        painter.restore()


class HeapPage(QWidget):
    """Emits `picked` with the entry under the cursor (or None), `asked` where a person chooses it or lets it go,
    `unlock` with a place and a password, `fold` where exact duplicates are to be folded away or shown.
    """

    picked = pyqtSignal(object)
    asked = pyqtSignal(object)
    unlock = pyqtSignal(str, str)
    fold = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.model = HeapModel()
        # A tree would lay out each of its rows for one table, and there may be hundreds of thousands.
        self.view, self.table = QTreeView(), dressed(QTableView(), "Heap as one table")
        for view in (self.view, self.table):
            view.installEventFilter(self)
            view.doubleClicked.connect(lambda _: self._ask())
        self._dress()
        self.search = search_field("Search the heap", "name, kind, > 5 MB", self._search_soon)
        self.chips = Chips(GROUP_NAMES, across=True)
        self.kinds = combo(GROUP_NAMES, "Kinds of files", self._group)
        self.kinds.setMinimumWidth(span(96))
        self.kinds.hide()
        self._whole = self.chips.sizeHint().width()
        self.chips.setMinimumWidth(self._whole)
        self.search.setMinimumWidth(span(40))
        self.search.setMaximumWidth(span(160))
        self.chips.show_chosen("")
        self.chips.chosen.connect(self._group)
        self.flat = tool("grid-3x3", "As one table, the largest first", self._turn, checkable=True)
        self.twins = tool(
            "layers", "Fold exact duplicates away", lambda: self.fold.emit(self.twins.isChecked()), True
        )
        self.folded_about = label("", "soft", -0.5)
        self.folded_about.hide()
        self.password = QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setPlaceholderText("password")
        self.password.setAccessibleName("Password of this archive")
        self.password.returnPressed.connect(self._unlock)
        self.lock_about = label("", "held")
        self.lock = row(self.lock_about, self.password, button("Open", self._unlock), 1)
        self.lock.layout().setContentsMargins(12, 2, 12, 2)  # type: ignore[union-attr]
        self.lock.hide()
        head = row(self.search, self.chips, self.kinds, 1, self.folded_about, self.twins, self.flat)
        head.layout().setContentsMargins(12, 4, 12, 2)  # type: ignore[union-attr]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(head)
        box.addWidget(self.lock)
        box.addWidget(self.view, 1)
        box.addWidget(self.table, 1)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SEARCH_MS)
        self._soon.timeout.connect(self._refresh)

    def _dress(self) -> None:
        view = self.view
        view.setModel(self.model)
        view.setAccessibleName("Heap")
        view.setAlternatingRowColors(True)
        view.setUniformRowHeights(True)
        view.setIndentation(span(16))
        view.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        view.setExpandsOnDoubleClick(False)
        view.setItemDelegateForColumn(HOLDS, Bars(self.model, view))
        head = view.header()
        assert head is not None
        LastColumn(head)
        head.setFont(font(-0.5, 600))
        head.setSectionsClickable(True)
        head.setSortIndicatorShown(False)
        for column, width in enumerate(WIDTHS):
            view.setColumnWidth(column, span(width))
        head.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Interactive)
        self._down = True
        head.sectionClicked.connect(self._sort)
        table = self.table
        table.setModel(self.model)
        table.setSelectionModel(view.selectionModel())
        across = table.horizontalHeader()
        assert across is not None
        across.setSectionsClickable(True)
        across.sectionClicked.connect(self._sort)
        for column, width in enumerate(WIDTHS):
            table.setColumnWidth(column, span(width))
        table.hide()
        selection = view.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda now, _: self._current(now))

    # -- what is shown

    def show_heap(self, browsed: Browsed, fresh: bool, shown: bool) -> None:
        """Take over a listing; a `fresh` one is opened as far as it tells something, and where it is to be `shown` the
        cursor goes to its first model.
        """
        was = self.current_place()
        self.model.show_heap(browsed)
        self._say_counts()
        if fresh and not self.model.flat:
            self._open_few()
        first = (e.place for e in browsed.entries if e is not None and e.takeable)
        self.go_to(was or (next(first, "") if shown else ""))

    def _say_counts(self) -> None:
        counts, wide = self.model.browsed.counts(), self.width() >= span(WIDE)
        for group, name in GROUP_NAMES:
            count = counts[group] if group else sum(counts.values())
            self.chips.buttons[group].setText(f"{name} {count:,}" if wide and count else name)
        self.folded_about.setVisible(self.width() >= span(WIDER) and self.twins.isChecked())

    def resizeEvent(self, event: object) -> None:
        # Where their names do not fit side by side they are chosen from a list.
        narrow = self.width() < self._whole + span(BESIDE)
        self.chips.setVisible(not narrow)
        self.kinds.setVisible(narrow)
        self._say_counts()

    def _open_few(self) -> None:
        """Levels are opened while they stay short."""
        level, rows = [QModelIndex()], 0
        while level:
            rows += sum(self.model.rowCount(up) for up in level)
            if rows > MOST_OPENED:
                return
            below = [self.model.index(r, 0, up) for up in level for r in range(self.model.rowCount(up))]
            for up in level:
                self.view.setExpanded(up, True)
            level = [i for i in below if self.model.hasChildren(i)]

    def go_to(self, place: str) -> None:
        """Make a place the current one, opened up to it."""
        node = self.model.browsed.at.get(place, -1)
        index = self.model.index_of(node) if node >= 0 else QModelIndex()
        view = self.table if self.model.flat else self.view
        if index.isValid():
            view.setCurrentIndex(index)
            view.scrollTo(index)

    def step(self, by: int, group: str) -> None:
        """To the next or previous file of a group that is shown."""
        b, model = self.model.browsed, self.model
        wanted = b.matching(model.text, model.group or group) & (b.group == GROUPS.index(group)) & b.whole
        nodes = [k for k in (model.order() if model.flat else np.flatnonzero(wanted).tolist()) if wanted[k]]
        if nodes:
            now = b.at.get(self.current_place(), -1)
            # Where the cursor is on something else, on from there.
            here = nodes.index(now) if now in nodes else sum(k < now for k in nodes) - (1 if by > 0 else 0)
            self.go_to(b.places[nodes[(here + by) % len(nodes)]])

    def _cursor(self) -> QModelIndex:
        selection = self.view.selectionModel()
        return selection.currentIndex() if selection is not None else QModelIndex()

    def current(self) -> Entry | None:
        """The entry under the cursor."""
        node = self.model.node(self._cursor())
        return self.model.browsed.entries[node] if 0 <= node < len(self.model.browsed.entries) else None

    def current_place(self) -> str:
        """The place under the cursor."""
        node = self.model.node(self._cursor())
        return self.model.browsed.places[node] if 0 <= node < len(self.model.browsed.places) else ""

    def selected(self) -> list[str]:
        """Places that are selected, in order."""
        selection = self.view.selectionModel()
        rows = selection.selectedRows() if selection is not None else []
        return [self.model.browsed.places[self.model.node(i)] for i in rows]

    def _current(self, index: QModelIndex) -> None:
        entry = self.current()
        locked = entry is not None and entry.locked
        self.lock.setVisible(locked)
        if locked and entry is not None:
            self.lock_about.setText(f"{entry.archive.rpartition('/')[2] or entry.path.name} is encrypted.")
        self.picked.emit(entry)

    def show_folded(self, twins: Mapping[str, str]) -> None:
        """Fold these places away, and say how many they are."""
        b = self.model.browsed
        self.model.folded = np.array(sorted(b.at[p] for p in twins if p in b.at), np.int64)
        size = int(b.size[self.model.folded].sum())
        self.folded_about.setText(f"{many(len(self.model.folded), 'duplicate')}, {byte_text(size)}")
        self.twins.setToolTip(f"Fold exact duplicates away: {self.folded_about.text()}")
        self._say_counts()
        self._refresh()

    # -- hands

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Space and Return choose; what is typed elsewhere stays elsewhere."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() in CHOOSING:
            self._ask()
            return True
        return super().eventFilter(watched, event)

    def _search_soon(self, text: str) -> None:
        self.model.text = text
        self._soon.start()

    def _group(self, group: str) -> None:
        self.chips.show_chosen(group)
        show_choice(self.kinds, group)
        self.model.group = group
        self._refresh()

    def _turn(self) -> None:
        flat = self.model.flat = self.flat.isChecked()
        self.view.setVisible(not flat)
        self.table.setVisible(flat)
        self.model.order_by(SIZE, True)
        self._refresh()

    def _refresh(self) -> None:
        was = self.current_place()
        self.model.refresh()
        if not self.model.flat:
            self._open_few()
        self.go_to(was)

    def _sort(self, column: int) -> None:
        self._down = not self._down
        self.model.sort(column, Qt.SortOrder.DescendingOrder if self._down else Qt.SortOrder.AscendingOrder)
        if not self.model.flat:
            self._open_few()

    def _ask(self) -> None:
        self.asked.emit(self.selected())

    def _unlock(self) -> None:
        entry = self.current()
        if entry is not None and self.password.text():
            self.unlock.emit(
                entry.archive if entry.item is not None and entry.kind != "archive" else entry.place,
                self.password.text(),
            )
            self.password.clear()
