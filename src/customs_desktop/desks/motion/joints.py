"""The page Joints: every joint with its number, what it hangs under, what it moves, the bone it stands
for.
"""

from __future__ import annotations

from PyQt6.QtCore import QAbstractItemModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from customs.motion.rig.leftovers import joint_use
from customs.motion.skeleton.humanoid import BONES, REQUIRED
from customs.motion.skeleton.skeleton import skeleton_of
from customs.scene.model import Scene
from customs_desktop.widgets.basics import label, search_field
from customs_desktop.widgets.tables import listing

HEADS = ("No.", "Joint", "Under", "Vertices", "Bone", "Donor's")
WIDTHS = (44, 150, 140, 80, 110, 110)
BONE = 4
NONE = "–"


class BoneChooser(QStyledItemDelegate):
    """A list of the bones of a person in the place of a cell."""

    def createEditor(
        self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> QWidget:
        """The list; choosing is done when one is clicked."""
        box = QComboBox(parent)
        box.addItems((NONE, *BONES))
        box.setMaxVisibleItems(16)
        box.activated.connect(lambda _: (self.commitData.emit(box), self.closeEditor.emit(box)))
        return box

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        """Begin at the bone there is."""
        assert isinstance(editor, QComboBox)
        editor.setCurrentText(index.data())
        editor.showPopup()

    def setModelData(
        self, editor: QWidget | None, model: QAbstractItemModel | None, index: QModelIndex
    ) -> None:
        """The bone chosen into the table, which tells the page."""
        assert isinstance(editor, QComboBox) and model is not None
        model.setData(index, editor.currentText())


class JointsPage(QWidget):
    """Emits `picked` with a joint's name, `boned` with a joint's name and the bone a person said it is (""
    for none).
    """

    picked = pyqtSignal(str)
    boned = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.table = listing(HEADS, "Joints", WIDTHS)
        self.table.itemSelectionChanged.connect(self._pick)
        self.table.setItemDelegateForColumn(BONE, BoneChooser(self.table))
        self.table.setEditTriggers(
            QTableWidget.EditTrigger.DoubleClicked | QTableWidget.EditTrigger.EditKeyPressed
        )
        self.table.itemChanged.connect(self._changed)
        self.count = label("", "soft")
        self.search = search_field("Search joints", "name, bone", self._filter, 180)
        line = QHBoxLayout()
        line.setContentsMargins(12, 4, 12, 4)
        line.setSpacing(10)
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
            values = (str(k), s.names[k], s.names[up] if up >= 0 else NONE, f"{use.get(node, 0):,}", scene.nodes[node].bone or NONE,
                      pairs.get(s.names[k], NONE))  # fmt: skip
            for column, text in enumerate(values):
                item = QTableWidgetItem(text)
                if column == BONE:
                    item.setToolTip("Double-click to say which bone of a person this joint is")
                else:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if column in (0, 3):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(k, column, item)
        self.table.blockSignals(False)
        idle = sum(1 for n in use.values() if not n)
        said = (
            f"{s.count} joints, {idle} move nothing{_missing(scene)}"
            if s is not None
            else "This asset has no skeleton."
        )
        self.count.setText(said)
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

    def _changed(self, item: QTableWidgetItem) -> None:
        name = self.table.item(item.row(), 1)
        if item.column() == BONE and name is not None:
            self.boned.emit(name.text(), "" if item.text() == NONE else item.text())

    def _pick(self) -> None:
        rows = {i.row() for i in self.table.selectedIndexes()}
        item = self.table.item(min(rows), 1) if rows else None
        if item is not None:
            self.picked.emit(item.text())

    def _filter(self, text: str) -> None:
        low = text.lower().strip()
        for k in range(self.table.rowCount()):
            cells = [self.table.item(k, c) for c in range(len(HEADS))]
            self.table.setRowHidden(
                k, bool(low) and not any(low in c.text().lower() for c in cells if c is not None)
            )


def _missing(scene: Scene | None) -> str:
    """Which bones every person has are still without a joint; nothing where no humanoid is meant."""
    have = {n.bone for n in scene.nodes if n.bone} if scene is not None else set()
    gone = [b for b in REQUIRED if b not in have]
    if not have:
        return ""
    return (
        f" · no joint for {', '.join(gone[:3])}{' …' if len(gone) > 3 else ''}"
        if gone
        else " · humanoid complete"
    )
