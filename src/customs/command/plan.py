"""Floor plans of a level, drawn and written."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from customs.command import goods
from customs.command.printing import MARKS, errors, say, say_json
from customs.errors import CustomsError, UsageError
from customs.floorplan.files import FORMS
from customs.job import Job
from customs.planning.plan import fresh_route
from customs.route.route import SceneCache, evaluate
from customs.scene.floor_plan import FloorPlan
from customs.scene.model import Scene
from customs.words import many, plain
from customs.work.asset import Request, asked_for
from customs.work.floor_plan import read_marks, scale_of, write_plans

SHEET = "level-kit"
"""Whose axes the level is looked at in: those of the working frame."""


def plan(
    requests: list[Request], out: Path, scale: str, cut: float | None, every: bool, marks: Path | None, forms: str, dots: float,
    north: float, force: bool, as_json: bool,
) -> int:  # fmt: skip
    """Draw the plans of each level; the exit code: 0, or 3 where one cannot be read or drawn. Raises UsageError."""
    wanted = [f.strip().lower() for f in forms.split(",") if f.strip()]
    if not wanted or any(f not in FORMS for f in wanted):
        raise UsageError(f"--form {forms}: {', '.join(FORMS)}, or several with commas")
    try:
        asked = FloorPlan(
            cut=cut, scale=scale_of(scale), north=north, marks=read_marks(marks) if marks is not None else ()
        )
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    except ValueError as problem:
        raise UsageError(f"--cut or --north: {problem}") from None
    told, code = [], 0
    for request in requests:
        try:
            with progress_of(as_json) as job:
                scene, name = _arrived(request), request.path.stem.partition(".")[0]
                drawn = write_plans(scene, asked, name, out, wanted, every, dots, job, force)
        except CustomsError as problem:
            errors.print(f"{MARKS['held']} {problem}", markup=False, highlight=False)
            code = 3
            continue
        told += [{"level": str(request.path), **d.as_dict()} for d in drawn]
        if not as_json:
            for d in drawn:
                say(f"{MARKS['cleared']} {d.storey}, cut at {d.cut:.2f} m, 1:{d.scale:g}, {d.pixels[0]:,} × {d.pixels[1]:,} pixels: "
                    + ", ".join(str(f) for f in d.files))  # fmt: skip
            say(f"{many(len(drawn), 'plan')} of {request.path.name}")
    if as_json:
        say_json(told)
    return code


@contextmanager
def progress_of(quiet: bool) -> Iterator[Job]:
    """A job whose share and text are shown as a bar while it goes on."""
    columns = (BarColumn(24), TimeRemainingColumn(), TextColumn("{task.description}", markup=False))
    with Progress(*columns, console=errors, transient=True, disable=quiet) as bar:
        task = bar.add_task("reading", total=1.0)
        yield Job(lambda share, text: bar.update(task, completed=share, description=plain(text)))


def _arrived(request: Request) -> Scene:
    """The level in the working frame. Raises CustomsError."""
    _, taken = asked_for(request)
    return evaluate(taken.scene, taken.digest, fresh_route(request.origin), SceneCache())[-1].scene


def levels(
    inputs: list[Path], origin: str | None, mapping: Path | None, libraries: list[Path]
) -> list[Request]:
    """What the command line asks for. Raises UsageError."""
    return goods.asked(inputs, SHEET, origin, [], None, False, None, level=(mapping, tuple(libraries)))
