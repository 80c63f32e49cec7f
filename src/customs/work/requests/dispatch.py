"""Dispatching: the package is written, landed, and only then put in its place."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.dispatch.dispatch import Goods, dispatch, package_folder
from customs.dispatch.into_kit import KitPlan, plan_for_kit
from customs.dispatch.writer import Written
from customs.errors import CustomsError, WriteError
from customs.job import Job
from customs.kit.journal import Journal, carry_out, held, prepare, recover, roll_back, withdraw
from customs.landing.log import Log
from customs.ledger.ledger import judge
from customs.sheet.model import Sheet
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

    @property
    def folder(self) -> Path:
        """Where it is."""
        return self.written.folder


def run_dispatch(request: DispatchRequest, job: Job | None = None) -> Dispatched:
    """Write, land, and put in place. Raises CustomsError (nothing is put in place then) and Cancelled."""
    done = request.done
    if done.taken is None or done.error is not None:
        raise done.error or CustomsError("was not read", file=done.asset.name)
    logs: list[Log] = []

    def landed(folder: Path) -> None:
        log = run_land(LandRequest(folder, known=request.sheet)).log
        logs.append(log)
        if not log.accepted:
            raise refusal(log, done.asset.name)

    source = {**done.taken.source(), "name": Path(done.asset.source).name}
    ledger = done.ledger
    if done.recalled:
        # What leaves is judged by what is here now; an answer kept from before is only for looking at.
        waivers = done.asset.waivers
        ledger = judge(done.taken.scene, done.passed, request.sheet, done.about, waivers)
    goods = Goods(done.taken.scene, done.passed, ledger, request.sheet, done.about, source)
    if request.kit is None:
        written = dispatch(goods, request.out, landed, job, request.replace_existing, request.folder)
    else:
        written = _with_kit(request, request.kit, goods, landed, job)
    return Dispatched(written, logs[-1])


def _with_kit(
    request: DispatchRequest, kit: Path, goods: Goods, landed: Callable[[Path], None], job: Job | None
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
        ready: list[Journal] = []

        def prepared(folder: Path) -> None:
            landed(folder)
            digest = json.loads((folder / "docket.json").read_text("utf-8"))["digest"]
            target = package_folder(request.out, goods.passed[-1].scene, request.folder)
            about = {"asset": goods.passed[-1].scene.name, "package": str(target.resolve()), "digest": digest}
            plan = plans[-1]
            journal = prepare(kit, plan.id, plan.wanted, plan.may, about)
            ready.extend([journal] if journal is not None else [])

        try:
            written = dispatch(
                goods, request.out, prepared, job, request.replace_existing, request.folder, planned
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
