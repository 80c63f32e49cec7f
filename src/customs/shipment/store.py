"""The shipment's own copies of sources."""

from __future__ import annotations

import fcntl
import os
import shutil
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from customs.errors import CustomsError, ShipmentError
from customs.files import open_regular
from customs.intake.spill import key_of
from customs.intake.take import files_digest
from customs.intake.through import disk_file, outer

FICLONE = 0x40049409
"""Linux ioctl that shares a file's blocks with another (copy on write)."""


def copy_file(source: Path, target: Path) -> None:
    """Copy, sharing blocks where the file system can."""
    with open_regular(source) as a, target.open("wb") as b:
        try:
            fcntl.ioctl(b.fileno(), FICLONE, a.fileno())
        except OSError:
            shutil.copyfileobj(a, b, 1024 * 1024)
        b.flush()
        os.fsync(b.fileno())


def keep(store: Path, files: Sequence[Path], digest: str, originals: Sequence[Path] = ()) -> Path:
    """Copy an asset's files (the model first) into `store`; returns the model's path there.

    They keep their places relative to one another; `originals` says where they lay first, when they are
    copies themselves. Copies already there are used. Raises ShipmentError.
    """
    lay = [Path(f) for f in originals or files]
    if (store / digest[:16]).is_dir():
        return store / digest[:16] / lay[0].relative_to(_root(lay))
    return settled(store, staged(store, files, lay), lay, digest)


def staged(store: Path, files: Sequence[Path], lay: Sequence[Path]) -> Path:
    """Copies of files in a folder of their own, laid out as `lay`, that is no asset's as yet. Raises ShipmentError."""
    root = _root(lay)
    try:
        store.mkdir(parents=True, exist_ok=True)
        staging = Path(tempfile.mkdtemp(prefix=".taking-", dir=store))
        for file, original in zip(files, lay):
            target = staging / original.relative_to(root)
            target.parent.mkdir(parents=True, exist_ok=True)
            copy_file(disk_file(file), target)
    except OSError as problem:
        raise _no_copy(problem, files[0]) from None
    return staging


def settled(store: Path, staging: Path, lay: Sequence[Path], digest: str) -> Path:
    """The staged copies as those of the asset of that digest; returns the model's path. Raises ShipmentError."""
    place = store / digest[:16]
    try:
        if place.is_dir():
            shutil.rmtree(staging)
        else:
            os.rename(staging, place)
    except OSError as problem:
        raise _no_copy(problem, lay[0]) from None
    return place / lay[0].relative_to(_root(lay))


def _root(lay: Sequence[Path]) -> Path:
    return Path(os.path.commonpath([str(f.parent) for f in lay]))


def _no_copy(problem: OSError, file: Path) -> ShipmentError:
    return ShipmentError(
        f"cannot be copied into the shipment ({problem.strerror})", "room and permission", file=file
    )


def changed_on_disk(files: Sequence[str], digest: str, archives: Mapping[str, str] | None = None) -> str:
    """Name of the first source that is gone or no longer what was taken in, or "". `archives` are those its files lie
    in with what they were known by: as long as they are, nothing in them is unpacked to be compared.
    """
    paths = tuple(Path(f) for f in files)
    if not paths:
        return ""
    held = [outer(p) if not p.is_file() else None for p in paths]
    for path, archive in zip(paths, held):
        if archive is None and not path.is_file():
            return path.name
    try:
        if all(a is not None and (archives or {}).get(str(a)) == key_of(a) for a in held):
            return ""
        return "" if files_digest(paths) == digest else paths[0].name
    except (OSError, CustomsError):
        return paths[0].name


def archives_of(files: Sequence[Path]) -> dict[str, str]:
    """The archives of the disk that files lie in, and what each is known by. Raises OSError."""
    found = {a for f in files if not f.is_file() and (a := outer(f)) is not None}
    return {str(a): key_of(a) for a in sorted(found)}
