"""The panels of the desks, one over the other; each is made when it is first asked for."""

from __future__ import annotations

import threading

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget

from customs_desktop.desk import DESKS, DeskPanel
from customs_desktop.office import Office
from customs_desktop.player import Player
from customs_desktop.ready import import_soon
from customs_desktop.views.twin import TwinView

PAUSE = 20
"""Milliseconds between two panels that are made before anybody asks for them."""


class Panels(QStackedWidget):
    """`there` are those that are made, by desk. Emits `made` for each, `desk_wanted` and `view_changed` as they do."""

    made = pyqtSignal()
    desk_wanted = pyqtSignal(str)
    view_changed = pyqtSignal()

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session, self.twin = session, twin
        self.there: dict[str, DeskPanel] = {}
        self._closed = False
        self._imports: threading.Thread | None = None
        for desk in DESKS.all().values():
            if desk.takes is not None:
                session.arrived.connect(lambda paths, d=desk: d.takes(self.panel(d.id), paths))

    def panel(self, id_: str) -> DeskPanel:
        """The panel of a desk."""
        if id_ not in self.there:
            panel = self.there[id_] = DESKS[id_].panel(self.session, self.twin)
            self.addWidget(panel)
            panel.desk_wanted.connect(self.desk_wanted)
            panel.view_changed.connect(self.view_changed)
            self.made.emit()
        return self.there[id_]

    def furnish(self) -> None:
        """Import what is asked for later, and make those nobody has asked for yet, one after the other, whenever nothing else
        is to be done.
        """
        self._imports = self._imports or import_soon()
        waiting = [d for d in DESKS.all() if d not in self.there]
        if waiting and not self._closed:
            if not self._imports.is_alive():
                self.panel(waiting[0])
            QTimer.singleShot(PAUSE, self.furnish)

    def player(self, open_: str) -> Player:
        """What plays on the desk that is open, else on the first that plays anything."""
        of = (self.panel(d).player for d in (open_, *(d.id for d in DESKS.all().values() if d.plays)))
        return next(p for p in of if p is not None)

    def needed_width(self) -> int:
        """Pixels that show everything in any of them from side to side."""
        return max((panel.needed_width() for panel in self.there.values()), default=0)

    def close_down(self) -> None:
        """The window closes."""
        self._closed = True
        for panel in self.there.values():
            panel.close_down()
