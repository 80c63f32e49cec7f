"""Assets of a shipment: taking them in, searching further folders for them, changing their origin."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

from customs.conventions.origin import Origin
from customs.errors import CustomsError
from customs.grounds.things import is_level
from customs.intake.again import matched
from customs.intake.rights import Slip
from customs.intake.take import Taken, content_digest, files_digest, take
from customs.intake.through import outer
from customs.job import Job
from customs.planning.plan import arrive_stop, fresh_route
from customs.scene.model import Scene
from customs.shipment.state import Asset
from customs.shipment.store import archives_of, keep, settled, staged
from customs.work.requests.take import kept_copy

UP = 2
"""Folders above the model's own that its files may begin in (common practice: `models/NAME/` beside
`textures/`).
"""


UNREADABLE = "unreadable"
"""The kind of goods whose file could not be read."""


def kind_of(scene: Scene) -> str:
    """What kind of goods: rigged, prop, level pieces."""
    if scene.skins:
        clips = len(scene.clips)
        return "rigged" + (f" · {clips} clip{'s' if clips > 1 else ''}" if clips else "")
    rows = scene.placements
    if is_level(scene) and len(rows):
        return f"level · {int(rows.top.sum()) + len(scene.roots):,} placed"
    count = len(scene.meshes)
    return f"prop · {count} mesh{'es' if count != 1 else ''}" if count else "empty"


def title_of(stem: str) -> str:
    """`watering_stork` as `Watering stork`."""
    text = stem.replace("_", " ").replace("-", " ").strip()
    return text[:1].upper() + text[1:] if text else "Asset"


def take_in(
    path: Path,
    root: Path,
    store: Path,
    id_: str,
    origin: Origin | None,
    others: Sequence[Asset] = (),
    given: Mapping[str, str] | None = None,
    paired: Sequence[str] = (),
    job: Job | None = None,
    read: Callable[[Taken], None] = lambda taken: None,
) -> Asset:
    """Copy a file with its companions into the store and make an asset of it, its route only arriving.

    A file that cannot be read is taken in all the same, so that its held row says why; only its own bytes are
    kept. Its Keys are told apart from those of `others`, of whose files only samples may be alike. `given` are
    places chosen for names the file says, `paired` those of files whose clips go along. Where reading its copy would
    give the same, `read` is told what was read.
    """
    path, taken = Path(os.path.abspath(path)), None
    with ThreadPoolExecutor(1) as side:
        # The largest file is hashed while it is read: that takes as long as reading it.
        ahead = side.submit(content_digest, path) if path.is_file() else None
        try:
            taken = take(path, root, given=given, paired=paired, digest="", job=job)
        except CustomsError:
            if not path.is_file() and outer(path) is None:
                raise
    files = (path,) if taken is None else taken.files
    known = {path: ahead.result()} if ahead is not None and ahead.exception() is None else {}
    model, digest = _copied(store, files, known)
    rights = {} if taken is None else taken.scene.rights
    prefix = "" if taken is None else _prefix(taken.scene.digest, digest, others)
    asset = Asset(
        id=id_,
        name=title_of(path.stem),
        model=model.relative_to(store).as_posix(),
        source=str(path),
        digest=digest,
        files=tuple(str(f) for f in files),
        kind=UNREADABLE if taken is None else kind_of(taken.scene),
        origin=origin.id if origin else "",
        stops=fresh_route(origin).stops,
        absent=() if taken is None else taken.absent,
        author=rights.get("author", ""),
        licence=rights.get("licence", ""),
        prefix=prefix,
        given=dict(given or {}),
        stamps={} if taken is None else dict(taken.stamps),
        paired=tuple(paired),
        archives=archives_of(files),
    )
    # Pictures that lie in files of their own are read from the copies.
    inside = taken is not None and all(
        im.content is None or im.content.path is None for im in taken.scene.images
    )
    if taken is not None and inside and prefix == taken.scene.digest:
        read(replace(taken, digest=digest))
    return asset


def _copied(store: Path, files: Sequence[Path], known: Mapping[Path, bytes]) -> tuple[Path, str]:
    """(the model's copy in the store, the digest of all): hashed while they are copied, but for those `known`."""
    with ThreadPoolExecutor(1) as side:
        copies = side.submit(staged, store, files, files)
        try:
            digest = files_digest(tuple(files), known)
        except (OSError, CustomsError):
            shutil.rmtree(copies.result(), ignore_errors=True)
            raise
        return settled(store, copies.result(), files, digest), digest


def slipped(asset: Asset, slip: Slip) -> Asset:
    """The asset with what a text beside it says of its rights, where its own file says nothing."""
    return replace(
        asset,
        author=asset.author or slip.author,
        licence=asset.licence or slip.licence,
        use=asset.use or slip.use,
    )


def _prefix(sampled: str, digest: str, others: Sequence[Asset]) -> str:
    """What Keys begin with: the digest of samples of the file, or of all of it where another file has the
    same samples.
    """
    clash = any(a.prefix == sampled and a.digest != digest for a in others)
    return digest[: len(sampled)] if clash else sampled


def take_again(asset: Asset, store: Path) -> tuple[Asset, tuple[str, ...]]:
    """The asset as its files are now, and what a person is to know. Its elements keep their Keys, and so does
    what was decided about them. Raises CustomsError, with nothing changed.
    """
    path = Path(os.path.abspath(asset.source))
    given = dict(asset.given)
    brought = {*given.values(), *asset.paired}
    beside = [Path(os.path.abspath(f)) for f in asset.files if f not in brought]
    taken = take(path, *_where(path, beside), given, asset.paired)
    try:
        before = kept_copy(asset, store).run().scene
    except CustomsError:
        # What could not be read had no elements that anything was decided about.
        before = Scene("", asset.prefix or taken.scene.digest)
    again = matched(before, taken.scene, asset.numbering)
    model = keep(store, taken.files, taken.digest)
    now = replace(
        asset,
        model=model.relative_to(store).as_posix(),
        digest=taken.digest,
        files=tuple(str(f) for f in taken.files),
        absent=taken.absent,
        kind=kind_of(taken.scene),
        prefix=before.digest,
        numbering=again.numbering,
        stamps=taken.stamps,
        archives=archives_of(taken.files),
        author=asset.author or taken.scene.rights.get("author", ""),
        licence=asset.licence or taken.scene.rights.get("licence", ""),
    )
    return now, again.words() if before.meshes or before.nodes else ()


def _where(path: Path, files: Sequence[Path]) -> tuple[Path, tuple[Path, ...]]:
    """(the folder an asset's files lie in, further folders some were found in): what lies far off is no
    reason to look through all that is between.
    """
    root, further = path.parent, list[Path]()
    for file in files:
        both = Path(os.path.commonpath([root, file.parent]))
        if len(path.parent.relative_to(both).parts) <= UP:
            root = both
        elif file.parent not in further:
            further.append(file.parent)
    return root, tuple(further)


def search_for(asset: Asset, store: Path, folders: Sequence[Path]) -> Asset:
    """The asset with the textures that lie for it in further folders copied in. Raises CustomsError."""
    model = store / asset.model
    place = store / Path(asset.model).parts[0]
    kept = kept_copy(asset, store)
    taken = take(model, place, folders, kept.given, kept.paired)
    root = Path(os.path.commonpath([str(Path(f).parent) for f in asset.files]))
    originals = {(place / Path(f).relative_to(root)).resolve(): f for f in asset.files}
    files = tuple(originals.get(f.resolve(), str(f)) for f in taken.files)
    if set(files) == set(asset.files):
        return asset
    digest = files_digest(tuple(Path(f) for f in files))
    copy = keep(store, taken.files, digest, [Path(f) for f in files])
    lie_in = archives_of([Path(f) for f in files])
    return replace(
        asset, model=copy.relative_to(store).as_posix(), digest=digest, files=files, archives=lie_in
    )


def with_origin(asset: Asset, origin: Origin | None) -> Asset:
    """The asset coming from another origin: its first stop changes, the rest stays."""
    first = arrive_stop(origin)
    return replace(asset, origin=origin.id if origin else "", stops=(first, *asset.stops[1:]))
