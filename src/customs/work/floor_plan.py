"""Floor plans of a level written as files."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from customs.errors import ReadError, WriteError
from customs.files import read_regular
from customs.floorplan.compose import bar_metres, sheets
from customs.floorplan.files import DOTS, FORMS, stems
from customs.floorplan.picture import drawn_page
from customs.grounds.storeys import building
from customs.job import Job
from customs.json_text import loads
from customs.parts import write_whole
from customs.scene.floor_plan import FloorPlan, Mark
from customs.scene.model import Scene

MOST_DOTS = 2400.0
MARKS = TypeAdapter(tuple[Mark, ...])
LARGEST = 1 << 24


@dataclass(frozen=True)
class Drawn:
    """A page as it was written: the storey, its files, pixels of the picture, metres it is cut at, metres of its scale bar."""

    storey: str
    files: tuple[Path, ...]
    pixels: tuple[int, int]
    cut: float
    scale: float
    bar: float

    def as_dict(self) -> dict[str, Any]:
        """For `--json`."""
        return {
            "storey": self.storey, "files": [str(f) for f in self.files], "pixels": list(self.pixels), "cut": round(self.cut, 4),
            "scale": self.scale, "bar_metres": self.bar,
        }  # fmt: skip


def read_marks(path: Path) -> tuple[Mark, ...]:
    """Marks from a JSON file: a list, or a table with `marks`. Raises ReadError."""
    try:
        data = read_regular(path, LARGEST)
        if data is None:
            raise ReadError(f"larger than {LARGEST:,} bytes", "a list of marks", file=path)
        body = loads(data.decode("utf-8-sig"))
        return MARKS.validate_python(body["marks"] if isinstance(body, dict) and "marks" in body else body)
    except OSError as problem:
        raise ReadError(f"cannot be read ({problem.strerror})", "a list of marks", file=path) from None
    except ValidationError as problem:
        first = problem.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        raise ReadError(
            f"{first.get('input')!r:.60}", str(first["msg"]), "Mend the mark.", path, where
        ) from None
    except (ValueError, RecursionError) as problem:
        raise ReadError(
            f"not well-formed JSON: {problem}", "a list of marks", "It may be cut off.", path
        ) from None


def write_plans(
    scene: Scene, plan: FloorPlan, name: str, folder: Path, forms: Sequence[str], every: bool, dots: float = DOTS, job: Job | None = None,
    replace_existing: bool = False,
) -> list[Drawn]:  # fmt: skip
    """Pages of a scene in the working frame as files in `folder`: of every storey, or of the one the cut lies in. Nothing is written
    where one of them would lie over another file. Raises CustomsError.
    """
    job = job or Job()
    if not 10 <= dots <= MOST_DOTS:
        raise ReadError(f"{dots:g} dots an inch", f"10 to {MOST_DOTS:g}", "Choose another number.")
    job.progress(0.0, "Storeys")
    pages = sheets(scene, plan, name, every)
    places = [[folder / f"{stem}.{f}" for f in forms] for stem in stems(name, [p.name for p in pages], every)]
    if not replace_existing:
        taken = [p for row in places for p in row if os.path.lexists(p)]
        if taken:
            raise WriteError(
                "there is a file already", "a free name", "Choose another folder, or write over it.", taken[0]
            )
    seen = building(scene)
    out = []
    for k, (page, files) in enumerate(zip(pages, places)):
        part = job.part(k / len(pages), (k + 1) / len(pages))
        picture = drawn_page(seen, plan, page, dots, part)
        part.check()
        _put(files, [FORMS[f.suffix[1:]](page.page, picture) for f in files])
        out.append(
            Drawn(
                page.name,
                tuple(files),
                picture.shape[1::-1],
                page.frame.cut,
                plan.scale,
                bar_metres(plan.scale),
            )
        )
    return out


def _put(files: Sequence[Path], bodies: Sequence[bytes]) -> None:
    """Each file whole or not at all. Raises WriteError."""
    try:
        for path, data in zip(files, bodies):
            write_whole(path, data)
    except OSError as problem:
        raise WriteError(
            f"cannot be written ({problem.strerror})",
            "room and permission",
            file=problem.filename or files[0],
        ) from None


def scale_of(text: str) -> float:
    """The number of a scale as people write it: 1:100, 100. Raises ReadError."""
    first, colon, rest = text.partition(":")
    try:
        value = float(rest) / float(first) if colon else float(text)
    except (ValueError, ZeroDivisionError):
        value = 0.0
    if not 0 < value <= 1e6:
        raise ReadError(f"scale {text}", "a scale as 1:100", "Mend --scale.")
    return value
