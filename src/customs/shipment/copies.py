"""A shipment with its sources, as a copy beside or elsewhere, and as one file to hand on.

One file is a ZIP archive: `shipment.customs`, the copies of the sources below `store/`, and sheets of a person's own below `sheets/`.
"""

from __future__ import annotations

import lzma
import os
import shutil
import sqlite3
import stat
import struct
import zipfile
import zlib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from customs.damage import BROKEN
from customs.errors import ShipmentError
from customs.files import open_regular, why_no_part
from customs.job import Job
from customs.parts import part_file, part_folder, put, put_new
from customs.shipment.file import Shipment
from customs.shipment.store import copy_file

FILE, STORE, SHEETS = "shipment.customs", "store", "sheets"
PACKED = ".customs.zip"
"""How the names of shipments in one file end."""
SPARE = 256 << 20
"""Bytes of the disk that are left free."""
MOST_FILES, MOST_SHEET = 1_000_000, 1 << 20
SQUEEZED = frozenset({".png", ".jpg", ".jpeg", ".webp", ".ktx2", ".dds", ".zip", ".7z", ".ogg", ".mp3"})
"""Kinds that get no smaller by deflate."""
CHUNK = 1 << 20


@dataclass(frozen=True)
class Unpacked:
    """What came out of one file: texts of sheets by id, and in words what could not be read of a damaged shipment."""

    sheets: dict[str, str]
    lost: str = ""


def save_copy(shipment: Shipment, target: Path, job: Job | None = None) -> None:
    """The shipment as it is now, with all its decisions and sources, under another name nobody has: whole or not at all.
    The open one stays open. Raises ShipmentError, Cancelled.
    """
    job = job or Job()
    store = target.with_suffix(".store")
    _free(target, store)
    try:
        with part_folder(target) as staging:
            _copy_file(shipment, staging / FILE)
            files = list(_files(shipment.store))
            for k, (path, name) in enumerate(files):
                job.progress(k / len(files), name.rsplit("/", 1)[-1])
                job.check()
                place = staging / STORE / name
                place.parent.mkdir(parents=True, exist_ok=True)
                copy_file(path, place)
            _put(staging, target, store)
    except (OSError, *BROKEN) as problem:
        raise _unwritten(target, problem) from None


def pack(shipment: Shipment, target: Path, sheets: Mapping[str, str], job: Job | None = None) -> int:
    """The shipment with its sources, and `sheets` (text by id), as one file, in the place of one that was there; its
    bytes. Raises ShipmentError, Cancelled.
    """
    job = job or Job()
    try:
        with part_folder(target) as kept, part_file(target) as part:
            _copy_file(shipment, kept / FILE)
            with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as out:
                out.write(kept / FILE, FILE)
                for id_, text in sheets.items():
                    out.writestr(f"{SHEETS}/{id_}.toml", text)
                files = list(_files(shipment.store))
                for k, (path, name) in enumerate(files):
                    job.progress(k / len(files), name.rsplit("/", 1)[-1])
                    _write(out, path, f"{STORE}/{name}", job)
            put(part, target)
        return target.stat().st_size
    except (OSError, ValueError, *BROKEN) as problem:
        raise _unwritten(target, problem) from None


def unpack(packed: Path, target: Path, job: Job | None = None) -> Unpacked:
    """A shipment in one file as a shipment under a name nobody has. Nothing is written outside its own two places. Raises ShipmentError, Cancelled."""
    job = job or Job()
    store = target.with_suffix(".store")
    _free(target, store)
    try:
        with _opened(packed) as archive:
            members = _checked(archive, packed, target)
            with part_folder(target) as staging:
                sheets = _laid_out(archive, members, staging, job)
                # What is no shipment, or one of a newer program, is said before anything has its name.
                opened = Shipment(staging / FILE)
                opened.close()
                _put(staging, target, store)
        return Unpacked(sheets, opened.lost)
    except (
        zipfile.BadZipFile,
        zlib.error,
        NotImplementedError,
        RuntimeError,
        EOFError,
        ValueError,
        lzma.LZMAError,
        struct.error,
    ) as problem:
        raise _no_pack(packed, str(problem)) from None
    except OSError as problem:
        raise _unwritten(target, problem) from None


@contextmanager
def _opened(packed: Path) -> Iterator[zipfile.ZipFile]:
    """The archive. Raises ShipmentError where it cannot be read itself; a place that cannot be written is another matter."""
    with ExitStack() as stack:
        try:
            archive = stack.enter_context(zipfile.ZipFile(stack.enter_context(open_regular(packed))))
        except OSError as problem:
            raise _no_pack(packed, problem.strerror or str(problem)) from None
        yield archive


def _laid_out(
    archive: zipfile.ZipFile, members: Sequence[zipfile.ZipInfo], folder: Path, job: Job
) -> dict[str, str]:
    """What was packed in a folder; texts of the sheets among it, by id."""
    sheets = dict[str, str]()
    for k, member in enumerate(members):
        job.progress(k / len(members), member.filename.rsplit("/", 1)[-1])
        if member.filename.startswith(f"{SHEETS}/"):
            sheets[Path(member.filename).stem] = archive.read(member).decode("utf-8")
            continue
        place = folder / member.filename
        place.parent.mkdir(parents=True, exist_ok=True)
        with archive.open(member) as inside, place.open("xb") as out:
            _poured(inside, out, member.file_size, job)
    (folder / STORE).mkdir(exist_ok=True)
    return sheets


def _checked(archive: zipfile.ZipFile, packed: Path, target: Path) -> list[zipfile.ZipInfo]:
    """The files of it, all of them where they may be. Raises ShipmentError."""
    members = [m for m in archive.infolist() if not m.filename.endswith("/")]
    names = [m.filename for m in members]
    if FILE not in names:
        raise _no_pack(packed, f"there is no {FILE} in it")
    if len(members) > MOST_FILES or len(set(names)) < len(names):
        raise _no_pack(packed, "it holds too many files, or one of them twice")
    for m in members:
        parts = m.filename.split("/")
        allowed = m.filename == FILE or (len(parts) > 1 and parts[0] == STORE) or _is_sheet(m, parts)
        link = stat.S_ISLNK(m.external_attr >> 16)
        if not allowed or link or any(_climbs(p) for p in parts):
            raise _no_pack(packed, f"{m.filename} has no place in a shipment")
    free = shutil.disk_usage(_there(target.parent)).free
    needed = sum(m.file_size for m in members)
    if needed + SPARE > free:
        raise ShipmentError(
            f"takes {needed >> 20} MiB, and {free >> 20} MiB are free", "room on this disk", file=packed
        )
    return members


def _is_sheet(member: zipfile.ZipInfo, parts: list[str]) -> bool:
    fits = len(parts) == 2 and parts[0] == SHEETS and parts[1].endswith(".toml")
    return fits and member.file_size <= MOST_SHEET and not why_no_part(parts[1])


def _climbs(part: str) -> bool:
    """Names of sources are what their files are called; only what is no single part of a path is refused."""
    return part in ("", ".", "..") or "\\" in part or "\0" in part


def _there(folder: Path) -> Path:
    while not folder.is_dir() and folder != folder.parent:
        folder = folder.parent
    return folder


def _poured(inside: IO[bytes], out: IO[bytes], size: int, job: Job) -> None:
    """What an archive says of a size is held to: what goes on beyond it is no file of ours."""
    left = size
    while chunk := inside.read(min(CHUNK, left + 1)):
        job.check()
        left -= len(chunk)
        if left < 0:
            raise zipfile.BadZipFile("a file is longer than the archive says")
        out.write(chunk)


def _write(out: zipfile.ZipFile, path: Path, name: str, job: Job) -> None:
    info = zipfile.ZipInfo.from_file(path, name, strict_timestamps=False)
    info.compress_type = zipfile.ZIP_STORED if path.suffix.lower() in SQUEEZED else zipfile.ZIP_DEFLATED
    with open_regular(path) as source, out.open(info, "w", force_zip64=True) as place:
        while chunk := source.read(CHUNK):
            job.check()
            place.write(chunk)


def _files(store: Path) -> Iterator[tuple[Path, str]]:
    """(file, its name from the store) of all that was taken in."""
    for folder, inner, names in os.walk(store):
        inner[:] = sorted(n for n in inner if not n.startswith(".taking-"))
        for name in sorted(names):
            path = Path(folder) / name
            if not path.is_symlink():
                yield path, path.relative_to(store).as_posix()


def _copy_file(shipment: Shipment, place: Path) -> None:
    """The decisions in a file of their own: all of one moment, whoever writes meanwhile. Raises sqlite3.Error."""
    with closing(sqlite3.connect(place)) as copy:
        shipment.backup(copy)


def _free(target: Path, store: Path) -> None:
    for place in (target, store):
        if os.path.lexists(place):
            raise ShipmentError("there is something of that name", "a free name", "Choose another.", place)


def _put(staging: Path, target: Path, store: Path) -> None:
    """The store first: a shipment that is there has its sources. Raises OSError."""
    if (staging / STORE).is_dir():
        os.rename(staging / STORE, store)
    try:
        put_new(staging / FILE, target)
    except OSError:
        if store.is_dir():
            os.rename(store, staging / STORE)
        raise


def _no_pack(packed: Path, why: str) -> ShipmentError:
    return ShipmentError(f"is no shipment in one file ({why})", f"a file that was packed, NAME{PACKED}", "Nothing was changed.", packed)  # fmt: skip


def _unwritten(target: Path, problem: Exception) -> ShipmentError:
    return ShipmentError(f"cannot be written ({problem})", "room and permission", "Nothing was changed.", target)  # fmt: skip
