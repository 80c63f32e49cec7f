"""Tables that look alike: striped, left-aligned heads, no grid, the last column stretched."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QTableView,
    QTableWidget,
    QTreeWidget,
    QTreeWidgetItem,
)

from customs_desktop.style.theme import font, icon, span

ROW = 26
Table = TypeVar("Table", bound=QTableView)


def dressed(table: Table, name: str, widths: Sequence[int] = ()) -> Table:
    """`table` dressed, with an accessible name and its first columns' widths."""
    table.setAccessibleName(name)
    table.setAlternatingRowColors(True)
    table.setShowGrid(False)
    table.setWordWrap(False)
    # Tab leaves a table: whoever has no mouse would never get out of it. Arrows go about in it.
    table.setTabKeyNavigation(False)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    down, across = table.verticalHeader(), table.horizontalHeader()
    assert down is not None and across is not None
    down.hide()
    down.setDefaultSectionSize(span(ROW))
    down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
    across.setHighlightSections(False)
    LastColumn(across)
    across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    across.setFont(font(-0.5, 600))
    for column, width in enumerate(widths):
        table.setColumnWidth(column, span(width))
    return table


class LastColumn(QObject):
    """The last column of a table takes the room that is left; what its head says and `least` pixels it has in any case, and
    the table is scrolled.
    """

    def __init__(self, head: QHeaderView) -> None:
        # The table's, not the head's: nobody in Python holds on to a head, and what hangs from it would go.
        super().__init__(head.parent())
        self.head, self.least, self._given = head, 0, (-1, 0)
        head.setStretchLastSection(True)
        head.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self.fit()
        return False

    def fit(self) -> None:
        """A column is stretched from the size it was given, and never below that: what it needs."""
        head, last = self.head, self.head.count() - 1
        stretch = QHeaderView.ResizeMode.Stretch
        if last < 0 or any(head.sectionResizeMode(k) == stretch for k in range(last + 1)):
            return
        given = (last, max(self.least, head.sectionSizeHint(last)))
        if given != self._given:
            self._given = given
            head.setStretchLastSection(False)
            head.resizeSection(*given)
            head.setStretchLastSection(True)


def head_width(table: QTableView, column: int) -> int:
    """Pixels that what stands over a column takes."""
    head = table.horizontalHeader()
    return head.sectionSizeHint(column) if head is not None else 0


def stretched(tree: QTreeWidget, column: int) -> None:
    """One column of a tree takes the room that is left; the others are as wide as what they say."""
    head = tree.header()
    assert head is not None
    head.setStretchLastSection(False)
    for k in range(tree.columnCount()):
        head.setSectionResizeMode(
            k, QHeaderView.ResizeMode.Stretch if k == column else QHeaderView.ResizeMode.ResizeToContents
        )


def listing(heads: Sequence[str], name: str, widths: Sequence[int]) -> QTableWidget:
    """A table to be read, filled item by item."""
    table = QTableWidget(0, len(heads))
    table.setHorizontalHeaderLabels(list(heads))
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    return dressed(table, name, widths)


def fill_tree(tree: QTreeWidget, root: str, files: list[tuple[str, str]]) -> dict[str, QTreeWidgetItem]:
    """Folders and files below `root`; the items by path."""
    top = QTreeWidgetItem([f"{root}/", "package"])
    top.setIcon(0, icon("folder-open"))
    tree.addTopLevelItem(top)
    folders, out = {"": top}, {}
    for path, what in files:
        parts = path.split("/")
        for depth in range(1, len(parts)):
            name = "/".join(parts[:depth])
            if name not in folders:
                made = QTreeWidgetItem([f"{parts[depth - 1]}/", ""])
                made.setIcon(0, icon("folder"))
                folders["/".join(parts[: depth - 1])].addChild(made)
                folders[name] = made
        leaf = QTreeWidgetItem([parts[-1], what])
        leaf.setIcon(
            0, icon("image" if what == "texture" else "file-box" if what.startswith("model") else "file")
        )
        folders["/".join(parts[:-1])].addChild(leaf)
        out[path] = leaf
    tree.expandAll()
    return out
