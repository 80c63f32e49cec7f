"""Packages read as their destination would."""

from __future__ import annotations

import json
from pathlib import Path

from customs.command.printing import errors, say, say_json
from customs.errors import CustomsError, UsageError
from customs.landing.destination_log import read_destination_log
from customs.landing.land import land as land_package
from customs.landing.land import packages
from customs.sheet.model import Sheet
from customs.words import many
from customs.work.lookup import find_sheet
from customs.work.requests.withdraw import run_withdraw


def land(
    folder: Path, by: str | None, as_json: bool, kit: Path | None = None, said: Path | None = None
) -> int:
    """Land all packages of a folder, with the lines of the destination's own log `said` that concern them; the exit code, 1 on any
    refusal. Raises UsageError.
    """
    try:
        sheet = find_sheet(by) if by else None
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    if not folder.is_dir():
        raise UsageError(f"{folder}: there is no such folder")
    if kit is not None and not kit.is_dir():
        raise UsageError(f"{kit}: there is no such kit folder")
    found = packages(folder)
    if not found:
        raise UsageError(f"{folder}: no package in it")
    logs = [land_package(p, find_sheet, sheet, kit) for p in found]
    try:
        for log in logs if said is not None else ():
            read_destination_log(said or Path(), log.folder, sheet or sheet_of(log.folder), log)
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    if as_json:
        say_json(
            [
                {"package": str(g.folder), "accepted": g.accepted, "lines": [x.as_dict() for x in g.lines]}
                for g in logs
            ]
        )
    else:
        for log in logs:
            for line in log.lines:
                mark = {"note": " ", "remark": "?", "refusal": "■"}[line.level]
                row = f"  → {line.row}" if line.row else ""
                say(f"{mark} {line.seconds:7.3f} {line.verb:9} {line.file}  {line.text}{row}")
    return 0 if all(g.accepted for g in logs) else 1


def sheet_of(package: Path) -> Sheet:
    """The sheet a package was made for, by its docket. Raises CustomsError."""
    try:
        body = json.loads((package / "docket.json").read_text("utf-8"))
        return find_sheet(str(body["sheet"]["id"]))
    except (OSError, ValueError, KeyError, TypeError):
        raise UsageError(f"{package}: its docket says no sheet") from None


def withdraw(package: Path, kit: Path, as_json: bool) -> int:
    """Undo a dispatch in a kit; the exit code, 1 where that cannot be."""
    try:
        paths = run_withdraw(package, kit)
    except CustomsError as problem:
        if as_json:
            say_json({"withdrawn": [], "error": problem.as_dict()})
        else:
            say(str(problem), errors)
        return 1
    if as_json:
        say_json({"withdrawn": list(paths), "error": None})
    else:
        say(f"{kit}: {many(len(paths), 'file')} as before: {', '.join(paths)}")
    return 0
