"""The donor section: which donor, which joint is which, in what steps the pose is turned."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from customs.motion.skeleton.pairing import Pair
from customs.shipment.state import Asset
from customs.work.motion import Facing
from customs_desktop.desks.motion.skeletons import FacingSkeletons
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import Chips, button, empty, label, row
from customs_desktop.widgets.marks import Mark

SHOWN = 5
STEPS = (("0", "as needed"), ("5", "5°"), ("15", "15°"), ("45", "45°"))
CLIPS = (("own", "Own"), ("donor", "Donor's"), ("both", "Both"), ("none", "None"))


class DonorSection(QWidget):
    """Emits `joint` with the name of an arriving joint a person points at."""

    joint = pyqtSignal(str)
    choose = pyqtSignal()

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.facing: Facing | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        self.name = label("", "", 0, 600)
        box.addWidget(
            row(
                self.name,
                1,
                button(
                    "Choose …",
                    self.choose.emit,
                    "",
                    "",
                    "An asset of the destination whose skeleton is taken over",
                ),
            )
        )
        self.map = FacingSkeletons()
        self.map.picked.connect(self.joint)
        self.map.paired.connect(self.pair)
        box.addWidget(self.map)
        self.rows = QWidget()
        self.list = QVBoxLayout(self.rows)
        self.list.setContentsMargins(0, 0, 0, 0)
        self.list.setSpacing(1)
        box.addWidget(self.rows)
        self.step = Chips(STEPS)
        self.step.chosen.connect(lambda s: self._set(step=int(s)))
        self.pose = row("Turns", self.step)
        box.addWidget(self.pose)
        self.clips = Chips(CLIPS)
        self.clips.chosen.connect(lambda c: self._set(clips=c))
        self.taken = row("Clips", self.clips)
        box.addWidget(self.taken)
        self.use = button("Put on the donor's skeleton", self._use, "main")
        box.addWidget(self.use)

    def said(self) -> str:
        """Its state in words."""
        if self.facing is None:
            return self.name.text()
        return f"{self.name.text()}, {len(self.facing.pairs)} of {self.facing.arriving.count} joints"

    def show_facing(self, asset: Asset, facing: Facing | None) -> None:
        """The donor of an asset, and the pairs."""
        self.facing = facing
        self.name.setText(asset.donor_name.replace("_", " ").capitalize() if asset.donor else "None chosen")
        self.map.show_facing(facing)
        self.map.setVisible(facing is not None)
        stop = asset.route.of_step("donor")
        self.use.setVisible(facing is not None and stop is None)
        for part in (self.pose, self.taken):
            part.setVisible(stop is not None)
        if stop is not None:
            settings = stop.settings
            self.step.show_chosen(str(getattr(settings, "step", 0)))
            self.clips.show_chosen(str(getattr(settings, "clips", "own")))
        empty(self.list)
        pairs = sorted(facing.pairs, key=lambda p: p.confidence) if facing is not None else []
        for p in pairs[:SHOWN]:
            self.list.addWidget(self._pair_row(p))
        if facing is not None:
            doubtful = sum(p.doubtful for p in pairs)
            text = f"{len(pairs)} of {facing.arriving.count} joints paired, {doubtful} doubtful"
            self.list.addWidget(label(text, "soft", -0.5))

    def _pair_row(self, pair: Pair) -> QWidget:
        mark = Mark("query" if pair.doubtful else "cleared")
        donor = button(
            pair.donor, lambda: self._menu(pair), "flat", "", f"{pair.why}; press to choose another"
        )
        mine, sure = label(pair.arriving), label(f"{pair.confidence:.2f}", "soft")
        mine.setFixedWidth(span(88))
        sure.setFixedWidth(span(30))
        return row(mark, mine, label("→", "soft"), donor, 1, sure)

    def _menu(self, pair: Pair) -> None:
        if self.facing is None:
            return
        menu = QMenu(self)
        for name in (*self.facing.donor.names, ""):
            action = menu.addAction(name or "No counterpart")
            assert action is not None
            action.triggered.connect(lambda _=False, d=name: self.pair(pair.arriving, d))
        menu.popup(self.mapToGlobal(self.rows.pos()))

    def pair(self, arriving: str, donor: str) -> None:
        """A person's pair, or none for an empty donor joint."""
        asset = self.session.asset
        if asset is None or not asset.donor:
            return
        stop = asset.route.of_step("donor")
        values = dict(stop.values) if stop is not None else {}
        pairs = tuple(p for p in map(tuple, values.get("pairs", ())) if p[0] != arriving and p[1] != donor)
        refused = tuple(n for n in values.get("unpaired", ()) if n != arriving)
        if donor:
            pairs = (*pairs, (arriving, donor))
        else:
            refused = (*refused, arriving)
        self._set(pairs=pairs, unpaired=refused, donor=asset.donor)

    def _use(self) -> None:
        asset = self.session.asset
        if asset is not None:
            self._set(donor=asset.donor)

    def _set(self, **values: object) -> None:
        self.session.set_step("donor", **values)
