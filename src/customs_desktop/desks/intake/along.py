"""What goes along with the chosen: a small tree of files with marks and sizes; missing ones take a file that is
dropped on them.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import QMenu, QTreeWidget, QTreeWidgetItem, QWidget

from customs.intake.closure import Closure, Lean
from customs.ledger.row import RANK
from customs.words import byte_text, many
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.marks import draw_mark
from customs_desktop.widgets.tables import stretched

MOST = 100
"""Models, and files of one, that are shown."""
LeanRole = Qt.ItemDataRole.UserRole


class Along(QTreeWidget):
    """Emits `given` (name, place) where a person says which file is meant by a name."""

    given = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.closures: Sequence[Closure] = ()
        self.setAccessibleName("What goes along")
        self.setHeaderHidden(True)
        self.setColumnCount(2)
        self.setIndentation(span(14))
        self.setRootIsDecorated(False)
        self.setAcceptDrops(True)
        self.setFixedHeight(span(150))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        stretched(self, 0)

    def show_closures(self, closures: Sequence[Closure]) -> None:
        """Show them, models first, what they lean on below; of many those that want something first."""
        self.clear()
        self.closures = closures
        for closure in sorted(closures, key=lambda c: -RANK[c.verdict])[:MOST]:
            top = self._item(
                closure.model.path.name, closure.problem or byte_text(closure.model.size), closure.verdict
            )
            top.setToolTip(0, closure.problem or closure.model.place)
            self.addTopLevelItem(top)
            for lean in sorted(closure.leans, key=lambda x: -RANK[x.verdict])[:MOST]:
                item = self._item(os.path.basename(lean.name.replace("\\", "/")), _said(lean), lean.verdict)
                item.setData(0, LeanRole, lean)
                item.setToolTip(
                    0, lean.place or f"{lean.name}: drop the file here, or add the folder it is in."
                )
                item.setForeground(
                    1, colour({"held": "held", "query": "query_text"}.get(lean.verdict, "soft"))
                )
                top.addChild(item)
            self._rest(top, len(closure.leans), "file")
        self._rest(self.invisibleRootItem(), len(closures), "model")
        self.expandAll()

    def _rest(self, above: QTreeWidgetItem | None, count: int, thing: str) -> None:
        """That there are more than are shown."""
        if above is not None and count > MOST:
            above.addChild(self._item(f"and {many(count - MOST, thing)} more", "", "cleared"))

    def _item(self, name: str, said: str, verdict: str) -> QTreeWidgetItem:
        item = QTreeWidgetItem([name, said])
        item.setIcon(0, QIcon(_mark(verdict)))
        item.setFont(1, font(-0.5))
        item.setForeground(1, colour("soft"))
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return item

    def wanting(self) -> list[Lean]:
        """What is missing or may be several, in order, each name once."""
        out: dict[str, Lean] = {}
        for lean in (x for c in self.closures for x in c.leans if x.verdict != "cleared"):
            out.setdefault(lean.name, lean)
        return list(out.values())

    def choose(self, lean: Lean, over: QWidget) -> None:
        """Which of the candidates is meant: a menu of them, nearest first."""
        menu = QMenu(over)
        for place in lean.candidates:
            action = menu.addAction(_short(place))
            assert action is not None
            action.triggered.connect(lambda _=False, p=place: self.given.emit(lean.name, p))
        menu.exec(over.mapToGlobal(over.rect().bottomLeft()))

    # -- drops on rows

    def _lean_at(self, event: QDropEvent | QDragMoveEvent) -> Lean | None:
        item = self.itemAt(event.position().toPoint())
        lean = item.data(0, LeanRole) if item is not None else None
        return lean if lean is not None and lean.verdict != "cleared" else None

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is None:
            return
        if self._lean_at(event) is not None:
            event.acceptProposedAction()
        else:
            event.ignore()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        lean = self._lean_at(event) if event is not None else None
        if event is None or data is None or lean is None:
            return
        files = [u.toLocalFile() for u in data.urls() if u.isLocalFile()]
        if len(files) == 1 and Path(files[0]).is_file():
            event.acceptProposedAction()
            self.given.emit(lean.name, files[0])


def _said(lean: Lean) -> str:
    if lean.verdict == "cleared":
        return byte_text(lean.size) + {"name": " · by name", "chosen": " · chosen"}.get(lean.by, "")
    return f"{len(lean.candidates)} may be meant" if lean.candidates else "not found"


def _short(place: str) -> str:
    parts = place.split("/")
    return "/".join(parts[-4:]) if len(parts) > 4 else place


def _mark(verdict: str) -> QPixmap:
    size = span(15)
    out = QPixmap(size, size)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    draw_mark(painter, verdict, QRectF(0, 0, size, size))
    painter.end()
    return out
