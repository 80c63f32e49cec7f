"""Plan route: remedies that can be taken alone, one round after another, until nothing more clears."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from customs.conventions.origin import Origin
from customs.errors import CustomsError
from customs.job import Job
from customs.ledger.ledger import Ledger, judge
from customs.ledger.row import About, Remedy, Row
from customs.ledger.waiver import Waiver
from customs.route.route import At, Route, SceneCache, Stop, evaluate
from customs.route.step import PHASES, get_step, step_of
from customs.scene.model import Scene
from customs.scene.settings import Settings, Targeted
from customs.sheet.model import Sheet

ROUNDS = 12
"""More rounds than remedies can follow from each other; each row takes the same remedy once a plan anyway."""


@dataclass(frozen=True, eq=False)
class Plan:
    """A route, the asset after each stop, and the ledger at its end."""

    route: Route
    passed: tuple[At, ...]
    ledger: Ledger


EVALUATED = 0.4
"""Share of the work, for its progress, until the stops have run; the rest is judging."""
Seen = Callable[[Plan], None]
"""Hears of a plan that is not judged to the end yet."""


def arrive_stop(origin: Origin | None) -> Stop:
    """The fixed first stop, with an origin's convention."""
    stop = Stop("arrive@1", "arrive")
    if origin is None:
        return stop.with_values()
    values: dict[str, Any] = {
        "up": origin.up,
        "faces": origin.faces,
        "hand": origin.hand,
        "metres_per_unit": origin.metres_per_unit,
        "front": origin.front,
        "green": origin.green,
        "turn": origin.turn,
        "scale": origin.scale,
        "stated": "origin",
    }
    if origin.suffixes:
        values["suffixes"] = {k: list(v) for k, v in origin.suffixes.items()}
    if origin.v:
        values["v"] = origin.v
    return stop.with_values(**values)


def fresh_route(origin: Origin | None) -> Route:
    """A route that only arrives, and puts the footing where the origin wants it."""
    route = Route((arrive_stop(origin),))
    if origin is not None and origin.footing not in ("as-received", "point"):
        route = route.added("footing", {"kind": origin.footing})
    return route


def take_remedy(route: Route, fix: Remedy, by: str = "plan") -> Route:
    """The route with a remedy added at its step's place, or worked into the stop that is there. Raises
    StepError.
    """
    step, asked = get_step(fix.step), fix.settings
    existing = route.of_step(fix.step)
    if step.plural and isinstance(asked, Targeted) and asked.targets:
        route = _released(route, fix.step, asked)
        existing = next((s for s in route.stops if s.step == fix.step and _same_but_targets(s, asked)), None)
    if existing is None or (step.plural and not _same_but_targets(existing, asked)):
        return route.added(fix.step, asked.said(), by)
    if not existing.on:
        route = route.switched(existing.id, True)
    return _behind(route.changed(existing.id, **existing.settings.merged(asked).said()), existing.id)


def _behind(route: Route, stop_id: str) -> Route:
    """With a stop that a remedy wants again behind what a person did after it, where its step comes after theirs: it is
    to put right what they left.
    """
    ids = [s.id for s in route.stops]
    at, order = ids.index(stop_id), step_of(route.find(stop_id).step).order
    later = [
        i
        for i, s in enumerate(route.stops)
        if i > at and s.by == "person" and s.on and step_of(s.step).order < order
    ]
    if not later:
        return route
    rest = [s for s in route.stops if s.id != stop_id]
    rest.insert(later[-1], route.find(stop_id))
    return Route(tuple(rest))


def _same_but_targets(stop: Stop, asked: Settings) -> bool:
    """True when a stop does what `asked` says, be it to others; what is not said is the step's default."""
    mine = stop.settings
    if isinstance(mine, Targeted) and isinstance(asked, Targeted):
        return mine.but_targets() == asked.but_targets()
    return mine == asked


def _released(route: Route, step: str, asked: Targeted) -> Route:
    """The plan's other stops of a step let go of what another is now to do, and leave when nothing is left to
    them.
    """
    for stop in [
        s for s in route.stops if s.step == step and s.by == "plan" and not _same_but_targets(s, asked)
    ]:
        had = tuple(dict(stop.values).get("targets", ()))
        left = tuple(t for t in had if t not in asked.targets)
        if had and not left:
            route = route.removed(stop.id)
        elif left != had:
            route = route.changed(stop.id, targets=left)
    return route


@dataclass(frozen=True, eq=False)
class Subject:
    """What is planned for: an asset as received, the digest of its files, the sheet, what is known of it, its
    waivers.
    """

    received: Scene
    digest: str
    sheet: Sheet
    about: About = field(default_factory=About)
    waivers: Mapping[str, Waiver] = field(default_factory=dict)

    def judged(self, route: Route, cache: SceneCache, job: Job | None, seen: Seen | None = None) -> Plan:
        """A route as it stands: the asset after every stop, and the ledger at its end. `seen` is told of the
        scenes before they are judged, and of the rows so far now and then. Raises Cancelled.
        """
        job = job or Job()
        passed = tuple(
            evaluate(self.received, self.digest, route, cache, self.about.resources, job.part(0.0, EVALUATED))
        )

        def told(rows: Sequence[Row], share: float) -> None:
            job.check()
            job.progress(EVALUATED + (1.0 - EVALUATED) * share, "Judging")
            if seen is not None:
                seen(Plan(route, passed, Ledger(tuple(rows))))

        told((), 0.0)
        return Plan(
            route, passed, judge(self.received, passed, self.sheet, self.about, self.waivers, told=told)
        )


def plan(
    subject: Subject,
    route: Route,
    cache: SceneCache | None = None,
    job: Job | None = None,
    seen: Seen | None = None,
) -> Plan:
    """`route` with every remedy that can be taken alone. Stops made by a person are kept. `seen` is told of
    `route` as it stands, while it is being judged.

    The order of remedies is the order of the requirements, so the same asset gets the same route every time.
    """
    cache = cache if cache is not None else SceneCache()
    first = subject.judged(route, cache, _round(job, 0), seen)
    return _remedied(subject, first, cache, job, lambda row: True)


def press(
    subject: Subject, now: Plan, fix: Remedy, cache: SceneCache | None = None, job: Job | None = None
) -> Plan:
    """The route of `now` with a remedy taken by a person, and with the plan's own remedies for what that
    opened.

    Rows open in `now` are left as they are, since a person has seen them. Raises StepError for settings that
    do not fit.
    """
    known = {r.id for r in now.ledger.open()}
    cache = cache if cache is not None else SceneCache()
    pressed = subject.judged(take_remedy(now.route, fix, by="person"), cache, _round(job, 0))
    return _remedied(subject, pressed, cache, job, lambda row: row.id not in known)


def _remedied(
    subject: Subject, now: Plan, cache: SceneCache, job: Job | None, meant: Callable[[Row], bool]
) -> Plan:
    """`now` with sure remedies of the rows `meant`, one round after another, until nothing more clears."""
    taken: set[tuple[str, str]] = set()
    route = now.route
    for number in range(1, ROUNDS + 1):
        wanted = [
            r
            for r in now.ledger.open()
            if r.remedy is not None and r.remedy.sure and meant(r) and (r.id, repr(r.remedy)) not in taken
        ]
        if not wanted:
            break
        first = min(_phase(r) for r in wanted)
        wanted = [r for r in wanted if _phase(r) == first]
        for row in sorted(wanted, key=lambda r: (get_step(r.remedy.step).order if r.remedy else 0, r.id)):
            route = _try(route, row)
            taken.add((row.id, repr(row.remedy)))
        now = subject.judged(route, cache, _round(job, number))
    lean = _without_idle(route, now.passed)
    return now if lean is route else subject.judged(lean, cache, _round(job, ROUNDS))


def _round(job: Job | None, number: int) -> Job | None:
    """How many rounds there will be is not known: each has half of what is left of the progress."""
    return job.part(1.0 - 0.5**number, 1.0 - 0.5 ** (number + 1)) if job is not None else None


def _phase(row: Row) -> int:
    return PHASES.index(get_step(row.remedy.step).phase) if row.remedy else 0


def _without_idle(route: Route, passed: Sequence[At]) -> Route:
    """Without stops of the plan that changed nothing, because an earlier stop had settled their matter."""
    for before, at in itertools.pairwise(passed):
        if at.stop.by == "plan" and at.scene is before.scene and at.error is None:
            route = route.removed(at.stop.id)
    return route


def _try(route: Route, row: Row) -> Route:
    assert row.remedy is not None
    try:
        return take_remedy(route, row.remedy)
    except CustomsError:
        return route
