"""The page Placements: everything that stands in the level, a row each, picked here or in the view."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QItemSelection, QItemSelectionModel, QModelIndex, Qt
from PyQt6.QtWidgets import QHBoxLayout, QTableView, QVBoxLayout, QWidget

from customs.grounds.rules import KINDS, TITLES
from customs.work.fittings import settings_at
from customs.work.grounds import Ground, order_of, taught_name
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import button, combo, label, row, search_field
from customs_desktop.widgets.tables import dressed

NOWHERE = QModelIndex()
COLUMNS = ("name", "kind", "triangles", "size", "x", "y", "z")
HEADS = ("Name", "Kind", "Triangles", "Longest side (m)", "X (m)", "Y (m)", "Z (m)")


class Placed(QAbstractTableModel):
    """Things of a ground in an order, those whose name has what is looked for."""

    def __init__(self) -> None:
        super().__init__()
        self.ground: Ground | None = None
        self.order = np.zeros(0, np.intp)
        self._place = np.zeros(0, np.intp)
        self._sorted: tuple[str, bool] = ("", False)
        self._text = ""

    def take(self, ground: Ground | None) -> None:
        """The things of another ground."""
        self.beginResetModel()
        self.ground = ground
        self._arrange()
        self.endResetModel()

    def look_for(self, text: str) -> None:
        """Only those whose name has it."""
        self.beginResetModel()
        self._text = text.strip().lower()
        self._arrange()
        self.endResetModel()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """By a column."""
        if not 0 <= column < len(COLUMNS):
            return
        self.beginResetModel()
        self._sorted = (COLUMNS[column], order == Qt.SortOrder.DescendingOrder)
        self._arrange()
        self.endResetModel()

    def _arrange(self) -> None:
        if self.ground is None:
            self.order = np.zeros(0, np.intp)
            return
        self.order = order_of(self.ground, *self._sorted)
        if self._text:
            names = np.char.lower(self.ground.found.things.names[self.order].astype(str))
            self.order = self.order[np.char.find(names, self._text) >= 0]
        self._place = np.full(len(self.ground.found.things), -1, np.intp)
        self._place[self.order] = np.arange(len(self.order))

    def row_of(self, thing: int) -> int:
        """The row of a thing, −1 where it is not among them."""
        return int(self._place[thing]) if thing < len(self._place) else -1

    def rowCount(self, parent: QModelIndex = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.order)

    def columnCount(self, parent: QModelIndex = NOWHERE) -> int:
        return len(HEADS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if (
            orientation == Qt.Orientation.Horizontal
            and role == Qt.ItemDataRole.TextAlignmentRole
            and section >= 2
        ):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return HEADS[section]
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if self.ground is None or not index.isValid():
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() >= 2:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ToolTipRole and index.column() == 1:
            return self.ground.found.reasons[int(self.ground.found.why[self.order[index.row()]])]
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        things, t = self.ground.found.things, int(self.order[index.row()])
        column = COLUMNS[index.column()]
        if column == "name":
            return str(things.names[t]) or "–"
        if column == "kind":
            return TITLES[KINDS[int(self.ground.found.codes[t])]]
        if column == "triangles":
            mesh = int(things.mesh[t])
            return f"{int(self.ground.found.meshes.triangles[mesh]):,}" if mesh >= 0 else ""
        if column == "size":
            size = things.high[t] - things.low[t]
            return f"{float(size.max()):.3f}" if np.isfinite(size).all() else ""
        return f"{float(things.matrices[t, 'xyz'.index(column), 3]):.3f}"


class PlacementsPage(QWidget):
    """Kinds that are corrected here teach the stop Kinds."""

    def __init__(self, session: Office, looking: Looking) -> None:
        super().__init__()
        self.session, self.looking = session, looking
        self.model = Placed()
        self.table = dressed(QTableView(), "Placements", (150, 92, 70, 104, 66, 66))
        self.table.setModel(self.model)
        self.table.setSortingEnabled(True)
        # As they stand in the level, until a person wants them otherwise: names of a hundred thousand take a while.
        self.table.horizontalHeader().setSortIndicator(-1, Qt.SortOrder.AscendingOrder)  # type: ignore[union-attr]
        choice = self.table.selectionModel()
        assert choice is not None
        choice.selectionChanged.connect(self._chosen)
        self.search = search_field("Placements by name", "name", self.model.look_for, 150)
        self.told = label("", "soft")
        self.kind = combo([(k, TITLES[k]) for k in KINDS], "Kind of the picked", lambda _: None)
        self.teach = button(
            "Is of this kind", self._teach, "chip", "", "It, and everything of its name, from here on"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 2, 0, 4)
        holder = QHBoxLayout()
        holder.setContentsMargins(12, 0, 12, 0)
        holder.addWidget(
            row(
                self.search,
                button("Lasso", looking.lasso, "chip", "", "Draw round things in the view"),
                button("Hide", looking.hide_picked, "chip"),
                button("Only these", looking.only_picked, "chip"),
                button("Show all", looking.all_again, "flat"),
                1,
            )
        )
        box.addLayout(holder)
        box.addWidget(self.table, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 0, 12, 0)
        foot.addWidget(row(self.told, 1, label("The picked"), self.kind, self.teach))
        box.addLayout(foot)
        self.kind.setFixedWidth(span(124, 0.5))
        looking.found.connect(lambda: self.model.take(looking.ground))
        looking.changed.connect(self._show)
        self._show()

    def _chosen(self, *_: object) -> None:
        choice = self.table.selectionModel()
        if choice is None:
            return
        rows = sorted({index.row() for index in choice.selectedRows()})
        self.looking.pick(tuple(int(self.model.order[r]) for r in rows))

    def _show(self) -> None:
        picked, ground = self.looking.picked, self.looking.ground
        count = len(ground.found.things) if ground is not None else 0
        self.told.setText(f"{len(picked):,} of {count:,} picked" if count else "no level")
        self.teach.setEnabled(bool(picked))
        choice = self.table.selectionModel()
        rows = [r for t in picked if (r := self.model.row_of(t)) >= 0]
        if choice is None or {i.row() for i in choice.selectedRows()} == set(rows):
            return
        choice.blockSignals(True)
        selection = QItemSelection()
        for r in rows[:5000]:
            selection.select(self.model.index(r, 0), self.model.index(r, len(HEADS) - 1))
        choice.select(selection, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        choice.blockSignals(False)
        if rows:
            self.table.scrollTo(self.model.index(rows[0], 0))
        viewport = self.table.viewport()
        if viewport is not None:
            viewport.update()

    def _teach(self) -> None:
        ground, asset = self.looking.ground, self.session.asset
        if ground is None or asset is None or not self.looking.picked:
            return
        names = dict.fromkeys(taught_name(ground, t) for t in self.looking.picked)
        had = tuple(t for t in getattr(settings_at(asset.route, "kinds"), "taught", ()) if t[0] not in names)
        self.session.set_step("kinds", taught=(*had, *((n, self.kind.currentData()) for n in names)))
