"""The menu bar: every command of the window with its shortcut."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import QLabel, QMenu

from customs_desktop.style import theme
from customs_desktop.views.desk_bar import DESKS
from customs_desktop.views.view_bar import SHADINGS

if TYPE_CHECKING:
    from customs_desktop.window import MainWindow


class Menus:
    """`actions` by name, `undo` and `redo` to be renamed, `kept` the words at the right end."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        bar = self.window.menuBar()
        assert bar is not None
        bar.setNativeMenuBar(False)
        bar.setFont(theme.font())
        name = QLabel("  CUSTOMS  ")
        name.setFont(theme.font(1, 700))
        name.setObjectName("barname")
        bar.setCornerWidget(name, Qt.Corner.TopLeftCorner)
        self.kept = QLabel("")
        self.kept.setObjectName("kept")
        self.kept.setFont(theme.font(-0.5))
        self.kept.setFixedWidth(430)
        self.kept.setFixedHeight(30)
        self.kept.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        bar.setCornerWidget(self.kept, Qt.Corner.TopRightCorner)
        self.actions: dict[str, QAction] = {}
        shipment = self._menu("Shipment")
        self._act(shipment, "New shipment …", self.window.new_shipment, "Ctrl+N")
        self._act(shipment, "Open shipment …", self.window.choose_shipment, "Ctrl+O")
        self._act(shipment, "Open the demo", self.window.session.open_demo, "Ctrl+Shift+D")
        shipment.addSeparator()
        self._act(shipment, "Take in files …", self.window.take_files, "Ctrl+I")
        self._act(shipment, "Look again at all goods", self.window.session.recheck, "F5")
        shipment.addSeparator()
        self._act(shipment, "Quit", self.window.close, "Ctrl+Q")
        edit = self._menu("Edit")
        self.undo = self._act(edit, "Undo", self.window.session.undo, "Ctrl+Z")
        self.redo = self._act(edit, "Do again", self.window.session.redo, "Ctrl+Shift+Z")
        self._view_menu(self._menu("View"))
        self._route_menu(self._menu("Route"))
        help_ = self._menu("Help")
        self._act(help_, "Shortcuts", self.window.show_shortcuts, "F1")
        self._act(help_, "About Customs", self.window.show_about, "")

    def _view_menu(self, menu: QMenu) -> None:
        for i, (id_, name, _) in enumerate(DESKS):
            self._act(menu, f"Desk {name}", lambda d=id_: self.window.open_desk(d), f"Alt+{i + 1}")
        menu.addSeparator()
        for key, (id_, name) in zip(("Ctrl+1", "Ctrl+2", "Ctrl+3"), (("twin", "Twin"), ("wipe", "Wipe"), ("ghost", "Ghost"))):
            self._act(menu, name, lambda m=id_: self.window.twin.set_mode(m), key)
        menu.addSeparator()
        for key, (id_, name) in zip(("Ctrl+4", "Ctrl+5", "Ctrl+6", "Ctrl+7", "Ctrl+Shift+7"), SHADINGS):
            self._act(menu, name, lambda m=id_: self.window.twin.set_look(shading=m), key)
        menu.addSeparator()
        for name, box, key in (("Wire", self.window.bar.wire, "Ctrl+8"), ("Ground grid", self.window.bar.grid, "Ctrl+9"),
                               ("Dimensions", self.window.bar.ruler, "Ctrl+0"), ("Standing figure", self.window.bar.figure, "Ctrl+Shift+F")):  # fmt: skip
            self._act(menu, name, box.click, key)
        menu.addSeparator()
        self._act(menu, "Whole asset", self.window.twin.frame, "Ctrl+Home")
        for name, values, key in (
            ("Turn left", {"yaw": -15.0}, "Ctrl+Left"), ("Turn right", {"yaw": 15.0}, "Ctrl+Right"),
            ("Look from higher", {"pitch": 10.0}, "Ctrl+Up"), ("Look from lower", {"pitch": -10.0}, "Ctrl+Down"),
            ("Nearer", {"zoom": 1.25}, "Ctrl+PgUp"), ("Farther", {"zoom": 0.8}, "Ctrl+PgDown"),
        ):  # fmt: skip
            self._act(menu, name, lambda v=values: self.window.twin.turn(**v), key)
        menu.addSeparator()
        variants = menu.addMenu("Paper")
        assert variants is not None
        group = QActionGroup(self.window)
        chosen = str(self.window.settings.value("paper", "desktop"))
        for id_, name in (("desktop", "As the desktop"), ("day", "Day"), ("evening", "Evening")):
            action = QAction(name, self.window)
            action.setCheckable(True)
            action.setChecked(id_ == chosen)
            action.triggered.connect(lambda _=False, p=id_: self.window.set_paper(p))
            group.addAction(action)
            variants.addAction(action)

    def _route_menu(self, menu: QMenu) -> None:
        s = self.window.session
        self._act(menu, "Plan route", self.window.plan, "Ctrl+P")
        self._act(menu, "Plan the routes of all goods", lambda: s.jobs.plan([a.id for a in s.state.goods]), "Ctrl+Shift+P")
        menu.addSeparator()
        self._act(menu, "Next open row", self.window.ledger.next_open, "F3")
        self._act(menu, "Go to the route", self.window.strip.setFocus, "F6")
        self._act(menu, "Go to the ledger", self.window.ledger.table.setFocus, "F7")
        self._act(menu, "Go to the goods", self.window.goods.list.setFocus, "F8")
        menu.addSeparator()
        self._act(menu, "Dispatch this one", self.window.dispatch._one, "Ctrl+D")
        self._act(menu, "Dispatch all that are cleared", self.window.dispatch._all, "Ctrl+Shift+Return")
        self._act(menu, "Stop what is running", s.cancel, "Ctrl+.")
        menu.addSeparator()
        self._act(menu, "Play or pause", lambda: self.window.player.toggle(), "Ctrl+Space")
        self._act(menu, "One frame on", lambda: self.window.player.step(1), "Ctrl+Shift+Right")
        self._act(menu, "One frame back", lambda: self.window.player.step(-1), "Ctrl+Shift+Left")
        self._act(menu, "Choose a donor …", self.window.motion.choose_donor, "")

    def _menu(self, name: str) -> QMenu:
        bar = self.window.menuBar()
        assert bar is not None
        menu = bar.addMenu(name)
        assert menu is not None
        return menu

    def _act(self, menu: QMenu, name: str, action: object, key: str) -> QAction:
        made = QAction(name, self.window)
        if key:
            made.setShortcut(QKeySequence(key))
        made.triggered.connect(lambda _=False: action())  # type: ignore[operator]
        menu.addAction(made)
        self.actions[name] = made
        return made
