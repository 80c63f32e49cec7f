"""The page History: every decision with a picture of what came of it; a press goes to the state after it."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QBuffer, QIODevice, QObject, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QKeyEvent, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from customs.errors import ShipmentError
from customs.shipment.history import Decision
from customs.shipment.state import Asset
from customs.words import many
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import button, label, page_of, row, search_field

PICTURE, ROW = 38, 46
SOON = 700
"""Milliseconds after the last new picture until they are kept."""
AT_ONCE = 20
"""Pictures that are kept in one go."""
AHEAD = 12
"""Rows whose pictures are read before anybody scrolls to them; others follow as they come into sight."""


class HistoryPage(QWidget):
    """Opened from the menu Edit; the newest decision is on top, those that were undone are faint."""

    def __init__(self, session: Office, close: Callable[[], object]) -> None:
        super().__init__()
        self.session = session
        self.decisions: list[Decision] = []
        self._icons: dict[str, QIcon] = {}
        self.told = label("", "soft", -0.5)
        self.search = search_field(
            "Search the history", "what was decided", lambda _: self._fill(), span(190, 0.5)
        )
        self.list = QListWidget()
        self.list.setAccessibleName("Decisions, the newest first")
        self.list.setIconSize(QSize(PICTURE, PICTURE))
        self.list.setAlternatingRowColors(True)
        self.list.setFont(font())
        self.list.itemSelectionChanged.connect(self._enable)
        self.list.itemDoubleClicked.connect(lambda _: self.go())
        scroll = self.list.verticalScrollBar()
        assert scroll is not None
        scroll.valueChanged.connect(lambda _: self._draw())
        self.there = button(
            "Go there", self.go, "main", "", "The shipment as it was after this decision; nothing is lost"
        )
        head = row(self.search, self.told, 1, button("Close", close, "flat"), self.there)
        head.setContentsMargins(10, 4, 10, 2)
        page_of(self, head, self.list)
        session.changed.connect(self._changed)
        session.opened.connect(self._icons.clear)

    def refresh(self) -> None:
        """Read the decisions and show them."""
        shipment = self.session.shipment
        self.decisions = []
        if shipment is not None:
            try:
                self.decisions = shipment.decisions()
            except ShipmentError as problem:
                self.session.fail(problem)
        self._fill()

    def go(self) -> None:
        """To the state after the chosen decision."""
        item = self.list.currentItem()
        decision = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if isinstance(decision, Decision):
            self.session.go_to(decision)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go()
        else:
            super().keyPressEvent(event)

    def _fill(self) -> None:
        chosen, words = self._chosen(), self.search.text().lower().split()
        self.list.blockSignals(True)
        self.list.clear()
        for d in reversed(self.decisions):
            if not all(w in d.label.lower() for w in words):
                continue
            when = time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(d.made))
            where = "   ·   here" if d.here else "" if d.on_line else "   ·   not on the way to here"
            item = QListWidgetItem(f"{d.label}\n{when}{where}")
            item.setData(Qt.ItemDataRole.UserRole, d)
            item.setSizeHint(QSize(100, span(ROW)))
            item.setFont(font(0, 600 if d.here else 400))
            if not d.on_line:
                item.setForeground(colour("soft"))
            self.list.addItem(item)
            if d.number == chosen or (chosen is None and d.here):
                self.list.setCurrentItem(item)
        self.list.blockSignals(False)
        off = sum(not d.on_line for d in self.decisions)
        self.told.setText(
            f"{many(len(self.decisions), 'decision')}" + (f", {off} not on the way to here" if off else "")
        )
        self._enable()
        self._draw()

    def _chosen(self) -> int | None:
        item = self.list.currentItem()
        decision = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        return decision.number if isinstance(decision, Decision) and not decision.here else None

    def _enable(self) -> None:
        item = self.list.currentItem()
        decision = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        self.there.setEnabled(isinstance(decision, Decision) and not decision.here)

    def _changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def _draw(self) -> None:
        """Pictures of the rows in sight, and some below."""
        shipment = self.session.shipment
        if shipment is None or not self.list.count():
            return
        viewport = self.list.viewport()
        assert viewport is not None
        top = self.list.indexAt(viewport.rect().topLeft()).row()
        for k in range(max(top, 0), min(max(top, 0) + AHEAD, self.list.count())):
            item = self.list.item(k)
            if item is None or not item.icon().isNull():
                continue
            decision = item.data(Qt.ItemDataRole.UserRole)
            try:
                item.setIcon(self._icon(shipment.history.changed(decision)[:1]))
            except ShipmentError:
                continue

    def draw_again(self) -> None:
        """New pictures have come."""
        self._icons.clear()
        for k in range(self.list.count() if self.isVisible() else 0):
            item = self.list.item(k)
            if item is not None:
                item.setIcon(QIcon())
        if self.isVisible():
            self._draw()

    def _icon(self, names: tuple[str, ...]) -> QIcon:
        shipment = self.session.shipment
        assert shipment is not None
        if not names:
            return self._blank()
        if names[0] not in self._icons:
            png, image = shipment.history.picture(names[0]), QPixmap()
            if png is None or not image.loadFromData(png):
                return self._blank()
            self._icons[names[0]] = QIcon(image)
        return self._icons[names[0]]

    @staticmethod
    def _blank() -> QIcon:
        image = QPixmap(PICTURE, PICTURE)
        image.fill(Qt.GlobalColor.transparent)
        return QIcon(image)


class KeptPictures(QObject):
    """Pictures of the goods as they are after each decision, kept with the shipment for the history of another day.
    `picture` is how an asset looks now, None while nobody has drawn it.
    """

    kept = pyqtSignal()

    def __init__(self, session: Office, picture: Callable[[str], QPixmap | None]) -> None:
        super().__init__()
        self.session, self._picture = session, picture
        self._wanted = set[str]()
        # A decision about a thousand goods is one writing.
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON)
        self._soon.timeout.connect(self.keep)
        session.opened.connect(self._wanted.clear)
        session.evaluated.connect(self._want)
        session.painter.painted.connect(lambda slot, image, tag: self._want(slot.removeprefix("thumb ")))

    def _want(self, id_: str) -> None:
        if self.session.state.asset(id_) is not None:
            self._wanted.add(id_)
            self._soon.start()

    def keep(self) -> None:
        """Those that are new, some at a time: the window has other things to do between them."""
        s, shipment, new = self.session, self.session.shipment, list[tuple[Asset, bytes]]()
        some = sorted(self._wanted)[:AT_ONCE]
        for id_ in some:
            asset, result, drawn = s.state.asset(id_), s.results.get(id_), self._picture(id_)
            if asset is not None and drawn is not None and result is not None and result.asset is asset:
                new.append((asset, _png(drawn.toImage())))
        self._wanted.difference_update(some)
        if self._wanted:
            self._soon.start()
        if shipment is not None and new and shipment.keep_pictures(new):
            self.kept.emit()


def _png(image: QImage) -> bytes:
    out = QBuffer()
    out.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(out, "PNG")
    return bytes(out.data().data())
