"""The command line."""

from __future__ import annotations

import importlib
import json
import re
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import Progress, SpinnerColumn, TextColumn
from rich.table import Table
from rich.text import Text

from customs.errors import CustomsError
from customs.intake.scan import model_files
from customs.landing.land import land as land_package
from customs.landing.land import packages
from customs.ledger.ledger import Ledger, effective
from customs.route.step import steps as all_steps
from customs.words import lines_plain, plain
from customs.work.asset import Request, Result
from customs.work.batch import package_folders, run_all
from customs.work.donors import read_donor
from customs.work.lookup import find_origin, find_sheet, read_sheets
from customs.work.requests.plan import check_settings

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Port game assets.",
)
console, errors = Console(), Console(stderr=True)
MARKS = {"cleared": "✓", "query": "?", "held": "■"}
USAGE = 2

Input = Annotated[list[Path], typer.Argument(help="model files or folders of them")]
To = Annotated[str, typer.Option("--to", help="destination sheet: an id, or a TOML file")]
DonorFile = Annotated[
    Path | None,
    typer.Option("--donor", help="asset of the destination whose skeleton or clips are taken over"),
]
Search = Annotated[list[Path] | None, typer.Option("--search", help="folder to look for missing textures in")]
From = Annotated[str | None, typer.Option("--from", help="origin: an id, or a TOML file")]
AsJson = Annotated[bool, typer.Option("--json", help="machine-readable output")]


def _usage(problem: CustomsError | str) -> typer.Exit:
    _print(f"customs: {problem}", errors)
    return typer.Exit(USAGE)


@app.callback(invoke_without_command=True)
def start(context: typer.Context) -> None:
    """Without a command: open the window."""
    if context.invoked_subcommand is None:
        _window([])


def _window(arguments: list[str]) -> None:
    try:
        desktop = importlib.import_module("customs_desktop.start").main
    except ImportError as problem:
        raise _usage(f"the window cannot be opened: {problem}") from None
    raise typer.Exit(desktop(arguments))


@app.command()
def demo(
    shot: Annotated[Path | None, typer.Option(help="save a picture of the window and exit")] = None,
    many: Annotated[bool, typer.Option("--many", help="an asset of 3,000 materials instead")] = False,
) -> None:
    """Open the window with the demo shipment."""
    _window(["--many" if many else "--demo", *(["--shot", str(shot)] if shot else [])])


@app.command()
def shots(folder: Annotated[Path, typer.Argument()] = Path("docs/screenshots")) -> None:
    """Remake the pictures of the documentation from the demo shipment."""
    _window(["--shots", str(folder)])


@app.command()
def sheets(as_json: AsJson = False) -> None:
    """List the destination sheets."""
    known, broken = read_sheets()
    for problem in broken.values():
        _print(f"customs: passed over: {problem}", errors)
    if as_json:
        print(json.dumps({k: s.model_dump(mode="json") for k, s in known.items()}, indent=1))
        return
    table = Table("id", "title", "ticket", "format", box=None)
    for k, s in known.items():
        table.add_row(k, s.title, s.ticket(), s.model.format)
    console.print(table)


@app.command()
def steps() -> None:
    """List the steps with their settings."""
    for step in all_steps().values():
        _print(f"{step.id}  [{step.desk}]  {step.about}")
        for name, field in step.settings.model_fields.items():
            default = "" if field.is_required() else f" = {field.default!r}"
            _print(f"    {name}{default}  {field.description or ''}")


def _requests(
    inputs: list[Path],
    to: str,
    origin: str | None,
    settings: list[str],
    out: Path | None,
    force: bool,
    search: list[Path] | None,
    donor: Path | None = None,
) -> list[Request]:
    try:
        check_settings(settings)
        sheet, start_at = find_sheet(to), find_origin(origin)
        giver = read_donor(donor) if donor is not None else None
    except CustomsError as problem:
        raise _usage(problem) from None
    missing = [p for p in inputs if not p.exists()]
    if missing:
        raise _usage(f"{missing[0]}: there is no such file or folder")
    entries = model_files(inputs)
    if not entries:
        raise _usage("no model files there")
    return [
        Request(
            e.path, e.root, sheet, start_at, tuple(settings), out, force, tuple(search or ()), giver, folder
        )
        for e, folder in zip(entries, package_folders(entries))
    ]


def _run(
    requests: list[Request], quiet: bool, say: Callable[[Result], None] = lambda result: None
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
            say(result)
    return [r for r in results if r is not None]


def _print(text: str, to: Console | None = None) -> None:
    """A line as it is: nothing in it is markup, and nothing in it is obeyed."""
    (to or console).print(lines_plain(text), markup=False, highlight=False, soft_wrap=True)


def _exit_code(codes: list[int]) -> int:
    """The worst of several: unreadable (3) over held (1) over cleared (0)."""
    return max(codes, default=0)


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
    _print(line)
    parts = [("changed", result.changed), ("guessed", result.guessed), ("left behind", result.left)]
    told = "; ".join(f"{name}: {', '.join(what) or 'nothing'}" for name, what in parts)
    if result.route is not None:
        _print(f"  {told}")
    if result.error:
        _print(f"  {result.error}", errors)
    elif result.ledger.verdict == "held":
        for row in result.ledger.open():
            if row.verdict == "held":
                text = f"  held: {row.title} {row.subject_name} {row.delivering}, required {row.required}. {row.note}"
                _print(text)


@app.command()
def check(
    inputs: Input,
    to: To,
    from_: From = None,
    set_: Annotated[list[str] | None, typer.Option("--set")] = None,
    search: Search = None,
    donor: DonorFile = None,
    as_json: AsJson = False,
) -> None:
    """The ledger of assets against a sheet. Exit 0 cleared or queries only, 1 held, 2 usage, 3 unreadable."""

    def say(result: Result) -> None:
        _say(result)
        if not (result.error and result.route is None):
            _show_ledger(result.ledger)

    requests = _requests(inputs, to, from_, set_ or [], None, False, search, donor)
    results = _run(requests, True) if as_json else _run(requests, False, say)
    if as_json:
        _print_json([r.as_dict() for r in results])
    raise typer.Exit(_exit_code([r.code for r in results]))


@app.command()
def port(
    inputs: Input,
    to: To,
    out: Annotated[Path, typer.Option("--out", help="folder the packages go to")],
    from_: From = None,
    set_: Annotated[list[str] | None, typer.Option("--set", help="stop.field=value, again and again")] = None,
    replace_: Annotated[
        bool, typer.Option("--replace", help="replace packages that are there already")
    ] = False,
    search: Search = None,
    donor: DonorFile = None,
    as_json: AsJson = False,
) -> None:
    """Plan, run and dispatch. A held asset is not written, the others are. Exit codes as of check."""
    requests = _requests(inputs, to, from_, set_ or [], out, replace_, search, donor)
    results = _run(requests, True) if as_json else _run(requests, False, _say)
    if as_json:
        _print_json([r.as_dict() for r in results])
    raise typer.Exit(_exit_code([r.code for r in results]))


@app.command()
def land(
    folder: Path,
    by: Annotated[str | None, typer.Option(help="sheet to land by")] = None,
    as_json: AsJson = False,
) -> None:
    """Read packages as their destination would. Exit 1 on any refusal."""
    try:
        sheet = find_sheet(by) if by else None
    except CustomsError as problem:
        raise _usage(problem) from None
    if not folder.is_dir():
        raise _usage(f"{folder}: there is no such folder")
    found = packages(folder)
    if not found:
        raise _usage(f"{folder}: no package in it")
    logs = [land_package(p, find_sheet, sheet) for p in found]
    if as_json:
        _print_json(
            [
                {"package": str(g.folder), "accepted": g.accepted, "lines": [x.as_dict() for x in g.lines]}
                for g in logs
            ]
        )
    else:
        for log in logs:
            for line in log.lines:
                mark = {"note": " ", "remark": "?", "refusal": "■"}[line.level]
                _print(f"{mark} {line.seconds:7.3f} {line.verb:9} {line.file}  {line.text}")
    raise typer.Exit(0 if all(g.accepted for g in logs) else 1)


def _print_json(value: Any) -> None:
    text = json.dumps(value, indent=1, ensure_ascii=False, default=str) + "\n"
    # A name of bytes that are no text would end the printing: half of a pair is written as JSON writes it.
    sys.stdout.write(re.sub("[\ud800-\udfff]", lambda half: f"\\u{ord(half[0]):04x}", text))


def main() -> None:
    """Entry point of the console script. What nobody foresaw is one line too, never a traceback."""
    try:
        app()
    except Exception as problem:  # noqa: BLE001 (the outermost boundary)
        _print(f"customs: something unforeseen went wrong ({type(problem).__name__}: {problem})", errors)
        raise SystemExit(3) from None


if __name__ == "__main__":
    main()
