"""The goods: picture, name, kind, worst verdict."""

from __future__ import annotations

import weakref
from dataclasses import dataclass

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from customs.scene.model import Scene
from customs.shipment.state import Asset
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.views.goods_hands import GoodsHands
from customs_desktop.widgets.basics import label, row, search_field
from customs_desktop.widgets.marks import draw_mark, draw_ring

ROW, PICTURE = 50, 38
NARROW = 168
"""Pixels of a row below which it is narrow."""


@dataclass(frozen=True)
class Coming:
    """What is being read and is not among the goods yet."""

    name: str
    kind: str = "being read …"
    id: str = ""


class GoodsModel(QAbstractListModel):
    """The goods that match the search, and what is about to be among them."""

    called = pyqtSignal(object, str)

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.search = ""
        self.shown: list[Asset | Coming] = []
        self.pictures: dict[str, QPixmap] = {}

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.shown)

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if not index.isValid() or index.row() >= len(self.shown):
            return None
        asset = self.shown[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return asset.name
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            told = f"{asset.name}: {asset.kind}"
            return told if isinstance(asset, Coming) else f"{told}, {self.verdict(asset) or 'not judged yet'}"
        return asset if role == Qt.ItemDataRole.UserRole else None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        known = index.isValid() and index.row() < len(self.shown)
        if known and isinstance(self.shown[index.row()], Coming):
            return Qt.ItemFlag.ItemIsEnabled
        return super().flags(index) | Qt.ItemFlag.ItemIsEditable

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """A name that was typed: a decision."""
        asset = index.data(Qt.ItemDataRole.UserRole)
        if role == Qt.ItemDataRole.EditRole and isinstance(asset, Asset) and str(value).strip():
            self.called.emit(asset, str(value))
            return True
        return False

    def verdict(self, asset: Asset | Coming) -> str:
        """Worst verdict, empty while it is not known yet."""
        result = self.session.results.get(asset.id)
        return result.ledger.verdict if result and result.judged else ""

    def _matches(self, asset: Asset, words: list[str]) -> bool:
        text = f"{asset.name} {asset.kind} {self.verdict(asset)}".lower()
        return all(w in text for w in words)

    def refresh(self) -> None:
        """Match again."""
        self.beginResetModel()
        words, goods = self.search.lower().split(), self.session.state.goods
        self.shown = [a for a in goods if self._matches(a, words)] if words else list(goods)
        self.shown += [Coming(name) for name in self.session.coming.values()]
        self.endResetModel()


class GoodsDelegate(QStyledItemDelegate):
    """Draws one of the goods."""

    def __init__(self, model: GoodsModel) -> None:
        super().__init__()
        self.model = model

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(160, span(ROW))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        asset = index.data(Qt.ItemDataRole.UserRole)
        if painter is None or asset is None:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        r = QRectF(option.rect).adjusted(6, 1, -6, -1)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("teal_soft"))
            painter.drawRoundedRect(r, 4, 4)
        # In a narrow column the name counts more than its picture, and the verdict stands on that.
        narrow = r.width() < span(NARROW, 0.55)
        side = PICTURE * 0.75 if narrow else PICTURE
        box = QRectF(r.x() + 6, r.y() + (r.height() - side) / 2, side, side)
        painter.setPen(colour("rule"))
        painter.setBrush(colour("view"))
        painter.drawRoundedRect(box, 3, 3)
        picture = self.model.pictures.get(asset.id)
        if picture is not None:
            painter.drawPixmap(box.adjusted(1, 1, -1, -1).toRect(), picture)
        width = r.right() - box.right() - (12 if narrow else 36)
        painter.setPen(colour("ink"))
        painter.setFont(font(0.5, 600))
        self._line(painter, QRectF(box.right() + 9, r.y() + span(5), width, span(20)), asset.name)
        painter.setPen(colour("soft"))
        painter.setFont(font(-1))
        self._line(painter, QRectF(box.right() + 9, r.y() + span(24), width, span(18)), asset.kind)
        at = (box.right() - 9, box.bottom() - 10) if narrow else (r.right() - 24, r.center().y() - 8)
        if verdict := self.model.verdict(asset):
            draw_mark(painter, verdict, QRectF(*at, 17, 17))
        else:
            draw_ring(painter, QRectF(*at, 17, 17))
        painter.restore()

    def updateEditorGeometry(
        self, editor: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        """Where a name is typed: beside the picture."""
        if editor is not None:
            editor.setGeometry(option.rect.adjusted(PICTURE + 18, span(4), -8, -span(18)))

    @staticmethod
    def _line(painter: QPainter, rect: QRectF, text: str) -> None:
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(rect.width()))
        painter.drawText(rect, Qt.AlignmentFlag.AlignVCenter, shown)


class GoodsPanel(QWidget):
    """The list with its search field."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("goods")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.model = GoodsModel(session)
        self._drawn: dict[str, weakref.ref[Scene]] = {}
        self.count = label("0", "soft")
        self.search = search_field("Search goods", "name, kind, verdict", self._search)
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(GoodsDelegate(self.model))
        self.list.setMouseTracking(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setAccessibleName("Goods")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.hands = GoodsHands(session, self.list, self._rename)
        self.model.called.connect(self.hands.call)
        self.list.setStyleSheet("background: transparent;")
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self.hands.menu)
        selection = self.list.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(self._chosen)
        self.empty = label(
            "Nothing here yet. Drop a model file or a folder on this window, or open the demo from the "
            "menu Shipment.",
            "soft",
            wrap=True,
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 10, 4, 6)
        box.setSpacing(7)
        head = row(label("Goods", "title", 0.5, 700), 1, self.count)
        head.layout().setContentsMargins(6, 0, 10, 0)  # type: ignore[union-attr]
        box.addWidget(head)
        box.addWidget(self.search)
        box.addWidget(self.empty)
        box.addWidget(self.list, 1)
        session.opened.connect(self._forget)
        session.changed.connect(self.refresh)
        session.expected.connect(self.refresh)
        session.evaluated.connect(self._evaluated)
        session.selected.connect(self._select)
        session.painter.painted.connect(self._painted)
        self.refresh()

    def refresh(self) -> None:
        """Show the goods as they are."""
        self.model.refresh()
        total = len(self.session.state.goods)
        self.count.setText(str(total))
        self.empty.setVisible(not self.model.shown and total == 0)
        self._select(self.session.current)

    def draw_again(self) -> None:
        """All pictures anew (the paper is another)."""
        self._drawn.clear()
        for id_ in self.session.results:
            self._evaluated(id_)

    def _forget(self) -> None:
        self.model.pictures.clear()
        self._drawn.clear()

    def _search(self, text: str) -> None:
        self.model.search = text
        self.refresh()

    def _evaluated(self, id_: str) -> None:
        result = self.session.results.get(id_)
        scene = result.at(None) if result else None
        drawn = self._drawn.get(id_)
        if scene is not None and (drawn is None or drawn() is not scene):
            self._drawn[id_] = weakref.ref(scene)
            self.session.painter.ask_thumbnail(f"thumb {id_}", scene, PICTURE * 2)
        if self.model.search:
            self.refresh()
        else:
            viewport = self.list.viewport()
            assert viewport is not None
            viewport.update()

    def _painted(self, slot: str, image: QImage, tag: object) -> None:
        if slot.startswith("thumb "):
            self.model.pictures[slot[6:]] = QPixmap.fromImage(image)
            viewport = self.list.viewport()
            assert viewport is not None
            viewport.update()

    def _chosen(self, index: QModelIndex) -> None:
        asset = index.data(Qt.ItemDataRole.UserRole) if index.isValid() else None
        if isinstance(asset, Asset) and asset.id != self.session.current:
            self.session.select(asset.id)

    def _select(self, id_: str) -> None:
        at = next((i for i, a in enumerate(self.model.shown) if id_ and a.id == id_), -1)
        selection = self.list.selectionModel()
        if at >= 0 and selection is not None and self.list.currentIndex().row() != at:
            blocked = selection.blockSignals(True)
            self.list.setCurrentIndex(self.model.index(at))
            selection.blockSignals(blocked)
        viewport = self.list.viewport()
        assert viewport is not None
        viewport.update()

    def _rename(self, asset: Asset) -> None:
        """The name of a row is typed in its place."""
        at = next((i for i, a in enumerate(self.model.shown) if a.id == asset.id), -1)
        if at >= 0:
            self.list.edit(self.model.index(at))
