"""What joined an asset from other goods, and whether those have gone on since."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from customs.later import later
from customs.route.route import Stop
from customs.shipment.state import State
from customs_desktop.widgets.basics import button, empty, label, row
from customs_desktop.widgets.marks import Mark

mixing = later("customs.work.mixing")


class JoinedRows(QWidget):
    """A row for each stop that brings something; `anew` brings it as it is now."""

    def __init__(self, anew: Callable[[Stop], object]) -> None:
        super().__init__()
        self.anew = anew
        self._told: tuple[object, ...] = (None,)
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(0, 0, 0, 0)
        self.rows.setSpacing(2)

    def show_stops(self, stops: Sequence[Stop], state: State) -> None:
        """The stops there are that bring anything."""
        mine = [s for s in stops if dict(s.values).get("part")]
        told = (*mine, *(mixing.standing_of(s, state) for s in mine))
        if told == self._told:
            return
        self._told = told
        empty(self.rows)
        for stop in mine:
            standing = mixing.standing_of(stop, state)
            anew = button("Take anew", lambda s=stop: self.anew(s), "flat", "", "Bring it as it is now")
            anew.setVisible(standing not in (mixing.AS_IT_WAS, mixing.GONE))
            mark = Mark("cleared" if standing == mixing.AS_IT_WAS else "query")
            text = f"{dict(stop.values)['name']}: {standing}"
            self.rows.addWidget(row(mark, label(text, "", -0.5), 1, anew))
