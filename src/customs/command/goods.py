"""Assets checked and ported: what is asked for, and what is said of each as it comes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from rich.progress import Progress, SpinnerColumn, TextColumn
from rich.table import Table
from rich.text import Text

from customs.command.printing import MARKS, console, errors, say, say_json
from customs.errors import CustomsError, UsageError
from customs.intake.scan import model_files
from customs.ledger.ledger import Ledger, effective
from customs.words import plain
from customs.work.asset import Request, Result
from customs.work.batch import package_folders, run_all
from customs.work.donors import read_donor
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.plan import check_settings


def check(requests: list[Request], as_json: bool) -> int:
    """The ledger of each; the exit code."""

    def told(result: Result) -> None:
        _say(result)
        if not (result.error and result.route is None):
            _show_ledger(result.ledger)

    return _all(requests, as_json, told)


def port(requests: list[Request], as_json: bool) -> int:
    """Plan, run and dispatch each; the exit code."""
    return _all(requests, as_json, _say)


def _all(requests: list[Request], as_json: bool, told: Callable[[Result], None]) -> int:
    results = _run(requests, True) if as_json else _run(requests, False, told)
    if as_json:
        say_json([r.as_dict() for r in results])
    # The worst of several: unreadable (3) over held (1) over cleared (0).
    return max((r.code for r in results), default=0)


def asked(
    inputs: list[Path],
    to: str,
    origin: str | None,
    settings: list[str],
    out: Path | None,
    force: bool,
    search: list[Path] | None,
    donor: Path | None = None,
) -> list[Request]:
    """What the command line asks for. Raises UsageError."""
    try:
        check_settings(settings)
        sheet, start_at = find_sheet(to), find_origin(origin)
        giver = read_donor(donor) if donor is not None else None
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    missing = [p for p in inputs if not p.exists()]
    if missing:
        raise UsageError(f"{missing[0]}: there is no such file or folder")
    entries = model_files(inputs)
    if not entries:
        raise UsageError("no model files there")
    return [
        Request(
            e.path, e.root, sheet, start_at, tuple(settings), out, force, tuple(search or ()), giver, folder
        )
        for e, folder in zip(entries, package_folders(entries))
    ]


def _run(
    requests: list[Request], quiet: bool, told: Callable[[Result], None] = lambda result: None
) -> list[Result]:
    """All results, in the order asked for; each is said as it comes."""
    results: list[Result | None] = [None] * len(requests)
    columns = (
        SpinnerColumn(),
        TextColumn("{task.completed}/{task.total}"),
        TextColumn("{task.description}", markup=False),
    )
    with Progress(*columns, console=errors, transient=True, disable=quiet) as progress:
        task = progress.add_task("reading", total=len(requests))
        for i, result in run_all(requests):
            results[i] = result
            progress.update(task, advance=1, description=plain(result.path.name))
            told(result)
    return [r for r in results if r is not None]


def _show_ledger(ledger: Ledger) -> None:
    table = Table(
        "", "requirement", "subject", "received", "required", "delivering", "remedy or note", box=None
    )
    for row in ledger.rows:
        fix = row.remedy.label if row.remedy else row.note if effective(row) != "cleared" else row.done_at
        cells = (
            MARKS[effective(row)],
            row.title,
            row.subject_name,
            row.received,
            row.required,
            row.delivering,
            fix,
        )
        table.add_row(*(Text(plain(str(c))) for c in cells))
    console.print(table)


def _say(result: Result) -> None:
    counts = " ".join(f"{result.ledger.count(v)} {v}" for v in ("cleared", "query", "held"))
    where = f" → {result.folder}, landed and accepted" if result.folder else ""
    line = f"{MARKS[result.ledger.verdict]} {result.path.name}: {counts}{where}"
    say(line)
    parts = [("changed", result.changed), ("guessed", result.guessed), ("left behind", result.left)]
    told = "; ".join(f"{name}: {', '.join(what) or 'nothing'}" for name, what in parts)
    if result.route is not None:
        say(f"  {told}")
    if result.error:
        say(f"  {result.error}", errors)
    elif result.ledger.verdict == "held":
        for row in result.ledger.open():
            if row.verdict == "held":
                text = f"  held: {row.title} {row.subject_name} {row.delivering}, required {row.required}. {row.note}"
                say(text)
