"""What a desk is, and the registry of all desks: a new one is a folder that registers it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QWidget

from customs.registry import Registry
from customs_desktop.office import Office
from customs_desktop.player import Player
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.panel import Panel

Command = tuple[str, Callable[[], object], str]
"""Name, what it does, its shortcut or ""."""


class DeskPanel(Panel):
    """The panel of a desk, and what the window asks of it. Emits `desk_wanted` with the desk a person asks
    for, `view_changed` where another view is to be shown.
    """

    desk_wanted = pyqtSignal(str)
    view_changed = pyqtSignal()
    session: Office
    player: Player | None = None
    """What plays on this desk."""

    def pages(self) -> list[tuple[str, QWidget]]:
        """Pages of the lower deck beside the ledger."""
        return []

    @property
    def in_place(self) -> QWidget | None:
        """What the desk shows in the place of the twin view, None for the twin view itself."""
        return None

    def finish(self) -> None:  # type: ignore[override]
        """All sections are there."""
        s = self.session
        super().finish(s.changed, s.selected, s.seen, s.picked, s.opened)

    def open_rows(self) -> dict[str, str]:
        result, out = self.session.result, dict[str, str]()
        for r in result.ledger.open() if result is not None else ():
            out.setdefault(r.requirement, r.verdict)
        return out

    def subject(self) -> object:
        result = self.session.result
        return self.session.current, self.session.sheet.id, result is not None and result.judged

    _due = True

    def refresh(self, *_: object) -> None:
        """Show everything anew."""

    def follow(self, *signals: Any) -> None:
        """Show everything anew whenever one of these says so: at once while the desk is open, else when it is
        opened. A decision is not held up by what nobody sees.
        """
        for signal in signals:
            signal.connect(self._follow)

    def _follow(self, *_: object) -> None:
        self._due = not self.isVisible()
        if not self._due:
            self.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.arrange_soon()
        if self._due:
            self._due = False
            self.refresh()

    def opened(self) -> None:
        """The desk is open from here on."""

    def left(self) -> None:
        """Another desk is opened."""

    def close_down(self) -> None:
        """The window closes."""


@dataclass(frozen=True)
class Desk:
    """`panel` makes its panel when it is first asked for; `heights` are those of view and deck in a window of 800 pixels;
    `first` is the page that opens, 0 for the ledger. `commands` are what the menu Route has of it, each given the panel.
    `plays`: something can be played on it. `takes` is given the panel and paths that were brought to the window. Desks
    stand in the order of the work.
    """

    LEDGER: ClassVar[tuple[int, int]] = (470, 225)
    PAGES: ClassVar[tuple[int, int]] = (340, 350)

    id: str
    name: str
    icon: str
    order: int
    panel: Callable[[Office, TwinView], DeskPanel]
    heights: tuple[int, int] = LEDGER
    first: int = 0
    commands: tuple[tuple[str, Callable[[Any], object], str], ...] = ()
    plays: bool = False
    takes: Callable[[Any, Sequence[Path]], object] | None = None


DESKS = Registry[Desk]("the desks", "customs_desktop.desks", lambda desk: desk.order)
register = DESKS.add
