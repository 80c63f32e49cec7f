"""The session with all that works for it: what the window and its desks are given."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QTimer

from customs.conventions.origin import Origin, keep_origin
from customs.errors import CustomsError
from customs.formats.registry import formats
from customs.job import Job
from customs.later import later
from customs.ledger.row import Remedy, Row, requirements
from customs.route.step import steps
from customs.sheet.load import sheet_digest
from customs.shipment.state import State
from customs.words import many
from customs.work.goods import with_origin
from customs.work.judged import edition
from customs.work.lookup import find_sheet
from customs.work.places import data_folder, origins_folder
from customs_desktop.jobs import Jobs
from customs_desktop.looks import Looks
from customs_desktop.plans import Plans
from customs_desktop.running import Running
from customs_desktop.session import Session
from customs_desktop.watch import Watch, observers
from customs_desktop.worker import Task

# The window is there before any of these is loaded.
demo, recipes = later("customs.demo.shipment"), later("customs.work.recipes")


def _warmed(job: Job) -> object:
    return requirements(), steps(), formats(), observers.Observer, edition()


class Office(Session):
    """Decisions that set work going: remedies, the destination, origins."""

    def __init__(self) -> None:
        super().__init__()
        self.looks = Looks(self)
        self.plans = Plans(self, self.looks)
        self.jobs = Jobs(self, self.looks, self.plans)
        self.watch = Watch(self, self.looks)
        self.running = Running(self)
        self.at_close.append(self.watch.close)
        # What every look needs is loaded before anybody asks, not by the window's own thread, and once the window is there.
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(lambda: self.worker.submit(Task(-1, run=_warmed, failed=self.fail)))
        self._soon.timeout.connect(self.painter.begin)
        self._soon.start(0)

    def open_demo(self) -> None:
        """Open the demo, made in the background the first time."""
        self.worker.submit(
            Task(
                0,
                key="demo",
                title="Demo",
                run=lambda job: demo.open_demo(data_folder(), lambda text: job.progress(0.0, text)),
                done=self.show_shipment,
                failed=self.fail,
            )
        )

    def keep_recipe(self, path: Path) -> bool:
        """What was decided about the goods, as a recipe in a file for goods like them."""
        if self.shipment is None:
            return False
        state, store = self.state, self.shipment.store
        try:
            recipe, left = recipes.recipe_of(state.goods, state.sheet, path.stem, store)
            path.write_text(recipe.text(), "utf-8")
        except (CustomsError, OSError) as problem:
            self.fail(problem)
            return False
        stays = (
            f" What cannot go along: {'; '.join(left[:3])}{' …' if len(left) > 3 else ''}." if left else ""
        )
        kept = f"{path.name}: {many(len(recipe.stops), 'stop')} for all, {many(len(recipe.differences), 'difference')}."
        self.said.emit(kept + stays, "query" if left else "note")
        return True

    def cancel(self, task: Task | None = None) -> None:
        """Stop a task, or all that run now."""
        self.worker.cancel(task)

    # -- remedies

    def press(self, fix: Remedy, ids: Sequence[str]) -> bool:
        """Take a remedy on one or many assets, as one decision, and plan what hangs on it."""
        assets = [a for a in self.state.goods if a.id in ids]
        many = f"{len(assets)} goods" if len(assets) > 1 else (assets[0].name if assets else "")
        return self.jobs.press([(a, (fix,)) for a in assets], f"{fix.label}: {many}")

    def press_rows(self, rows: Sequence[tuple[str, Row]]) -> bool:
        """Take the remedies of (asset, row) pairs, as one decision, and plan what hangs on them."""
        asked: dict[str, list[Remedy]] = {}
        for id_, row in rows:
            if row.remedy is not None:
                asked.setdefault(id_, []).append(row.remedy)
        pairs = [(a, tuple(asked[a.id])) for a in self.state.goods if a.id in asked]
        title = next((r.title for _, r in rows if r.remedy is not None), "")
        return self.jobs.press(pairs, f"{title}: {len(pairs)} goods")

    # -- destination and origins

    def set_sheet(self, id_: str) -> None:
        """Another destination: routes are planned anew for it."""
        try:
            sheet = find_sheet(id_)
        except CustomsError as problem:
            self.said.emit(str(problem), "held")
            return
        was, ids = self.sheet, [a.id for a in self.state.goods]
        self.sheet, self._origins = sheet, None
        digest = sheet_digest(sheet)

        def change(state: State) -> State:
            return replace(state, sheet=id_, sheet_digest=digest)

        if not self.plans.decide(f"Destination {sheet.title}", change, ids) and self.shipment is not None:
            # It cannot be kept, so the goods go where they went before.
            self.sheet = was

    def set_origin(self, origin: Origin | None, ids: Sequence[str]) -> None:
        """Other goods' convention: their first stop changes, and routes are planned anew."""

        def change(state: State) -> State:
            for a in state.goods:
                if a.id in ids:
                    state = state.with_asset(with_origin(a, origin))
            return replace(state, last_origin=origin.id if origin else "")

        self.plans.decide(f"Origin {origin.title if origin else 'as the files say'}", change, ids)

    def keep_origin(self, origin: Origin) -> None:
        """Keep an origin by name, for this shipment and the next, and let the selected asset come from it."""
        if not self.guard(lambda: keep_origin(origin, origins_folder()) and None):
            return
        table = origin.model_dump(exclude_none=True)
        self.edit(
            f"Keep origin {origin.title}", lambda s: replace(s, origins={**s.origins, origin.id: table})
        )
        self.set_origin(origin, [self.current])
