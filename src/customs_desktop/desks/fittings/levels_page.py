"""The page LODs: the distance ruler, each level seen near or at its distance, and a slider that makes the asset coarser."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QSlider, QVBoxLayout, QWidget

from customs.ledger.row import remedy
from customs.picture.camera import FIELD
from customs.scene.levels import FIELD as SEEN
from customs.scene.levels import at_level, level_count
from customs.scene.model import Scene
from customs.work.fittings import Coarsening, level_rows, settings_at
from customs_desktop.desks.fittings.ruler import LevelRuler, metres_text
from customs_desktop.desks.fittings.sections import looked_at
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import Chips, NameLabel, NumberField, button, label, lines_of, row
from customs_desktop.worker import Task

STEPS = 1000
"""Places of the slider; from one to the next the triangles fall by the same share."""


class LevelsPage(QWidget):
    """Levels belong to the stop LODs, the slider to the stop Simplify."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__()
        self.session, self.twin = session, twin
        self.open = False
        self.coarsening: Coarsening | None = None
        self._of: Scene | None = None
        self._zoomed: float | None = None
        self.ruler = LevelRuler()
        self.ruler.asked.connect(self.look_at)
        self.ruler.moved.connect(self._border)
        self.near = Chips((("near", "Near"), ("far", "At its distance")))
        self.near.setFixedWidth(span(170, 0.5))
        self.near.show_chosen("near")
        self.near.chosen.connect(lambda _: self.look_at(self.ruler.level))
        self.told = NameLabel(0, 400, "soft")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, STEPS)
        self.slider.setAccessibleName("Triangles")
        self.slider.valueChanged.connect(self._slid)
        self.count = NumberField(1, 1e9, 0, "Triangles")
        self.count.setFixedWidth(span(84, 0.5))
        self.count.entered.connect(self._typed)
        self.strays = NameLabel(0, 400, "soft")
        self.keep = button("Simplify to this", self._keep, "main")
        self.prepare = button(
            "Try fewer triangles",
            self._prepare,
            "chip",
            "",
            "Find what is least missed; the slider shows the result",
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 6)
        box.addWidget(self.ruler)
        lines: tuple[tuple[QWidget, ...], ...] = (
            (self.near, self.told),
            (lines_of(self.prepare, row(label("Triangles"), self.count), self.keep, self.strays),),
            (self.slider,),
        )
        for line in lines:
            holder = QHBoxLayout()
            holder.setContentsMargins(12, 0, 12, 0)
            for widget in line:
                holder.addWidget(widget, 1 if widget is line[-1] else 0)
            box.addLayout(holder)
        box.addStretch(1)
        self._enable()

    # -- what is shown

    @property
    def scene(self) -> Scene | None:
        """What the right half stands for."""
        return looked_at(self.session, self.twin)

    def refresh(self) -> None:
        """Take over what is looked at."""
        scene = self.scene
        if scene is self._of or not self.open or not self.isVisible():
            return
        self._of = scene
        self.coarsening = None
        self.ruler.show_rows(level_rows(scene) if scene is not None else ())
        self.near.setVisible(bool(self.ruler.rows))
        self.look_at(min(self.ruler.level, max(len(self.ruler.rows) - 1, 0)))
        self._enable()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()
        self.look_at(self.ruler.level)

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.let_go()

    def _enable(self) -> None:
        ready = self.coarsening is not None
        for widget in (self.slider, self.count, self.keep):
            widget.setEnabled(ready)
        self.prepare.setEnabled(not ready and self.scene is not None)
        if not ready:
            self.strays.setText("")

    def look_at(self, level: int) -> None:
        """Show a level, near or as far away as it is first shown."""
        scene = self.scene
        self.ruler.level = level
        if scene is None or not self.open or not self.isVisible():
            return
        rows = self.ruler.rows
        if rows:
            begins = rows[level - 1].until if level else 0.0
            r = rows[level]
            self.told.setText(
                f"Shown from {metres_text(begins)} up to {metres_text(r.until)} · {r.triangles:,} triangles"
            )
        else:
            self.told.setText("")
        self._near_again()
        if rows and level and self._far():
            self._zoomed, self.twin.zoom = self.twin.zoom, self._zoom_at(rows[level - 1].until)
        self.twin.drawn = {"right": at_level(scene, level)} if level and level_count(scene) else {}
        self.twin.ask()
        self.ruler.update()

    def _far(self) -> bool:
        return self.near.buttons["far"].isChecked()

    def _zoom_at(self, metres: float) -> float:
        """The zoom at which the asset fills as much of the view as at a distance, under the field the stop says."""
        asset, orbit = self.session.asset, self.twin.orbits().get("right")
        if asset is None or orbit is None:
            return 1.0
        field = float(getattr(settings_at(asset.route, "lods"), "field", SEEN))
        return (
            orbit.distance
            * self.twin.zoom
            / (metres * math.tan(math.radians(field) / 2) / math.tan(FIELD / 2))
        )

    def _near_again(self) -> None:
        """As near as a person had come before a level was looked at from afar."""
        if self._zoomed is not None:
            self.twin.zoom, self._zoomed = self._zoomed, None

    def left(self) -> None:
        """What is shown next is looked at anew."""
        self.open, self._of = False, None
        self.let_go()

    def let_go(self) -> None:
        """The view as it was, and what is shown in it."""
        self._near_again()
        self.twin.show_drawn({})

    # -- wishes

    def _border(self, level: int, metres: float) -> None:
        ends = [r.until for r in self.ruler.rows]
        ends[level] = metres
        fix = remedy("lods", "Move a switch", True, distances=tuple(ends))
        if fix is not None:
            self.session.press(fix, [self.session.current])

    def _prepare(self) -> None:
        scene = self.scene
        if scene is None:
            return
        task = Task(
            0, key="coarsening", title="Finding what is least missed",
            run=lambda job: Coarsening(scene, lambda share, text: (job.check(), job.progress(share, text))[0]),
            done=self._prepared, failed=self.session.fail, apart=True,
        )  # fmt: skip
        self.session.worker.submit(task)

    def _prepared(self, found: Coarsening) -> None:
        if found.scene is not self.scene or not found.found:
            self.strays.setText("Nothing here has triangles that could go." if not found.found else "")
            return
        self.coarsening = found
        self._enable()
        self._place(found.most)

    def _place(self, count: int) -> None:
        self.slider.blockSignals(True)
        self.slider.setValue(self._place_of(count))
        self.slider.blockSignals(False)
        self.count.show_value(count)

    def _place_of(self, count: int) -> int:
        found = self.coarsening
        if found is None or found.most <= found.least:
            return STEPS
        low, high = math.log(max(found.least, 1)), math.log(max(found.most, 2))
        return round((math.log(max(count, 1)) - low) / max(high - low, 1e-9) * STEPS)

    def _slid(self, place: int) -> None:
        found = self.coarsening
        if found is not None:
            low, high = math.log(max(found.least, 1)), math.log(max(found.most, 2))
            self.count.show_value(round(math.exp(low + (high - low) * place / STEPS)))
            self._show_coarser()

    def _typed(self, value: float) -> None:
        self._place(int(value))
        self._show_coarser()

    def _show_coarser(self) -> None:
        """What the slider says, as soon as it is made; a newer wish takes the place of one that waits."""
        found, total = self.coarsening, self.count.value()
        if found is None or total is None:
            return
        task = Task(
            0,
            key="coarser",
            run=lambda job: found.at(int(total)),
            done=self._shown,
            failed=self.session.fail,
            apart=True,
        )
        self.session.worker.submit(task)

    def _shown(self, result: tuple[Scene, int, float]) -> None:
        scene, count, error = result
        if self.coarsening is None or not self.open:
            return
        self.strays.setText(f"{count:,} of {self.coarsening.most:,}, about {error * 1000:,.3g} mm off")
        self.twin.drawn = {"right": scene}
        self.twin.ask(moving=True)

    def _keep(self) -> None:
        total = self.count.value()
        if total is not None:
            fix = remedy("simplify", f"Simplify to {int(total):,} triangles", True, total=int(total))
            if fix is not None:
                self.session.press(fix, [self.session.current])
