"""Sheets that tables go through."""

from __future__ import annotations

import os
import zlib

from customs.sheet.model import Sheet
from customs.work.lookup import all_sheets

OPEN = "metre-yup-pbr"
"""The sheet that takes most."""


def model_sheets() -> dict[str, Sheet]:
    """Sheets that take an asset's own mesh; those of plans and of cells have tests of their own."""
    return {k: s for k, s in all_sheets().items() if s.grounds.form != "study" and s.voxels.form == "none"}


def some_sheets(name: str) -> list[str]:
    """The open one and about every third of the others, other ones for another name; all of them where CUSTOMS_WHOLE is set."""
    whole = bool(os.environ.get("CUSTOMS_WHOLE"))
    return [s for s in model_sheets() if whole or s == OPEN or not zlib.crc32(f"{name} {s}".encode()) % 3]
