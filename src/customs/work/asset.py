"""One asset from its file to its package."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from customs.changes.donor import Donor
from customs.conventions.origin import Origin
from customs.errors import Cancelled, CustomsError, OtherGoodsError, SettingError, unforeseen
from customs.formats.registry import get_format
from customs.geometry.counts import counts
from customs.intake.take import Taken
from customs.job import Job
from customs.later import later
from customs.ledger.ledger import Ledger, refused
from customs.planning.plan import fresh_route
from customs.recipes.recipe import EVERY, UNSAID, Decided, Goods, Rights, route_with
from customs.route.route import Route, SceneCache
from customs.route.step import step_of
from customs.sheet.form import value_of
from customs.sheet.model import Sheet
from customs.shipment.state import Asset
from customs.work.goods import kind_of
from customs.work.requests.evaluate import Asked, Evaluated
from customs.work.requests.plan import PlanRequest, run_plan
from customs.work.requests.take import Take

# Who only asks, as a run does whose goods stand as they were, does not wait for what carries it out.
dispatching, left = later("customs.work.requests.dispatch"), later("customs.ledger.left")


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
    form: tuple[tuple[str, str], ...] = ()
    """Fields of its form, as typed."""
    kit: Path | None = None
    """The destination's own folder, where the package goes into that too."""
    given: Mapping[str, str] = field(default_factory=dict)
    """Files for names the model says, of a level those of its lists."""
    folder: str = ""
    """Name of the package's folder below `out`, where the asset's own would be somebody else's too."""
    stops: tuple[Decided, ...] = ()
    """What a recipe decides about it."""
    goods: Goods = EVERY
    """The goods that are meant; others are left alone."""
    rights: Rights = UNSAID
    """The rights slip, where it is not what the file itself says."""


@dataclass(frozen=True)
class Result:
    """What came of it: `error` when it could not be read or written; `folder` when it was dispatched and
    landed (`accepted`).

    `changed`, `guessed` and `left` say in words what was done to it, what was taken on a guess, what did not
    come along.
    """

    path: Path
    ledger: Ledger
    route: Route | None = None
    folder: Path | None = None
    error: CustomsError | None = None
    name: str = ""
    changed: tuple[str, ...] = ()
    guessed: tuple[str, ...] = ()
    left: tuple[str, ...] = ()
    remarks: tuple[str, ...] = ()
    accepted: bool = False
    files: tuple[Path, ...] = ()
    """Files it was made of."""
    skipped: str = ""
    """Why it is none of the goods that were meant."""

    @property
    def code(self) -> int:
        """Exit code of the command line: 0 cleared or queries only, 1 held or not written, 2 a wrong setting,
        3 unreadable.
        """
        if isinstance(self.error, SettingError):
            return 2
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
            "queries": [r.as_dict() for r in self.ledger.open() if r.verdict == "query"],
            "changed": list(self.changed),
            "guessed": list(self.guessed),
            "left_behind": list(self.left),
            "remarks": list(self.remarks),
            "package": str(self.folder) if self.folder else None,
            "error": self.error.as_dict() if self.error else None,
            **({"skipped": self.skipped} if self.skipped else {}),
        }


def filled_form(sheet: Sheet, typed: Sequence[tuple[str, str]]) -> dict[str, Any]:
    """The fields of a sheet's form from what was typed. Raises SettingError for one it does not have, or what it does not take."""
    fields = {f.id: f for f in sheet.form}
    out: dict[str, Any] = {}
    for name, text in typed:
        if name not in fields:
            raise SettingError(
                f"form field {name}",
                " or ".join(fields) or f"a sheet with a form, which {sheet.id} is not",
                "Mend --form.",
            )
        try:
            out[name] = value_of(fields[name], text)
        except ValueError as problem:
            raise SettingError(f"form field {name}: {text!r}", str(problem), "Mend --form.") from None
    return out


def asked_for(request: Request) -> tuple[Asked, Taken]:
    """The asset of a shipment of one that is kept nowhere. Raises CustomsError when the file cannot be
    read.
    """
    take = Take(request.path, request.root, request.search, given=request.given)
    taken = take.run()
    rights = {**taken.scene.rights, **request.rights.model_dump(exclude_defaults=True)}
    if why := request.goods.why_not(request.path.stem, look_of(taken)):
        raise OtherGoodsError(why, "goods the recipe is for", file=request.path)
    asset = Asset(
        id=request.path.stem,
        name=request.path.stem,
        model=request.path.name,
        source=str(request.path),
        digest=taken.digest,
        stops=route_with(fresh_route(request.origin), request.stops).stops,
        absent=taken.absent,
        author=rights.get("author", ""),
        licence=rights.get("licence", ""),
        use=rights.get("use", ""),
        stamps=taken.stamps,
        form=filled_form(request.sheet, request.form),
    )
    return Asked(asset, take, request.sheet, donor=request.donor, kit=request.kit), taken


def prepare(request: Request, job: Job | None = None) -> Evaluated:
    """Read and plan. Raises CustomsError when the file cannot be read or a setting is wrong."""
    asked, taken = asked_for(request)
    return run_plan(PlanRequest(asked, request.settings), SceneCache(), taken, job)


def run(request: Request, job: Job | None = None) -> Result:
    """Read, plan and, where `out` is given and nothing is held, dispatch. Errors become part of the result,
    foreseen or not.
    """
    try:
        return _run(request, job)
    except Cancelled:
        raise
    except Exception as problem:  # noqa: BLE001 (each asset's own boundary: the others go on)
        failed = unforeseen(problem, request.path)
        return Result(request.path, refused(failed), error=failed, name=request.path.stem)


def _run(request: Request, job: Job | None) -> Result:
    try:
        done = prepare(request, job)
    except OtherGoodsError as other:
        return Result(request.path, Ledger(()), name=request.path.stem, skipped=other.found)
    except CustomsError as problem:
        return Result(request.path, refused(problem), error=problem, name=request.path.stem)
    result = told(request, done)
    if request.out is None or done.ledger.verdict == "held":
        return result
    try:
        sent = dispatching.run_dispatch(
            dispatching.DispatchRequest(
                done, request.sheet, request.out, request.replace_existing, request.folder, request.kit
            ),
            job,
        )
    except CustomsError as problem:
        return replace(result, error=problem)
    return replace(result, folder=sent.folder, accepted=sent.log.accepted)


def told(request: Request, done: Evaluated) -> Result:
    """What is said of an evaluated asset."""
    arrived, last = done.passed[0].scene, done.passed[-1].scene
    found = left.losses(arrived, last, get_format(request.sheet.model.format), done.passed)
    changed = dict.fromkeys(step_of(a.stop.step).name for a in done.passed[1:])
    own = done.taken.scene.remarks if done.taken is not None else ()
    texts = [r.text for r in own] + [
        f"{step_of(a.stop.step).name}: {r.text}" for a in done.passed for r in a.remarks
    ]
    return Result(
        request.path,
        done.ledger,
        done.asset.route,
        name=last.name,
        changed=tuple(changed),
        guessed=guesses(done),
        left=tuple(loss.text() for loss in found),
        remarks=tuple(texts),
        files=done.taken.files if done.taken is not None else (),
    )


def look_of(taken: Taken) -> dict[str, Any]:
    """What a recipe looks at: format, kind (rigged, prop, level, empty), and counts."""
    kind = kind_of(taken.scene).partition(" ")[0]
    return {"format": taken.scene.format, "kind": kind, **counts(taken.scene)}


def guesses(done: Evaluated) -> tuple[str, ...]:
    """What was taken on a guess: axes and unit no file and no person states, roles and files of textures."""
    arrived = done.passed[0].scene
    out = []
    if arrived.convention.stated not in ("person", "origin", "file"):
        what = "as its format has it" if arrived.convention.stated == "format" else "by custom"
        raw = done.taken.scene.convention if done.taken is not None else arrived.convention
        out.append(f"axes and unit {what} ({raw.axes_text()}, 1 unit = {done_unit(done)} m)")
    for step, text in (
        ("roles", "roles of textures by name and pixels"),
        ("find-textures", "files of missing textures by name"),
    ):
        if any(a.stop.step == step and a.stop.by == "plan" for a in done.passed):
            out.append(text)
    return tuple(out)


def done_unit(done: Evaluated) -> str:
    """Metres a unit of the file was taken for."""
    return f"{done.taken.scene.convention.metres_per_unit:g}" if done.taken is not None else "1"
