"""Customs put on the desktop, and taken away again."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

from customs.command.printing import errors, say
from customs.errors import CustomsError
from customs.integration.place import data_home, integrate, withdraw
from customs.words import many


def program() -> Path:
    """The program that was started, as a path that holds from anywhere."""
    beside = Path(sys.executable).parent / "customs"
    found = str(beside) if beside.is_file() else shutil.which("customs")
    return Path(found or sys.argv[0]).absolute()


def run(remove: bool) -> int:
    """Put there, or taken away; the exit code."""
    try:
        done = withdraw() if remove else integrate(program())
    except CustomsError as problem:
        say(str(problem), errors)
        return 3
    word = "taken away from" if remove else "put into"
    say(f"{many(len(done.files), 'file')} {word} {data_home()}")
    for line in done.told:
        say(line)
    return 0
