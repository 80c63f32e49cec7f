"""The menu bar: every command of the window with its shortcut."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QActionGroup, QKeySequence
from PyQt6.QtWidgets import QLabel, QMainWindow, QMenu

from customs.preferences import keep_preferences, preferences
from customs_desktop.desk import Command
from customs_desktop.style import theme


class Menus:
    """`actions` by name; `kept` are the words at the right end."""

    def __init__(self, window: QMainWindow) -> None:
        self.window = window
        bar = window.menuBar()
        assert bar is not None
        self.bar = bar
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
        self.kept.setFixedHeight(theme.span(30))
        self.kept.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        bar.setCornerWidget(self.kept, Qt.Corner.TopRightCorner)
        self.actions: dict[str, QAction] = {}
        self.usual: dict[str, str] = {}
        """Keys as they are where a person has not said others."""
        self._keys = preferences().keys

    def menu(self, name: str, groups: Iterable[Sequence[Command]]) -> QMenu:
        """A menu of commands, a line between the groups."""
        menu = self.bar.addMenu(name)
        assert menu is not None
        for group in groups:
            if not menu.isEmpty() and group:
                menu.addSeparator()
            for command in group:
                self._act(menu, *command)
        return menu

    def choice(
        self,
        menu: QMenu,
        name: str,
        entries: Sequence[tuple[str, str]],
        chosen: str,
        choose: Callable[[str], object],
    ) -> None:
        """Below a line, one of several `entries` (id, name) to choose."""
        menu.addSeparator()
        inner = menu.addMenu(name)
        assert inner is not None
        group = QActionGroup(self.window)
        for id_, title in entries:
            action = QAction(title, self.window)
            action.setCheckable(True)
            action.setChecked(id_ == chosen)
            action.triggered.connect(lambda _=False, i=id_: choose(i))
            group.addAction(action)
            inner.addAction(action)

    def filled(self, name: str, before: str, fill: Callable[[QMenu], object]) -> None:
        """A menu inside, in front of the action `before`, filled each time it opens."""
        action = self.actions[before]
        holder = next(m for m in self.window.findChildren(QMenu) if action in m.actions())
        inner = QMenu(name, holder)
        inner.aboutToShow.connect(lambda: fill(inner))
        holder.insertMenu(action, inner)

    def taken(self, keys: QKeySequence, name: str) -> str:
        """The other command that has these keys, or ""."""
        return next(
            (n for n, a in self.actions.items() if n != name and a.shortcut() == keys and not keys.isEmpty()),
            "",
        )

    def set_keys(self, name: str, keys: str) -> None:
        """Other keys for a command, from now on and at the next start. Raises OSError."""
        mine = {k: v for k, v in preferences().keys.items() if k != name}
        if keys != self.usual[name]:
            mine[name] = keys
        keep_preferences(replace(preferences(), keys=mine))
        self.actions[name].setShortcut(QKeySequence(keys))

    def rename(self, name: str, text: str) -> None:
        """What an action says from now on, and whether it can be done: there is something after its name."""
        self.actions[name].setText(f"{name} {text}" if text else name)
        self.actions[name].setEnabled(bool(text))

    def _act(self, menu: QMenu, name: str, action: Callable[[], object], key: str) -> None:
        made = QAction(name, self.window)
        self.usual[name] = key
        made.setShortcut(QKeySequence(self._keys.get(name, key)))
        made.triggered.connect(lambda _=False: action())
        menu.addAction(made)
        self.actions[name] = made
