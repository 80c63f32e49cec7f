"""What the window works on: the open shipment, what is picked, and the answers of the core so far."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from customs.conventions.origin import Origin, keep_origin, parse_origin
from customs.demo.shipment import open_demo
from customs.errors import CustomsError
from customs.intake.take import Taken
from customs.job import Job
from customs.landing.log import Log
from customs.ledger.row import Remedy, Row
from customs.ledger.waiver import waiver
from customs.route.route import Route, SceneCache
from customs.scene.model import Scene
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet
from customs.shipment.file import Shipment
from customs.shipment.state import Asset, State
from customs.surface.blocks.encode import close_workers
from customs.work.goods import with_origin
from customs.work.lookup import all_origins, find_sheet
from customs.work.places import data_folder, origins_folder
from customs.work.requests.evaluate import Evaluated, asked_of, run_evaluate
from customs.work.today import put_in_today
from customs_desktop.jobs import Jobs
from customs_desktop.workers import Painter, Task, Worker, explain


class Session(QObject):
    """Signals tell what changed; views ask for the rest."""

    opened = pyqtSignal()
    changed = pyqtSignal()
    evaluated = pyqtSignal(str)
    selected = pyqtSignal(str)
    picked = pyqtSignal(str)
    said = pyqtSignal(str, str)
    working = pyqtSignal(str, float, str)
    rested = pyqtSignal()
    dispatched = pyqtSignal(str)
    landed = pyqtSignal(str)
    place = pyqtSignal(object)
    looked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.worker, self.painter = Worker(), Painter()
        self.worker.progressed.connect(self.working)
        self.worker.emptied.connect(self.rested)
        self.looked.connect(self._looked)
        self.shipment: Shipment | None = None
        self.sheet: Sheet = find_sheet("metre-yup-pbr")
        self.cache = SceneCache()
        self.results: dict[str, Evaluated] = {}
        self.taken: dict[str, Taken] = {}
        self.packages: dict[str, Path] = {}
        self.logs: dict[str, Log] = {}
        self.landed_scenes: dict[str, Scene] = {}
        self.current = ""
        self.stop: str | None = None
        self._origins: tuple[object, dict[str, Origin]] | None = None
        self._asked: dict[str, tuple[Asset, str]] = {}
        self.jobs = Jobs(self)

    # -- shipments

    @property
    def state(self) -> State:
        """The shipment's state, or an empty one."""
        return self.shipment.state if self.shipment else NOTHING

    @property
    def asset(self) -> Asset | None:
        """The selected asset."""
        return self.state.asset(self.current)

    @property
    def result(self) -> Evaluated | None:
        """The selected asset as last evaluated."""
        return self.results.get(self.current)

    def open(self, path: Path, create: bool = False) -> None:
        """Open a shipment, or make one."""
        self.guard(lambda: self.show_shipment(Shipment.create(path) if create else Shipment(path)))

    def open_demo(self) -> None:
        """Open the demo, made in the background the first time."""
        self.worker.submit(
            Task(
                0,
                key="demo",
                title="Demo",
                run=lambda job: open_demo(data_folder(), lambda text: job.progress(0.0, text)),
                done=self.show_shipment,
                failed=self.fail,
            )
        )

    def show_shipment(self, shipment: Shipment) -> None:
        """Work on another shipment from here on; the one before is closed."""
        if self.shipment is not None:
            self.shipment.close()
        self.shipment = shipment
        self.cache = SceneCache()
        for table in (self.results, self.taken, self.packages, self.logs, self.landed_scenes, self._asked):
            table.clear()
        self.current, self.stop = "", None
        self._use_sheet(shipment.state.sheet)
        self.opened.emit()
        if shipment.lost:
            self.said.emit(shipment.lost, "query")
        elif not shipment.writable:
            self.said.emit("Another copy of Customs has this shipment open: it is shown for reading only.", "query")
        if shipment.state.goods:
            self.select(shipment.state.goods[0].id)
        self._changed()

    def _use_sheet(self, id_: str) -> None:
        try:
            self.sheet = find_sheet(id_)
        except CustomsError as problem:
            self.said.emit(f"{problem} The open PBR sheet is used meanwhile.", "held")
            self.sheet = find_sheet("metre-yup-pbr")

    def close(self) -> None:
        """Stop the threads and close the file."""
        self.worker.close()
        self.painter.close()
        close_workers()
        if self.shipment is not None:
            self.shipment.close()
            self.shipment = None

    # -- decisions

    def edit(self, label: str, change: Callable[[State], State]) -> bool:
        """One decision. False (and said) when it cannot be kept."""
        if self.shipment is None:
            return False
        if self.guard(lambda: self._edit(label, change)):
            self._changed()
            return True
        return False

    def _edit(self, label: str, change: Callable[[State], State]) -> None:
        assert self.shipment is not None
        self.shipment.edit(label, change)

    def change_asset(self, label: str, change: Callable[[Asset], Asset], id_: str | None = None) -> bool:
        """One decision about one asset (the selected one unless named)."""
        asset = self.state.asset(id_ or self.current)
        if asset is None:
            return False
        return self.edit(f"{label}: {asset.name}", lambda s: s.with_asset(change(asset)))

    def change_route(self, label: str, change: Callable[[Route], Route], id_: str | None = None) -> bool:
        """One decision about the route of an asset."""
        return self.change_asset(label, lambda a: replace(a, stops=change(a.route).stops), id_)

    def set_stop(self, stop_id: str, **values: Any) -> bool:
        """Change settings of a stop; it counts as made by a person from then on."""

        def change(route: Route) -> Route:
            return route.changed(stop_id, **values).by_person(stop_id)

        return self.change_route("Change settings", change)

    def set_step(self, step: str, **values: Any) -> bool:
        """Change the stop of a step, or add one."""
        asset = self.asset
        if asset is None:
            return False
        stop = asset.route.of_step(step)
        if stop is not None:
            return self.set_stop(stop.id, **values)
        return self.change_route("Add a stop", lambda r: r.added(step, values, by="person"))

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

    def waive(self, row: Row, reason: str) -> bool:
        """Accept a query with a reason, or take the waiver back with an empty one."""

        def change(asset: Asset) -> Asset:
            rest = {k: w for k, w in asset.waivers.items() if k != row.id}
            return replace(asset, waivers=rest | ({row.id: waiver(row, reason)} if reason else {}))

        return self.change_asset("Waiver" if reason else "Waiver taken back", change)

    def undo(self) -> None:
        """Back by one decision."""
        self._step(lambda s: s.undo(), "Undone")

    def redo(self) -> None:
        """Forward by one decision."""
        self._step(lambda s: s.redo(), "Done again")

    def _step(self, move: Callable[[Shipment], str | None], word: str) -> None:
        if self.shipment is None:
            return
        shipment = self.shipment
        label: list[str | None] = []
        if self.guard(lambda: label.append(move(shipment))) and label and label[0]:
            self._use_sheet(shipment.state.sheet)
            self.said.emit(f"{word}: {label[0]}", "note")
            self._changed()

    # -- destination and origins

    def set_sheet(self, id_: str) -> None:
        """Another destination: routes are planned anew for it."""
        try:
            sheet = find_sheet(id_)
        except CustomsError as problem:
            self.said.emit(str(problem), "held")
            return
        self.sheet, self._origins = sheet, None
        digest = sheet_digest(sheet)
        if self.edit(f"Destination {sheet.title}", lambda s: replace(s, sheet=id_, sheet_digest=digest)):
            self.jobs.plan([a.id for a in self.state.goods])

    def set_origin(self, origin: Origin | None, ids: Sequence[str]) -> None:
        """Other goods' convention: their first stop changes, and routes are planned anew."""

        def change(state: State) -> State:
            for a in state.goods:
                if a.id in ids:
                    state = state.with_asset(with_origin(a, origin))
            return replace(state, last_origin=origin.id if origin else "")

        if self.edit(f"Origin {origin.title if origin else 'as the files say'}", change):
            self.jobs.plan(ids)

    def keep_origin(self, origin: Origin) -> None:
        """Keep an origin by name, for this shipment and the next, and let the selected asset come from it."""
        if not self.guard(lambda: keep_origin(origin, origins_folder()) and None):
            return
        table = origin.model_dump(exclude_none=True)
        self.edit(f"Keep origin {origin.title}", lambda s: replace(s, origins={**s.origins, origin.id: table}))
        self.set_origin(origin, [self.current])

    def origins(self) -> dict[str, Origin]:
        """Origins by id: shipped, kept, kept with this shipment, and sheets."""
        if self._origins is None or self._origins[0] is not self.state.origins:
            self._origins = (self.state.origins, self._find_origins())
        return self._origins[1]

    def _find_origins(self) -> dict[str, Origin]:
        out = all_origins()
        for id_, table in self.state.origins.items():
            if id_ not in out:
                try:
                    out[id_] = parse_origin(dict(table), id_)
                except CustomsError:
                    continue
        return out

    def cancel(self) -> None:
        """Stop what is running."""
        self.worker.cancel()

    # -- picking

    def select(self, id_: str) -> None:
        """Select an asset; its last stop is picked."""
        if id_ == self.current:
            return
        self.current, self.stop = id_, None
        self.selected.emit(id_)
        self._ask_all()

    def pick(self, stop_id: str | None) -> None:
        """Pick a stop; None is the end of the route."""
        self.stop = stop_id
        self.picked.emit(stop_id or "")

    def show_place(self, row: Row) -> None:
        """Show where a row points."""
        self.place.emit(row.place)

    # -- within

    def _changed(self) -> None:
        asset = self.asset
        if asset is None:
            goods = self.state.goods
            self.current = goods[0].id if goods else ""
            self.stop = None
            self.selected.emit(self.current)
        elif self.stop is not None and all(s.id != self.stop or not s.on for s in asset.stops):
            self.stop = None
        for gone in {*self.results, *self._asked} - {a.id for a in self.state.goods}:
            self.results.pop(gone, None)
            # It may come back as the very same asset: then it is asked about again.
            self._asked.pop(gone, None)
        self.changed.emit()
        self._ask_all()

    def _ask_all(self) -> None:
        """Ask for every asset not evaluated as it is now, the selected one first."""
        if self.shipment is None:
            return
        digest = sheet_digest(self.sheet)
        for asset in self.state.goods:
            known = self._asked.get(asset.id)
            if known is not None and known[0] is asset and known[1] == digest:
                continue
            self._asked[asset.id] = (asset, digest)
            self._ask(asset, digest)

    def _ask(self, asset: Asset, digest: str) -> None:
        assert self.shipment is not None
        store, sheet, cache = self.shipment.store, self.sheet, self.cache
        taken = self.taken.get(asset.digest)

        def early(result: Evaluated) -> None:
            self.looked.emit(result)

        def run(job: Job) -> Evaluated:
            return run_evaluate(asked_of(asset, store, sheet), cache, taken, job, early)

        def done(result: Evaluated) -> None:
            if self._asked.get(asset.id) != (asset, digest):
                return
            if result.taken is not None:
                self.taken[asset.digest] = result.taken
            self.results[asset.id] = self._brought_up(result)
            self.evaluated.emit(asset.id)

        rank = 4 if asset.id == self.current else 6
        title = f"Looking at {asset.name}"
        self.worker.submit(Task(rank, key=f"look {asset.id}", title=title, run=run, done=done, failed=self.fail))

    def _brought_up(self, result: Evaluated) -> Evaluated:
        """What earlier editions kept is put in today's terms at the first look: no decision, so nothing to undo."""
        asset = put_in_today(result)
        if asset is result.asset or self.shipment is None or not self.shipment.writable:
            return result
        if self.guard(lambda: self._refresh(asset)):
            self._asked[asset.id] = (asset, self._asked[asset.id][1])
            return replace(result, asset=asset)
        return result

    def _refresh(self, asset: Asset) -> None:
        assert self.shipment is not None
        self.shipment.refresh(lambda s: s.with_asset(asset))

    def _looked(self, result: Evaluated) -> None:
        """The route has been run and is not judged yet: enough for a first picture."""
        known = self._asked.get(result.asset.id)
        if known is not None and known[0] is result.asset and result.asset.id not in self.results:
            self.results[result.asset.id] = result
            self.evaluated.emit(result.asset.id)

    def fresh(self, result: Evaluated) -> bool:
        """True when a result is of the asset as it stands, and of the destination that is chosen."""
        asset = self.state.asset(result.asset.id)
        return asset is result.asset and self._asked.get(result.asset.id) == (asset, sheet_digest(self.sheet))

    def recheck(self) -> None:
        """Look at everything again (a source may have changed on disk)."""
        self._asked.clear()
        self._ask_all()

    def guard(self, action: Callable[[], object]) -> bool:
        """True when `action` went well; a problem of our own is said."""
        try:
            action()
        except CustomsError as problem:
            self.said.emit(str(problem), "held")
            return False
        return True

    def fail(self, problem: Exception) -> None:
        """Say why something went wrong."""
        self.said.emit(explain(problem), "held")


NOTHING = State()
