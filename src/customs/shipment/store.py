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
    root = Path(os.path.commonpath([str(f.parent) for f in lay]))
    place = store / digest[:16]
    if not place.is_dir():
        try:
            store.mkdir(parents=True, exist_ok=True)
            staging = Path(tempfile.mkdtemp(prefix=".taking-", dir=store))
            for file, original in zip(files, lay):
                target = staging / original.relative_to(root)
                target.parent.mkdir(parents=True, exist_ok=True)
                copy_file(disk_file(file), target)
            os.rename(staging, place)
        except OSError as problem:
            raise ShipmentError(
                f"cannot be copied into the shipment ({problem.strerror})",
                "room and permission",
                file=files[0],
            ) from None
    return place / lay[0].relative_to(root)


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
