"""Dispatch of one asset."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from customs.dispatch.beside import more_files, told_facts
from customs.dispatch.deliver import Deliverable, deliver, destination_scene
from customs.dispatch.docket import Told, make_docket
from customs.dispatch.documents import document_files, form_facts
from customs.dispatch.into_kit import facts_for
from customs.dispatch.sizes import planned_sizes
from customs.dispatch.source import SOURCE
from customs.dispatch.writer import Written, write_package
from customs.errors import WriteError
from customs.files import why_no_part
from customs.job import Job
from customs.ledger.joined import joined
from customs.ledger.ledger import Ledger
from customs.ledger.row import About
from customs.route.route import At
from customs.scene.floor_plan import NO_PLAN, FloorPlan
from customs.scene.model import Scene
from customs.sheet.known import known_of
from customs.sheet.model import Sheet
from customs.words import byte_text, many


def package_folder(out: Path, scene: Scene, folder: str = "") -> Path:
    """Where the package of a scene goes below `out`: a folder of its name, or `folder`. Raises WriteError for
    no name.
    """
    for part in folder.split("/") if folder else [scene.name]:
        if why := why_no_part(part):
            raise WriteError(
                f"the name “{part}” {why}", "a name every system takes", "Add Names to the route.", scene.name
            )
    return out / (folder or scene.name)


Json = dict[str, Any]


@dataclass(frozen=True, eq=False)
class Goods:
    """All that a package and its docket are made from: the asset as received, after every stop, judged, and
    where it came from.
    """

    received: Scene
    passed: Sequence[At]
    ledger: Ledger
    sheet: Sheet
    about: About
    source: Mapping[str, Any]
    made_of: str = ""
    """Tells all that the package hangs on: one made of the same is the same."""
    plan: FloorPlan = NO_PLAN
    """What a person decided about floor plans."""

    def told(
        self,
        final: Scene,
        files: Sequence[Mapping[str, Any]],
        when: str,
        kit: Mapping[str, Any] | None = None,
    ) -> Told:
        """What the docket is made from."""
        return Told(
            self.sheet,
            self.received,
            final,
            self.passed,
            self.ledger,
            self.about,
            self.source,
            files,
            when,
            kit,
            self.made_of,
        )


def dispatch(
    goods: Goods,
    out: Path,
    check: Callable[[Path], None] = lambda folder: None,
    job: Job | None = None,
    replace_existing: bool = False,
    folder: str = "",
    kit: Callable[[Mapping[str, Path], Json], Json] | None = None,
    more: Sequence[Deliverable] = (),
) -> Written:
    """Write the package of the asset at the end of its route to a folder of its name (or `folder`) below
    `out`.

    `kit` is shown the files as they are written (by their paths) with the facts about them, and says what the docket has to tell
    of the destination's own folder. `more` are files that go along. `check` is shown the finished package before it is put in its place, and raises where it must not be.
    Raises WriteError for a held asset (nothing is written) and whatever `write_package` raises.
    """
    scene, sheet, about = goods.passed[-1].scene, goods.sheet, goods.about
    _check_may_leave(goods)
    final = destination_scene(scene, sheet)
    known = known_of(sheet, about.form, about.source)
    when = datetime.now(UTC).strftime("%Y-%m-%d %H:%M UTC")

    def docket(files: Sequence[dict[str, Any]], folder: Path) -> dict[str, Any]:
        told = None
        if kit is not None:
            facts = facts_for(
                final, told_facts(scene, sheet, final), files, form_facts(sheet, about.form), known
            )
            told = kit({str(f["path"]): folder / str(f["path"]) for f in files if f["kind"] != SOURCE}, facts)
        return make_docket(goods.told(final, files, when, told), folder)

    target = package_folder(out, scene, folder)
    check_room(target, scene, sheet)
    beside = (
        *more_files(scene, sheet, final, goods.plan),
        *document_files(scene, sheet, final, about.form, known),
        *more,
    )
    files = deliver(final, sheet, beside)
    return write_package(
        target, files, docket, check, job, replace_existing, sheet.layout.bundle_place(final.name)
    )


def _check_may_leave(goods: Goods) -> None:
    """Raises WriteError for what is held, and for what is for study only."""
    held = [r for r in goods.ledger.open() if r.verdict == "held"]
    if held:
        what = "; ".join(f"{r.title}: {r.delivering}" for r in held[:3])
        raise WriteError(
            f"{many(len(held), 'requirement')} held ({what})",
            "none",
            "Clear them first.",
            goods.passed[-1].scene.name,
        )
    if goods.sheet.grounds.form == "study":
        return
    if goods.about.use == "study" or any(x.use == "study" for x in joined(goods.passed)):
        raise WriteError(
            "study-only goods are never dispatched", "goods that may be delivered", file=goods.received.name
        )


def check_room(target: Path, scene: Scene, sheet: Sheet) -> None:
    """Raises WriteError where the disk is plainly too full: sizes are known about, so half of what is expected has to fit."""
    place = next((p for p in target.parents if p.is_dir()), None)
    textures, models = planned_sizes(scene, sheet)
    need = (sum(textures.values()) + models) * (2 if sheet.layout.bundle != "none" else 1) // 2
    free = shutil.disk_usage(place).free if place is not None else need
    if free < need:
        raise WriteError(
            f"about {byte_text(2 * need)} do not fit on the disk, which has {byte_text(free)} left",
            "room for the package",
            "Make room, or choose another folder. Nothing was written.",
            target,
        )
