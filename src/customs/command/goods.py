"""Assets checked and ported: what is asked for, and what is said of each as it comes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from customs.command.printing import MARKS, errors, say, say_folded, say_json
from customs.errors import CustomsError, UsageError
from customs.intake.scan import model_files
from customs.intake.through import outer
from customs.ledger.kit_facts import free_number
from customs.ledger.ledger import Ledger, effective
from customs.sheet.known import written_number
from customs.sheet.model import Sheet
from customs.words import many, plain
from customs.work.asset import Request, Result, filled_form
from customs.work.batch import package_folders, run_all
from customs.work.donors import read_donor
from customs.work.kit_facts import kit_facts
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.plan import check_settings


def check(requests: list[Request], as_json: bool, everything: bool) -> int:
    """The open rows of each ledger, or all of them; the exit code."""

    def told(result: Result) -> None:
        _say_briefly(result)
        if not (result.error and result.route is None):
            _show_ledger(result.ledger, everything)

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
    kit: Path | None = None,
    form: list[str] | None = None,
    level: tuple[Path | None, tuple[Path, ...]] = (None, ()),
) -> list[Request]:
    """What the command line asks for; `level` is the mapping and the libraries of lists. Raises UsageError."""
    try:
        check_settings(settings)
        sheet, start_at = find_sheet(to), find_origin(origin)
        giver = read_donor(donor) if donor is not None else None
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    typed = [(name.strip(), text) for name, equals, text in (f.partition("=") for f in form or []) if equals]
    if len(typed) < len(form or []):
        raise UsageError("--form takes FIELD=VALUE")
    if kit is not None and not kit.is_dir():
        raise UsageError(f"{kit}: there is no such kit folder")
    try:
        filled_form(sheet, [(k, v) for k, v in typed if v.strip() != NEXT])
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    missing = [p for p in inputs if not p.exists() and outer(p) is None]
    if missing:
        raise UsageError(f"{missing[0]}: there is no such file or folder")
    given: dict[str, str] = {}
    try:
        if level[0] is not None or level[1]:
            inputs, given = _level(inputs, *level)
        entries = model_files(inputs)
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    if not entries:
        raise UsageError("no model files there")
    forms = forms_for(sheet, typed, kit, len(entries))
    return [
        Request(
            e.path,
            e.root,
            sheet,
            start_at,
            tuple(settings),
            out,
            force,
            (*(search or ()), *level[1]),
            giver,
            form=form_,
            kit=kit,
            folder=folder,
            given=given,
        )
        for e, folder, form_ in zip(entries, package_folders(entries), forms)
    ]


def _level(
    lists: list[Path], mapping: Path | None, libraries: tuple[Path, ...]
) -> tuple[list[Path], dict[str, str]]:
    """(the level file of some lists, or the figure files of some figures, the files their names mean). Raises CustomsError."""
    # Loaded where a level is asked for.
    from customs.formats.figure.mapping import read_figure_mapping
    from customs.levels.mapping import OWN, read_mapping
    from customs.work.levels import composed, composed_figure

    boxes = read_figure_mapping(mapping) if mapping is not None else None
    if boxes is not None:
        made = [composed_figure(p, boxes) for p in lists]
        return [m.path for m in made], {k: v for m in made for k, v in m.given.items()}
    level = composed(lists, OWN if mapping is None else read_mapping(mapping), libraries)
    return [level.path], dict(level.given)


NEXT = "next"
"""Typed for a number: the next one nobody has in the kit."""
Typed = tuple[tuple[str, str], ...]


def forms_for(sheet: Sheet, typed: list[tuple[str, str]], kit: Path | None, count: int) -> list[Typed]:
    """The form of each of several goods as typed, with numbers nobody has where the next one is asked for. Raises UsageError."""
    wanted = [k for k, v in typed if v.strip() == NEXT]
    fields = {f.id: f for f in sheet.form if f.kind == "id" and f.taken}
    if not wanted:
        return [tuple(typed)] * count
    if kit is None or any(k not in fields for k in wanted):
        raise UsageError(
            f"--form {wanted[0]}={NEXT}: the next free number is read from the kit: give --kit, and a number of the sheet"
        )
    facts = kit_facts(sheet, kit, "")
    if problem := next((facts.problems[k] for k in wanted if k in facts.problems), ""):
        raise UsageError(f"taken numbers cannot be read: {problem}")
    known = filled_form(sheet, [(k, v) for k, v in typed if k not in wanted])
    taken, out = {k: set(facts.taken[k]) for k in wanted}, list[Typed]()
    for _ in range(count):
        own = dict(known)
        for k in wanted:
            number = free_number(sheet, fields[k], own, taken[k])
            if number is None:
                raise UsageError(
                    f"--form {k}={NEXT}: no number is free, or what stands in front of it is not given"
                )
            own[k] = number
            taken[k].add(int(written_number(sheet, fields[k], own)))
        out.append(tuple((k, str(own[k]) if k in wanted else v) for k, v in typed))
    return out


def _run(
    requests: list[Request], quiet: bool, told: Callable[[Result], None] = lambda result: None
) -> list[Result]:
    """All results, in the order asked for; each is said as it comes."""
    results: list[Result | None] = [None] * len(requests)
    columns = (
        BarColumn(24),
        TextColumn("{task.completed}/{task.total}"),
        TimeRemainingColumn(),
        TextColumn("{task.description}", markup=False),
    )
    with Progress(*columns, console=errors, transient=True, disable=quiet) as progress:
        task = progress.add_task("reading", total=len(requests))
        for i, result in run_all(requests):
            results[i] = result
            progress.update(task, advance=1, description=plain(result.path.name))
            told(result)
    return [r for r in results if r is not None]


def _show_ledger(ledger: Ledger, everything: bool) -> None:
    """A paragraph for each open row, or for every row."""
    for row in ledger.rows:
        verdict = effective(row)
        if verdict == "cleared" and not everything:
            continue
        name = f"{row.title}, {row.subject_name}" if row.subject_name else row.title
        came = f"{row.received} → {row.delivering}" if row.received != row.delivering else row.delivering
        rest = [row.done_at] if verdict == "cleared" else [row.note]
        rest += [f"Remedy: {row.remedy.label}."] if row.remedy else []
        say_folded(f"{MARKS[verdict]} {name}: {came}; required {row.required}.", 2, 6)
        if any(rest):
            say_folded(" ".join(filter(None, rest)), 6, 6)
    cleared = ledger.count("cleared")
    if cleared and not everything:
        say(f"  {MARKS['cleared']} {many(cleared, 'row')} cleared: --all shows them")


def _say(result: Result) -> None:
    _say_briefly(result)
    if not result.error and result.ledger.verdict == "held":
        for row in result.ledger.open():
            if row.verdict == "held":
                text = f"held: {row.title} {row.subject_name} {row.delivering}, required {row.required}. {row.note}"
                say_folded(text, 2, 4)


def _say_briefly(result: Result) -> None:
    counts = " ".join(f"{result.ledger.count(v)} {v}" for v in ("cleared", "query", "held"))
    where = f" → {result.folder}, landed and accepted" if result.folder else ""
    line = f"{MARKS[result.ledger.verdict]} {result.path.name}: {counts}{where}"
    say(line)
    parts = [("changed", result.changed), ("guessed", result.guessed), ("left behind", result.left)]
    told = "; ".join(f"{name}: {', '.join(what) or 'nothing'}" for name, what in parts)
    if result.route is not None:
        say_folded(told, 2, 4)
    if result.error:
        say_folded(str(result.error), 2, 4, errors)
