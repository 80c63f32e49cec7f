"""Dispatch of one asset."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from customs.dispatch.deliver import deliver, destination_scene
from customs.dispatch.docket import make_docket
from customs.dispatch.writer import Written, write_package
from customs.errors import WriteError
from customs.ledger.ledger import Ledger
from customs.ledger.row import About
from customs.route.route import At
from customs.route.step import Job
from customs.scene.model import Scene
from customs.sheet.model import Sheet
from customs.words import many


def package_folder(out: Path, scene: Scene) -> Path:
    """Where the package of a scene goes below `out`."""
    return out / scene.name


def dispatch(
    received: Scene,
    passed: Sequence[At],
    ledger: Ledger,
    sheet: Sheet,
    about: About,
    source: Mapping[str, Any],
    out: Path,
    job: Job | None = None,
    replace_existing: bool = False,
) -> Written:
    """Write the package of the asset at the end of its route to a folder of its name below `out`.

    Raises WriteError for a held asset (nothing is written) and whatever `write_package` raises.
    """
    held = [r for r in ledger.open() if r.verdict == "held"]
    if held:
        what = "; ".join(f"{r.title}: {r.delivering}" for r in held[:3])
        raise WriteError(f"{many(len(held), 'requirement')} held ({what})", "none", "Clear them first.", passed[-1].scene.name)
    if about.use == "study":
        raise WriteError("study-only goods are never dispatched", "goods that may be delivered", file=received.name)
    scene = passed[-1].scene
    final = destination_scene(scene, sheet)
    when = datetime.now(UTC).strftime("%Y-%m-%d %H:%M UTC")

    def docket(files: Sequence[dict[str, Any]]) -> dict[str, Any]:
        return make_docket(sheet, received, final, passed, ledger, about, source, files, when)

    return write_package(package_folder(out, scene), deliver(final, sheet), docket, job, replace_existing)
