"""The window: one comparison, with the route over it and the ledger under it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QEvent, QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QHelpEvent
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QHBoxLayout,
    QMainWindow,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWhatsThis,
    QWidget,
)

from customs.work.places import config_folder
from customs_desktop.desk import DESKS, Desk, DeskPanel
from customs_desktop.guests import Guests
from customs_desktop.helping import Helping
from customs_desktop.menus import Menus
from customs_desktop.office import Office
from customs_desktop.panels import Panels
from customs_desktop.player import Player
from customs_desktop.preferences import PreferencesDialog
from customs_desktop.shipments import Shipments
from customs_desktop.style import theme
from customs_desktop.tickets import Tickets
from customs_desktop.tour import Tour
from customs_desktop.views.deck import Deck
from customs_desktop.views.desk_bar import DeskBar
from customs_desktop.views.foot import FootStrip
from customs_desktop.views.goods import GoodsPanel
from customs_desktop.views.ledger import LedgerView
from customs_desktop.views.route_strip import RouteStrip
from customs_desktop.views.twin import TwinView
from customs_desktop.views.view_bar import SHADINGS, ViewBar
from customs_desktop.widgets.basics import button, label

PANEL_WIDTH = 311
PAPERS = (("desktop", "As the desktop"), ("day", "Day"), ("evening", "Evening"))
TURNS = (
    ("Turn left", {"yaw": -15.0}, "Ctrl+Left"), ("Turn right", {"yaw": 15.0}, "Ctrl+Right"),
    ("Look from higher", {"pitch": 10.0}, "Ctrl+Up"), ("Look from lower", {"pitch": -10.0}, "Ctrl+Down"),
    ("Nearer", {"zoom": 1.25}, "Ctrl+PgUp"), ("Farther", {"zoom": 0.8}, "Ctrl+PgDown"),
)  # fmt: skip
WIDER = 0.55
"""Share by which the columns grow with the text: the rest is left to the view."""


class MainWindow(QMainWindow):
    """Puts the views together and connects menus, keys and drops."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Customs")
        self.setAcceptDrops(True)
        self.settings = QSettings(str(config_folder() / "window.ini"), QSettings.Format.IniFormat)
        self.desk = ""
        self.shipments = Shipments(session, self)
        self._deck_heights: dict[tuple[int, int], list[int]] = {}
        self._build()
        self.helping = Helping(session, self, self.deck, lambda: self.desk, self.shortcuts, self.tour.begin)
        self.tickets = Tickets(session, self)
        self.tickets.learn = self.guests.learn_from
        self._menus()
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
        self.strip, self.goods = RouteStrip(s), GoodsPanel(s)
        self.desks = DeskBar([(d.id, d.name, d.icon) for d in DESKS.all().values()])
        self.twin, self.ledger = TwinView(s), LedgerView(s)
        self.bar = ViewBar(self.twin)
        self.deck = Deck(self.ledger)
        self.panels = Panels(s, self.twin)
        self.panels.desk_wanted.connect(self.open_desk)
        self.panels.view_changed.connect(self._show_view)
        self.panels.made.connect(self._share_if_shown)
        self.views = QStackedWidget()
        self.views.addWidget(self.twin)
        self.split = QSplitter(Qt.Orientation.Vertical)
        self.split.addWidget(self.views)
        self.split.addWidget(self.deck)
        self.split.setHandleWidth(2)
        self.split.setSizes(list(Desk.LEDGER))
        self.split.setStretchFactor(0, 1)
        self.split.setChildrenCollapsible(False)
        self.guests = Guests(s, self.deck, self.split, self.goods.model.pictures.get)
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
        self.tour = Tour(s, self.open_desk, self.ledger.press_open)
        self.tour.left.connect(lambda: self.settings.setValue("tour", "seen"))
        box.addWidget(self.tour)
        box.addWidget(self._notice())
        self.foot = FootStrip(s)
        box.addWidget(self.foot)
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

    def _menus(self) -> None:
        s, twin, bar = self.session, self.twin, self.bar
        self.menus = menus = Menus(self)
        menus.menu("Shipment", (
            *self.shipments.commands,
            (("Preferences …", self.show_preferences, "Ctrl+,"),),
            (("Quit", self.close, "Ctrl+Q"),),
        ))  # fmt: skip
        menus.filled("Recent shipments", "Save a copy …", self.shipments.fill_recent)
        menus.menu("Edit", (
            (("Undo", s.undo, "Ctrl+Z"), ("Do again", s.redo, "Ctrl+Shift+Z"), ("History", self.guests.show_history, "Ctrl+H")),
            self.goods.hands.commands,
        ))  # fmt: skip
        view = menus.menu("View", (
            [(f"Desk {d.name}", lambda i=d.id: self.open_desk(i), f"Alt+{k}") for k, d in enumerate(DESKS.all().values(), 1)],
            [(m.capitalize(), lambda m=m: twin.set_mode(m), f"Ctrl+{k}") for k, m in enumerate(("twin", "wipe", "ghost"), 1)],
            [(name, lambda i=id_: twin.set_look(shading=i), key)
             for key, (id_, name) in zip(("Ctrl+4", "Ctrl+5", "Ctrl+6", "Ctrl+7", "Ctrl+Shift+7"), SHADINGS)],
            (("Wire", bar.wire.click, "Ctrl+8"), ("Ground grid", bar.grid.click, "Ctrl+9"),
             ("Dimensions", bar.ruler.click, "Ctrl+0"), ("Standing figure", bar.figure.click, "Ctrl+Shift+F")),
            (("Whole asset", twin.frame, "Ctrl+Home"),
             *((name, lambda v=values: twin.turn(**v), key) for name, values, key in TURNS)),
        ))  # fmt: skip
        menus.choice(view, "Paper", PAPERS, str(self.settings.value("paper", "desktop")), self.set_paper)
        menus.menu("Route", (
            (("Plan route", self.plan, "Ctrl+P"),
             ("Plan the routes of all goods", lambda: s.plans.plan([a.id for a in s.state.goods]), "Ctrl+Shift+P")),
            (("Next open row", self.ledger.next_open, "F3"), ("Go to the route", self.strip.setFocus, "F6"),
             ("Go to the ledger", self.ledger.table.setFocus, "F7"), ("Go to the goods", self.goods.list.setFocus, "F8")),
            self.guests.commands,
            *(
                [(name, lambda d=d, do=do: do(self.panel(d.id)), key) for name, do, key in d.commands]
                for d in DESKS.all().values()
            ),
            (("Play or pause", lambda: self.player.toggle(), "Ctrl+Space"),
             ("One frame on", lambda: self.player.step(1), "Ctrl+Shift+Right"),
             ("One frame back", lambda: self.player.step(-1), "Ctrl+Shift+Left")),
        ))  # fmt: skip
        menus.menu("Help", self.helping.commands)

    def _connect(self) -> None:
        s = self.session
        self.desks.chosen.connect(self.open_desk)
        self.strip.origin_asked.connect(lambda place: self.tickets.origin_menu().exec(place))
        self.strip.sheet_asked.connect(lambda place: self.tickets.sheet_menu().exec(place))
        self.strip.plan_asked.connect(self.plan)
        s.said.connect(self.say)
        s.landed.connect(self._landed)
        for signal in (s.changed, s.opened):
            signal.connect(self._kept)
        self._kept()

    # -- desks

    def panel(self, id_: str) -> DeskPanel:
        """The panel of a desk."""
        return self.panels.panel(id_)

    def open_desk(self, id_: str) -> None:
        """Open a desk: its panel, its pages, its view."""
        desk, panel = DESKS[id_], self.panel(id_)
        if self.desk and self.desk != id_:
            self.panel(self.desk).left()
            self._heights(DESKS[self.desk], desk)
        self.desk = id_
        self.desks.show_desk(id_)
        self.panels.setCurrentWidget(panel)
        self._share_if_shown()
        self.deck.show_pages(panel.pages(), desk.first)
        self._show_view()
        panel.opened()
        self.bar.place()

    def _show_view(self) -> None:
        """The view of the open desk, the twin view where it has none of its own."""
        view = self.panel(self.desk).in_place if self.desk else None
        if view is not None and self.views.indexOf(view) < 0:
            self.views.addWidget(view)
        self.views.setCurrentWidget(view or self.twin)

    def _heights(self, old: Desk, new: Desk) -> None:
        """Tables want more room than a ledger; what a person makes of either is remembered for all desks of
        the kind.
        """
        if old.heights != new.heights:
            self._deck_heights[old.heights] = self.split.sizes()
            self.split.setSizes(self._deck_heights.get(new.heights, list(new.heights)))

    @property
    def player(self) -> Player:
        """What plays on the open desk, else on the first that plays anything."""
        return self.panels.player(self.desk)

    def _landed(self, id_: str) -> None:
        log = self.session.logs.get(id_)
        if log is not None:
            asset = self.session.state.asset(id_)
            name = asset.name if asset else id_
            word = "accepted" if log.accepted else "refused"
            self.say(
                f"{name}: {word} by the landing, {log.refusals} refusals, {log.remarks} remarks.",
                "note" if log.accepted else "held",
            )

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
                f"{s.shipment.path.stem}   ·   "
                + ("all changes kept" if s.shipment.writable else "reading only")
            )
            self.setWindowTitle(f"{s.shipment.path.stem} – Customs")
        self.menus.rename("Undo", s.shipment.can_undo() if s.shipment else "")
        self.menus.rename("Do again", s.shipment.can_redo() if s.shipment else "")

    # -- shipments

    def plan(self) -> None:
        """Plan the route of the selected asset."""
        self.session.plans.plan([self.session.current])

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
        self.shipments.drop(paths)

    def offer_tour(self) -> None:
        """At the first start: whether it is wanted; whoever has answered is not asked again."""
        if self.settings.value("tour") is None:
            self.tour.offer()

    # -- help

    def event(self, event: QEvent | None) -> bool:
        """What is pointed at and asked about is explained by the guide."""
        if event is not None and event.type() == QEvent.Type.QueryWhatsThis:
            return True
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.WhatsThis:
            QWhatsThis.leaveWhatsThisMode()
            self.helping.explain(QApplication.widgetAt(event.globalPos()))
            return True
        return super().event(event)

    def shortcuts(self) -> list[tuple[str, str]]:
        """(name, keys) of every action that has a shortcut."""
        return [
            (n, a.shortcut().toString()) for n, a in self.menus.actions.items() if not a.shortcut().isEmpty()
        ]

    def show_preferences(self) -> QDialog:
        """What a person prefers on this machine."""
        paper = str(self.settings.value("paper", "desktop"))
        dialog = PreferencesDialog(self, self.menus, PAPERS, paper, self.set_paper)
        dialog.show()
        return dialog

    # -- paper and places

    def set_paper(self, choice: str) -> None:
        """Day, evening, or as the desktop; shown at the next look of each widget."""
        self.settings.setValue("paper", choice)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, theme.wants_evening(choice))
        self.twin.refresh()
        self.goods.draw_again()
        for panel in self.panels.there.values():
            panel.refresh()
        for widget in self.findChildren(QWidget):
            widget.update()

    def resizeEvent(self, event: object) -> None:
        self._share_width()

    def _share_width(self) -> None:
        wide = self.width() >= 1150
        self.goods.setFixedWidth(theme.span((250 if self.width() >= 1700 else 206) if wide else 156, WIDER))
        # Never narrower than what stands in any of them, so that nothing is cut off.
        need = self.panels.needed_width()
        self.panels.setFixedWidth(max(need, theme.span(PANEL_WIDTH, WIDER)))
        QTimer.singleShot(0, self.bar.place)

    def _share_if_shown(self) -> None:
        """Before that the first resizing does it: what all panels need takes a while to be told."""
        if self.isVisible():
            self._share_width()

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
        self.tickets.close()
        self.panels.close_down()
        self.session.close()
        super().closeEvent(event)
