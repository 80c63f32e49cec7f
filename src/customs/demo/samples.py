"""The demo goods written into a folder, to try commands on."""

from __future__ import annotations

from pathlib import Path

from customs.command.printing import say
from customs.demo.accepted import write_accepted
from customs.demo.court import write_court
from customs.demo.kits import KITS
from customs.demo.write import write_goods
from customs.errors import UsageError


def write(folder: Path) -> int:
    """Goods, kit folders, a level's list with its library, and accepted packages, each in a folder of its own below
    `folder`, which has to be new or empty. Raises UsageError.
    """
    try:
        if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
            raise UsageError(f"{folder}: give a folder that is new or empty")
        write_goods(folder / "goods")
        for sheet, write_kit in KITS.items():
            write_kit(folder / "kits" / sheet)
        write_court(folder / "court")
        write_accepted(folder)
    except OSError as problem:
        raise UsageError(f"{problem.filename or folder}: cannot be written ({problem.strerror})") from None
    say(f"goods, kits, court and accepted: written into {folder}")
    return 0
