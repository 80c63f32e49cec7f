"""Landing: a package read as its destination would."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from pathlib import Path

from customs.changes.hanging import with_hanging
from customs.errors import CustomsError
from customs.landing.land import land, landed_scene
from customs.landing.log import Log
from customs.landing.seen import Seen, fittings_seen
from customs.scene.model import Scene
from customs.sheet.model import Sheet
from customs.work.lookup import find_sheet


@dataclass(frozen=True)
class LandRequest:
    """A package; `by` reads it by another sheet than its docket's, `known` is a sheet at hand that need not
    be looked up, `kit` the destination's own folder, where that is read too.
    """

    folder: Path
    by: Sheet | None = None
    known: Sheet | None = None
    kit: Path | None = None


@dataclass(frozen=True, eq=False)
class Landed:
    """What the destination says, and what it would show: the model, what lies beside it (None where it cannot), the kit that was read too."""

    log: Log
    scene: Scene | None = None
    seen: Seen | None = None
    kit: Path | None = None


def run_land(request: LandRequest, show: bool = False) -> Landed:
    """The log of a package; with `show` also its scene in the working frame. Never raises for what is in the
    package.
    """
    known = request.known

    def find(name: str) -> Sheet:
        return known if known is not None and known.id == name else find_sheet(name)

    log = land(request.folder, find, request.by, request.kit)
    scene, seen, sheet = None, None, request.by or known
    if show and sheet is not None:
        with contextlib.suppress(CustomsError, StopIteration, ValueError, KeyError, OSError):
            scene = landed_scene(request.folder, sheet)
            # What hangs at its posts is put in place here, not where the window waits.
            with_hanging(scene)
            seen = fittings_seen(request.folder, sheet, scene)
    return Landed(log, scene, seen, request.kit)
