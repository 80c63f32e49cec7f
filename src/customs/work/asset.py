"""One asset from its file to its package."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from customs.conventions.origin import Origin
from customs.dispatch.dispatch import dispatch
from customs.errors import CustomsError, StepError
from customs.intake.take import Taken, take
from customs.ledger.ledger import Ledger, judge, refused
from customs.ledger.row import About
from customs.planning.plan import Plan, Subject, fresh_route, plan
from customs.route.donor import Donor
from customs.route.route import Route, SceneCache, evaluate
from customs.route.step import Job
from customs.sheet.model import Sheet


@dataclass(frozen=True)
class Request:
    """What is asked for one asset."""

    path: Path
    root: Path
    sheet: Sheet
    origin: Origin | None = None
    settings: tuple[str, ...] = ()
    out: Path | None = None
    replace_existing: bool = False
    search: tuple[Path, ...] = ()
    donor: Donor | None = None


@dataclass(frozen=True)
class Result:
    """What came of it: `error` when it could not be read or written; `folder` when it was dispatched."""

    path: Path
    ledger: Ledger
    route: Route | None = None
    folder: Path | None = None
    error: CustomsError | None = None
    name: str = ""

    @property
    def code(self) -> int:
        """Exit code of the command line: 0 cleared or queries only, 1 held or not written, 3 unreadable."""
        if self.error is not None:
            return 1 if self.route is not None else 3
        return 1 if self.ledger.verdict == "held" else 0

    def as_dict(self) -> dict[str, Any]:
        """For `--json`."""
        return {
            "file": str(self.path),
            "asset": self.name,
            "verdict": self.ledger.verdict,
            "counts": {v: self.ledger.count(v) for v in ("cleared", "query", "held")},
            "route": [
                {"id": s.id, "step": s.step, "settings": dict(s.values), "on": s.on}
                for s in (self.route.stops if self.route else ())
            ],
            "rows": [r.as_dict() for r in self.ledger.rows],
            "package": str(self.folder) if self.folder else None,
            "error": self.error.as_dict() if self.error else None,
        }


def apply_settings(route: Route, settings: tuple[str, ...]) -> Route:
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


def prepare(request: Request, job: Job | None = None) -> tuple[Taken, Plan, About]:
    """Read and plan. Raises CustomsError when the file cannot be read or a setting is wrong."""
    taken = take(request.path, request.root, request.search)
    rights = taken.scene.rights
    about = About(rights.get("author", ""), rights.get("licence", ""), absent=taken.absent, donor=request.donor)
    route = apply_settings(fresh_route(request.origin), tuple(s for s in request.settings if s.startswith("arrive")))
    cache = SceneCache()
    planned = plan(Subject(taken.scene, taken.digest, request.sheet, about), route, cache, job)
    later = tuple(s for s in request.settings if not s.startswith("arrive"))
    if later:
        route = apply_settings(planned.route, later)
        passed = evaluate(taken.scene, taken.digest, route, cache, about.resources, job)
        planned = replace(planned, route=route, passed=tuple(passed), ledger=judge(taken.scene, passed, request.sheet, about))
    return taken, planned, about


def run(request: Request, job: Job | None = None) -> Result:
    """Read, plan and, where `out` is given and nothing is held, dispatch. Errors become part of the result."""
    try:
        taken, planned, about = prepare(request, job)
    except CustomsError as problem:
        return Result(request.path, refused(problem), error=problem, name=request.path.stem)
    name = planned.passed[-1].scene.name
    result = Result(request.path, planned.ledger, planned.route, name=name)
    if request.out is None or planned.ledger.verdict == "held":
        return result
    try:
        written = dispatch(
            taken.scene, planned.passed, planned.ledger, request.sheet, about, taken.source(), request.out, job,
            request.replace_existing,
        )  # fmt: skip
    except CustomsError as problem:
        return replace(result, error=problem)
    return replace(result, folder=written.folder)
