"""Dispatching: the package is written, landed, and only then put in its place."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from customs.dispatch.deliver import Deliverable
from customs.dispatch.dispatch import Goods, dispatch, package_folder
from customs.dispatch.into_kit import KitPlan, plan_for_kit
from customs.dispatch.source import source_files
from customs.dispatch.unchanged import standing_package, stands_in_kit
from customs.dispatch.writer import Written
from customs.errors import CustomsError, WriteError
from customs.job import Job
from customs.kit.journal import Journal, carry_out, held, prepare, recover, roll_back, withdraw
from customs.landing.log import Log
from customs.ledger.ledger import judge
from customs.ledger.row import Case, requirements
from customs.sheet.known import for_asset, known_of, written_number
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet
from customs.work.judged import edition
from customs.work.kit_facts import kit_facts
from customs.work.requests.evaluate import Evaluated
from customs.work.requests.land import LandRequest, run_land

PATIENCE = 600.0
"""Seconds a dispatch waits for others at the same kit."""


@dataclass(frozen=True, eq=False)
class DispatchRequest:
    """An asset as evaluated, to a folder of its name below `out`, or of the name `folder`, and from there into a `kit`."""

    done: Evaluated
    sheet: Sheet
    out: Path
    replace_existing: bool = False
    folder: str = ""
    kit: Path | None = None


@dataclass(frozen=True, eq=False)
class Dispatched:
    """The package in its place, and what the landing said of it there."""

    written: Written
    log: Log
    unchanged: bool = False
    """True where the same stood there already, and nothing was written."""

    @property
    def folder(self) -> Path:
        """Where it is."""
        return self.written.folder


def run_dispatch(request: DispatchRequest, job: Job | None = None) -> Dispatched:
    """Write, land, and put in place; where the same stands there already nothing is written. Raises CustomsError (nothing is put in
    place then) and Cancelled.
    """
    done = request.done
    if done.taken is None or done.error is not None:
        raise done.error or CustomsError("was not read", file=done.asset.name)
    asset = done.asset
    sheet = for_asset(request.sheet, known_of(request.sheet, asset.form, asset.source))
    request = replace(request, sheet=sheet)
    made_of = _made_of(request)
    if (standing := _standing(request, made_of)) is not None:
        return standing
    logs: list[Log] = []

    def landed(folder: Path) -> None:
        log = run_land(LandRequest(folder, known=sheet)).log
        logs.append(log)
        if not log.accepted:
            raise refusal(log, asset.name)

    source = {**done.taken.source(), "name": Path(asset.source).name}
    ledger = done.ledger
    if done.recalled:
        # What leaves is judged by what is here now; an answer kept from before is only for looking at.
        ledger = judge(done.taken.scene, done.passed, sheet, done.about, asset.waivers)
    goods = Goods(done.taken.scene, done.passed, ledger, sheet, done.about, source, made_of, asset.plan)
    more = source_files(sheet, done.passed[-1].scene.name, done.taken.files)
    if request.kit is None:
        written = dispatch(
            goods, request.out, landed, job, request.replace_existing, request.folder, more=more
        )
    else:
        written = _with_kit(request, request.kit, goods, landed, job, more)
    return Dispatched(written, logs[-1])


def _made_of(request: DispatchRequest) -> str:
    """Tells all that a package hangs on: the source, the route, the sheet, what is known of the asset, this program."""
    done, about = request.done, request.done.about
    told = [
        edition(),
        sheet_digest(request.sheet),
        done.asset.digest,
        [[s.step, [list(v) for v in s.values]] for s in (at.stop for at in done.passed)],
        [about.author, about.licence, about.use, dict(about.form), about.source_changed],
        known_of(request.sheet, about.form, about.source).as_dict(),
        about.donor.digest if about.donor else "",
        sorted(about.selections),
        dict(about.stamps),
        [n.as_dict() for n in about.notes],
        {k: w.as_dict() for k, w in done.asset.waivers.items()},
        Path(done.asset.source).name,
        done.asset.plan.model_dump() if request.sheet.grounds.form == "study" else {},
    ]
    return hashlib.sha256(json.dumps(told, sort_keys=True, default=str).encode()).hexdigest()


def _standing(request: DispatchRequest, made_of: str) -> Dispatched | None:
    """What was dispatched before, where another dispatch would write the same."""
    target = package_folder(request.out, request.done.passed[-1].scene, request.folder)
    if any(r.verdict == "held" for r in request.done.ledger.open()):
        return None
    written = standing_package(target, made_of)
    if written is None or (
        request.kit is not None and not stands_in_kit(written, request.sheet, request.kit)
    ):
        return None
    log = Log(target)
    log.note(
        "finds", written.docket["asset"], f"unchanged since {written.docket['when']}: nothing was written"
    )
    log.note("accepts", written.docket["asset"], "as it was accepted then")
    return Dispatched(written, log, True)


def _with_kit(
    request: DispatchRequest,
    kit: Path,
    goods: Goods,
    landed: Callable[[Path], None],
    job: Job | None,
    more: Sequence[Deliverable],
) -> Written:
    """The package in its place and the kit changed: both or neither, whenever this process ends."""
    sheet = request.sheet
    if not sheet.goes_into_kit:
        raise WriteError(
            f"the sheet {sheet.id} has nothing to do in a kit folder",
            "a sheet with a kit",
            "Dispatch without it.",
            kit,
        )
    plans: list[KitPlan] = []

    def planned(files: Mapping[str, Path], facts: dict[str, Any]) -> dict[str, Any]:
        plans.append(plan_for_kit(sheet, kit, str(facts["asset"]), files, facts, request.replace_existing))
        return plans[-1].as_dict()

    with held(kit, PATIENCE):
        recover(kit, is_placed)
        _check_kit(request, kit, goods)
        ready: list[Journal] = []

        def prepared(folder: Path) -> None:
            landed(folder)
            about = _about(request, goods, plans[-1], folder)
            plan = plans[-1]
            journal = prepare(kit, plan.id, plan.wanted, plan.may, about)
            ready.extend([journal] if journal is not None else [])

        try:
            written = dispatch(
                goods, request.out, prepared, job, request.replace_existing, request.folder, planned, more
            )
        except BaseException:
            for journal in ready:
                roll_back(journal)
            raise
        for journal in ready:
            try:
                carry_out(journal)
            except WriteError as problem:
                problem.todo = f"The kit is as it was. {problem.todo} {_stands(written)}"
                raise
        log = run_land(LandRequest(written.folder, known=sheet, kit=kit)).log
        if not log.accepted:
            for journal in ready:
                withdraw(kit, journal.id)
            refused = refusal(log, goods.passed[-1].scene.name)
            refused.todo = (
                f"The kit is as it was. {_stands(written)} Mend what the landing names, and dispatch again."
            )
            raise refused
    return written


def _about(request: DispatchRequest, goods: Goods, plan: KitPlan, folder: Path) -> dict[str, Any]:
    """What the journal of a dispatch says of it."""
    name, form, sheet = goods.passed[-1].scene.name, goods.about.form, request.sheet
    numbers = {f.id: written_number(sheet, f, form) for f in sheet.form if f.kind == "id"}
    return {
        "asset": name,
        "source": goods.about.source,
        "package": str(package_folder(request.out, goods.passed[-1].scene, request.folder).resolve()),
        "digest": json.loads((folder / "docket.json").read_text("utf-8"))["digest"],
        "numbers": {k: int(v) for k, v in numbers.items() if v},
        "edits": {path: [asdict(e) for e in edits] for path, edits in plan.edits.items()},
    }


KIT_RULES = ("number-free", "kit-name", "kit-version")


def _check_kit(request: DispatchRequest, kit: Path, goods: Goods) -> None:
    """The kit once more, now that nobody else is at it: numbers and names may have been taken meanwhile. Raises WriteError."""
    about = replace(goods.about, kit=kit_facts(request.sheet, kit, goods.about.source))
    arrived, last = goods.passed[0].scene, goods.passed[-1].scene
    case = Case(goods.received, arrived, last, request.sheet, about, goods.passed)
    rules = requirements()
    for row in (r for id_ in KIT_RULES for r in rules[id_].judge(rules[id_], case)):
        if row.verdict == "held":
            raise WriteError(
                f"{row.title} {row.subject_name} {row.delivering}".replace("  ", " "),
                row.required,
                f"{row.note} Nothing was written.",
                kit,
            )


def _stands(written: Written) -> str:
    return f"The package alone stands in {written.folder}."


def is_placed(about: Mapping[str, Any]) -> bool:
    """True where the package a journal belongs to stands in its place."""
    try:
        body = json.loads((Path(str(about["package"])) / "docket.json").read_text("utf-8"))
        return bool(body["digest"] == about["digest"])
    except (OSError, ValueError, KeyError, TypeError):
        return False


def refusal(log: Log, name: str) -> WriteError:
    """The error of a package its own landing refuses."""
    lines = [line for line in log.lines if line.level == "refusal"]
    said = "; ".join(f"{line.file}: {line.text}" for line in lines[:3])
    more = f" and {len(lines) - 3} more" if len(lines) > 3 else ""
    return WriteError(
        f"the landing refuses what was written ({said}{more})",
        "a package the destination takes",
        "Nothing was put in place. Change the stop that concerns it and dispatch again.",
        name,
    )
