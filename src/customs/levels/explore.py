"""What a list of an unknown shape holds: where its entries may be, what each has, and a mapping to begin with."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.errors import ReadError
from customs.json_text import loads
from customs.levels.entries import bytes_of_list, first_of, text_of
from customs.levels.mapping import Fields, Mapping

DEEP, SHOWN = 5, 60
"""How deep entries are looked for, and how many places of one are told."""


@dataclass(frozen=True)
class Place:
    """A place in an entry: its path, its value in the first entry, how many numbers that is (0 for a text)."""

    path: str
    value: str
    numbers: int


@dataclass(frozen=True)
class Explored:
    """Places where entries may be, the most first, each with how many there are; what the first entry of each has."""

    entries: tuple[tuple[str, int], ...]
    places: dict[str, tuple[Place, ...]]


def explore(path: Path) -> Explored:
    """What a list holds. Raises ReadError."""
    data = bytes_of_list(path)
    start = first_of(data)
    try:
        if path.suffix.lower() == ".xml" or start == b"<":
            return _xml(data)
        if path.suffix.lower() == ".json" or start in (b"{", b"["):
            return _json(loads(text_of(data, path)))
        return _table(text_of(data, path))
    except ReadError:
        raise
    except (ValueError, RecursionError) as problem:
        raise ReadError(
            f"cannot be read: {problem}", "a list in JSON, CSV or XML", "It may be cut off.", path
        ) from None


def _sample(value: Any) -> tuple[str, int]:
    """(as it is shown, how many numbers it is)."""
    if isinstance(value, bool) or value is None:
        return str(value).lower(), 0
    if isinstance(value, int | float):
        return f"{value:g}", 1
    if isinstance(value, list):
        flat = [x for v in value for x in (v if isinstance(v, list) else [v])]
        good = all(isinstance(x, int | float) and not isinstance(x, bool) for x in flat)
        return ", ".join(f"{x:g}" if isinstance(x, int | float) else str(x) for x in flat[:4]), len(
            flat
        ) if good else 0
    text = str(value)
    parts = text.replace(",", " ").replace(";", " ").split()
    try:
        [float(p) for p in parts]
    except ValueError:
        return text[:40], 0
    return text[:40], len(parts)


def _json(body: Any) -> Explored:
    found = sorted(_lists(body, "", 0), key=lambda f: -f[1])[:SHOWN]
    return Explored(
        tuple((p, n) for p, n, _ in found), {p: tuple(_inside(first, "", 0))[:SHOWN] for p, _, first in found}
    )


def _lists(body: Any, path: str, depth: int) -> Iterator[tuple[str, int, Any]]:
    """(place, count, first) of every list or table of tables."""
    if depth > DEEP or not isinstance(body, dict | list):
        return
    members = list(body.values()) if isinstance(body, dict) else body
    tables = [m for m in members if isinstance(m, dict)]
    if tables and len(tables) >= 0.8 * len(members) and (isinstance(body, list) or len(tables) > 1):
        yield f"{path}/*", len(tables), tables[0]
    if isinstance(body, dict):
        for name, inner in body.items():
            yield from _lists(inner, f"{path}/{name}", depth + 1)


def _inside(entry: Any, path: str, depth: int) -> Iterator[Place]:
    for name, value in entry.items() if isinstance(entry, dict) else ():
        here = f"{path}/{name}"
        if isinstance(value, dict):
            if {"x", "y", "z"} <= set(value):
                yield Place(here, *_sample([value[k] for k in ("x", "y", "z", "w") if k in value]))
            elif depth < 3:
                yield from _inside(value, here, depth + 1)
        else:
            yield Place(here, *_sample(value))


def _table(text: str) -> Explored:
    try:
        dialect: Any = csv.Sniffer().sniff(text[:4096], ",;\t|")
    except csv.Error:
        dialect = csv.excel
    rows = list(csv.DictReader(io.StringIO(text), dialect=dialect))
    first = {k: v for k, v in (rows[0] if rows else {}).items() if k}
    return Explored((("", len(rows)),), {"": tuple(Place(k, *_sample(v)) for k, v in first.items())})


def _xml(data: bytes) -> Explored:
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as problem:
        raise ValueError(str(problem)) from None
    counts = Counter(str(e.tag) for e in root.iter(etree.Element))
    entries = [(f"//{tag}", n) for tag, n in counts.most_common(SHOWN) if tag != str(root.tag)]
    places = {}
    for place, _ in entries:
        first = next(root.iter(place[2:]))
        own = [Place(f"@{k}", *_sample(v)) for k, v in first.attrib.items()]
        for child in first:
            if isinstance(child.tag, str):
                own += [Place(f"{child.tag}/@{k}", *_sample(v)) for k, v in child.attrib.items()]
                own += (
                    [Place(child.tag, *_sample(child.text.strip()))]
                    if child.text and child.text.strip()
                    else []
                )
        places[place] = tuple(own[:SHOWN])
    return Explored(tuple(entries), places)


GUESSES = (
    ("matrix", r"matrix|transform|xform", (12, 16)),
    ("position", r"pos|translat|location|origin|^at$|place", (3,)),
    ("rotation", r"rot|turn|orient|quat|angle", (3, 4)),
    ("scale", r"scale|size", (1, 3)),
    ("name", r"name|mesh|model|asset|file|path|object", (0,)),
    ("parent", r"parent|owner", (0, 1)),
    ("id", r"^id$|guid|uuid|number", (0, 1)),
    ("visible", r"visib|shown|hidden|active|enabled", (0,)),
    ("kind", r"kind|class|type|category", (0,)),
)
"""Values by what their places are called and how many numbers they are (common practice)."""


def guessed(explored: Explored, entries: str | None = None) -> Mapping | None:
    """A mapping to begin with, of the most likely entries or those at a place; None where no name or no place of things is found."""
    for place, _ in explored.entries if entries is None else ((entries, 0),):
        found = _guessed(explored.places.get(place, ()))
        if "name" in found and ("matrix" in found or "position" in found):
            if "matrix" in found:
                found = {k: v for k, v in found.items() if k not in ("position", "rotation", "scale")}
            if "id" not in found:
                found.pop("parent", None)
            turns = next((p.numbers for p in explored.places[place] if p.path == found.get("rotation")), 4)
            rotation = "euler" if turns == 3 else "quaternion-xyzw"
            return Mapping(entries=place, fields=Fields(**found), rotation=rotation)
    return None


def _guessed(places: tuple[Place, ...]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for name, words, sizes in GUESSES:
        for p in places:
            last = re.split(r"[/@]", p.path)[-1]
            if p.path not in out.values() and p.numbers in sizes and re.search(words, last, re.IGNORECASE):
                out[name] = p.path
                break
    three = [
        next((p.path for p in places if re.split(r"[/@]", p.path)[-1].lower() == axis and p.numbers == 1), "")
        for axis in "xyz"
    ]
    if "position" not in out and "matrix" not in out and all(three):
        out["position"] = tuple(three)
    return out
