"""Sheets that tables go through."""

from __future__ import annotations

from customs.sheet.model import Sheet
from customs.work.lookup import all_sheets


def model_sheets() -> dict[str, Sheet]:
    """Sheets that take an asset's own mesh; those of plans and of cells have tests of their own."""
    return {k: s for k, s in all_sheets().items() if s.grounds.form != "study" and s.voxels.form == "none"}
