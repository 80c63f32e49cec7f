"""Many materials at once: picked by name, kind and state, and set together."""

from __future__ import annotations

import fnmatch

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import QTableView, QVBoxLayout, QWidget

from customs.scene.model import Material, Scene
from customs.surface.presets import preset_of_name, presets
from customs.work.roles import RoleRow, RoleTable
from customs_desktop.desks.surface.edit import SurfaceEdit
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import button, combo, label, lines_of, search_field, show_choice
from customs_desktop.widgets.tables import dressed

HEADS = ("Material", "Kind by name", "Alpha", "Sides", "Metallic", "Roughness", "Textures", "Triangles")
STATES = (("any", "any state"), ("opaque", "opaque"), ("mask", "mask"), ("blend", "blend"), ("unlit", "unlit"),
          ("plain", "without textures"))  # fmt: skip


class BulkModel(QAbstractTableModel):
    """Materials that pass the filters, sorted by a column."""

    def __init__(self) -> None:
        super().__init__()
        self.scene: Scene | None = None
        self.all: list[RoleRow] = []
        self.rows: list[RoleRow] = []
        self.pattern, self.state = "", "any"
        self.by, self.down = 0, False

    def show_table(self, scene: Scene, table: RoleTable) -> None:
        """Show the materials of a table."""
        self.scene, self.all = scene, list(table.rows)
        self.filter(self.pattern, self.state)

    def filter(self, pattern: str, state: str) -> None:
        """Keep to names that match a pattern (* and ?, or a part of a name) and to a state."""
        self.pattern, self.state = pattern, state
        wild = pattern.lower() if any(c in pattern for c in "*?") else f"*{pattern.lower()}*"
        self.beginResetModel()
        self.rows = [r for r in self.all if fnmatch.fnmatchcase(r.name.lower(), wild) and self._is(r, state)]
        self._sort()
        self.endResetModel()

    def material(self, row: RoleRow) -> Material:
        """The material of a row."""
        assert self.scene is not None
        return self.scene.materials[row.index]

    def _is(self, row: RoleRow, state: str) -> bool:
        m = self.material(row)
        return {"any": True, "unlit": m.model == "unlit", "plain": not m.textures}.get(
            state, m.alpha_mode == state
        )

    def texts(self, row: RoleRow) -> tuple[str, ...]:
        """What stands in a row."""
        m = self.material(row)
        kind = preset_of_name(m.name)
        return (row.name, presets()[kind].title if kind else "–", row.alpha, "both" if m.double_sided else "one", f"{m.metallic:.2f}",
                f"{m.roughness:.2f}", str(len(m.textures)), f"{row.faces:,}")  # fmt: skip

    def _sort(self) -> None:
        def key(row: RoleRow) -> tuple[float, str]:
            text = self.texts(row)[self.by].replace(",", "")
            try:
                return float(text), text
            except ValueError:
                return 0.0, text.lower()

        self.rows.sort(key=key, reverse=self.down)

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        self.by, self.down = max(column, 0), order == Qt.SortOrder.DescendingOrder
        self.beginResetModel()
        self._sort()
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 (Qt's own default)
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        shown = orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole
        return HEADS[section] if shown else None

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if index.isValid() and role == Qt.ItemDataRole.DisplayRole:
            return self.texts(self.rows[index.row()])[index.column()]
        return None


class BulkPage(QWidget):
    """The list, its filters, and what is done to those picked. Emits `chosen` with a material's index."""

    chosen = pyqtSignal(int)

    def __init__(self, session: Office, edit: SurfaceEdit) -> None:
        super().__init__()
        self.session, self.edit = session, edit
        self.model = BulkModel()
        self.table = QTableView()
        self.table.setModel(self.model)
        dressed(self.table, "Materials", (140, 84, 88, 48, 62, 74, 62))
        self.table.setSortingEnabled(True)
        picks = self.table.selectionModel()
        assert picks is not None
        picks.selectionChanged.connect(self._picked)
        self.count = label("", "soft")
        self.search = search_field("Filter materials", "filter", lambda t: self._filter(), 92)
        self.state = combo(STATES, "State", lambda s: self._filter())
        self.state.setFixedWidth(span(104))
        self.kind = combo([(k, p.title) for k, p in presets().items()], "Kind", lambda k: None)
        self.kind.setFixedWidth(span(86))
        set_ = button("Set", self.apply, "main", "", "Set all that are picked as this kind")
        first = button(
            "As the first", self.copy, "", "", "The others get its settings and keep name and textures"
        )
        head = lines_of(self.search, self.state, self.kind, set_, first, 1, self.count)
        head.setContentsMargins(10, 3, 10, 3)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(head)
        box.addWidget(self.table, 1)

    def show_table(self, scene: Scene, table: RoleTable) -> None:
        """Show materials, keeping who is picked."""
        keys = {r.key for r in self.picked()}
        self.model.show_table(scene, table)
        for i, r in enumerate(self.model.rows):
            if r.key in keys:
                self.table.selectRow(i) if len(keys) == 1 else self._add(i)
        self._say()

    def _add(self, number: int) -> None:
        picks = self.table.selectionModel()
        assert picks is not None
        flag = picks.SelectionFlag.Select | picks.SelectionFlag.Rows
        picks.select(self.model.index(number, 0), flag)

    def _filter(self) -> None:
        self.model.filter(self.search.text(), str(self.state.currentData()))
        self._say()

    def picked(self) -> list[RoleRow]:
        """Rows picked, in the order shown."""
        picks = self.table.selectionModel()
        numbers = sorted({i.row() for i in picks.selectedRows()}) if picks is not None else []
        return [self.model.rows[n] for n in numbers if n < len(self.model.rows)]

    def _picked(self, *_: object) -> None:
        rows = self.picked()
        self._say()
        if rows:
            kind = preset_of_name(rows[0].name)
            if kind:
                show_choice(self.kind, kind)
            self.chosen.emit(rows[0].index)

    def _say(self) -> None:
        self.count.setText(f"{len(self.picked()):,} of {len(self.model.rows):,} picked")

    def apply(self) -> None:
        """Set all that are picked as the chosen kind, as one decision."""
        rows, kind = self.picked(), str(self.kind.currentData())
        if rows:
            keys = [str(r.key) for r in rows]
            self.edit.set_many("preset", keys, f"{presets()[kind].title}: {len(rows)} materials", preset=kind)

    def copy(self) -> None:
        """Give the others the settings of the first picked."""
        rows = self.picked()
        if len(rows) < 2:
            self.edit.say("Pick the one to copy from, and others with it.")
            return
        keys = [str(r.key) for r in rows[1:]]
        self.edit.set_many(
            "copy-settings", keys, f"As {rows[0].name}: {len(keys)} materials", source=str(rows[0].key)
        )
