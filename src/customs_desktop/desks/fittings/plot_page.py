"""The page Plot: the plan grid drawn on, its counts, a proposal."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout

from customs.changes.plot import NONE, Footprint, footprint_of, letters_of, plotted, proposed, rows_of
from customs.scene.model import Scene
from customs.work.plotting import Letters
from customs_desktop.desks.fittings.sections import Wished, looked_at
from customs_desktop.office import Office
from customs_desktop.views.plan_grid import PlanGrid
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import Chips, NameLabel, button
from customs_desktop.worker import Task

TOOLS = (("brush", "Brush"), ("line", "Line"), ("rectangle", "Rectangle"), ("fill", "Fill"))


class PlotPage(Wished):
    """What a hand draws becomes the rows of the stop Plot, once it has let go."""

    step = "plot"

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__(session)
        self.twin = twin
        self.open = False
        self._of: tuple[object, ...] = ()
        self.grid = PlanGrid()
        self.grid.drawn.connect(self._drawn)
        self.tools = Chips(TOOLS)
        self.tools.show_chosen("brush")
        self.tools.chosen.connect(lambda tool: setattr(self.grid, "tool", tool))
        self.areas = Chips(())
        self.mirror = QCheckBox("On both sides")
        self.mirror.setChecked(True)
        self.mirror.toggled.connect(lambda on: setattr(self.grid, "mirrored", on))
        self.propose = button(
            "Propose a plot", self._propose, "main", "", "Bands across it, left and right alike"
        )
        self.clear = button("Clear", lambda: self.wish("Clear the plot", rows=()), "flat")
        self.told = NameLabel(0, 400, "soft")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        box.addWidget(self.grid, 1)
        self.line = QHBoxLayout()
        self.line.setContentsMargins(12, 0, 12, 0)
        self.line.addWidget(self.tools, 1)
        self.line.addWidget(self.areas, 1)
        box.addLayout(self.line)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 0, 12, 0)
        for widget in (self.propose, self.clear, self.mirror):
            foot.addWidget(widget)
        foot.addWidget(self.told, 1)
        box.addLayout(foot)

    @property
    def scene(self) -> Scene | None:
        """What the right half stands for."""
        return looked_at(self.session, self.twin)

    def refresh(self) -> None:
        """The footprint and what is drawn on it; it takes a while where there are many triangles."""
        if not self.open or not self.isVisible():
            return
        scene, rules = self.scene, self.session.sheet.plot
        told = (scene, rules)
        if told == self._of:
            return
        self._of = told
        self._offer_areas()
        asked = rules.form != "none"
        for widget in (self.tools, self.areas, self.mirror, self.propose, self.clear):
            widget.setEnabled(asked)
        if scene is None or not asked:
            self._show(None, told)
            return
        self.session.worker.submit(
            Task(
                0,
                key="footprint",
                title="Footprint",
                run=lambda job: footprint_of(scene, rules.cell),
                done=lambda ground: self._show(ground, told),
                failed=self.session.fail,
                apart=True,
            )
        )

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.refresh()

    def _offer_areas(self) -> None:
        rules = self.session.sheet.plot
        options = [*((a, f"{a} {name}") for a, name in rules.areas.items()), (NONE, "nobody")]
        if list(self.areas.buttons) == [a for a, _ in options]:
            return
        new = Chips(options)
        new.chosen.connect(self._choose)
        self.line.replaceWidget(self.areas, new)
        self.areas.deleteLater()
        self.areas = new
        self._choose(options[0][0])

    def _choose(self, letter: str) -> None:
        self.areas.show_chosen(letter)
        self.grid.letter = letter

    def _show(self, ground: Footprint | None, told: tuple[object, ...]) -> None:
        if told != self._of:
            return
        rules, scene = self.session.sheet.plot, self.scene
        wish = scene.wishes.plot if scene is not None else None
        if ground is None:
            self.grid.show_plot(None, np.full((0, 0), NONE), ())
            self.told.setText("")
            return
        rows = wish.rows if wish is not None else ()
        self.grid.show_plot(ground, letters_of(rows, ground.inside.shape)[0], tuple(rules.areas))
        found = plotted(rows, ground, tuple(rules.areas))
        counts = " · ".join(f"{rules.areas[a]} {n}" for a, n in found.counts.items())
        more = [
            f"{n} {what}"
            for n, what in (
                (found.left_over, "left over"),
                (found.outside, "outside"),
                (found.uneven, "uneven"),
            )
            if n
        ]
        self.told.setText(" · ".join([counts, *more]))

    def _drawn(self, letters: Letters) -> None:
        self.wish("Draw the plot", cell=self.session.sheet.plot.cell, rows=rows_of(letters))

    def _propose(self) -> None:
        rules, ground = self.session.sheet.plot, self.grid.ground
        if ground is not None:
            self.wish(
                "Propose a plot", cell=rules.cell, rows=proposed(ground, tuple(rules.areas), rules.least)
            )
