"""The section Regions: the opening of a level is chosen by its faces or edges, and another level joins it there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from customs.grounds.openings import Opening
from customs.picture.pick import Met
from customs.route.route import Stop
from customs.scene.model import Scene
from customs.shipment.state import Asset
from customs.work.mixing import source_of
from customs.work.regions import (
    STEP,
    Chosen,
    How,
    Measured,
    box_of,
    bring_level,
    joined_route,
    measured,
    stays,
    with_met,
)
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.desks.grounds.opening_overlay import OpeningOverlay
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.views.joined_rows import JoinedRows
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import (
    Chips,
    NameLabel,
    NumberField,
    button,
    combo,
    fill_combo,
    label,
    row,
    show_choice,
)
from customs_desktop.worker import Task

HOW = (("faces", "Faces"), ("edges", "Edges"))
OVERLAP = (("cut", "Cut away"), ("keep", "Keep"))
ASK = "Choose the opening: point at faces or edges on two sides of it."


class RegionTools(QWidget):
    """Openings are remembered by asset while the window is open; a join is a stop."""

    def __init__(self, session: Office, looking: Looking, twin: TwinView) -> None:
        super().__init__()
        self.session, self.looking, self.twin = session, looking, twin
        self.measured: dict[str, Measured] = {}
        self.overlay = OpeningOverlay()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.choose = button(
            "Choose opening", self._toggle, "", "", "Then point at its faces or edges in the right half"
        )
        self.choose.setCheckable(True)
        self.how = Chips(HOW, across=True)
        self.how.show_chosen("faces")
        box.addWidget(row(self.choose, self.how, 1))
        self.size = NameLabel(-0.5, 400, "soft")
        box.addWidget(self.size)
        self.flip = button(
            "Other way out", self._flip, "flat", "", "The region lies on the other side of the opening"
        )
        self.clear = button("Forget", self._forget, "flat", "", "Forget this opening")
        box.addWidget(row(self.flip, self.clear, 1))
        self.other = combo((), "Level that joins", lambda _: self.refresh())
        box.addWidget(self.other)
        self.theirs = NameLabel(-0.5, 400, "soft")
        self.go = button("Go there", self._go, "flat", "", "Show that level, to choose its opening")
        self.go.setFixedWidth(span(74, 0.5))
        box.addWidget(row(self.theirs, self.go))
        self.move_by = [NumberField(-1e5, 1e5, 3, f"Move {axis}") for axis in "XYZ"]
        self.turn = NumberField(-360, 360, 1, "Turn about up")
        for field in (*self.move_by, self.turn):
            field.setFixedWidth(span(52, 0.5))
            field.show_value(0.0)
            field.entered.connect(lambda _: self._placed())
        box.addWidget(row(label("Move m"), *self.move_by, 1))
        box.addWidget(row(label("Turn °"), self.turn, 1))
        self.overlap = Chips(OVERLAP, across=True)
        self.overlap.show_chosen("cut")
        self.overlap.chosen.connect(lambda how: self._set(overlap=how))
        box.addWidget(row(label("Overlap"), self.overlap, 1))
        self.apart = QCheckBox("A list of its own")
        self.apart.setToolTip("Where the destination takes lists, the region is one of its own")
        self.apart.clicked.connect(lambda on: self._set(apart=bool(on)))
        self.join = button("Join", self._join, "main", "", "Bring the other level here")
        box.addWidget(row(self.apart, 1, self.join))
        self.joined = JoinedRows(self._anew)
        box.addWidget(self.joined)
        looking.found.connect(self._found)
        looking.chosen.connect(self._pointed)

    # -- what is shown

    def said(self) -> str:
        """Its state in words."""
        stops = self._stops()
        if stops:
            return ", ".join(str(dict(s.values).get("name", "")) for s in stops)
        opening = self.opening(self.session.current)
        return opening.text() if opening is not None else ""

    def _stops(self) -> list[Stop]:
        asset = self.session.asset
        return [s for s in asset.stops if s.step == STEP] if asset is not None else []

    @property
    def stop(self) -> Stop | None:
        """The stop whose numbers are shown: of those of the chosen level the one looked at, or the last."""
        mine = [s for s in self._stops() if source_of(s) == self._other()]
        return next((s for s in mine if s.id == self.session.stop), mine[-1] if mine else None)

    def opening(self, id_: str) -> Opening | None:
        """The opening chosen of a level."""
        found = self.measured.get(id_)
        return found.opening if found is not None else None

    def _other(self) -> str:
        return str(self.other.currentData() or "")

    def refresh(self) -> None:
        """The level looked at, those that can join, the numbers of the stop."""
        goods = [(a.id, a.name) for a in self.session.state.goods if a.id != self.session.current]
        chosen = self._other()
        fill_combo(self.other, goods)
        show_choice(self.other, chosen)
        own, theirs = self.opening(self.session.current), self.opening(self._other())
        self.size.setText(f"Opening {own.text()}, leads {_way(own)}" if own is not None else ASK)
        self.theirs.setText(
            f"Its opening {theirs.text()}" if theirs is not None else "Its opening is not chosen: by numbers"
        )
        for part in (self.flip, self.clear):
            part.setVisible(self.session.current in self.measured)
        stop = self.stop
        if stop is not None:
            said = dict(stop.values)
            for field, value in zip(
                (*self.move_by, self.turn), (*said.get("move", (0, 0, 0)), said.get("turn", 0))
            ):
                if not field.hasFocus():
                    field.show_value(float(value))
            self.overlap.show_chosen(str(said.get("overlap", "cut")))
            self.apart.setChecked(bool(said.get("apart", False)))
        self.join.setEnabled(self._at_its_end(self._other()) is not None)
        self.joined.show_stops(self._stops(), self.session.state)
        self._show_opening()

    def _show_opening(self) -> None:
        self.overlay.opening = self.opening(self.session.current)
        self.overlay.scene = self.looking.scene
        if self.looking.open and self.twin.overlay is not self.overlay:
            self.twin.set_overlay(self.overlay)
        self.twin.update()

    # -- choosing

    def _toggle(self) -> None:
        self.looking.choosing = self.choose.isChecked()
        if self.choose.isChecked():
            self.session.said.emit(ASK, "note")

    def stop_choosing(self) -> None:
        """Pointing picks things again."""
        self.choose.setChecked(False)
        self.looking.choosing = False

    def _found(self) -> None:
        """The level is looked at anew: an opening chosen while it stood otherwise is one no longer."""
        known, scene = self.measured.get(self.session.current), self.looking.scene
        if known is not None and scene is not None and self.looking.ground is not None:
            if known.box != box_of(scene):
                self._forget()
                self.session.said.emit("The level stands otherwise now: choose its opening again.", "note")
        self.refresh()

    def _pointed(self, met: Met, place: Any) -> None:
        ground, known = self.looking.ground, self.measured.get(self.session.current)
        if ground is None:
            return
        had = known.chosen if known is not None else Chosen()
        how: How = "edges" if self.how.current() == "edges" else "faces"
        self._measure(lambda: with_met(had, ground, met, how, place))

    def _measure(self, choose: Callable[[], Chosen]) -> None:
        """Measured beside the window's work: all of a level may have to be looked at."""
        id_, scene = self.session.current, self.looking.scene
        if scene is None:
            return

        def done(found: Measured) -> None:
            self.measured[id_] = found
            if found.why and id_ == self.session.current:
                self.session.said.emit(f"Not an opening yet: {found.why}", "note")
            self.refresh()
            self.looking.changed.emit()

        self.session.worker.submit(
            Task(
                0, key="opening", title="Measuring the opening", run=lambda job: measured(choose(), scene), done=done,
                failed=self.session.fail, apart=True,
            )
        )  # fmt: skip

    def _flip(self) -> None:
        known = self.measured.get(self.session.current)
        if known is not None:
            self._measure(lambda: replace(known.chosen, other_way=not known.chosen.other_way))

    def _forget(self) -> None:
        self.measured.pop(self.session.current, None)
        self.refresh()
        self.looking.changed.emit()

    def _go(self) -> None:
        if self._other():
            self.session.select(self._other())

    # -- wishes

    def _at_its_end(self, id_: str) -> tuple[Asset, Scene] | None:
        asset, result = self.session.state.asset(id_), self.session.results.get(id_)
        scene = result.at(None) if result is not None else None
        return (asset, scene) if asset is not None and scene is not None else None

    def _values(self) -> dict[str, Any]:
        own, theirs = self.opening(self.session.current), self.opening(self._other())
        both = own is not None and theirs is not None
        return {
            "own": own.numbers if own is not None else (),
            "theirs": theirs.numbers if both and theirs is not None else (),
            "move": tuple(f.value() or 0.0 for f in self.move_by),
            "turn": self.turn.value() or 0.0,
            "overlap": self.overlap.current() or "cut",
            "apart": self.apart.isChecked(),
        }

    def _join(self) -> None:
        found, id_, values = self._at_its_end(self._other()), self.session.current, self._values()
        if found is None:
            return
        name, at, result, asset = found[0].name, self.session.stop, self.session.result, self.session.asset
        if result is None or asset is None:
            return
        route, passed = asset.route, result.passed
        theirs = self.measured.get(self._other()) if values["theirs"] else None
        self.stop_choosing()

        def done(brought: tuple[dict[str, Any], bool]) -> None:
            said, still = {**brought[0], **values}, brought[1]
            self.session.change_route(f"Join {name}", lambda r: joined_route(r, at, said, still), id_)

        self._bring(found, lambda values: (values, at is None and stays(route, passed)), done, theirs)

    def _bring(
        self,
        found: tuple[Asset, Scene],
        more: Callable[[dict[str, Any]], Any],
        done: Callable[[Any], object],
        theirs: Measured | None = None,
    ) -> None:
        """The snapshot, and what else has to be found for it, beside the window's own work: textures are packed, boxes measured."""
        shipment, (asset, scene) = self.session.shipment, found
        if shipment is not None:
            store = shipment.store
            self.session.worker.submit(
                Task(
                    0, key="bring level", title=f"Bringing {asset.name}",
                    run=lambda job: more(bring_level(store, asset, scene, theirs)), done=done, failed=self.session.fail, apart=True,
                )
            )  # fmt: skip

    def _anew(self, stop: Stop) -> None:
        found, id_ = self._at_its_end(source_of(stop)), self.session.current

        def done(brought: dict[str, Any]) -> None:
            self.session.change_route(
                "Take anew", lambda r: r.changed(stop.id, **brought).by_person(stop.id), id_
            )

        if found is not None:
            self._bring(found, lambda values: values, done)

    def _placed(self) -> None:
        values = self._values()
        self._set(move=values["move"], turn=values["turn"])

    def _set(self, **values: Any) -> None:
        if self.stop is not None:
            self.session.set_stop(self.stop.id, **values)
        self.refresh()


def _way(opening: Opening) -> str:
    """Where it leads, by the axis it points along most."""
    k = int(abs(opening.out).argmax())
    return f"{'−' if opening.out[k] < 0 else '+'}{'XYZ'[k]}"
