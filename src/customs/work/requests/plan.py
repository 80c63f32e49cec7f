"""Planning a route, changing it by settings, and pressing remedies."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from customs.errors import CustomsError, StepError
from customs.intake.take import Taken
from customs.ledger.row import Remedy
from customs.planning.plan import Plan, fresh_route, plan, press
from customs.route.route import Route, SceneCache
from customs.route.step import Job
from customs.work.requests.evaluate import Asked, Evaluated, run_evaluate, unreadable


@dataclass(frozen=True, eq=False)
class PlanRequest:
    """Plan the route anew: stops a person made are kept. `settings` are `stop.field=value` texts, worked in as decisions."""

    asked: Asked
    settings: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class PressRequest:
    """Press remedies, one after another; `now` is the asset as it was when they were offered, where that is at hand."""

    asked: Asked
    remedies: tuple[Remedy, ...]
    now: Evaluated | None = None


def run_plan(request: PlanRequest, cache: SceneCache, taken: Taken | None = None, job: Job | None = None) -> Evaluated:
    """The asset with its route planned. An unreadable one comes back as it is; raises StepError for wrong settings."""
    asset = request.asked.asset
    arriving = tuple(s for s in request.settings if s.startswith("arrive"))
    mine = tuple(s for i, s in enumerate(asset.stops) if i == 0 or s.by == "person")
    route = with_settings(Route(mine) if mine else fresh_route(None), arriving)
    try:
        taken = taken or request.asked.take.run()
    except CustomsError as problem:
        return unreadable(asset, problem)
    subject = request.asked.subject(taken)
    planned = plan(subject, route, cache, job)
    later = tuple(s for s in request.settings if not s.startswith("arrive"))
    if later:
        planned = subject.judged(with_settings(planned.route, later), cache, job)
    return _evaluated(request.asked, taken, planned)


def run_press(request: PressRequest, cache: SceneCache, taken: Taken | None = None, job: Job | None = None) -> Evaluated:
    """The asset with remedies taken and what hangs on them planned. Raises CustomsError."""
    now = request.now or run_evaluate(request.asked, cache, taken, job)
    if now.taken is None:
        raise now.error or CustomsError("was not read", file=now.asset.name)
    subject, planned = request.asked.subject(now.taken), now.plan
    for fix in request.remedies:
        planned = press(subject, planned, fix, cache, job)
    return _evaluated(request.asked, now.taken, planned)


def _evaluated(asked: Asked, taken: Taken, planned: Plan) -> Evaluated:
    asset = replace(asked.asset, stops=planned.route.stops)
    return Evaluated(asset, taken, planned.passed, planned.ledger, about=asked.about())


def with_settings(route: Route, settings: Sequence[str]) -> Route:
    """The route with `stop.field=value` settings worked in; a step without a stop gets one. Raises StepError."""
    import json

    for text in settings:
        where, equals, value = text.partition("=")
        stop, dot, name = where.partition(".")
        if not equals or not dot or not name:
            raise StepError(f"{text!r}", "stop.field=value, as in resize@1.limit=1024")
        try:
            parsed = json.loads(value)
        except ValueError:
            parsed = value
        if any(s.id == stop for s in route.stops):
            route = route.changed(stop, **{name: parsed})
        else:
            step, _, number = stop.partition("@")
            existing = route.of_step(step)
            if number not in ("", "1") or (existing is not None and "@" in stop):
                route.find(stop)
            if existing is not None:
                route = route.changed(existing.id, **{name: parsed})
            else:
                route = route.added(step, {name: parsed}, by="person")
    return route
