"""Evaluating: the asset after every stop of its route, and its ledger."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from customs.changes.donor import Donor
from customs.errors import CustomsError
from customs.intake.take import Taken
from customs.job import Job
from customs.ledger.ledger import Ledger, judge, refused
from customs.ledger.row import About, Row
from customs.picture.received import as_seen
from customs.planning.plan import Plan, Subject
from customs.route.route import At, Route, SceneCache, evaluate
from customs.route.steps.fit.arrive import Arrive, arriving
from customs.scene.model import Scene
from customs.sheet.known import for_asset, known_of
from customs.sheet.model import Sheet
from customs.shipment.state import Asset
from customs.shipment.store import changed_on_disk
from customs.work.donors import kept_donor
from customs.work.judged import Judged
from customs.work.kit_facts import kit_facts
from customs.work.measure import measure
from customs.work.requests.take import Take, kept_copy
from customs.work.selections import kept_selections


@dataclass(frozen=True, eq=False)
class Asked:
    """An asset as decided, where its files lie, the sheet it goes to, the destination's own folder `kit`. Its donor is `donor`, or
    the one the `store` keeps. `judged` are answers from before, where any are kept.
    """

    asset: Asset
    take: Take
    sheet: Sheet
    store: Path | None = None
    donor: Donor | None = None
    judged: Judged | None = None
    kit: Path | None = None

    def about(self) -> About:
        """What is known of it besides its scene."""
        about = about_of(self.asset, self.store, self.donor)
        if self.kit is None:
            return about
        return replace(about, kit=kit_facts(self.own_sheet(), self.kit, self.asset.source))

    def own_sheet(self) -> Sheet:
        """The sheet as it stands for this asset: with its number, its file's name, its folders."""
        return for_asset(self.sheet, known_of(self.sheet, self.asset.form, self.asset.source))

    def subject(self, taken: Taken) -> Subject:
        """What is judged and planned."""
        return Subject(taken.scene, taken.digest, self.own_sheet(), self.about(), self.asset.waivers)


def asked_of(asset: Asset, store: Path, sheet: Sheet, kit: Path | None = None) -> Asked:
    """An asset of a shipment, from its store; the destination's own folder is looked at where one is given."""
    return Asked(asset, kept_copy(asset, store), sheet, store, judged=Judged(store), kit=kit)


@dataclass(frozen=True, eq=False)
class Evaluated:
    """An asset looked at: as received, after every stop, and the ledger. `error` when it cannot be read.
    `whole` is False while more rows are to come, `recalled` True for a ledger that was kept from before.
    """

    asset: Asset
    taken: Taken | None
    passed: tuple[At, ...]
    ledger: Ledger
    error: CustomsError | None = None
    about: About = field(default_factory=About)
    whole: bool = True
    recalled: bool = False

    @property
    def judged(self) -> bool:
        """False while only the scenes are known, or some of the rows."""
        return self.whole and self.ledger.filled

    @property
    def plan(self) -> Plan:
        """Its route as it stands."""
        return Plan(Route(self.asset.stops), self.passed, self.ledger)

    def at(self, stop_id: str | None) -> Scene | None:
        """The scene after a stop, or at the end."""
        for at in self.passed:
            if at.stop.id == stop_id:
                return at.scene
        return self.passed[-1].scene if self.passed else None


def about_of(asset: Asset, store: Path | None = None, donor: Donor | None = None) -> About:
    """What is known of an asset besides its scene; its donor from the `store`, where one is given and it is
    there.
    """
    use = asset.use if asset.use in ("deliver", "private", "study") else ""
    changed = changed_on_disk(asset.files, asset.digest, asset.archives)
    if donor is None and asset.donor and store is not None:
        with contextlib.suppress(CustomsError):
            donor = kept_donor(store, asset.donor, asset.donor_name)
    chosen = kept_selections(store, asset.stops) if store is not None else {}
    return About(
        asset.author,
        asset.licence,
        use,  # type: ignore[arg-type]
        changed,
        asset.absent,
        donor,
        chosen,
        asset.stamps,
        asset.notes,
        asset.form,
        source=asset.source,
    )


def run_evaluate(
    asked: Asked,
    cache: SceneCache,
    taken: Taken | None = None,
    job: Job | None = None,
    early: Callable[[Evaluated], None] = lambda result: None,
) -> Evaluated:
    """The asset after every stop, with its ledger. Never raises CustomsError: an unreadable asset has one
    held row.

    `early` is told of the scenes before they are judged, so that they can be drawn meanwhile, and of rows as
    they are judged. Raises Cancelled.
    """
    job = job or Job()
    job.progress(0.0, "Reading")
    try:
        taken = taken or asked.take.run()
    except CustomsError as problem:
        return unreadable(asked.asset, problem, asked.store)
    subject = asked.subject(taken)
    passed = tuple(
        evaluate(
            taken.scene, taken.digest, asked.asset.route, cache, subject.about.resources, job.part(0.2, 0.5)
        )
    )
    measure_all(taken, passed)
    seen = Evaluated(asked.asset, taken, passed, Ledger(()), about=subject.about, whole=False)
    early(seen)
    known = asked.judged.ledger(asked.asset, asked.sheet, subject.about) if asked.judged else None
    if known is not None:
        return replace(seen, ledger=known, whole=True, recalled=True)

    def row_by_row(rows: Sequence[Row], share: float) -> None:
        job.check()
        job.progress(0.5 + 0.5 * share, "Judging")
        early(replace(seen, ledger=Ledger(tuple(rows))))

    ledger = judge(taken.scene, passed, subject.sheet, subject.about, asked.asset.waivers, told=row_by_row)
    if asked.judged:
        asked.judged.keep(asked.asset, asked.sheet, subject.about, ledger)
    return replace(seen, ledger=ledger, whole=True)


def measure_all(taken: Taken, passed: Sequence[At]) -> None:
    """Find out here what whoever shows it will ask: the figures are kept with the scenes."""
    for scene in (taken.scene, *(at.scene for at in passed)):
        measure(scene)
    if passed and isinstance(settings := passed[0].stop.settings, Arrive):
        measure(as_seen(taken.scene, arriving(taken.scene, settings)))


def unreadable(asset: Asset, problem: CustomsError, store: Path | None = None) -> Evaluated:
    """An asset that could not be read: one held row, which names the person's own file where the store's copy
    was read.
    """
    if store is not None and Path(problem.file).is_relative_to(store):
        kept, own = Path(problem.file).name, [Path(asset.source), *map(Path, asset.files)]
        problem = replace(problem, file=next((p for p in own if p.name == kept), Path(kept)))
    return Evaluated(asset, None, (), refused(problem), problem)
