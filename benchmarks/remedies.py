"""What is offered, pressed: every remedy of every model against every sheet, each alone.

    .venv/bin/python benchmarks/remedies.py [PATH...] [--sheets a,b] [--write docs/benchmarks-remedies.md]

Models are those of Debian's assimp-testmodels unless paths are given. A remedy works when its row is cleared,
or better by the row's own measure, and when no requirement holds more rows than before. By requirement: the
share of open rows that have a remedy.
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
from collections import Counter, defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from customs.errors import CustomsError
from customs.intake.scan import model_files
from customs.intake.take import take
from customs.ledger.ledger import Ledger, effective
from customs.ledger.row import Row
from customs.planning.plan import Plan, Subject, fresh_route, plan, press
from customs.route.route import SceneCache
from customs.work.lookup import all_sheets, find_sheet

MODELS = Path("/usr/share/assimp/models")
MOST = 40
"""Remedies of one label pressed on one asset; more say nothing new."""


@dataclass
class Told:
    """What was seen with one model."""

    pressed: Counter[tuple[str, str]] = field(default_factory=Counter)
    worked: Counter[tuple[str, str]] = field(default_factory=Counter)
    failures: list[str] = field(default_factory=list)
    open: Counter[str] = field(default_factory=Counter)
    remedied: Counter[str] = field(default_factory=Counter)


def held(ledger: Ledger) -> Counter[str]:
    """How many rows of each requirement are held."""
    return Counter(r.requirement for r in ledger.open() if r.verdict == "held")


def failure(row: Row, before: Plan, after: Plan) -> str:
    """Why pressing did not do what the row said, or "" when it did."""
    again = next((r for r in after.ledger.rows if r.id == row.id and effective(r) != "cleared"), None)
    if again is not None and not _better(row, again):
        return f"still {again.delivering}"
    opened = held(after.ledger) - held(before.ledger)
    if opened:
        return "opens " + ", ".join(sorted(opened))
    failed = [a.stop.step for a in after.passed if a.error is not None]
    return f"{', '.join(failed)} failed" if failed else ""


def _better(row: Row, again: Row) -> bool:
    return row.badness is not None and again.badness is not None and again.badness < row.badness


def one(asked: tuple[Path, Path, str]) -> Told:
    """One model against one sheet."""
    path, root, sheet_id = asked
    told, sheet, cache = Told(), find_sheet(sheet_id), SceneCache(1 << 30)
    try:
        taken = take(path, root)
        subject = Subject(taken.scene, taken.digest, sheet)
        now = plan(subject, fresh_route(None), cache)
    except CustomsError:
        return told
    count: Counter[tuple[str, str]] = Counter()
    for row in now.ledger.open():
        told.open[row.requirement] += 1
        if row.remedy is None:
            continue
        told.remedied[row.requirement] += 1
        name = (row.requirement, row.remedy.step)
        count[name] += 1
        if count[name] > MOST:
            continue
        told.pressed[name] += 1
        try:
            why = failure(row, now, press(subject, now, row.remedy, cache))
        except CustomsError as problem:
            why = str(problem)
        if why:
            told.failures.append(
                f"{row.requirement}: {row.remedy.label} | {path.name} → {sheet_id}, {row.subject_name}: {why}"
            )
        else:
            told.worked[name] += 1
    return told


def table(all_: list[Told]) -> list[str]:
    """The two tables and the failures as Markdown."""
    pressed, worked, open_, remedied = Counter(), Counter(), Counter(), Counter()  # type: ignore[var-annotated]
    for t in all_:
        pressed += t.pressed
        worked += t.worked
        open_ += t.open
        remedied += t.remedied
    total, good = sum(pressed.values()), sum(worked.values())
    lines = [f"{good} of {total} offered remedies work ({100 * good / max(total, 1):.1f} %).", ""]
    lines += ["| requirement | step | pressed | worked |", "|---|---|---|---|"]
    lines += [f"| {r} | {s} | {n} | {worked[(r, s)]} |" for (r, s), n in sorted(pressed.items())]
    share = sum(remedied.values()), sum(open_.values())
    lines += [
        "",
        f"{share[0]} of {share[1]} open rows have a remedy ({100 * share[0] / max(share[1], 1):.1f} %).",
        "",
    ]
    lines += ["| requirement | open rows | with a remedy |", "|---|---|---|"]
    lines += [
        f"| {r} | {n} | {remedied[r]} ({100 * remedied[r] / n:.0f} %) |" for r, n in sorted(open_.items())
    ]
    causes: dict[str, list[str]] = defaultdict(list)
    for t in all_:
        for f in t.failures:
            causes[f.split(" | ")[0]].append(f.split(" | ")[1])
    lines += ["", "Without effect:", ""]
    lines += [
        f"* {k} ({len(v)}): " + "; ".join(v[:3]) for k, v in sorted(causes.items(), key=lambda p: -len(p[1]))
    ]
    return lines


def main() -> None:
    """Press everything and print what came of it."""
    parser = argparse.ArgumentParser()
    parser.add_argument("paths", nargs="*", type=Path, default=[MODELS])
    parser.add_argument("--sheets", default="")
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    sheets = asked.sheets.split(",") if asked.sheets else list(all_sheets())
    jobs = [(e.path, e.root, s) for e in model_files(asked.paths or [MODELS]) for s in sheets]
    with ProcessPoolExecutor(os.cpu_count(), mp_context=multiprocessing.get_context("spawn")) as pool:
        lines = table(list(pool.map(one, jobs, chunksize=2)))
    print("\n".join(lines))
    if asked.write is not None:
        asked.write.write_text("# Remedies pressed\n\n" + "\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
