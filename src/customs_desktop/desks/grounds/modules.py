"""The section Modules: pieces that are a little off a grid, and what brings them onto it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from customs.grounds.modules import Offence, offences, things_named
from customs.ledger.row import remedy
from customs.scene.model import Scene
from customs.words import many
from customs.work.fittings import settings_at, stop_of
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import NameLabel, NumberField, button, empty, label, row
from customs_desktop.worker import Task

USUAL = 1.0
"""Metres of the grid where neither the destination nor a person says one."""
SHOWN = 6


class ModuleTools(QWidget):
    """Offenders of the grid, each shown in the view and snapped by itself, or all together."""

    def __init__(self, session: Office, looking: Looking) -> None:
        super().__init__()
        self.session, self.looking = session, looking
        self.found: tuple[Offence, ...] = ()
        self._of: tuple[Scene | None, float] = (None, 0.0)
        self._typed: float | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        self.step = NumberField(0.01, 1e4, 2, "Step of the grid (m)")
        self.step.setFixedWidth(span(58, 0.5))
        self.step.entered.connect(self._enter)
        self.all = button("Snap all", partial(self.snap, ()), "main")
        box.addWidget(row(label("Grid"), self.step, label("m"), 1, self.all))
        self.list = QVBoxLayout()
        self.list.setSpacing(2)
        box.addLayout(self.list)
        looking.found.connect(self.refresh)

    @property
    def grid(self) -> float:
        """Metres of the grid: what a person typed, what the stop has, what the destination asks, or the usual."""
        asset = self.session.asset
        if self._typed is not None:
            return self._typed
        if asset is not None and stop_of(asset.route, "modules") is not None:
            return float(settings_at(asset.route, "modules").grid)  # type: ignore[attr-defined]
        return self.session.sheet.grounds.module or USUAL

    def said(self) -> str:
        """Its state in words."""
        if self.looking.ground is None:
            return ""
        if not self.found:
            return f"{self.grid:g} m grid · none off"
        worst = max(abs(o.off) for o in self.found)
        return f"{self.grid:g} m grid · {len(self.found)} off by up to {worst * 1000:.0f} mm"

    def refresh(self) -> None:
        """What is off now, found beside the window's work."""
        if not self.step.hasFocus():
            self.step.show_value(self.grid)
        scene = self.looking.scene if self.looking.ground is not None else None
        asked = (scene, self.grid)
        if asked == self._of:
            return
        self._of = asked
        if scene is None:
            self._take(asked, ())
            return
        self.session.worker.submit(
            Task(
                2, key="modules", title="Modules", run=lambda job: offences(scene, asked[1]),
                done=lambda found: self._take(asked, found), failed=self.session.fail, apart=True,
            )
        )  # fmt: skip

    def _take(self, asked: tuple[Scene | None, float], found: tuple[Offence, ...]) -> None:
        if asked != self._of:
            return
        self.found = found
        self.all.setEnabled(bool(found))
        empty(self.list)
        for o in found[:SHOWN]:
            name, detail = NameLabel(0, 600), NameLabel(-0.5, 400, "soft")
            name.setText(o.name)
            detail.setText(o.text().removeprefix(f"{o.name}: "))
            holder = QWidget()
            lines = QVBoxLayout(holder)
            lines.setContentsMargins(0, 0, 0, 0)
            lines.setSpacing(0)
            lines.addWidget(name)
            lines.addWidget(detail)
            show, snap = (
                button("Show", partial(self.show_pieces, o.name), "flat"),
                button("Snap", partial(self.snap, (o.name,)), "chip"),
            )
            show.setFixedWidth(span(44, 0.5))
            snap.setFixedWidth(span(54, 0.5))
            self.list.addWidget(row(holder, show, snap, spacing=2))
        if len(found) > SHOWN:
            self.list.addWidget(label(f"{many(len(found) - SHOWN, 'more offence')}", "soft"))
        self.looking.changed.emit()

    def _enter(self, metres: float) -> None:
        self._typed = metres
        self.refresh()

    def show_pieces(self, name: str) -> None:
        """Pick every piece of a name: it is marked in the view."""
        scene = self.looking.scene
        if scene is not None:
            self.looking.pick(tuple(things_named(scene, name).tolist()))

    def snap(self, names: tuple[str, ...]) -> None:
        """Bring pieces onto the grid: all, or those named."""
        fix = remedy("modules", "Bring modules onto the grid", grid=self.grid, only=names)
        if fix is not None and self.session.current:
            self.session.press(fix, [self.session.current])
