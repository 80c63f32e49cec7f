"""A recipe run on many goods."""

from __future__ import annotations

import signal
from pathlib import Path
from types import FrameType

from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from customs.command.printing import MARKS, errors, say, say_folded, say_json
from customs.errors import CustomsError, UsageError
from customs.intake.scan import model_files
from customs.memory import memory_for
from customs.recipes.recipe import Recipe, read_recipe
from customs.runs.children import Limits
from customs.runs.report import DATA, PAGE, report, without_folders, write_report, wrong
from customs.runs.rows import Row, made_out
from customs.runs.run import Run, Told
from customs.words import many, plain
from customs.work.asset import Request
from customs.work.recipes import requests_of

CODES = {"done": 0, "skipped": 0, "held": 1, "failed": 3, "broken": 3}
SHOWN = {"done": "cleared", "skipped": "cleared", "held": "held", "failed": "held", "broken": "held"}


def run(
    recipe_file: Path, inputs: list[Path], out: Path, kit: Path | None, workers: int, seconds: float, gigabytes: float | None, force: bool,
    as_json: bool, cluster: str = "", private: bool = False,
) -> int:  # fmt: skip
    """Run it, on the workers of a dask cluster where one is named, the report without folders where it is to be `private`; the worst exit code of
    all goods, 130 where it was cancelled. Raises UsageError.
    """
    if workers < 0 or seconds <= 0 or (gigabytes is not None and gigabytes <= 0):
        raise UsageError("--jobs, --seconds and --memory are numbers above nothing")
    try:
        recipe = read_recipe(recipe_file)
        requests = requests_of(recipe, model_files(inputs), out, kit, force, recipe_file.parent)
        memory = int(gigabytes * 1e9) if gigabytes else memory_for(workers or 2)
        limits = Limits(seconds, memory)
        made = (
            _on_cluster(cluster, requests, out, limits, workers)
            if cluster
            else Run(requests, out, limits, workers or None)
        )
        rows, cancelled = _followed(made, as_json)
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    body = report(recipe.name, rows)
    if private:
        folders = [out, *(p if p.is_dir() else p.parent for p in inputs)]
        body = without_folders(body, [*folders, *(p.absolute() for p in folders)])
    try:
        write_report(out, body)
    except OSError as problem:
        errors.print(f"the report cannot be written ({problem.strerror})", markup=False, highlight=False)
    if as_json:
        say_json(body)
    else:
        _told(recipe, body, out)
    return 130 if cancelled else max((CODES.get(r.state, 0) for r in rows), default=0)


def _on_cluster(address: str, requests: list[Request], out: Path, limits: Limits, workers: int) -> Run:
    """A run whose assets are worked on elsewhere. Raises ClusterError, WriteError."""
    from customs.runs.cluster import Remote

    made_out(out)
    remote = Remote(address, limits, requests, out, workers or None)
    try:
        # Twice as many as there is room for: a worker that is done has the next one there.
        return Run(requests, out, limits, 2 * remote.slots, children=remote)
    except BaseException:
        remote.close()
        raise


def _followed(made: Run, quiet: bool) -> tuple[list[Row], bool]:
    """(every row that ended, whether it was cancelled): the first Ctrl+C ends it, and what ran waits for the next time."""

    def stop(number: int, frame: FrameType | None) -> None:
        made.cancel = True

    before = signal.signal(signal.SIGINT, stop)
    rows, old = [], 0
    columns = (
        BarColumn(24),
        TextColumn("{task.completed}/{task.total}"),
        TimeRemainingColumn(),
        TextColumn("{task.description}", markup=False),
    )
    try:
        with Progress(*columns, console=errors, transient=True, disable=quiet) as bar:
            task = bar.add_task("starting", total=len(made.requests))

            def look() -> None:
                doing = ", ".join(plain(c.request.path.name) for c in made.running)
                bar.update(task, description=f"{doing[:80]}{' (ending)' if made.cancel else ''}")

            for told in made.results(look):
                rows.append(told.row)
                old += not told.fresh
                bar.update(task, advance=1)
                if not quiet and told.fresh:
                    _say(told)
    finally:
        signal.signal(signal.SIGINT, before)
    if old and not quiet:
        say(f"{many(old, 'asset')} unchanged since the last time")
    return rows, made.cancel


def _say(told: Told) -> None:
    row, said = told.row, told.row.told or {}
    error = wrong(said.get("error") or {})
    more = (
        f" → {said['package']}"
        if said.get("package")
        else f": {error or said.get('skipped', '')}"
        if error or said.get("skipped")
        else ""
    )
    say(f"{MARKS[SHOWN[row.state]]} {Path(row.path).name}: {row.state}{more}")


def _told(recipe: Recipe, body: dict[str, object], out: Path) -> None:
    counts = body["counts"]
    assert isinstance(counts, dict)
    say(f"{recipe.name}: " + ", ".join(f"{n:,} {k}" for k, n in counts.items()))
    for x in list(body["decisions"])[:5]:  # type: ignore[call-overload]
        remedy = f" Remedy: {x['remedy']}." if x["remedy"] else ""
        say_folded(f"{x['verdict']}: {x['title']}, {many(len(x['goods']), 'asset')}.{remedy}", 2, 4)
    say(f"{out / PAGE} and {DATA} say what is left for a person")
