"""The sections of the desk Grounds: names without files, light, size, going about."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QMenu, QSlider, QVBoxLayout, QWidget

from customs.grounds.light import Rig, lit_by_lights, lit_scene
from customs.grounds.scale import proposal
from customs.ledger.row import remedy
from customs.words import many
from customs.work.fittings import settings_at, stop_of
from customs.work.levels import candidates, with_choice
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import Chips, NameLabel, NumberField, button, empty, label, row
from customs_desktop.widgets.marks import Mark
from customs_desktop.worker import Task

SHOWN = 4
"""Names that are told before the rest is folded."""


def _column(widget: QWidget) -> QVBoxLayout:
    box = QVBoxLayout(widget)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(5)
    return box


class Missing(QWidget):
    """Names that a box stands in for: found, chosen among several, or left out all together."""

    def __init__(self, session: Office, looking: Looking) -> None:
        super().__init__()
        self.session, self.looking = session, looking
        self.box = _column(self)
        self.all = False
        looking.found.connect(self.refresh)

    def said(self) -> str:
        """Its state in words."""
        rows = self._rows()
        if not rows:
            return "every name a file"
        unclear = sum(why.startswith(tuple("0123456789")) for _, why, _ in rows)
        return f"{len(rows) - unclear} missing · {unclear} ambiguous"

    def _rows(self) -> tuple[tuple[str, str, int], ...]:
        return self.looking.ground.missing if self.looking.ground is not None else ()

    def refresh(self) -> None:
        """The names there are."""
        empty(self.box)
        rows = self._rows()
        for name, why, count in rows if self.all else rows[:SHOWN]:
            unclear = why[:1].isdigit()
            text = NameLabel(0, 600)
            text.setText(name)
            detail = NameLabel(-0.5, 400, "soft")
            detail.setText(f"{why} · {many(count, 'place')}")
            act = button("Choose" if unclear else "Find …", partial(self.ask, name, unclear))
            act.setFixedWidth(span(66))
            holder = QWidget()
            column = _column(holder)
            column.setSpacing(0)
            column.addWidget(text)
            column.addWidget(detail)
            self.box.addWidget(row(Mark("query" if unclear else "held"), holder, act))
        more = len(rows) - SHOWN
        if more > 0:
            self.box.addWidget(button("Fewer" if self.all else f"{more} more names …", self._more, "flat"))
        if rows:
            self.box.addWidget(button("Leave all of them out", self.leave_out, "chip"))

    def _more(self) -> None:
        self.all = not self.all
        self.refresh()

    def ask(self, name: str, unclear: bool) -> None:
        """Show where it stands, and ask which file is meant."""
        self.looking.show_place(name)
        if not unclear:
            file, _ = QFileDialog.getOpenFileName(
                self, f"The file of {name}", "", "Models (*.glb *.gltf *.fbx *.obj *.dae *.ply *.stl)"
            )
            if file:
                self.choose(name, Path(file))
            return
        asset = self.session.asset
        if asset is None:
            return
        self.session.worker.submit(
            Task(
                0,
                key="candidates",
                title=f"Files {name} may mean",
                run=lambda job: candidates(asset, name),
                done=lambda files: self._offer(name, files),
                failed=self.session.fail,
                apart=True,
            )
        )

    def _offer(self, name: str, files: tuple[Path, ...]) -> None:
        if not files:
            self.session.said.emit(f"{name}: its files are no longer where they were.", "query")
            return
        menu = QMenu(self)
        for file in files[:20]:
            menu.addAction(f"{file.parent.name}/{file.name}", lambda f=file: self.choose(name, f))
        menu.popup(self.mapToGlobal(self.rect().center()))

    def choose(self, name: str, file: Path) -> None:
        """A file for a name, in all its places: the level is taken again with it."""
        asset = self.session.asset
        if asset is not None:
            self.session.jobs.take_again(asset, lambda a: with_choice(a, name, file))

    def leave_out(self) -> None:
        """All stand-ins are left out."""
        fix = remedy("kinds", "Leave stand-ins out", left_out=("stand-in",))
        if fix is not None:
            self.session.press(fix, [self.session.current])


class LightTools(QWidget):
    """A rig, live in the view; what glows as lights."""

    def __init__(self, session: Office, looking: Looking, twin: TwinView) -> None:
        super().__init__()
        self.session, self.looking, self.twin = session, looking, twin
        box = _column(self)
        self.parts = {}
        for id_, text in (("sun", "Sun −30°"), ("fill", "Fill +150°"), ("sky", "Sky")):
            chip = self.parts[id_] = button(text, self._live, "chip")
            chip.setCheckable(True)
            chip.setChecked(True)
        box.addWidget(row(*self.parts.values(), 1))
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(1, 200)
        self.slider.setAccessibleName("Brightness")
        self.slider.setValue(120)
        self.slider.valueChanged.connect(self._slid)
        self.number = NumberField(1, 200, 0, "Brightness (klx)")
        self.number.setFixedWidth(span(40, 0.5))
        self.number.show_value(120)
        self.number.entered.connect(lambda v: self.slider.setValue(round(v)))
        box.addWidget(row(label("Brightness"), self.slider, self.number, label("klx")))
        self.azimuth, self.elevation = (
            NumberField(-360, 360, 0, "Azimuth (°)"),
            NumberField(1, 90, 0, "Elevation (°)"),
        )
        for field, value in ((self.azimuth, -30.0), (self.elevation, 50.0)):
            field.setFixedWidth(span(44, 0.5))
            field.show_value(value)
            field.entered.connect(lambda _: self._live())
        box.addWidget(row(label("From"), self.azimuth, label("° high"), self.elevation, label("°"), 1))
        self.glow = button("Glowing faces as lights", self._glow)
        box.addWidget(row(button("Take this light", self.take, "main"), self.glow))
        looking.found.connect(self.refresh)

    def said(self) -> str:
        """Its state in words."""
        ground = self.looking.ground
        if ground is None:
            return "no level"
        return many(len(ground.scene.lights), "light") if lit_scene(ground.scene) else "level without a light"

    def rig(self) -> Rig:
        """What is set."""
        on = {k: chip.isChecked() for k, chip in self.parts.items()}
        azimuth, elevation = self.azimuth.value(), self.elevation.value()
        return Rig(
            -30.0 if azimuth is None else azimuth,
            50.0 if elevation is None else elevation,
            self.slider.value() * 1000.0,
            **on,
        )

    def refresh(self) -> None:
        """The light of the level, or none."""
        ground = self.looking.ground
        self.glow.setText(f"{many(ground.glows, 'glowing face')}" if ground is not None else "Glowing faces")
        self.glow.setEnabled(ground is not None and ground.glows > 0)
        asset = self.session.asset
        if asset is not None and stop_of(asset.route, "rig") is not None:
            s = settings_at(asset.route, "rig").rig()  # type: ignore[attr-defined]
            for k, chip in self.parts.items():
                chip.setChecked(getattr(s, k))
            self.slider.blockSignals(True)
            self.slider.setValue(round(s.brightness / 1000))
            self.slider.blockSignals(False)
            self.number.show_value(round(s.brightness / 1000))
            self.azimuth.show_value(s.azimuth)
            self.elevation.show_value(s.elevation)
        self.twin.lit = lit_by_lights(ground.scene) if ground is not None else None
        self.twin.ask()

    def _slid(self, value: int) -> None:
        self.number.show_value(value)
        self._live(moving=True)

    def _live(self, *_: object, moving: bool = False) -> None:
        self.twin.lit = self.rig().lit()
        self.twin.ask(moving=moving)

    def take(self) -> None:
        """The light as it is set, as a stop."""
        rig = self.rig()
        self.session.set_step(
            "rig",
            azimuth=rig.azimuth,
            elevation=rig.elevation,
            brightness=rig.brightness,
            sun=rig.sun,
            fill=rig.fill,
            sky=rig.sky,
        )

    def _glow(self) -> None:
        fix = remedy("glow-lights", "Glowing faces as lights", most=64)
        if fix is not None:
            self.session.press(fix, [self.session.current])


class SizeTools(QWidget):
    """What doors and steps say of the size."""

    def __init__(self, session: Office, looking: Looking) -> None:
        super().__init__()
        self.session, self.looking = session, looking
        box = _column(self)
        self.text = label("", "soft", -0.5, wrap=True)
        self.take = button("Scale", self._take, "main")
        box.addWidget(self.text)
        box.addWidget(row(self.take, 1))
        looking.found.connect(self.refresh)

    def said(self) -> str:
        """Its state in words."""
        ground = self.looking.ground
        if ground is None or not ground.evidence:
            return "no doors or steps"
        first = ground.evidence[0]
        return f"{first.what.split()[0]} {first.is_:.2f} m · {'right' if proposal(ground.evidence) == 1.0 else 'off'}"

    def refresh(self) -> None:
        """Evidence, and what it proposes."""
        ground = self.looking.ground
        found = ground.evidence if ground is not None else ()
        self.text.setText(
            "\n".join(e.text() for e in found[:5])
            or "Name doors and stairs so, and the size is told by them."
        )
        factor = proposal(found)
        self.take.setVisible(factor != 1.0)
        self.take.setText(f"Scale × {factor:.4g}")

    def _take(self) -> None:
        ground = self.looking.ground
        fix = remedy("scale", "Scale", factor=proposal(ground.evidence)) if ground is not None else None
        if fix is not None:
            self.session.press(fix, [self.session.current])


class GoingAbout(QWidget):
    """Turning about the whole, flying, walking."""

    def __init__(self, looking: Looking) -> None:
        super().__init__()
        self.looking, self.how = looking, "turn"
        box = _column(self)
        self.ways = Chips((("turn", "Turn about"), ("fly", "Fly"), ("walk", "Walk")), True)
        self.ways.show_chosen("turn")
        self.ways.chosen.connect(self.go)
        self.speed = NumberField(0.1, 1000, 1, "Speed (m/s)")
        self.speed.setFixedWidth(span(58, 0.5))
        self.speed.show_value(1.4)
        self.speed.entered.connect(self._faster)
        box.addWidget(row(self.ways, 1))
        box.addWidget(row(label("Speed"), self.speed, label("m/s"), 1))
        box.addWidget(
            label(
                "Arrows go and turn, page up and down rise and sink; drag to look.", "soft", -0.5, wrap=True
            )
        )

    def said(self) -> str:
        """Its state in words."""
        return {"turn": "about the whole", "fly": "flying", "walk": "at 1.7 m"}[self.how]

    def go(self, how: str) -> None:
        """Another way of going about."""
        if how != self.how and how != "turn":
            self.speed.show_value(self.looking.usual_speed(how))
        self.how = how
        self.looking.go(how, self.speed.value() or 1.4)

    def stop(self) -> None:
        """About the whole again."""
        self.how = "turn"
        self.ways.show_chosen("turn")
        self.looking.go("turn", 1.4)

    def _faster(self, speed: float) -> None:
        walker = self.looking.twin.walker
        if walker is not None:
            walker.speed = speed
