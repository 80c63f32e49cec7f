"""The desk Fit: size against a yardstick, direction, footing, stops."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QGridLayout, QInputDialog, QLineEdit, QMenu, QVBoxLayout, QWidget

from customs.conventions.axes import AXES
from customs.conventions.fit import METRE_CUBE, STANDING_FIGURE, Proposal, proposals
from customs.conventions.origin import Origin
from customs.errors import CustomsError
from customs.route.route import Stop
from customs.route.step import step_of, steps
from customs.route.steps.fit.arrive import arriving
from customs.work.measure import measure
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.fit.sections import ByHand
from customs_desktop.office import Office
from customs_desktop.views.settings_form import SettingsForm
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import (
    Chips,
    NameLabel,
    NumberField,
    button,
    combo,
    empty,
    label,
    row,
    show_choice,
)

FOOTINGS = (("base-centre", "Base centre"), ("box-centre", "Box centre"), ("mass-centre", "Mass centre"),
            ("as-received", "As received"), ("point", "Point …"))  # fmt: skip
AXIS_NAMES = [(a, a.replace("-", "−")) for a in AXES]


class FitPanel(DeskPanel):
    """Every field is a setting of Arrive, Scale, Footing, or of the picked stop."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__("Fit", "size, direction, footing")
        self.session = session
        self.yardstick = "figure"
        self._shown_stop: Stop | None = None
        self._others: list[tuple[str, str]] = []
        self._proposed: list[Proposal] = []
        self.nothing = label("", "soft", wrap=True)
        self.add(self.nothing)
        self._size()
        self._direction()
        self._footing()
        self.by_hand = ByHand(self, session, twin)
        self._stop_section()
        self._keep()
        self.finish()
        self.follow(session.changed, session.selected, session.seen, session.picked, session.opened)
        session.evaluated.connect(lambda id_: self._follow() if id_ == self.yardstick else None)
        self.refresh()

    # -- building

    def _size(self) -> None:
        self.section(
            "SIZE AGAINST A YARDSTICK", self._size_said, ("size-plausible", "size-bounds", "unit-stated")
        )
        self.received = NumberField(1e-9, 1e12, 3, "Received height")
        self.received.setReadOnly(True)
        self.unit = label("", "soft")
        self.stick = combo(
            (("figure", "Standing figure"), ("cube", "Metre cube")), "Yardstick", self._yardstick
        )
        self.scale = NumberField(1e-9, 1e9, 4, "Scale")
        self.scale.entered.connect(lambda v: self.session.set_step("scale", factor=v))
        grid = QWidget()
        box = QGridLayout(grid)
        box.setContentsMargins(0, 0, 0, 0)
        box.setVerticalSpacing(5)
        for i, (text, field, tail) in enumerate(
            (
                ("Received height", self.received, self.unit),
                ("Yardstick", self.stick, None),
                ("Scale", self.scale, None),
            )
        ):
            box.addWidget(label(text), i, 0)
            wide = field is self.stick
            box.addWidget(field, i, 1, 1, 2 if wide else 1)
            if tail is not None:
                box.addWidget(tail, i, 2)
        box.setColumnStretch(2, 1)
        self.add(grid)
        self.card = QWidget()
        self.card.setObjectName("card")
        self.card_box = QVBoxLayout(self.card)
        self.card_box.setContentsMargins(9, 7, 9, 7)
        self.card_box.setSpacing(3)
        self.add(self.card)

    def _direction(self) -> None:
        self.section("DIRECTION", self._direction_said, ("axes-stated", "format-axes", "mirrored"))
        grid = QWidget()
        box = QGridLayout(grid)
        box.setContentsMargins(0, 0, 0, 0)
        box.setVerticalSpacing(5)
        hands = (("right", "right"), ("left", "left"))
        self.up = combo(AXIS_NAMES, "Up in the file", lambda a: self._arrive(up=a))
        self.faces = combo(AXIS_NAMES, "Faces in the file", lambda a: self._arrive(faces=a))
        self.hand = combo(hands, "Handedness of the file", lambda a: self._arrive(hand=a))
        self.targets = [label("", "", 0, 500) for _ in range(3)]
        for i, (text, field) in enumerate((("Up", self.up), ("Faces", self.faces), ("Handed", self.hand))):
            box.addWidget(label(text), i, 0)
            box.addWidget(field, i, 1)
            box.addWidget(label("→", "soft"), i, 2)
            box.addWidget(self.targets[i], i, 3)
        self.add(grid)
        turns = [button(f"{axis} +90°", lambda i=i: self._quarter(i), "chip") for i, axis in enumerate("XYZ")]
        self.add(row(label("Turn"), *turns, 1))

    def _footing(self) -> None:
        self.section("FOOTING", self._footing_said, ("footing",))
        self.chips = Chips(FOOTINGS)
        self.chips.chosen.connect(self._foot)
        self.add(self.chips)

    def opened(self) -> None:
        self.by_hand.opened()

    def left(self) -> None:
        self.by_hand.left()

    def _stop_section(self) -> None:
        self.section("PICKED STOP", lambda: self.stop_title.text())
        self.stop_title = NameLabel(0.5, 600)
        self.add_stop = button("Add a stop …", self._add_menu, "", "plus")
        self.add(row(self.stop_title, self.add_stop))
        self.stop_holder = QWidget()
        self.stop_box = QVBoxLayout(self.stop_holder)
        self.stop_box.setContentsMargins(0, 0, 0, 0)
        self.add(self.stop_holder)

    def _keep(self) -> None:
        self.name = QLineEdit()
        self.section("KEEP FOR THIS ORIGIN", self.name.text)
        self.keep_about = label("", "soft", -0.5, wrap=True)
        self.add(self.keep_about)
        self.name.setPlaceholderText("name of the origin")
        self.name.setAccessibleName("Name of the origin")
        self.add(self.name)
        self.add(
            row(
                button("Keep for origin", self._keep_origin, "main"),
                button("Copy turn and scale", self._all_of_origin),
                1,
            )
        )

    # -- in words

    def _size_said(self) -> str:
        height = self.session.result.at(None) if self.session.result is not None else None
        return f"{measure(height).height:.3f} m high" if height is not None else ""

    def _direction_said(self) -> str:
        return f"{self.up.currentText()} up, faces {self.faces.currentText()}"

    def _footing_said(self) -> str:
        return next((name.lower() for id_, name in FOOTINGS if self.chips.buttons[id_].isChecked()), "")

    # -- keeping up

    def refresh(self, *_: object) -> None:
        """Show the selected asset's settings."""
        asset, result = self.session.asset, self.session.result
        readable = asset is not None and (result is None or result.taken is not None)
        self.setEnabled(readable)
        for part in self.folds:
            part.setVisible(readable)
        self.nothing.setVisible(not readable)
        if asset is None or not readable:
            what = (
                "Nothing is taken in yet."
                if asset is None
                else f"{asset.name} cannot be read: the ledger says why."
            )
            self.nothing.setText(what)
            return
        self._show_stop()
        self.by_hand.refresh()
        axes = self.session.sheet.axes
        for shown, text in zip(self.targets, (axes.up, axes.faces, axes.hand)):
            shown.setText(text.replace("-", "−"))
        footing = asset.route.of_step("footing")
        self.chips.show_chosen(
            str(dict(footing.values).get("kind", "base-centre")) if footing else "as-received"
        )
        scale = asset.route.of_step("scale")
        self.scale.show_value(float(dict(scale.values).get("factor", 1.0)) if scale else 1.0)
        origin = self.session.origins().get(asset.origin)
        self.name.setText(origin.title if origin else f"{asset.name} workshop")
        self.keep_about.setText(
            f"Use this turn, scale and footing for every asset that arrives from “{self.name.text()}”."
        )
        if result is not None and result.taken is not None:
            self._show_size(result)

    def _show_size(self, result: Any) -> None:
        source = arriving(result.taken.scene, result.passed[0].stop.settings)
        for field, value in ((self.up, source.up), (self.faces, source.faces), (self.hand, source.hand)):
            show_choice(field, value)
        height = measure(result.passed[0].scene).height
        if height <= 0:
            return
        unit = source.metres_per_unit
        self.received.show_value(height / unit)
        self.unit.setText({0.01: "cm", 0.0254: "in", 1.0: "m", 0.001: "mm"}.get(unit, "units"))
        self._show_proposals(proposals(height, self._stick_height()))

    def _stick_height(self) -> float:
        if self.yardstick in ("figure", "cube"):
            return STANDING_FIGURE if self.yardstick == "figure" else METRE_CUBE
        other = self.session.results.get(self.yardstick)
        scene = other.at(None) if other else None
        return (measure(scene).height if scene is not None else 0.0) or STANDING_FIGURE

    def _show_proposals(self, ranked: list[Proposal]) -> None:
        others = [(a.id, a.name) for a in self.session.state.goods if a.id != self.session.current]
        if others != self._others:
            self._others, chosen = others, self.yardstick
            while self.stick.count() > 2:
                self.stick.removeItem(2)
            for id_, name in others:
                self.stick.addItem(name, id_)
            show_choice(self.stick, chosen)
        if ranked == self._proposed:
            return
        self._proposed = ranked
        empty(self.card_box)
        for p in [*ranked[:2], *ranked[-1:]]:
            text = f"× {p.factor:.4g} → {p.height:.3f} m, {p.share * 100:.1f} %"
            use = button("Use", lambda f=p.factor: self.session.set_step("scale", factor=f), "flat")
            use.setToolTip(p.text())
            self.card_box.addWidget(row(label(text, "", -0.5), 1, use))
            self.card_box.addWidget(label(p.reason, "soft", -1))

    def _show_stop(self) -> None:
        asset = self.session.asset
        on = [s for s in asset.stops if s.on] if asset else []
        stop = next((s for s in on if s.id == self.session.stop), on[-1] if on else None)
        if stop == self._shown_stop:
            return
        self._shown_stop = stop
        empty(self.stop_box)
        if stop is None:
            self.stop_title.setText("")
            return
        self.stop_title.setText(f"{step_of(stop.step).name}  ·  {stop.id}")
        self.stop_box.addWidget(SettingsForm(self.session, stop))

    # -- wishes

    def _yardstick(self, id_: str) -> None:
        self.yardstick = id_
        self.refresh()

    def _arrive(self, **values: Any) -> None:
        asset, result = self.session.asset, self.session.result
        if asset is None or result is None or result.taken is None:
            return
        source = arriving(result.taken.scene, result.passed[0].stop.settings)
        axes = {"up": source.up, "faces": source.faces, "hand": source.hand} | values
        if axes["up"][1] == axes["faces"][1]:
            free = next(a for a in AXES if a[1] != axes["up"][1])
            axes["faces" if "up" in values else "up"] = free
        self.session.set_stop(asset.stops[0].id, stated="person", **axes)

    def _quarter(self, axis: int) -> None:
        asset = self.session.asset
        if asset is None:
            return
        stop = asset.route.of_step("turn")
        old = tuple(dict(stop.values).get("degrees", (0.0, 0.0, 0.0))) if stop else (0.0, 0.0, 0.0)
        new = tuple((d + (90.0 if i == axis else 0.0)) % 360 for i, d in enumerate(old))
        self.session.set_step("turn", degrees=new)

    def _foot(self, kind: str) -> None:
        if kind == "point":
            text, given = QInputDialog.getText(self, "Footing", "Point in metres: x y z", text="0 0 0")
            numbers = [float(w) for w in text.split() if _number(w)]
            if given and len(numbers) == 3:
                self.session.set_step("footing", kind="point", point=tuple(numbers))
            self.refresh()
            return
        self.session.set_step("footing", kind=kind)

    def _add_menu(self) -> None:
        menu = QMenu(self)
        for step in steps().values():
            if not step.fixed:
                action = menu.addAction(step.name)
                assert action is not None
                action.setToolTip(step.about)
                action.triggered.connect(lambda _=False, s=step.id: self._add(s))
        menu.setToolTipsVisible(True)
        menu.exec(self.add_stop.mapToGlobal(self.add_stop.rect().bottomLeft()))

    def _add(self, step: str) -> None:
        self.session.change_route("Add a stop", lambda r: r.added(step, {}, by="person"))
        asset = self.session.asset
        stop = asset.route.of_step(step) if asset else None
        if stop is not None:
            self.session.pick(stop.id)

    def as_origin(self) -> Origin | None:
        """What the selected asset was found to need, as an origin."""
        asset, result = self.session.asset, self.session.result
        if asset is None or result is None or result.taken is None:
            return None
        source = arriving(result.taken.scene, result.passed[0].stop.settings)
        title = self.name.text().strip() or "Workshop"
        slug = "".join(c if c.isalnum() else "-" for c in title.lower()).strip("-")
        turn, scale, footing = (asset.route.of_step(s) for s in ("turn", "scale", "footing"))
        first = dict(asset.stops[0].values)
        degrees = np.array(first.get("turn", (0, 0, 0)), dtype=float)
        degrees = degrees + np.array(
            dict(turn.values).get("degrees", (0, 0, 0)) if turn else (0, 0, 0), dtype=float
        )
        try:
            return Origin(
                id="-".join(p for p in slug.split("-") if p) or "workshop",
                title=title,
                up=source.up,
                faces=source.faces,
                hand=source.hand,
                metres_per_unit=source.metres_per_unit,
                front=source.front,
                green=source.green,
                turn=(float(degrees[0] % 360), float(degrees[1] % 360), float(degrees[2] % 360)),
                scale=float(first.get("scale", 1.0))
                * (float(dict(scale.values).get("factor", 1.0)) if scale else 1.0),
                footing=dict(footing.values).get("kind", "base-centre") if footing else "as-received",
            )
        except (CustomsError, ValueError) as problem:
            self.session.said.emit(str(problem), "held")
            return None

    def _keep_origin(self) -> None:
        origin = self.as_origin()
        asset = self.session.asset
        if origin is None or asset is None:
            return
        # What the origin now does at Arrive would otherwise be done twice.
        mine = tuple(s for s in asset.stops if s.step not in ("turn", "scale"))
        self.session.change_asset("Into the origin", lambda a: replace(a, stops=mine))
        self.session.keep_origin(origin)

    def _all_of_origin(self) -> None:
        """Bring this asset's origin to all goods that arrive from the same one."""
        asset = self.session.asset
        if asset is None:
            return
        same = [a.id for a in self.session.state.goods if a.origin == asset.origin and a.id != asset.id]
        if not same:
            self.session.said.emit("No other goods arrive from this origin.", "note")
            return
        names = ("turn", "scale", "footing")
        stops = [s for s in asset.stops if s.step in names]

        def change(state):  # type: ignore[no-untyped-def]
            for a in state.goods:
                if a.id in same:
                    route = replace(a, stops=tuple(s for s in a.stops if s.step not in names)).route
                    for s in stops:
                        route = route.added(s.step, dict(s.values), by="person")
                    state = state.with_asset(replace(a, stops=route.stops))
            return state

        self.session.edit(f"Turn, scale and footing: {len(same)} goods", change)


def _number(text: str) -> bool:
    try:
        return bool(np.isfinite(float(text)))
    except ValueError:
        return False
