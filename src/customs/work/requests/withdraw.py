"""Undoing a dispatch in the destination's own folder."""

from __future__ import annotations

import json
from pathlib import Path

from customs.errors import ReadError, WriteError
from customs.kit.journal import held, recover, withdraw
from customs.work.requests.dispatch import PATIENCE, is_placed


def run_withdraw(package: Path, kit: Path) -> tuple[str, ...]:
    """Every file of the kit that the dispatch of a package changed is as it was; their paths. The package itself stays.

    Raises ReadError for a package whose docket says of no kit, WriteError where something has changed the files since.
    """
    try:
        body = json.loads((package / "docket.json").read_text("utf-8"))
        told = body["kit"]["dispatch"]
    except (OSError, ValueError, KeyError, TypeError) as problem:
        raise ReadError(
            f"it says of no dispatch into a kit ({type(problem).__name__})",
            "a package that was dispatched with --kit",
            "Name the folder that holds its docket.json.",
            package,
        ) from None
    if not kit.is_dir():
        raise WriteError("is no folder", "the kit's folder", "Choose it.", kit)
    with held(kit, PATIENCE):
        recover(kit, is_placed)
        return withdraw(kit, str(told))
