"""Planning a route, changing it by settings, and pressing remedies."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from customs.errors import CustomsError, SettingError, StepError
from customs.intake.take import Taken
from customs.job import Job
from customs.ledger.row import Remedy
from customs.planning.plan import Plan, Subject, fresh_route, plan, press
from customs.route.route import Route, SceneCache, evaluate
from customs.route.step import get_step, make_settings, step_of
from customs.work.judged import own_stops
from customs.work.requests.evaluate import Asked, Evaluated, measure_all, run_evaluate, unreadable


@dataclass(frozen=True, eq=False)
class PlanRequest:
    """Plan the route anew: stops a person made are kept. `settings` are `stop.field=value` texts, worked in
    as decisions.
    """

    asked: Asked
    settings: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class PressRequest:
    """Press remedies, one after another; `now` is the asset as it was when they were offered, where that is
    at hand.
    """

    asked: Asked
    remedies: tuple[Remedy, ...]
    now: Evaluated | None = None


def run_plan(
    request: PlanRequest,
    cache: SceneCache,
    taken: Taken | None = None,
    job: Job | None = None,
    early: Callable[[Evaluated], None] = lambda result: None,
) -> Evaluated:
    """The asset with its route planned. An unreadable one comes back as it is; raises StepError for wrong
    settings. `early` is told of the asset as it stands, where it stands as planning begins.
    """
    asset = request.asked.asset
    first = tuple(s for s in request.settings if _comes_first(s))
    mine = own_stops(asset.stops)
    route = with_settings(Route(mine) if mine else fresh_route(None), first)
    try:
        taken = taken or request.asked.take.run()
    except CustomsError as problem:
        return unreadable(asset, problem)
    subject = request.asked.subject(taken)
    known = _recalled(request, subject, taken, cache, job)
    if known is not None:
        return known

    def seen(plan: Plan) -> None:
        measure_all(taken, plan.passed)
        early(Evaluated(asset, taken, plan.passed, plan.ledger, about=subject.about, whole=False))

    planned = plan(subject, route, cache, job, seen if route.stops == asset.stops else None)
    later = tuple(s for s in request.settings if s not in first)
    if later:
        planned = subject.judged(with_settings(planned.route, later), cache, job)
    done = _evaluated(request.asked, taken, planned)
    if request.asked.judged is not None and not request.settings:
        request.asked.judged.keep_plan(asset, done.asset, request.asked.sheet, done.about, done.ledger)
    return done


def _recalled(
    request: PlanRequest, subject: Subject, taken: Taken, cache: SceneCache, job: Job | None
) -> Evaluated | None:
    """What planning came to before, with the scenes of today."""
    asked = request.asked
    if asked.judged is None or request.settings:
        return None
    known = asked.judged.planned(asked.asset, asked.sheet, subject.about)
    if known is None:
        return None
    route = Route(known.stops)
    passed = tuple(evaluate(taken.scene, taken.digest, route, cache, subject.about.resources, job))
    asset = replace(asked.asset, stops=route.stops)
    measure_all(taken, passed)
    return Evaluated(asset, taken, passed, known.ledger, about=subject.about, recalled=True)


def run_press(
    request: PressRequest, cache: SceneCache, taken: Taken | None = None, job: Job | None = None
) -> Evaluated:
    """The asset with remedies taken and what hangs on them planned. Raises CustomsError."""
    now = request.now or run_evaluate(request.asked, cache, taken, job)
    if now.taken is None:
        raise now.error or CustomsError("was not read", file=now.asset.name)
    subject, planned = request.asked.subject(now.taken), now.plan
    for fix in request.remedies:
        planned = press(subject, planned, fix, cache, job)
    return _evaluated(request.asked, now.taken, planned)


def _evaluated(asked: Asked, taken: Taken, planned: Plan) -> Evaluated:
    asset, about = replace(asked.asset, stops=planned.route.stops), asked.about()
    measure_all(taken, planned.passed)
    if asked.judged is not None:
        asked.judged.keep(asset, asked.sheet, about, planned.ledger)
    return Evaluated(asset, taken, planned.passed, planned.ledger, about=about)


def with_settings(route: Route, settings: Sequence[str]) -> Route:
    """The route with `stop.field=value` settings worked in; a step without a stop gets one. Raises
    SettingError.
    """
    for text in settings:
        stop, name, parsed = split_setting(text)
        try:
            route = _with(route, stop, name, parsed)
        except StepError as problem:
            raise SettingError(
                problem.found, problem.expected, problem.todo, f"--set {text}", problem.where
            ) from None
    return route


def _comes_first(text: str) -> bool:
    """Settings of the first stop, and of what makes the asset anew."""
    step = split_setting(text)[0].partition("@")[0]
    return step == "arrive" or step_of(step).remakes


def split_setting(text: str) -> tuple[str, str, Any]:
    """(stop, field, value) of `stop.field=value`. Raises SettingError."""
    where, equals, value = text.partition("=")
    stop, dot, name = where.partition(".")
    if not equals or not dot or not name:
        raise SettingError(f"{text!r}", "stop.field=value, as in resize@1.limit=1024")
    try:
        return stop, name, json.loads(value)
    except ValueError:
        return stop, name, value


def check_settings(settings: Sequence[str]) -> None:
    """Raises SettingError for a text that no route could work in: an unknown step or field, or a value it
    does not take.
    """
    for text in settings:
        stop, name, value = split_setting(text)
        try:
            make_settings(get_step(stop.partition("@")[0]), {name: value})
        except StepError as problem:
            raise SettingError(
                problem.found, problem.expected, problem.todo, f"--set {text}", problem.where
            ) from None


def _with(route: Route, stop: str, name: str, value: Any) -> Route:
    if any(s.id == stop for s in route.stops):
        return route.changed(stop, **{name: value})
    step, _, number = stop.partition("@")
    existing = route.of_step(step)
    if number not in ("", "1") or (existing is not None and "@" in stop):
        route.find(stop)
    if existing is not None:
        return route.changed(existing.id, **{name: value})
    return route.added(step, {name: value}, by="person")
