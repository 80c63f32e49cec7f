"""The window: one comparison, with the route over it and the ledger under it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, QSettings, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from customs import __version__
from customs.sheet.load import sheet_texts
from customs.work.lookup import read_sheets
from customs.work.places import config_folder, sheets_folder
from customs_desktop.desks.dispatch import DispatchPanel
from customs_desktop.desks.fit import FitPanel
from customs_desktop.desks.intake import IntakePanel
from customs_desktop.desks.landing import LandingPanel
from customs_desktop.desks.motion import MotionPanel
from customs_desktop.desks.surface import SurfacePanel
from customs_desktop.menus import Menus
from customs_desktop.player import Player
from customs_desktop.session import Session
from customs_desktop.sheet_editor import SheetEditor
from customs_desktop.style import theme
from customs_desktop.views.deck import Deck
from customs_desktop.views.desk_bar import DeskBar
from customs_desktop.views.goods import GoodsPanel
from customs_desktop.views.ledger import LedgerView
from customs_desktop.views.route_strip import RouteStrip
from customs_desktop.views.twin import TwinView
from customs_desktop.views.view_bar import ViewBar
from customs_desktop.widgets.basics import button, label
from customs_desktop.widgets.choices import Choice

PANEL_WIDTH, NARROW_PANEL = 300, 292
WIDER = 0.55
"""Share by which the columns grow with the text: the rest is left to the view."""


class MainWindow(QMainWindow):
    """Puts the views together and connects menus, keys and drops."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Customs")
        self.setAcceptDrops(True)
        self.settings = QSettings(str(config_folder() / "window.ini"), QSettings.Format.IniFormat)
        self.editor: SheetEditor | None = None
        self.desk = "fit"
        self._deck_heights: dict[bool, list[int]] = {}
        self._build()
        self.menus = Menus(self)
        self._connect()
        self.open_desk("fit")
        # Less than the side panels ask for at full width: they give way in resizeEvent.
        self.setMinimumSize(1000, 620)
        self.resize(1280, 800)
        self._restore()
        self.twin.setFocus()

    # -- building

    def _build(self) -> None:
        s = self.session
        self.strip, self.desks, self.goods = RouteStrip(s), DeskBar(), GoodsPanel(s)
        self.twin, self.ledger = TwinView(s), LedgerView(s)
        self.bar = ViewBar(self.twin)
        self.deck = Deck(self.ledger)
        self.panels = QStackedWidget()
        self.panels.setObjectName("panel")
        self.intake, self.fit = IntakePanel(s), FitPanel(s)
        self.surface, self.dispatch, self.landing = SurfacePanel(s), DispatchPanel(s), LandingPanel(s, self.twin)
        self.motion = MotionPanel(s, self.twin)
        self.desk_panels = {"intake": self.intake, "fit": self.fit, "surface": self.surface, "motion": self.motion,
                            "dispatch": self.dispatch, "landing": self.landing}  # fmt: skip
        for panel in self.desk_panels.values():
            self.panels.addWidget(panel)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(self.twin)
        self.split.addWidget(self.deck)
        self.split.setHandleWidth(2)
        self.split.setSizes([470, 225])
        self.split.setStretchFactor(0, 1)
        self.split.setChildrenCollapsible(False)
        middle = QWidget()
        line = QHBoxLayout(middle)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        for widget in (self.desks, self.goods):
            line.addWidget(widget)
        line.addWidget(self.split, 1)
        line.addWidget(self.panels)
        whole = QWidget()
        box = QVBoxLayout(whole)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.strip)
        box.addWidget(middle, 1)
        box.addWidget(self._notice())
        self.setCentralWidget(whole)

    def _notice(self) -> QWidget:
        """A line at the bottom for what happened and what to do; nothing modal."""
        self.notice = QWidget()
        self.notice.setObjectName("notice")
        self.notice.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.notice_text = label("", "bar", 0, 500, wrap=True)
        line = QHBoxLayout(self.notice)
        line.setContentsMargins(14, 5, 8, 5)
        line.addWidget(self.notice_text, 1)
        line.addWidget(button("Close", self.notice.hide, "flat"))
        self.notice.hide()
        self._notice_timer = QTimer(self)
        self._notice_timer.setSingleShot(True)
        self._notice_timer.timeout.connect(self.notice.hide)
        return self.notice

    def _connect(self) -> None:
        s = self.session
        self.desks.chosen.connect(self.open_desk)
        self.strip.origin_asked.connect(self._origin_menu)
        self.strip.sheet_asked.connect(self._sheet_menu)
        self.strip.plan_asked.connect(self.plan)
        self.landing.desk_wanted.connect(self.open_desk)
        s.said.connect(self.say)
        s.working.connect(self._working)
        s.rested.connect(self._rested)
        s.landed.connect(self._landed)
        for signal in (s.changed, s.opened):
            signal.connect(self._kept)
        self._kept()

    # -- desks

    def open_desk(self, id_: str) -> None:
        """Open a desk: its panel, its pages, its view."""
        self._heights(id_)
        self.desk = id_
        self.desks.show_desk(id_)
        self.panels.setCurrentWidget(self.desk_panels[id_])
        self._share_width()
        pages: dict[str, list[tuple[str, QWidget]]] = {
            "intake": [("Contents", self.intake.page)],
            "surface": [("Roles", self.surface.roles), ("Bulk", self.surface.bulk), ("UV", self.surface.uv)],
            "motion": [("Band", self.motion.page), ("Joints", self.motion.joints), ("Curves", self.motion.curves)],
            "dispatch": [
                ("Names", self.dispatch.names),
                ("Package", self.dispatch.package),
                ("Docket", self.dispatch.docket),
            ],
            "landing": [("Log", self.landing.log_page)],
        }
        self.deck.show_pages(pages.get(id_, []), 1 if id_ in pages else 0)
        self.twin.set_landing(id_ == "landing")
        self.motion.set_open(id_ == "motion")
        self.landing.clips.set_open(id_ == "landing")
        self.bar.place()
        if id_ == "dispatch":
            self.dispatch.refresh()

    @property
    def player(self) -> Player:
        """What plays on the open desk."""
        return self.landing.clips.player if self.desk == "landing" else self.motion.player

    def _heights(self, id_: str) -> None:
        """Surface's tables want more room than a ledger; what a person makes of either is remembered."""
        kind, old = (d in ("surface", "motion") for d in (id_, self.desk))
        if kind == old:
            return
        self._deck_heights[old] = self.split.sizes()
        self.split.setSizes(self._deck_heights.get(kind, [340, 350] if kind else [470, 225]))

    def _landed(self, id_: str) -> None:
        log = self.session.logs.get(id_)
        if log is not None:
            asset = self.session.state.asset(id_)
            name = asset.name if asset else id_
            word = "accepted" if log.accepted else "refused"
            self.say(f"{name}: {word} by the landing, {log.refusals} refusals, {log.remarks} remarks.",
                     "note" if log.accepted else "held")  # fmt: skip

    # -- words

    def say(self, text: str, level: str) -> None:
        """Show a line at the bottom."""
        self.notice_text.setText(text)
        self.notice.show()
        self._notice_timer.start(4000 if level == "note" else 14000)

    def _kept(self) -> None:
        s = self.session
        if s.shipment is None:
            self.menus.kept.setText("no shipment open")
            self.setWindowTitle("Customs")
        else:
            self.menus.kept.setText(
                f"{s.shipment.path.stem}   ·   " + ("all changes kept" if s.shipment.writable else "reading only")
            )
            self.setWindowTitle(f"{s.shipment.path.stem} – Customs")
        undo, redo = (s.shipment.can_undo(), s.shipment.can_redo()) if s.shipment else ("", "")
        self.menus.undo.setText(f"Undo {undo}" if undo else "Undo")
        self.menus.undo.setEnabled(bool(undo))
        self.menus.redo.setText(f"Do again {redo}" if redo else "Do again")
        self.menus.redo.setEnabled(bool(redo))

    def _working(self, title: str, share: float, text: str) -> None:
        self.menus.kept.setText(f"{title} {text}  {share * 100:.0f} %")

    def _rested(self) -> None:
        self._kept()

    # -- menus of tickets

    def _origin_menu(self, place: QPoint) -> None:
        self.origin_menu().exec(place)

    def origin_menu(self) -> QMenu:
        """Origins to choose for the selected asset."""
        menu = QMenu(self)
        asset = self.session.asset
        entries: list[tuple[str, str]] = [
            ("", "As the file says"),
            *((k, o.title) for k, o in self.session.origins().items()),
        ]
        for id_, title in entries:
            action = QAction(title, menu)
            action.setCheckable(True)
            action.setChecked(asset is not None and asset.origin == id_)
            action.triggered.connect(
                lambda _=False, i=id_: self.session.set_origin(self.session.origins().get(i), [self.session.current])
            )
            menu.addAction(action)
        return menu

    def _sheet_menu(self, place: QPoint) -> None:
        self.sheet_menu().exec(place)

    def sheet_menu(self) -> QMenu:
        """Destinations to choose, and editing."""
        menu = QMenu(self)
        good, broken = read_sheets()
        for id_, sheet in good.items():
            ticket = f"{sheet.model.format.upper()}  ·  {sheet.ticket()}"
            entry = Choice(menu, sheet.title, ticket, sheet.summary, id_ == self.session.sheet.id)
            entry.triggered.connect(lambda _=False, i=id_: self.session.set_sheet(i))
            menu.addAction(entry)
        for id_, problem in broken.items():
            wrong = QAction(f"{id_}: {problem.found}", menu)
            wrong.setEnabled(False)
            menu.addAction(wrong)
        menu.addSeparator()
        copy = QAction("Copy this sheet and edit …", menu)
        copy.triggered.connect(lambda: self.edit_sheet(self.session.sheet.id))
        menu.addAction(copy)
        path = sheet_texts(sheets_folder()).get(self.session.sheet.id, ("", None))[1]
        mine = QAction("Edit this sheet …", menu)
        mine.setEnabled(path is not None)
        mine.triggered.connect(lambda: self.edit_sheet(self.session.sheet.id, path))
        menu.addAction(mine)
        return menu

    def edit_sheet(self, base: str, path: Path | None = None) -> SheetEditor:
        """Open the editor on a copy of `base`, or on a person's own sheet."""
        self.editor = SheetEditor(self.session, base, path)
        self.editor.show()
        return self.editor

    # -- shipments

    def new_shipment(self) -> None:
        """Start a new one."""
        name, _ = QFileDialog.getSaveFileName(self, "New shipment", "", "Shipments (*.customs)")
        if name:
            self.session.open(Path(name).with_suffix(".customs"), create=True)

    def choose_shipment(self) -> None:
        """Open one."""
        name, _ = QFileDialog.getOpenFileName(self, "Open shipment", "", "Shipments (*.customs)")
        if name:
            self.session.open(Path(name))

    def take_files(self) -> None:
        """Choose models and take them in with the chosen origin."""
        names, _ = QFileDialog.getOpenFileNames(self, "Take in files")
        if names:
            self.session.jobs.take_in([Path(n) for n in names], self.intake.chosen_origin())

    def plan(self) -> None:
        """Plan the route of the selected asset."""
        self.session.jobs.plan([self.session.current])

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if event is None or data is None:
            return
        paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()]
        event.acceptProposedAction()
        self.drop(paths)

    def drop(self, paths: list[Path]) -> None:
        """What was dropped: a shipment is opened, anything else taken in with the last origin."""
        if len(paths) == 1 and paths[0].suffix == ".customs":
            self.session.open(paths[0])
        elif paths:
            self.intake.look(paths)
            self.session.jobs.take_in(paths, self.intake.chosen_origin())

    # -- help

    def shortcuts(self) -> list[tuple[str, str]]:
        """(name, keys) of every action that has a shortcut."""
        return [(n, a.shortcut().toString()) for n, a in self.menus.actions.items() if not a.shortcut().isEmpty()]

    def show_shortcuts(self) -> QDialog:
        """The list of shortcuts, in a window of its own."""
        rows = "".join(f"<tr><td style='padding:2px 18px 2px 0'>{n}</td><td><b>{k}</b></td></tr>" for n, k in self.shortcuts())
        more = (
            "<p>In the view: drag turns, drag with the right button or Shift moves, the wheel comes nearer, a double "
            "click shows the whole asset.<br>On the route: Left and Right pick a stop, Space switches it off, Delete "
            "removes it.<br>In the ledger: Return presses the remedy of the row.</p>"
        )
        return self._dialog("Shortcuts", f"<table>{rows}</table>{more}", 480, 640)

    def show_about(self) -> QDialog:
        """What this is, and whose work is in it."""
        text = (
            f"<h3>Customs {__version__}</h3><p>Where an asset is put right, seen beside what it was, proved against the "
            "destination's rules and written down before it leaves.</p><p>Type: Barlow Semi Condensed, SIL Open Font "
            "License. Icons: Lucide, ISC License. Both licences lie beside the files.</p>"
        )
        return self._dialog("About Customs", text, 420, 220)

    def _dialog(self, title: str, html: str, width: int, height: int) -> QDialog:
        from PyQt6.QtWidgets import QTextBrowser

        dialog = QDialog(self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.setWindowTitle(title)
        dialog.resize(width, height)
        box = QVBoxLayout(dialog)
        text = QTextBrowser()
        text.setHtml(html)
        text.setFont(theme.font())
        box.addWidget(text)
        dialog.setModal(False)
        dialog.show()
        return dialog

    # -- paper and places

    def set_paper(self, choice: str) -> None:
        """Day, evening, or as the desktop; shown at the next look of each widget."""
        self.settings.setValue("paper", choice)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, wants_evening(choice))
        self.twin.refresh()
        for id_ in self.session.results:
            self.goods._evaluated(id_)
        self.landing.refresh()
        for widget in self.findChildren(QWidget):
            widget.update()

    def resizeEvent(self, event: object) -> None:
        self._share_width()

    def _share_width(self) -> None:
        wide = self.width() >= 1150
        self.goods.setFixedWidth(theme.span((250 if self.width() >= 1700 else 206) if wide else 156, WIDER))
        # Never narrower than what stands in any of them, so that nothing is cut off.
        need = max(panel.needed_width() for panel in self.desk_panels.values())
        self.panels.setFixedWidth(max(need, theme.span(PANEL_WIDTH if wide else NARROW_PANEL, WIDER)))
        QTimer.singleShot(0, self.bar.place)

    def showEvent(self, event: object) -> None:
        QTimer.singleShot(0, self._share_width)
        self.split.splitterMoved.connect(lambda *_: self.bar.place())

    def _restore(self) -> None:
        shape, deck = self.settings.value("shape"), self.settings.value("deck")
        if shape is not None:
            self.restoreGeometry(shape)
        if deck is not None:
            self.split.restoreState(deck)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.settings.setValue("shape", self.saveGeometry())
        self.settings.setValue("deck", self.split.saveState())
        if self.editor is not None:
            self.editor.close()
        self.surface.close_down()
        self.session.close()
        super().closeEvent(event)


def wants_evening(choice: str) -> bool:
    """True when the dark variant is to be used."""
    if choice != "desktop":
        return choice == "evening"
    hints = QGuiApplication.styleHints()
    return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
