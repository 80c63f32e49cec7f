"""The heap for a view: as a tree, or as one table, filtered; only what is shown is asked for."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterator, Mapping

import numpy as np
from PyQt6.QtCore import QAbstractItemModel, QModelIndex, Qt
from PyQt6.QtGui import QPixmap

from customs.intake.browse import Browsed
from customs.intake.closure import Closure
from customs.words import byte_text, many
from customs_desktop.style.theme import colour, font, icon

COLUMNS = ("Name", "Kind", "Size", "What the whole holds", "Chosen")
NAME, KIND, SIZE, HOLDS, CHOSEN = range(5)
NodeRole = Qt.ItemDataRole.UserRole
ICONS = {"model": "file-box", "texture": "image", "clips": "play", "other": "file"}


class HeapModel(QAbstractItemModel):
    """Nodes of `browsed` by their numbers. `flat` shows files alone, as one table, the largest first."""

    def __init__(self) -> None:
        super().__init__()
        self.browsed = Browsed([])
        self.flat = False
        self.text, self.group = "", ""
        self.chosen: Mapping[str, Closure | None] = {}
        self.folded = np.zeros(0, np.int64)
        self.pictures: dict[str, QPixmap] = {}
        self._leans: set[str] = set()
        self._inside: Counter[str] = Counter()
        self._shown = np.zeros(0, bool)
        self._rows: dict[int, list[int]] = {}
        self._row_of = np.zeros(0, np.int64)
        self._order = (SIZE, True)

    # -- what is shown

    def show_heap(self, browsed: Browsed) -> None:
        """Take over a listing."""
        self.browsed, self.folded = browsed, np.zeros(0, np.int64)
        self.refresh()

    def show_chosen(self, chosen: Mapping[str, Closure | None]) -> None:
        """Take over what is chosen, by place, with what goes along where that is known."""
        self.chosen = chosen
        self._leans = {p for c in chosen.values() if c is not None for p in c.places} - set(chosen)
        self._inside = Counter(up for place in chosen for up in _above(place))
        if len(self._row_of):
            everything = self.index(0, CHOSEN), self.index(max(self.rowCount() - 1, 0), CHOSEN)
            self.dataChanged.emit(*everything)

    def show_picture(self, place: str, picture: QPixmap) -> None:
        """A small picture of a file, in its row."""
        self.pictures[place] = picture
        index = self.index_of(self.browsed.at.get(place, -1))
        if index.isValid():
            self.dataChanged.emit(index, index, [Qt.ItemDataRole.DecorationRole])

    def refresh(self) -> None:
        """Filter anew."""
        self.beginResetModel()
        b = self.browsed
        mask = b.matching(self.text, self.group)
        mask[self.folded] = False
        if not self.flat:
            everything = not self.text.strip() and not self.group
            mask = mask | (b.group < 0) if everything else b.with_above(mask)
        self._shown = mask
        self._rows, self._row_of = {}, np.full(len(mask), -1, np.int64)
        self.endResetModel()

    def files(self) -> int:
        """Files that are shown, or lie in what is shown."""
        return int((self._shown & (self.browsed.group >= 0)).sum())

    def order(self) -> list[int]:
        """Nodes of the table as they are shown."""
        return self._children(-1)

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """By a column, in the tree within each folder."""
        self.order_by(column, order == Qt.SortOrder.DescendingOrder)
        self.refresh()

    def order_by(self, column: int, down: bool) -> None:
        """By a column from the next refresh on."""
        self._order = (column, down)

    def _children(self, node: int) -> list[int]:
        if (known := self._rows.get(node)) is None:
            b = self.browsed
            if self.flat:
                found = np.flatnonzero(self._shown).tolist() if node == -1 else []
            else:
                found = [k for k in b.children_of(node) if self._shown[k]]
            known = self._rows[node] = self._sorted(found)
            self._row_of[known] = np.arange(len(known))
        return known

    def _sorted(self, nodes: list[int]) -> list[int]:
        column, down = self._order
        b = self.browsed
        if column == NAME:
            return sorted(nodes, key=lambda k: b.lower[k], reverse=down)
        if column == KIND:
            return sorted(nodes, key=lambda k: (self._kind(k), b.lower[k]), reverse=down)
        sizes = b.size[nodes] if nodes else np.zeros(0)
        return [nodes[i] for i in np.argsort(-sizes if down else sizes, kind="stable")]

    # -- for the view

    def index(self, row: int, column: int, parent: QModelIndex | None = None) -> QModelIndex:
        children = self._children(self.node(parent))
        return self.createIndex(row, column, children[row]) if 0 <= row < len(children) else QModelIndex()

    def node(self, index: QModelIndex | None) -> int:
        """The node of an index, −1 for none."""
        return int(index.internalId()) if index is not None and index.isValid() else -1

    def index_of(self, node: int) -> QModelIndex:
        """Where a node is shown; none where it is not."""
        if node < 0 or not self._shown[node]:
            return QModelIndex()
        up = -1 if self.flat else int(self.browsed.parent[node])
        self._children(up)
        row = int(self._row_of[node])
        return QModelIndex() if row < 0 else self.createIndex(row, 0, node)

    def parent(self, index: QModelIndex | None = None) -> QModelIndex:  # type: ignore[override]
        node = self.node(index)
        return QModelIndex() if node < 0 or self.flat else self.index_of(int(self.browsed.parent[node]))

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        if parent is not None and parent.isValid() and parent.column() > 0:
            return 0
        return len(self._children(self.node(parent)))

    def hasChildren(self, parent: QModelIndex | None = None) -> bool:
        node = self.node(parent)
        return self.rowCount() > 0 if node < 0 else not self.flat and bool(self.browsed.children_of(node))

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Qt.ItemDataRole.DisplayRole:
            return "Folder" if self.flat and section == HOLDS else COLUMNS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if section == SIZE else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: QModelIndex, role: int = 0) -> object:
        node, column = self.node(index), index.column()
        if node < 0:
            return None
        entry = self.browsed.entries[node]
        problem = entry.problem if entry is not None else ""
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(node, column)
        if role == NodeRole:
            return node
        if role == Qt.ItemDataRole.ToolTipRole:
            return "\n".join(filter(None, (self.browsed.places[node], problem)))
        if role == Qt.ItemDataRole.DecorationRole and column == NAME:
            return self.pictures.get(self.browsed.places[node]) or icon(self._icon(node))
        if role == Qt.ItemDataRole.ForegroundRole:
            if problem and column in (KIND, CHOSEN):
                return colour("held")
            return colour("ink" if column in (NAME, SIZE) or self._is_chosen(node) else "soft")
        if role == Qt.ItemDataRole.FontRole:
            heavy = (column == NAME and self.browsed.group[node] < 0) or (
                column == CHOSEN and self._is_chosen(node)
            )
            return font(0, 600 if heavy else 400)
        if role == Qt.ItemDataRole.TextAlignmentRole and column == SIZE:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        return None

    def _icon(self, node: int) -> str:
        entry = self.browsed.entries[node]
        if entry is None:
            return "folder"
        if entry.kind == "archive":
            return "lock" if entry.locked else "crate"
        return ICONS[("model", "texture", "clips", "other")[self.browsed.group[node]]]

    def _kind(self, node: int) -> str:
        entry = self.browsed.entries[node]
        if entry is None:
            return f"folder · {many(int(self.browsed.files[node]), 'file')}"
        if entry.problem:
            return "encrypted" if entry.locked else entry.problem.partition(";")[0]
        if entry.kind == "archive":
            return f"archive · {many(int(self.browsed.files[node]), 'file')}"
        return entry.kind

    def _text(self, node: int, column: int) -> str:
        if column == NAME:
            return self.browsed.names[node]
        if column == KIND:
            return self._kind(node)
        if column == SIZE:
            entry = self.browsed.entries[node]
            return (
                byte_text(int(self.browsed.size[node]))
                if entry is None or entry.size or not entry.problem
                else ""
            )
        if column == HOLDS:
            entry = self.browsed.entries[node]
            return os.path.dirname(entry.shown) if self.flat and entry is not None else ""
        return self._choice(node)

    def _is_chosen(self, node: int) -> bool:
        return self.browsed.places[node] in self.chosen

    def _choice(self, node: int) -> str:
        entry, place = self.browsed.entries[node], self.browsed.places[node]
        if entry is not None and entry.kind != "archive":
            if place in self.chosen:
                return "yes"
            return "goes along" if place in self._leans else "locked" if entry.locked else ""
        if entry is not None and entry.locked:
            return "locked"
        return f"{self._inside[place]} chosen" if self._inside[place] else ""


def _above(place: str) -> Iterator[str]:
    """Places that a place is in."""
    while up := place.rpartition("/")[0]:
        yield up
        place = up
