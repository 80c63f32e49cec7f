"""A log the destination itself wrote, read by the sheet's patterns: the lines about one package beside the file and row they concern."""

from __future__ import annotations

import json
import posixpath
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from customs.errors import ReadError
from customs.files import read_regular
from customs.landing.log import Log
from customs.patterns import found_in
from customs.sheet.known import for_asset, told_known
from customs.sheet.model import Sheet
from customs.words import plain

LARGEST = 1 << 28
"""Bytes of the largest log that is read."""
LINE = 10_000
"""Characters of a line that are looked at."""


@dataclass(frozen=True)
class Known:
    """What a line may be about: paths of the package by all they are called by, names of the model by kind."""

    files: Mapping[str, str]
    names: Mapping[str, str]
    asset: str

    def thing(self, said: str) -> str:
        """The file of the package that is meant, or the model for one of its names; "" for nothing of this package."""
        plain = said.strip().strip('"').replace("\\", "/")
        for name in (plain, posixpath.basename(plain)):
            if name.casefold() in self.files:
                return self.files[name.casefold()]
        return self.names.get(plain.casefold(), "")


def read_destination_log(path: Path, package: Path, sheet: Sheet, log: Log) -> int:
    """Add the lines of a log that concern a package to `log`, as the sheet's patterns read them; how many lines are about others, or
    fit no pattern. Raises ReadError.
    """
    if not sheet.log:
        raise ReadError(
            f"the sheet {sheet.id} says of no log how it is read",
            "a sheet with [[log]] patterns",
            "Add them to the sheet.",
            path,
        )
    known = _known(package, sheet)
    passed = 0
    for number, line in enumerate(_lines(path), 1):
        found = next(((r, g) for r in sheet.log if (g := found_in(r.pattern, line[:LINE])) is not None), None)
        file = known.thing(found[1].get("file", "")) if found is not None else ""
        if found is None or (not file and known.asset.casefold() not in line.casefold()):
            passed += 1
            continue
        rules, groups = found
        text = plain(groups.get("text") or line)
        log.said(file or known.asset, f"{text} ({path.name}, line {number})", rules.level, rules.requirement)
    return passed


def _lines(path: Path) -> list[str]:
    try:
        data = read_regular(path, LARGEST)
    except OSError as problem:
        raise ReadError(
            f"cannot be read ({problem.strerror})", "the destination's log", "Choose it.", path
        ) from None
    if data is None:
        raise ReadError(
            f"larger than {LARGEST / 1e6:.0f} MB", "a shorter log", "Cut its beginning off.", path
        )
    marked = data[:2] in (b"\xff\xfe", b"\xfe\xff")
    return data.decode("utf-16" if marked else "utf-8-sig", "replace").splitlines()


def _known(package: Path, sheet: Sheet) -> Known:
    try:
        body: dict[str, Any] = json.loads((package / "docket.json").read_text("utf-8"))
        sheet = for_asset(sheet, told_known(body))
        asset, paths = str(body["asset"]), [str(f["path"]) for f in body["files"]]
        model = str(body["models"][0]["path"])
        named = [str(n) for names in body["names"].values() for n in names]
    except (OSError, ValueError, KeyError, IndexError, TypeError, AttributeError) as problem:
        raise ReadError(
            f"its docket cannot be read ({type(problem).__name__})",
            "a package of ours",
            "Dispatch again.",
            package,
        ) from None
    target = sheet.kit.target(asset) if sheet.kit.place else ""
    files = {p.casefold(): p for p in paths} | {posixpath.basename(p).casefold(): p for p in paths}
    if target:
        files |= {f"{target}/{p}".casefold(): p for p in paths}
        files |= {target.casefold(): target, posixpath.basename(target).casefold(): target}
    files |= {r.path.casefold(): r.path for r in sheet.documents if not r.new}
    return Known(files, {n.casefold(): model for n in (*named, asset)}, asset)
