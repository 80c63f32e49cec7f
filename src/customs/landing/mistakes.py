"""Faults planted in a copy of a package, and of the kit it went into, to see that they are caught."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Sequence
from pathlib import Path

from customs.errors import WriteError
from customs.landing import (
    mistakes_documents,
    mistakes_kit,
    mistakes_levels,
    mistakes_package,
    mistakes_voxels,
)
from customs.landing.land import land
from customs.landing.log import Line
from customs.landing.planting import Copy, Mistake
from customs.sheet.model import Sheet

MISTAKES: tuple[Mistake, ...] = (
    *mistakes_package.MISTAKES,
    *mistakes_documents.MISTAKES,
    *mistakes_kit.MISTAKES,
    *mistakes_levels.MISTAKES,
    *mistakes_voxels.MISTAKES,
)
"""Every kind that is known."""


def plant(folder: Path, kind: str, sheet: Sheet | None = None, kit: Path | None = None) -> bool:
    """Plant the fault `kind` in the package at `folder`, or in the `kit` it went into (copies, both!). False when there is nothing of
    the kind in them.
    """
    mistake = next(m for m in MISTAKES if m.id == kind)
    return mistake.plant(Copy(folder, sheet, kit))


PLAIN = ("differs from what was dispatched", "differs from the package", "was changed after it was written")


def telling(lines: Sequence[Line]) -> Line:
    """The refusal that says most: any but that something is not what it was, where there is another."""
    return next((x for x in lines if not any(p in x.text for p in PLAIN)), lines[0])


LARGEST = 1 << 29
"""Bytes of the largest kit that is copied to try a mistake in it."""


def _check_size(kit: Path) -> None:
    whole = 0
    for folder, _, files in os.walk(kit):
        whole += sum(os.lstat(os.path.join(folder, f)).st_size for f in files)
        if whole > LARGEST:
            raise WriteError(
                f"a kit of more than {LARGEST / 1e6:.0f} MB",
                "one that can be copied to try mistakes in",
                "Try it with the package alone.",
                kit,
            )


def tried(package: Path, kind: str, sheet: Sheet, kit: Path | None) -> tuple[Line, ...] | None:
    """What landing refuses once the fault `kind` is planted in copies of a package and of the kit it went into; None where there is
    nothing of the kind in them. Raises OSError, and WriteError for a kit that is too large to be copied.
    """
    with tempfile.TemporaryDirectory() as place:
        copy = Path(place) / "package" / package.name
        shutil.copytree(package, copy)
        kit_copy = None
        if kit is not None:
            _check_size(kit)
            kit_copy = Path(place) / "kit"
            shutil.copytree(kit, kit_copy, symlinks=True)
        if not plant(copy, kind, sheet, kit_copy):
            return None
        log = land(copy, lambda name: sheet, kit=kit_copy)
        return tuple(line for line in log.lines if line.level == "refusal")
