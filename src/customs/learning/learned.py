"""A sheet from examples: what each detector found, what of it is taken, and the sheet as text with its evidence."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

from customs.errors import SheetError
from customs.job import Job
from customs.learning.detectors.axes import UNITS
from customs.learning.examples import Example
from customs.learning.found import DETECTORS, GROUPS, Found
from customs.sheet.load import parse_sheet
from customs.sheet.model import Sheet
from customs.sheet.schema import sheet_keys, to_toml

Told = Callable[[Found], None]
HEADS = ("version", "id", "title", "summary", "edition")


def learn(
    examples: Sequence[Example], job: Job | None = None, told: Told = lambda found: None
) -> list[Found]:
    """What the examples tell of each key, in the order of a sheet; `told` hears of each as it is found. Those with a problem are
    left out. Raises SheetError where none is left, Cancelled.
    """
    job, good = job or Job(), [e for e in examples if e.models]
    if not good:
        why = "; ".join(f"{e.folder.name}: {e.problem}" for e in examples[:3])
        raise SheetError(
            f"no example can be read ({why})", "packages the destination has", "Name others.", "examples"
        )
    detectors, out = list(DETECTORS.all().values()), list[Found]()
    for k, detector in enumerate(detectors):
        job.check()
        job.progress(k / len(detectors), detector.id)
        for found in map(beyond_default, detector.find(good)):
            out.append(found)
            told(found)
    return out


def beyond_default(found: Found) -> Found:
    """A limit that sheets have by themselves and examples exceed is not the destination's: what was seen takes its place."""
    default = defaults().get(found.key)
    number = isinstance(found.value, int | float) and not isinstance(found.value, bool)
    if found.sure != "undecided" or not number or default is None or found.value <= default:
        return found
    return replace(
        found, sure="likely", why=f"{found.why}; more than {default:g}, which sheets allow by themselves"
    )


@cache
def defaults() -> dict[str, float]:
    """Limits that sheets have by themselves, by key."""
    read = {k.path: json.loads(k.default) for k in sheet_keys() if re.fullmatch(r"-?[0-9.]+", k.default)}
    return {k: float(v) for k, v in read.items()}


def told_apart(examples: Sequence[Example]) -> list[list[Example]]:
    """Examples by destination, as far as their formats and axes tell them apart; the largest group first."""
    groups: dict[tuple[str, str], list[Example]] = {}
    for e in (e for e in examples if e.models):
        groups.setdefault((e.main.format, e.main.convention.axes_text()), []).append(e)
    return sorted(groups.values(), key=lambda g: -len(g))


def taken_by_default(found: Sequence[Found]) -> list[str]:
    """Keys that are taken unless a person leaves them: those that are sure or likely."""
    return [f.key for f in found if f.value is not None and f.sure != "undecided"]


def sheet_text(
    found: Sequence[Found], take: Collection[str], id_: str, title: str, names: Sequence[str]
) -> str:
    """The sheet as TOML: keys that are taken with their evidence as comments, the others as comments alone."""
    summary = f"Read off {len(names)} packages: {', '.join(names[:6])}{' …' if len(names) > 6 else ''}."
    lines = [
        "version = 1",
        f"id = {to_toml(id_)}",
        f"title = {to_toml(title)}",
        f"summary = {to_toml(summary)}",
        "edition = 1",
    ]
    for group in GROUPS:
        mine = [f for f in found if f.key.partition(".")[0] == group]
        if not mine:
            continue
        lines.append("")
        lines += _pictures(mine[0], take) if group == "pictures" else _table(group, mine, take)
    return "\n".join(lines) + "\n"


def _table(group: str, found: Sequence[Found], take: Collection[str]) -> Iterator[str]:
    yield f"[{group}]"
    for f in found:
        key = f.key.partition(".")[2]
        yield f"# {f.evidence}, {f.sure}: {f.why}" if f.why else f"# {f.evidence}, {f.sure}"
        if f.value is None:
            yield f"# {key} is not told."
        else:
            yield f"{'' if f.key in take else '# '}{key} = {to_toml(f.value)}"
    if group == "axes":
        yield from _axes({f.key: f.value for f in found if f.value is not None and f.key in take})
    if group == "model" and any(f.key == "model.format" and f.key in take for f in found):
        yield 'own_axes_note = "as the examples have it"'


def _axes(values: dict[str, Any]) -> Iterator[str]:
    """What has to stand beside axes that are told, so that they are axes."""
    if "axes.metres_per_unit" in values:
        yield f"unit_name = {to_toml(UNITS.get(values['axes.metres_per_unit'], 'u'))}"
    up, faces = values.get("axes.up", "+Y"), values.get("axes.faces")
    if faces is None and up[1] == "Z":
        yield "# Which way things face is not told; something that is not along up has to stand here."
        yield 'faces = "+X"'


def _pictures(f: Found, take: Collection[str]) -> Iterator[str]:
    yield f"# Pictures: {f.evidence}, {f.sure}: {f.why}"
    lead = "" if f.key in take else "# "
    for row in f.value or ():
        yield f"{lead}[[pictures]]"
        yield from (f"{lead}{k} = {to_toml(v)}" for k, v in row.items())


def learned_sheet(text: str, file: str | Path) -> Sheet:
    """The sheet of a text. Raises SheetError."""
    return parse_sheet(text, file)
