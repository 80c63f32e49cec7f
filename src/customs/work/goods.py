"""Assets of a shipment: taking in, evaluating, planning, dispatching."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from customs.conventions.origin import Origin
from customs.dispatch.dispatch import dispatch
from customs.dispatch.writer import Written
from customs.errors import CustomsError
from customs.intake.take import Taken, files_digest, take
from customs.ledger.ledger import Ledger, judge, refused
from customs.ledger.row import About
from customs.planning.plan import Subject, arrive_stop, fresh_route, plan
from customs.route.route import At, Route, SceneCache, evaluate
from customs.route.step import Job
from customs.scene.model import Scene
from customs.sheet.model import Sheet
from customs.shipment.state import Asset
from customs.shipment.store import changed_on_disk, keep
from customs.work.donors import kept_donor
from customs.work.measure import measure


@dataclass(frozen=True, eq=False)
class Evaluated:
    """An asset looked at: as received, after every stop, and the ledger. `error` when it cannot be read."""

    asset: Asset
    taken: Taken | None
    passed: tuple[At, ...]
    ledger: Ledger
    error: CustomsError | None = None

    @property
    def judged(self) -> bool:
        """False while only the scenes are known."""
        return bool(self.ledger.rows)

    def at(self, stop_id: str | None) -> Scene | None:
        """The scene after a stop, or at the end."""
        for at in self.passed:
            if at.stop.id == stop_id:
                return at.scene
        return self.passed[-1].scene if self.passed else None


def kind_of(scene: Scene) -> str:
    """What kind of goods: rigged, prop, level pieces."""
    if scene.skins:
        clips = len(scene.clips)
        return "rigged" + (f" · {clips} clip{'s' if clips > 1 else ''}" if clips else "")
    count = len(scene.meshes)
    return f"prop · {count} mesh{'es' if count != 1 else ''}" if count else "empty"


def title_of(stem: str) -> str:
    """`watering_stork` as `Watering stork`."""
    text = stem.replace("_", " ").replace("-", " ").strip()
    return text[:1].upper() + text[1:] if text else "Asset"


def take_in(path: Path, root: Path, store: Path, id_: str, origin: Origin | None) -> Asset:
    """Copy a file with its companions into the store and make an asset of it, its route only arriving.

    A file that cannot be read is taken in all the same, so that its held row says why; only its own bytes are kept.
    """
    try:
        taken = take(path, root)
        files, digest, absent, kind = taken.files, taken.digest, taken.absent, kind_of(taken.scene)
        rights = taken.scene.rights
    except CustomsError:
        if not path.is_file():
            raise
        files, absent, kind, rights = (path,), (), "unreadable", {}
        digest = files_digest(files)
    model = keep(store, files, digest)
    return Asset(
        id=id_,
        name=title_of(path.stem),
        model=model.relative_to(store).as_posix(),
        source=str(path),
        digest=digest,
        files=tuple(str(f) for f in files),
        kind=kind,
        origin=origin.id if origin else "",
        stops=fresh_route(origin).stops,
        absent=absent,
        author=rights.get("author", ""),
        licence=rights.get("licence", ""),
    )


def search_for(asset: Asset, store: Path, folders: Sequence[Path]) -> Asset:
    """The asset with the textures that lie for it in further folders copied in. Raises CustomsError."""
    model = store / asset.model
    place = store / Path(asset.model).parts[0]
    taken = take(model, place, folders)
    root = Path(os.path.commonpath([str(Path(f).parent) for f in asset.files]))
    originals = {(place / Path(f).relative_to(root)).resolve(): f for f in asset.files}
    files = tuple(originals.get(f.resolve(), str(f)) for f in taken.files)
    if set(files) == set(asset.files):
        return asset
    digest = files_digest(tuple(Path(f) for f in files))
    kept = keep(store, taken.files, digest, [Path(f) for f in files])
    return replace(asset, model=kept.relative_to(store).as_posix(), digest=digest, files=files)


def read_asset(asset: Asset, store: Path) -> Taken:
    """The asset from the store's copy. Raises CustomsError."""
    path = store / asset.model
    taken = take(path, store / Path(asset.model).parts[0])
    return replace(taken, digest=asset.digest, absent=asset.absent)


def about_of(asset: Asset, store: Path | None = None) -> About:
    """What is known of it besides its scene; its donor from the `store`, where one is given and it is there."""
    use = asset.use if asset.use in ("deliver", "private", "study") else ""
    changed = changed_on_disk(asset.files, asset.digest)
    donor = None
    if asset.donor and store is not None:
        with contextlib.suppress(CustomsError):
            donor = kept_donor(store, asset.donor, asset.donor_name)
    return About(asset.author, asset.licence, use, changed, asset.absent, donor)  # type: ignore[arg-type]


def evaluate_asset(
    asset: Asset,
    store: Path,
    sheet: Sheet,
    cache: SceneCache,
    taken: Taken | None = None,
    job: Job | None = None,
    early: Callable[[Evaluated], None] = lambda result: None,
) -> Evaluated:
    """The asset after every stop, with its ledger. Never raises CustomsError: an unreadable asset has one held row.

    `early` is told of the scenes before they are judged, so that they can be drawn meanwhile.
    """
    try:
        taken = taken or read_asset(asset, store)
    except CustomsError as problem:
        return Evaluated(asset, None, (), refused(problem), problem)
    about = about_of(asset, store)
    passed = tuple(evaluate(taken.scene, asset.digest, asset.route, cache, about.resources, job))
    for scene in (taken.scene, *(at.scene for at in passed)):
        measure(scene)
    early(Evaluated(asset, taken, passed, Ledger(())))
    ledger = judge(taken.scene, passed, sheet, about, asset.waivers)
    return Evaluated(asset, taken, passed, ledger)


def plan_asset(
    asset: Asset, store: Path, sheet: Sheet, cache: SceneCache, taken: Taken | None = None, job: Job | None = None
) -> Asset:
    """The asset with its route planned; stops a person made are kept. Unreadable assets come back as they are."""
    try:
        taken = taken or read_asset(asset, store)
    except CustomsError:
        return asset
    mine = tuple(s for i, s in enumerate(asset.stops) if i == 0 or s.by == "person")
    route = Route(mine) if mine else fresh_route(None)
    planned = plan(Subject(taken.scene, asset.digest, sheet, about_of(asset, store), asset.waivers), route, cache, job)
    return replace(asset, stops=planned.route.stops)


def with_origin(asset: Asset, origin: Origin | None) -> Asset:
    """The asset coming from another origin: its first stop changes, the rest stays."""
    first = arrive_stop(origin)
    return replace(asset, origin=origin.id if origin else "", stops=(first, *asset.stops[1:]))


def dispatch_asset(done: Evaluated, sheet: Sheet, out: Path, job: Job | None = None, replace_existing: bool = False) -> Written:
    """Write the package of an evaluated asset. Raises CustomsError, Cancelled."""
    if done.taken is None or done.error is not None:
        raise done.error or CustomsError("was not read", file=done.asset.name)
    source = {**done.taken.source(), "name": Path(done.asset.source).name}
    return dispatch(done.taken.scene, done.passed, done.ledger, sheet, about_of(done.asset), source, out, job, replace_existing)
