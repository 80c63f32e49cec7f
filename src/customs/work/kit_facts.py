"""What stands in a kit folder that matters to one asset, read as the sheet says."""

from __future__ import annotations

import os
import posixpath
import re
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

from customs.documents.encoded import read_text
from customs.documents.syntax import syntaxes
from customs.errors import CustomsError, ReadError
from customs.files import read_regular
from customs.kit.journal import Journal, journals
from customs.ledger.kit_facts import KitFacts
from customs.patterns import every
from customs.sheet.form import FieldRules, TakenRules
from customs.sheet.load import sheet_digest
from customs.sheet.model import Sheet
from customs.tolerances import FILE_BYTES

Stamp = tuple[tuple[str, int, int], ...]


def kit_facts(sheet: Sheet, kit: Path, asset: str) -> KitFacts:
    """The facts for an asset by the path it came from. Whatever cannot be read is a problem of them; nothing is raised."""
    return _looked(_Asked(sheet, kit, asset), _stamp(sheet, kit), sheet_digest(sheet))


class _Asked:
    """What is looked for; known again by the kit and the asset alone, the rest stands beside it."""

    def __init__(self, sheet: Sheet, kit: Path, asset: str) -> None:
        self.sheet, self.kit, self.asset = sheet, kit, asset

    def __hash__(self) -> int:
        return hash((self.kit, self.asset))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Asked) and (self.kit, self.asset) == (other.kit, other.asset)


@lru_cache(maxsize=256)
def _looked(asked: _Asked, stamp: Stamp, digest: str) -> KitFacts:
    sheet, kit = asked.sheet, asked.kit
    try:
        mine = [j for j in journals(kit) if j.about.get("source") == asked.asset]
    except CustomsError:
        mine = []
    own = mine[-1] if mine else None
    taken, problems = dict[str, frozenset[int]](), dict[str, str]()
    for field in (f for f in sheet.form if f.kind == "id" and f.taken):
        try:
            found = {n for rules in field.taken for n in _numbers(kit, rules)}
            taken[field.id] = frozenset(found - _own(own, field))
        except (CustomsError, OSError) as problem:
            problems[field.id] = _said(problem)
    existing = dict[str, tuple[str, ...]]()
    for field in (f for f in sheet.form if f.kind == "existing"):
        try:
            found_names = (
                n for rules in field.taken for t in _texts(kit, rules) for n in every(rules.pattern, t)[:1]
            )
            existing[field.id] = tuple(dict.fromkeys(found_names))
        except (CustomsError, OSError) as problem:
            problems[field.id] = _said(problem)
    version = ""
    if (rules := sheet.kit.version) is not None:
        try:
            version = next(iter(every(rules.pattern, _text(kit, rules.file, rules.codec))), "")
        except (CustomsError, OSError) as problem:
            problems["version"] = _said(problem)
    return KitFacts(str(kit), taken, existing, _names(sheet, kit, mine), version, problems)


def _said(problem: Exception) -> str:
    if isinstance(problem, OSError):
        return f"{problem.filename or 'a file'}: {problem.strerror}"
    return str(problem)


def _own(journal: Journal | None, field: FieldRules) -> set[int]:
    numbers: Any = journal.about.get("numbers", {}) if journal is not None else {}
    return (
        {numbers[field.id]} if isinstance(numbers, dict) and isinstance(numbers.get(field.id), int) else set()
    )


def _numbers(kit: Path, rules: TakenRules) -> Iterator[int]:
    for text in _texts(kit, rules):
        for found in every(rules.pattern, text)[: None if rules.look == "list" else 1]:
            if digits := re.fullmatch(r"\s*(\d{1,15})\s*", found):
                yield int(digits[1])


def _texts(kit: Path, rules: TakenRules) -> list[str]:
    """Names, values or one whole text in which the numbers stand. Raises ReadError and OSError."""
    if rules.look in ("folders", "files"):
        with os.scandir(kit / rules.path) as entries:
            return [e.name for e in entries if e.is_dir() == (rules.look == "folders") and e.name[0] != "."]
    if rules.look == "list":
        return _text(kit, rules.path, rules.codec).splitlines()
    body = _text(kit, rules.path, rules.codec).encode("utf-8", "surrogatepass")
    return [s.value for s in syntaxes[rules.syntax].values(body, rules.at, kit / rules.path)]


def _text(kit: Path, path: str, codec: str) -> str:
    data = read_regular(kit / path, FILE_BYTES)
    if data is None:
        raise ReadError("larger than can be read", f"at most {FILE_BYTES / 1e9:.0f} GB", file=kit / path)
    return read_text(data, kit / path, codec).body.decode("utf-8", "surrogatepass")


def _names(sheet: Sheet, kit: Path, mine: list[Journal]) -> frozenset[str]:
    """What stands where the package goes by a name of its own, and is not this asset's."""
    if not sheet.kit.place or sheet.kit.replaces:
        return frozenset()
    folder = posixpath.dirname(sheet.kit.target("{}"))
    if "{}" in folder or "{}" not in posixpath.basename(sheet.kit.target("{}")):
        return frozenset()
    ours = {c.path for j in mine for c in j.changes}
    try:
        there = os.listdir(kit / folder)
    except OSError:
        return frozenset()
    paths = ((f"{folder}/{n}" if folder else n) for n in there)
    return frozenset(p for p in paths if not any(o == p or o.startswith(f"{p}/") for o in ours))


def _stamp(sheet: Sheet, kit: Path) -> Stamp:
    """Times and sizes of all that is looked at: the facts hold as long as these do."""
    rules = [r for f in sheet.form for r in f.taken]
    paths = {r.path for r in rules} | {posixpath.dirname(sheet.kit.target("_")) if sheet.kit.place else ""}
    if sheet.kit.version is not None:
        paths.add(sheet.kit.version.file)
    out = list[tuple[str, int, int]]()
    for path in sorted({*paths, ".customs"}):
        try:
            found = os.stat(kit / path)
            out.append((path, found.st_mtime_ns, found.st_size))
        except OSError:
            out.append((path, -1, -1))
    return tuple(out)
