"""Longer work of a session, off the interface thread: taking in, planning, donors, searching, dispatching, landing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from customs.conventions.origin import Origin
from customs.errors import CustomsError
from customs.intake.scan import Entry, model_files
from customs.landing.land import land, landed_scene
from customs.landing.log import Log
from customs.route.donor import Donor
from customs.route.step import Job
from customs.scene.model import Scene
from customs.shipment.file import Shipment
from customs.shipment.state import Asset, State
from customs.work.donors import keep_donor, read_donor
from customs.work.goods import Evaluated, dispatch_asset, plan_asset, search_for, take_in
from customs.work.lookup import find_sheet
from customs.work.places import data_folder
from customs_desktop.workers import Task

if TYPE_CHECKING:
    from customs_desktop.session import Session


class Jobs:
    """Each call puts a task in line; what comes of it is a decision of the session, or a signal of it."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def take_in(self, paths: Sequence[Path], origin: Origin | None) -> None:
        """Take files and folders in, planning each one's route; every file is its own decision."""
        if self.session.shipment is None:
            self.session.guard(
                lambda: self.session.show_shipment(Shipment.create(_free_path(data_folder() / "Untitled.customs")))
            )

        def done(entries: list[Entry]) -> None:
            for entry in entries:
                self._take(entry.path, entry.root, origin)

        self.session.worker.submit(
            Task(0, title="Listing", run=lambda job: model_files(paths), done=done, failed=self.session.fail)
        )

    def _take(self, path: Path, root: Path, origin: Origin | None) -> None:
        assert self.session.shipment is not None
        store, sheet, cache = self.session.shipment.store, self.session.sheet, self.session.cache
        id_ = self.session.state.free_id(path.stem)

        def run(job: Job) -> Asset:
            job.progress(0.1, path.name)
            return plan_asset(take_in(path, root, store, id_, origin), store, sheet, cache, job=job)

        def done(asset: Asset) -> None:
            asset = replace(asset, id=self.session.state.free_id(path.stem))
            name = origin.id if origin else ""
            if self.session.edit(f"Take in {asset.name}", lambda s: replace(s.with_asset(asset), last_origin=name)):
                self.session.select(asset.id)

        self.session.worker.submit(Task(1, title=f"Taking in {path.name}", run=run, done=done, failed=self.session.fail))

    def plan(self, ids: Sequence[str], label: str = "Plan route") -> None:
        """Plan the routes of some assets, as one decision."""
        if self.session.shipment is None:
            return
        store, sheet, cache = self.session.shipment.store, self.session.sheet, self.session.cache
        assets = [a for a in self.session.state.goods if a.id in ids]
        taken = dict(self.session.taken)

        def run(job: Job) -> list[Asset]:
            out = []
            for i, a in enumerate(assets):
                job.progress(i / len(assets), a.name)
                out.append(plan_asset(a, store, sheet, cache, taken.get(a.digest), job))
            return out

        def done(planned: list[Asset]) -> None:
            def change(state: State) -> State:
                for a in planned:
                    state = state.with_asset(a)
                return state

            if any(self.session.state.asset(a.id) is not b for a, b in zip(planned, assets)) and not any(
                self.session.state.asset(b.id) is b for b in assets
            ):
                return
            self.session.edit(f"{label}: {assets[0].name if len(assets) == 1 else f'{len(assets)} goods'}", change)

        if assets:
            self.session.worker.submit(Task(1, title="Planning", run=run, done=done, failed=self.session.fail))

    def take_donor(self, path: Path) -> None:
        """A donor from a file, for the selected asset and all others that have none; their routes are planned anew."""
        if self.session.shipment is None:
            return
        store, current = self.session.shipment.store, self.session.current
        known = next((self.session.origins().get(a.origin) for a in self.session.state.goods if Path(a.source) == path), None)

        def run(job: Job) -> Donor:
            job.progress(0.2, path.name)
            donor = read_donor(path, known)
            keep_donor(store, donor)
            return donor

        def done(donor: Donor) -> None:
            def change(state: State) -> State:
                for a in state.goods:
                    if a.id == current or not a.donor:
                        state = state.with_asset(replace(a, donor=donor.digest, donor_name=donor.name))
                return state

            if self.session.edit(f"Donor {donor.name}", change) and self.session.sheet.rig.donor:
                self.plan([a.id for a in self.session.state.goods])

        self.session.worker.submit(Task(1, title=f"Reading donor {path.name}", run=run, done=done, failed=self.session.fail))

    def dispatch(self, ids: Sequence[str], out: Path, replace_existing: bool = False) -> None:
        """Dispatch assets one after another; one failure does not stop the rest."""
        for id_ in ids:
            done = self.session.results.get(id_)
            if done is None or not done.judged or done.asset is not self.session.state.asset(id_):
                self.session.said.emit(f"{id_} is still being looked at; try again in a moment.", "query")
                continue
            self._dispatch(done, out, replace_existing)

    def _dispatch(self, done: Evaluated, out: Path, replace_existing: bool) -> None:
        sheet = self.session.sheet

        def finished(written: Any) -> None:
            self.session.packages[done.asset.id] = written.folder
            self.session.dispatched.emit(done.asset.id)
            self.land(done.asset.id)

        task = Task(
            2,
            title=f"Dispatching {done.asset.name}",
            run=lambda job: dispatch_asset(done, sheet, out, job, replace_existing),
            done=finished,
            failed=self.session.fail,
        )
        self.session.worker.submit(task)

    def land(self, id_: str) -> None:
        """Let the stand-in destination read the package of an asset."""
        folder, sheet = self.session.packages.get(id_), self.session.sheet
        if folder is None:
            return

        def run(job: Job) -> tuple[Log, Scene | None]:
            log = land(folder, lambda name: sheet if name == sheet.id else find_sheet(name))
            try:
                return log, landed_scene(folder, sheet)
            except (CustomsError, StopIteration):
                return log, None

        def done(answer: tuple[Log, Scene | None]) -> None:
            self.session.logs[id_] = answer[0]
            if answer[1] is not None:
                self.session.landed_scenes[id_] = answer[1]
            self.session.landed.emit(id_)

        self.session.worker.submit(Task(3, key=f"land {id_}", title="Landing", run=run, done=done, failed=self.session.fail))

    def search_folder(self, folder: Path) -> None:
        """Look in a further folder for textures the selected asset may be meant to have, and plan with what is found."""
        asset = self.session.asset
        if asset is None or self.session.shipment is None:
            return
        store, sheet, cache = self.session.shipment.store, self.session.sheet, self.session.cache

        def run(job: Job) -> Asset:
            job.progress(0.1, str(folder))
            found = search_for(asset, store, [folder])
            return found if found is asset else plan_asset(found, store, sheet, cache, job=job)

        def done(found: Asset) -> None:
            if found is asset:
                self.session.said.emit(
                    f"Nothing in {folder} is called like what is missing, or like a texture of this asset.", "query"
                )
            elif self.session.state.asset(asset.id) is asset:
                self.session.change_asset(f"Search {folder.name}", lambda a: found, asset.id)

        self.session.worker.submit(Task(1, title="Searching", run=run, done=done, failed=self.session.fail))


def _free_path(path: Path) -> Path:
    number, out = 1, path
    while out.exists():
        number += 1
        out = path.with_stem(f"{path.stem} {number}")
    return out
