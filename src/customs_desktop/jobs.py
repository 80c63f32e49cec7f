"""Longer work of a session, off the interface thread: taking in, planning, donors, searching, dispatching,
landing.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QTimer

from customs.changes.donor import Donor
from customs.conventions.origin import Origin
from customs.intake.rights import Slip
from customs.intake.scan import Model, model_files
from customs.intake.take import Taken
from customs.job import Job
from customs.later import later
from customs.ledger.row import Remedy
from customs.shipment.state import Asset, State
from customs.words import many
from customs.work.donors import keep_donor, read_donor
from customs.work.goods import UNREADABLE, search_for, slipped, take_again, take_in, title_of
from customs.work.places import data_folder
from customs.work.requests.evaluate import Evaluated, asked_of
from customs.work.requests.plan import PlanRequest, PressRequest, run_plan, run_press
from customs_desktop.looks import Looks
from customs_desktop.plans import Plans
from customs_desktop.session import Session, new_shipment
from customs_desktop.worker import Task

if TYPE_CHECKING:
    from customs.work.requests.dispatch import Dispatched
    from customs.work.requests.land import Landed

dispatching, landing = later("customs.work.requests.dispatch"), later("customs.work.requests.land")
kits, withdrawing = later("customs.work.kits"), later("customs.work.requests.withdraw")


class Wanted(NamedTuple):
    """A model to take in: its place, the folder or archive it is from, the files chosen for names it says, those
    whose clips go along, and what a text says of its rights.
    """

    path: Path
    root: Path
    given: Mapping[str, str] = MappingProxyType({})
    paired: tuple[str, ...] = ()
    slip: Slip | None = None


SETTLED = 400
"""Milliseconds without another change of a kit after which the goods are looked at anew."""


class Jobs:
    """Each call puts a task in line; what comes of it is a decision of the session, or a signal of it."""

    def __init__(self, session: Session, looks: Looks, plans: Plans) -> None:
        self.session, self._looks, self.plans = session, looks, plans
        self._kit_timer = QTimer(session)
        self._kit_timer.setSingleShot(True)
        self._kit_timer.setInterval(SETTLED)
        self._kit_timer.timeout.connect(lambda: looks.again())

    def take_in(self, paths: Sequence[Path], origin: Origin | None) -> None:
        """Take files and folders in, every file its own decision: in the goods and in the view as soon as it
        has been read, and planned after that.
        """
        self._shipment()
        places = [object() for _ in paths]
        for place, path in zip(places, paths):
            self.session.expect(place, title_of(path.stem))

        def listed() -> None:
            for place in places:
                self.session.expect(place, "")

        def done(models: list[Model]) -> None:
            listed()
            self.take_models([Wanted(m.path, m.root) for m in models], origin)

        def failed(problem: Exception) -> None:
            listed()
            self.session.fail(problem)

        self.session.worker.submit(
            Task(0, title="Listing", run=lambda job: model_files(paths, job), done=done, failed=failed)
        )

    def _shipment(self) -> None:
        """A shipment to take things into, where none is open."""
        if self.session.shipment is None:
            self.session.guard(
                lambda: self.session.show_shipment(
                    new_shipment(_free_path(data_folder() / "Untitled.customs"))
                )
            )

    def take_models(self, models: Sequence[Wanted], origin: Origin | None) -> None:
        """Take in models, each its own decision."""
        self._shipment()
        for model in models:
            self._take(model, origin)

    def _take(self, wanted: Wanted, origin: Origin | None) -> None:
        if self.session.shipment is None:
            return
        path, slip = wanted.path, wanted.slip
        store = self.session.shipment.store
        id_, others = self.session.state.free_id(path.stem), self.session.state.goods

        read: list[Taken] = []

        def run(job: Job) -> Asset:
            job.progress(0.1, path.name)
            asset = take_in(
                path, wanted.root, store, id_, origin, others, wanted.given, wanted.paired, job, read.append
            )
            return asset if slip is None else slipped(asset, slip)

        place = object()
        self.session.expect(place, title_of(path.stem))

        def failed(problem: Exception) -> None:
            self.session.expect(place, "")
            self.session.fail(problem)

        def done(asset: Asset) -> None:
            self.session.expect(place, "")
            for taken in read:
                self.session.taken.setdefault(asset.digest, taken)
            asset = replace(asset, id=self.session.state.free_id(path.stem))
            name = origin.id if origin else ""
            planned = [asset.id] if asset.kind != UNREADABLE else []
            if self.plans.decide(
                f"Take in {asset.name}", lambda s: replace(s.with_asset(asset), last_origin=name), planned
            ):
                self.session.select(asset.id)

        self.session.worker.submit(Task(1, title=f"Taking in {path.name}", run=run, done=done, failed=failed))

    def take_again(self, asset: Asset, change: Callable[[Asset], Asset] = lambda asset: asset) -> None:
        """An asset as its files are now, or as a change of them has it, what was decided about it kept, and its route planned anew."""
        assert self.session.shipment is not None
        store, sheet, cache = self.session.shipment.store, self.session.sheet, self.session.cache
        kit = self.session.kit

        def run(job: Job) -> tuple[Asset, tuple[str, ...]]:
            job.progress(0.1, asset.name)
            now, words = take_again(change(asset), store)
            return run_plan(PlanRequest(asked_of(now, store, sheet, kit)), cache, job=job).asset, words

        def done(answer: tuple[Asset, tuple[str, ...]]) -> None:
            now, words = answer
            if self.session.state.asset(asset.id) is asset and self.session.change_asset(
                "Take again", lambda a: now, asset.id
            ):
                self.session.said.emit(
                    f"{asset.name} taken again. {'. '.join(words)}".strip(), "query" if words else "note"
                )

        self.session.worker.submit(
            Task(1, title=f"Taking {asset.name} again", run=run, done=done, failed=self.session.fail)
        )

    def press(self, pairs: Sequence[tuple[Asset, tuple[Remedy, ...]]], label: str) -> bool:
        """Press remedies on assets and plan what hangs on them, as one decision. False where there is nothing
        to press.
        """
        if self.session.shipment is None or not pairs:
            return False
        store, sheet, cache = self.session.shipment.store, self.session.sheet, self.session.cache
        kit = self.session.kit
        requests = [
            PressRequest(asked_of(a, store, sheet, kit), fixes, self._current(a)) for a, fixes in pairs
        ]
        taken = dict(self.session.taken)

        def run(job: Job) -> list[Asset]:
            out = []
            for i, r in enumerate(requests):
                job.progress(i / len(requests), r.asked.asset.name)
                out.append(run_press(r, cache, taken.get(r.asked.asset.digest), job).asset)
            return out

        self._decide("Taking a remedy", run, [a for a, _ in pairs], label)
        return True

    def _current(self, asset: Asset) -> Evaluated | None:
        """An asset as it was last judged, where that is how it stands now."""
        known = self.session.results.get(asset.id)
        return (
            known
            if known is not None and known.taken is not None and known.judged and self._looks.fresh(known)
            else None
        )

    def _decide(
        self, title: str, run: Callable[[Job], list[Asset]], assets: Sequence[Asset], label: str
    ) -> None:
        """Work that ends in one decision about some assets; those a person changed meanwhile stay as that
        person left them.
        """

        def done(answers: list[Asset]) -> None:
            mine = [b for a, b in zip(assets, answers) if self.session.state.asset(a.id) is a]

            def change(state: State) -> State:
                for a in mine:
                    state = state.with_asset(a)
                return state

            if mine:
                self.session.edit(label, change)
            if len(mine) < len(assets):
                self.session.said.emit(
                    f"{label}: something else was changed meanwhile. Press it again.", "query"
                )

        self.session.worker.submit(Task(1, title=title, run=run, done=done, failed=self.session.fail))

    def take_donor(self, path: Path) -> None:
        """A donor from a file, for the selected asset and all others that have none; their routes are planned
        anew.
        """
        if self.session.shipment is None:
            return
        store, current = self.session.shipment.store, self.session.current
        known = next(
            (
                self.session.origins().get(a.origin)
                for a in self.session.state.goods
                if Path(a.source) == path
            ),
            None,
        )

        def run(job: Job) -> Donor:
            job.progress(0.2, path.name)
            donor = read_donor(path, known)
            keep_donor(store, donor)
            return donor

        def done(donor: Donor) -> None:
            def change(state: State) -> State:
                # What is for study only makes whatever is made with it so too.
                study = any(a.use == "study" for a in state.goods if Path(a.source) == path)
                for a in state.goods:
                    if a.id == current or not a.donor:
                        use = "study" if study else a.use
                        state = state.with_asset(
                            replace(a, donor=donor.digest, donor_name=donor.name, use=use)
                        )
                return state

            wanted = bool(self.session.sheet.rig.donor)
            self.plans.decide(
                f"Donor {donor.name}", change, [a.id for a in self.session.state.goods if wanted]
            )

        self.session.worker.submit(
            Task(1, title=f"Reading donor {path.name}", run=run, done=done, failed=self.session.fail)
        )

    def dispatch(self, ids: Sequence[str], out: Path, replace_existing: bool = False) -> None:
        """Dispatch assets one after another; one failure does not stop the rest."""
        ready = [
            self.session.results[i]
            for i in ids
            if i in self.session.results and self.session.results[i].passed
        ]
        names = Counter(d.passed[-1].scene.name.lower() for d in ready)
        for id_ in ids:
            done = self.session.results.get(id_)
            unseen = done is None or not done.judged or (done.taken is None and done.error is None)
            if unseen or done.asset is not self.session.state.asset(id_):
                self.session.said.emit(f"{id_} is still being looked at; try again in a moment.", "query")
                continue
            # Assets of one name would meet in one folder: they go by the names they have in the shipment.
            alike = bool(done.passed) and names[done.passed[-1].scene.name.lower()] > 1
            self._dispatch(done, out, replace_existing, id_ if alike else "")

    def _dispatch(self, done: Evaluated, out: Path, replace_existing: bool, folder: str) -> None:
        request = dispatching.DispatchRequest(
            done, self.session.sheet, out, replace_existing, folder, self.session.kit
        )

        def finished(sent: Dispatched) -> None:
            self.session.packages.pop(done.asset.id, None)
            self.session.packages[done.asset.id] = sent.folder
            if sent.unchanged:
                told = f"{done.asset.name} stands there unchanged: nothing was written."
                self.session.said.emit(told, "note")
            self.session.dispatched.emit(done.asset.id)
            self.land(done.asset.id)
            self._kit_changed(request.kit)

        task = Task(
            2,
            title=f"Dispatching {done.asset.name}",
            run=lambda job: dispatching.run_dispatch(request, job),
            done=finished,
            failed=self.session.fail,
        )
        self.session.worker.submit(task)

    def _kit_changed(self, kit: Path | None) -> None:
        """Numbers and names may be taken now, or free again: the goods are looked at anew, once all that is on its way is there."""
        if kit is not None and kit == self.session.kit:
            self._kit_timer.start()

    def withdraw(self, id_: str) -> None:
        """Undo the dispatch of an asset in the kit folder: every original back, every new file away."""
        folder, kit = self.session.packages.get(id_), self.session.kit
        if folder is None or kit is None:
            return

        def done(paths: tuple[str, ...]) -> None:
            self.session.said.emit(f"As before in the kit: {many(len(paths), 'file')}.", "note")
            self.session.dispatched.emit(id_)
            self.land(id_)
            self._kit_changed(kit)

        def run(job: Job) -> tuple[str, ...]:
            return withdrawing.run_withdraw(folder, kit)  # type: ignore[no-any-return]

        self.session.worker.submit(Task(2, title="Withdrawing", run=run, done=done, failed=self.session.fail))

    def land(self, id_: str) -> None:
        """Let the stand-in destination read the package of an asset."""
        folder, sheet = self.session.packages.get(id_), self.session.sheet
        if folder is None:
            return
        kit = self.session.kit

        def done(landed: Landed) -> None:
            self.session.logs[id_] = landed.log
            self.session.landed_whole[id_] = landed
            if landed.scene is not None:
                self.session.landed_scenes[id_] = landed.scene
            self.session.landed.emit(id_)

        task = Task(
            3,
            key=f"land {id_}",
            title="Landing",
            run=lambda job: landing.run_land(
                landing.LandRequest(folder, known=sheet, kit=kit if kits.stands_in(folder, kit) else None),
                show=True,
            ),
            done=done,
            failed=self.session.fail,
        )
        self.session.worker.submit(task)

    def search_folder(self, folder: Path) -> None:
        """Look in a further folder for textures the selected asset may be meant to have, and plan with what
        is found.
        """
        asset = self.session.asset
        if asset is None or self.session.shipment is None:
            return
        store, sheet, cache = self.session.shipment.store, self.session.sheet, self.session.cache
        kit = self.session.kit

        def run(job: Job) -> Asset:
            job.progress(0.1, str(folder))
            found = search_for(asset, store, [folder])
            return (
                found
                if found is asset
                else run_plan(PlanRequest(asked_of(found, store, sheet, kit)), cache, job=job).asset
            )

        def done(found: Asset) -> None:
            if found is asset:
                self.session.said.emit(
                    f"Nothing in {folder} is called like what is missing, or like a texture of this asset.",
                    "query",
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
