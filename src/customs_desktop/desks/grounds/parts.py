"""The section Parts: a level is delivered as several lists, where its destination takes lists."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from customs.words import many
from customs.work.fittings import settings_at, stop_of
from customs.work.grounds import key_of
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.office import Office
from customs_desktop.style.theme import font, span
from customs_desktop.widgets.basics import Chips, NumberField, button, empty, label, row

STEP = "parts"
BY = (("", "One"), ("kind", "By kind"), ("squares", "Squares"), ("picked", "Picked"))


class PartTools(QWidget):
    """How a level is split; picked things go into a part of a name."""

    def __init__(self, session: Office, looking: Looking) -> None:
        super().__init__()
        self.session, self.looking = session, looking
        self._told: tuple[tuple[str, int], ...] = ()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.by = Chips(BY, across=True)
        self.by.chosen.connect(self._split)
        box.addWidget(self.by)
        self.edge = NumberField(0.1, 1e6, 1, "Metres a square is wide")
        self.edge.setFixedWidth(span(58, 0.5))
        self.edge.entered.connect(lambda metres: self._set(by="squares", edge=metres))
        self.wide = row(label("Squares of"), self.edge, label("m"), 1)
        box.addWidget(self.wide)
        self.name = QLineEdit()
        self.name.setFont(font())
        self.name.setPlaceholderText("name of the part")
        self.name.setAccessibleName("Name of the part")
        self.name.returnPressed.connect(self.put)
        self.add = button("Put picked", self.put, "", "", "What is picked goes into the part of this name")
        self.hand = row(self.name, self.add)
        box.addWidget(self.hand)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(2)
        box.addLayout(self.rows)
        looking.found.connect(self.refresh)
        looking.changed.connect(self.refresh)

    def _said(self) -> Any:
        asset = self.session.asset
        there = asset is not None and stop_of(asset.route, STEP) is not None
        return settings_at(asset.route, STEP) if asset is not None and there else None

    def said(self) -> str:
        """Its state in words."""
        if self.session.sheet.grounds.form != "list":
            return "one file"
        scene = self.looking.scene
        count = len(scene.parts.words) if scene is not None else 0
        return f"{many(count, 'part')} and the rest" if count else "one list"

    def refresh(self) -> None:
        """What the stop says."""
        said, lists = self._said(), self.session.sheet.grounds.form == "list"
        by = said.by if said is not None else ""
        self.by.show_chosen(by)
        self.by.setEnabled(lists)
        self.wide.setVisible(lists and by == "squares")
        self.hand.setVisible(lists)
        self.add.setEnabled(bool(self.looking.picked))
        if said is not None and not self.edge.hasFocus():
            self.edge.show_value(said.edge)
        picked = said.picked if said is not None and by == "picked" else ()
        told = tuple((name, len(keys)) for name, keys in picked)
        if told == self._told:
            return
        self._told = told
        empty(self.rows)
        for name, count in told:
            gone = button("Take out", partial(self.take_out, name), "flat")
            self.rows.addWidget(row(label(f"{name} · {count}"), 1, gone))

    def _split(self, by: str) -> None:
        asset = self.session.asset
        stop = stop_of(asset.route, STEP) if asset is not None else None
        if by:
            self._set(by=by)
        elif stop is not None:
            self.session.change_route("One list", lambda r: r.removed(stop.id))
        self.refresh()

    def put(self) -> None:
        """What is picked goes into the part of the name typed; of that part it was in before, it leaves."""
        name, ground = self.name.text().strip(), self.looking.ground
        if ground is None or not self.looking.picked or not name:
            self.session.said.emit("Pick things in the view, and type the part's name.", "query")
            return
        keys = tuple(str(key_of(ground, t)) for t in self.looking.picked)
        said = self._said()
        had = {
            n: tuple(k for k in held if k not in keys)
            for n, held in (said.picked if said is not None else ())
        }
        had[name] = (*had.get(name, ()), *keys)
        self._set(by="picked", picked=tuple((n, k) for n, k in had.items() if k))

    def take_out(self, name: str) -> None:
        """A part is one no longer; its things go with the rest."""
        said = self._said()
        if said is not None:
            self._set(picked=tuple(p for p in said.picked if p[0] != name))

    def _set(self, **values: Any) -> None:
        self.session.set_step(STEP, **values)
        self.refresh()
