"""The page Joints: every joint with its number, what it hangs under, what it moves, the bone it stands for."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from customs.motion.leftovers import joint_use
from customs.motion.skeleton import skeleton_of
from customs.scene.model import Scene
from customs_desktop.widgets.basics import label, search_field
from customs_desktop.widgets.tables import listing

HEADS = ("No.", "Joint", "Under", "Vertices", "Bone", "Donor's")
WIDTHS = (44, 150, 140, 80, 110, 110)


class JointsPage(QWidget):
    """Emits `picked` with a joint's name."""

    picked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.table = listing(HEADS, "Joints", WIDTHS)
        self.table.itemSelectionChanged.connect(self._pick)
        self.count = label("", "soft")
        self.search = search_field("Search joints", "name, bone", self._filter, 180)
        line = QHBoxLayout()
        line.setContentsMargins(12, 4, 12, 4)
        line.addWidget(self.search)
        line.addWidget(self.count)
        line.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(line)
        box.addWidget(self.table, 1)

    def show_scene(self, scene: Scene | None, pairs: dict[str, str]) -> None:
        """The joints of a scene; `pairs` gives the donor's joint by name."""
        s = skeleton_of(scene) if scene is not None and scene.skins else None
        use = joint_use(scene) if scene is not None and s is not None else {}
        self.table.blockSignals(True)
        self.table.setRowCount(s.count if s is not None else 0)
        for k in range(s.count if s is not None else 0):
            assert s is not None and scene is not None
            up = int(s.parent[k])
            node = s.nodes[k]
            values = (str(k), s.names[k], s.names[up] if up >= 0 else "–", f"{use.get(node, 0):,}", scene.nodes[node].bone or "–",
                      pairs.get(s.names[k], "–"))  # fmt: skip
            for column, text in enumerate(values):
                item = QTableWidgetItem(text)
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if column in (0, 3):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(k, column, item)
        self.table.blockSignals(False)
        idle = sum(1 for n in use.values() if not n)
        self.count.setText(f"{s.count} joints, {idle} move nothing" if s is not None else "This asset has no skeleton.")
        self._filter(self.search.text())

    def show_joint(self, name: str) -> None:
        """Mark a joint's row."""
        for k in range(self.table.rowCount()):
            item = self.table.item(k, 1)
            if item is not None and item.text() == name:
                self.table.blockSignals(True)
                self.table.selectRow(k)
                self.table.blockSignals(False)
                self.table.scrollToItem(item)

    def _pick(self) -> None:
        rows = {i.row() for i in self.table.selectedIndexes()}
        item = self.table.item(min(rows), 1) if rows else None
        if item is not None:
            self.picked.emit(item.text())

    def _filter(self, text: str) -> None:
        low = text.lower().strip()
        for k in range(self.table.rowCount()):
            cells = [self.table.item(k, c) for c in range(len(HEADS))]
            self.table.setRowHidden(k, bool(low) and not any(low in c.text().lower() for c in cells if c is not None))
