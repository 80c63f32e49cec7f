"""The section Measure: figures taken in the view, kept with the asset, told in the docket if wished."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtWidgets import QCheckBox, QWidget

from customs.scene.notes import KINDS, POINTS, Kind, Note
from customs.work.measuring import face_number, measured, nearest_corner, place_at, standing_at
from customs_desktop.desks.fit.by_hand import column
from customs_desktop.views.handwork import PLACED, Handwork
from customs_desktop.widgets.basics import Chips, button, empty, label, row

if TYPE_CHECKING:
    from customs.picture.pick import Met

HINTS = {
    "distance": "Point at two places.",
    "edge": "Point near an edge.",
    "angle": "Point at three places; the angle is at the second.",
    "thickness": "Point at a place: measured straight through.",
}
NO_FIGURE = {
    "distance": "There is nothing between them.",
    "edge": "There is no edge here.",
    "angle": "Two of the places are one: there is no angle.",
    "thickness": "Nothing lies behind it: there is no thickness here.",
}
NEAR = 0.012
"""How near a corner has to lie to be taken, as a share of how far the eye is."""


class MeasureTools(QWidget):
    """Places pointed at make a note once there are as many as its kind needs."""

    def __init__(self, work: Handwork) -> None:
        super().__init__()
        self.work, self.session = work, work.session
        self.places: list[np.ndarray] = []
        box = column(self)
        self.kinds = Chips(KINDS)
        self.kinds.show_chosen("distance")
        self.kinds.chosen.connect(lambda _: self._anew())
        box.addWidget(self.kinds)
        self.on = button("Measure", self._point, "chip", "", "Point at places in the right half")
        self.on.setCheckable(True)
        self.corners = QCheckBox("Take corners that are near")
        self.corners.setChecked(True)
        box.addWidget(row(self.on, self.corners, 1))
        self.hint = label("", "soft", -0.5, wrap=True)
        box.addWidget(self.hint)
        self.notes = QWidget()
        self.lines = column(self.notes)
        box.addWidget(self.notes)
        self._shown: tuple[object, ...] = (None,)
        self.session.met.connect(self._met)
        work.changed.connect(self._turned)
        self.refresh()

    @property
    def kind(self) -> Kind:
        """What is measured."""
        return next((k for k, _ in KINDS if self.kinds.buttons[k].isChecked()), "distance")

    def said(self) -> str:
        """Its state in words."""
        asset = self.session.asset
        return f"{len(asset.notes)} kept" if asset is not None and asset.notes else ""

    def refresh(self) -> None:
        """The notes of the asset, in the list and over the view."""
        asset, axes = self.session.asset, self.session.sheet.axes
        notes = asset.notes if asset is not None else ()
        self.hint.setText(HINTS[self.kind] if self.on.isChecked() else "")
        self.hint.setVisible(self.on.isChecked())
        self._over_view(notes)
        shown = (asset.id if asset is not None else "", notes, axes.unit_name)
        if shown == self._shown:
            return
        self._shown = shown
        empty(self.lines)
        for k, note in enumerate(notes):
            told = QCheckBox("In docket")
            told.setChecked(note.told)
            told.toggled.connect(lambda on, k=k: self._change(k, on))
            text = f"{dict(KINDS)[note.kind]}  {note.text(axes.metres_per_unit, axes.unit_name)}"
            self.lines.addWidget(row(label(text, "", -0.5), 1, told, button("Remove", lambda k=k: self._drop(k), "flat")))  # fmt: skip

    def _over_view(self, notes: tuple[Note, ...]) -> None:
        axes = self.session.sheet.axes
        lines = (
            [(n.points, n.text(axes.metres_per_unit, axes.unit_name)) for n in notes]
            if self.work.open
            else []
        )
        if self.work.open and self.places:
            lines.append((tuple(tuple(p.tolist()) for p in self.places), ""))
        if lines != self.work.twin.lines:
            self.work.twin.lines = lines
            self.work.twin.update()

    def let_go(self) -> None:
        """Measure no more."""
        if self.work.pointing == "measure":
            self.work.point("")
        self.places = []
        self.refresh()

    def _point(self) -> None:
        self.work.point("measure" if self.on.isChecked() else "")
        self._anew()

    def _turned(self) -> None:
        """Pointing does something else now."""
        on = self.work.pointing == "measure"
        if on != self.on.isChecked():
            self.on.setChecked(on)
            self._anew()

    def _anew(self) -> None:
        self.places = []
        self.refresh()

    def _met(self, found: Met | None) -> None:
        where, chooser = self.work.pointed_by("measure"), self.work.chooser
        if where is None or found is None or chooser is None:
            return
        names = {str(found.prim.key)}
        whole = standing_at(chooser.scene, chooser.whole, names, found.key)
        face = face_number(whole, names, found.face) if whole is not None else None
        if whole is None or face is None:
            self.session.said.emit(PLACED, "query")
            return
        place = place_at(whole, face, where.orbit, where.size, where.x, where.y)
        if place is None:
            return
        if self.corners.isChecked() and self.kind in ("distance", "angle"):
            place = nearest_corner(whole, place, NEAR * where.orbit.distance)
        self.places.append(place)
        if len(self.places) >= POINTS[self.kind]:
            note = measured(whole, self.kind, self.places, face)
            self.places = []
            if note is None:
                self.session.said.emit(NO_FIGURE[self.kind], "query")
            else:
                self.session.change_asset("Measure", lambda a: replace(a, notes=(*a.notes, note)))
        self.refresh()

    def _change(self, k: int, told: bool) -> None:
        self.session.change_asset(
            "Note in the docket", lambda a: replace(a, notes=tuple(replace(n, told=told) if i == k else n for i, n in enumerate(a.notes)))
        )  # fmt: skip

    def _drop(self, k: int) -> None:
        self.session.change_asset(
            "Take a note away", lambda a: replace(a, notes=tuple(n for i, n in enumerate(a.notes) if i != k))
        )
