"""The model behind the role table."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QMimeData, QModelIndex, Qt, pyqtSignal

from customs.scene.model import Image, Scene
from customs.work.roles import Cell, RoleRow, RoleTable, title

MIME = "application/x-customs-texture"
ALPHA = "alpha"


class RoleModel(QAbstractTableModel):
    """Rows are materials, the first column their names, the last how they use alpha. Emits `moved` when a
    cell is dropped.
    """

    moved = pyqtSignal(int, str, int, str, bool)

    def __init__(self) -> None:
        super().__init__()
        self.scene: Scene | None = None
        self.table = RoleTable()
        self.rows: list[RoleRow] = []
        self.search = ""

    def show_table(self, scene: Scene | None, table: RoleTable) -> None:
        """Show another table."""
        self.beginResetModel()
        self.scene, self.table = scene, table
        self.rows = self._filtered()
        self.endResetModel()

    def set_search(self, text: str) -> None:
        """Keep to materials and textures whose names hold `text`."""
        self.beginResetModel()
        self.search = text.lower()
        self.rows = self._filtered()
        self.endResetModel()

    def _filtered(self) -> list[RoleRow]:
        t = self.search
        return [
            r
            for r in self.table.rows
            if not t or t in r.name.lower() or any(t in c.name.lower() for c in r.cells.values())
        ]

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 (Qt's own default)
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.table.columns) + 2

    def role_at(self, column: int) -> str:
        """The role of a column, "" for the name, ALPHA for the last."""
        if column == 0:
            return ""
        return ALPHA if column > len(self.table.columns) else self.table.columns[column - 1]

    def cell(self, index: QModelIndex) -> Cell | None:
        """The texture in a cell."""
        return self.rows[index.row()].cells.get(self.role_at(index.column())) if index.isValid() else None

    def image(self, index: QModelIndex) -> Image | None:
        """The image in a cell."""
        cell = self.cell(index)
        return self.scene.images[cell.image] if cell is not None and self.scene is not None else None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if orientation != Qt.Orientation.Horizontal or role != Qt.ItemDataRole.DisplayRole:
            return None
        name = self.role_at(section)
        return "Material" if not name else "Alpha" if name == ALPHA else title(name)

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if not index.isValid():
            return None
        row, cell, name = self.rows[index.row()], self.cell(index), self.role_at(index.column())
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            if not name:
                return row.name
            return row.alpha if name == ALPHA else cell.name if cell else ""
        if role == Qt.ItemDataRole.ToolTipRole:
            return (row.note if not name or name == ALPHA else cell.note if cell else "") or None
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        out = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.isValid() and self.role_at(index.column()) not in ("", ALPHA):
            out |= Qt.ItemFlag.ItemIsDropEnabled
            if self.cell(index) is not None:
                out |= Qt.ItemFlag.ItemIsDragEnabled
        return out

    def mimeTypes(self) -> list[str]:
        return [MIME]

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction | Qt.DropAction.CopyAction

    def mimeData(self, indexes: object) -> QMimeData:
        out = QMimeData()
        index = next(i for i in indexes if self.cell(i) is not None)  # type: ignore[attr-defined]
        out.setData(MIME, f"{index.row()} {self.role_at(index.column())}".encode())
        return out

    def dropMimeData(
        self, data: QMimeData | None, action: Qt.DropAction, row: int, column: int, parent: QModelIndex
    ) -> bool:
        role = self.role_at(parent.column()) if parent.isValid() else ""
        if data is None or not data.hasFormat(MIME) or role in ("", ALPHA):
            return False
        number, source = bytes(data.data(MIME).data()).decode().split(" ")
        if (int(number), source) == (parent.row(), role):
            return False
        self.moved.emit(int(number), source, parent.row(), role, action == Qt.DropAction.CopyAction)
        # The table is shown anew from the route; Qt must not take rows away itself.
        return False
