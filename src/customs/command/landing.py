"""Packages read as their destination would."""

from __future__ import annotations

from pathlib import Path

from customs.command.printing import say, say_json
from customs.errors import CustomsError, UsageError
from customs.landing.land import land as land_package
from customs.landing.land import packages
from customs.work.lookup import find_sheet


def land(folder: Path, by: str | None, as_json: bool) -> int:
    """Land all packages of a folder; the exit code, 1 on any refusal. Raises UsageError."""
    try:
        sheet = find_sheet(by) if by else None
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    if not folder.is_dir():
        raise UsageError(f"{folder}: there is no such folder")
    found = packages(folder)
    if not found:
        raise UsageError(f"{folder}: no package in it")
    logs = [land_package(p, find_sheet, sheet) for p in found]
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
                say(f"{mark} {line.seconds:7.3f} {line.verb:9} {line.file}  {line.text}")
    return 0 if all(g.accepted for g in logs) else 1
