"""The page Materials: what is the matter with materials and textures, as many at once as there are."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from customs.ledger.ledger import effective
from customs.ledger.row import Row
from customs.words import many
from customs_desktop.office import Office
from customs_desktop.widgets.basics import button, label, row
from customs_desktop.widgets.tables import listing

HEADS = ("What", "Open", "As they are", "Required", "Remedy")


class MaterialsPage(QWidget):
    """Open rows about materials and textures by their requirement; a press takes the remedy of all of them."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.groups: list[list[Row]] = []
        self.table = listing(HEADS, "Materials in bulk", (168, 60, 150, 150))
        self.table.itemSelectionChanged.connect(self._picked)
        self.told = label("", "soft")
        self.take = button("Take all remedies of the picked", self._press, "main")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        box.addWidget(self.table, 1)
        holder = QHBoxLayout()
        holder.setContentsMargins(12, 0, 12, 0)
        holder.addWidget(row(self.told, 1, self.take))
        box.addLayout(holder)

    def refresh(self) -> None:
        """The open rows, grouped."""
        result = self.session.result
        groups: dict[tuple[str, str], list[Row]] = {}
        for r in result.ledger.rows if result is not None else ():
            if r.desk == "surface" and effective(r) != "cleared":
                groups.setdefault((r.requirement, r.remedy.label if r.remedy else ""), []).append(r)
        self.groups = sorted(groups.values(), key=len, reverse=True)
        self.table.setRowCount(len(self.groups))
        for at, rows in enumerate(self.groups):
            first = rows[0]
            same = len({r.delivering for r in rows}) == 1
            remedy = first.remedy.label if first.remedy is not None else "–"
            texts = (
                first.title,
                f"{len(rows):,}",
                first.delivering if same else "several",
                first.required,
                remedy,
            )
            for column, text in enumerate(texts):
                self.table.setItem(at, column, QTableWidgetItem(text))
        scene = result.at(None) if result is not None else None
        count = len(scene.materials) if scene is not None else 0
        total = sum(map(len, self.groups))
        self.told.setText(
            f"{many(count, 'material')}, {many(total, 'open row')}" if count else "no materials"
        )
        self._picked()

    @property
    def chosen(self) -> list[Row]:
        """Rows of the picked groups that have a remedy."""
        at = sorted({i.row() for i in self.table.selectedIndexes()})
        return [r for k in at if k < len(self.groups) for r in self.groups[k] if r.remedy is not None]

    def _picked(self) -> None:
        self.take.setEnabled(bool(self.chosen))

    def _press(self) -> None:
        self.session.press_rows([(self.session.current, r) for r in self.chosen])
