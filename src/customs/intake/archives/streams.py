"""Compressed streams: a tar inside, or one file. Unpacked once, into the cache."""

from __future__ import annotations

import bz2
import gzip
import json
import lzma
import tarfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import BinaryIO

from customs.errors import ReadError
from customs.files import open_regular
from customs.intake.archives.base import (
    HEAD,
    Archive,
    ArchiveKind,
    Asked,
    Into,
    Item,
    copied,
    named_items,
    refused,
    register,
)
from customs.intake.archives.limits import NO_BOMB, RATIO, TOTAL, check_entries, check_total, chunks
from customs.intake.archives.tars import Tar, is_tar
from customs.intake.spill import RoomError
from customs.job import Job

Unpack = Callable[[BinaryIO], Iterable[bytes]]
LIST = "list"
"""The file of the cache that keeps what a tar larger than it holds."""
PIECE = 2048
"""Bytes of a Zstandard stream taken at a time: its blocks of 4 bytes may hold 128 kB each (RFC 8878, 3.1.1.2)."""


class Single:
    """One file that was compressed by itself."""

    solid = False

    def __init__(self, asked: Asked, unpacked: Path, name: str) -> None:
        self._asked, self._file = asked, unpacked
        self.items, said = named_items([Item(name, unpacked.stat().st_size, asked.file.stat().st_size, 0)])
        self.remarks = tuple(said)

    def copy(self, wanted: Sequence[Item], into: Into, job: Job) -> None:
        """It is unpacked already."""
        for item in wanted:
            copied(open_regular(self._file), into, item, self._asked.shown, job)

    def head(self, item: Item) -> bytes:
        """The first bytes."""
        with open_regular(self._file) as source:
            return source.read(HEAD)

    def close(self) -> None:
        """Nothing is open."""


class Streamed:
    """A compressed tar that is larger than the cache: gone through once for its list, and once more for what is wanted."""

    solid = True

    def __init__(self, asked: Asked, unpack: Unpack, job: Job) -> None:
        self._asked, self._unpack = asked, unpack
        found = _listed(asked)
        if found is None:
            found = self._list(job)
            with asked.spill.writing(LIST) as out:
                out.write(json.dumps(found).encode())
        self.items, said = named_items(found)
        self.remarks = (*said, "larger than the cache: what is wanted of it is unpacked each time")

    def _list(self, job: Job) -> list[Item]:
        asked, found, total = self._asked, list[Item](), 0
        size = max(asked.file.stat().st_size, 1)
        for number, (member, _) in enumerate(self._members()):
            if number % 500 == 0:
                job.check()
                job.progress(0.5, f"Listing {asked.shown} · {number:,}")
            total += member.size
            check_entries(number, asked.shown)
            check_total(total, size, asked.shown)
            if not member.isdir():
                found.append(
                    Item(member.name, member.size, 0, number, "" if member.isreg() else "a link or a device")
                )
        return found

    def _members(self) -> Iterator[tuple[tarfile.TarInfo, tarfile.TarFile]]:
        with open_regular(self._asked.file) as raw:
            reader = _Reader(self._unpack(raw))
            try:
                with tarfile.open(fileobj=reader, mode="r|", errors="surrogateescape") as tar:  # type: ignore[call-overload]
                    for member in tar:
                        yield member, tar
                        # tarfile keeps every one it has passed.
                        tar.members = []
            except _damage() as problem:
                raise ReadError(
                    f"damaged ({problem})", "a sound archive", "Fetch it again.", self._asked.shown
                ) from None

    def copy(self, wanted: Sequence[Item], into: Into, job: Job) -> None:
        """In the order they come, until all are there."""
        left = {i.number: i for i in wanted}
        members = self._members()
        for number, (member, tar) in enumerate(members):
            job.check()
            item = left.pop(number, None)
            if item is None:
                continue
            shown = f"{self._asked.shown}/{item.name}"
            job.progress(1 - len(left) / len(wanted), item.name)
            source = tar.extractfile(member)
            if item.problem or source is None:
                raise refused(item, shown)
            try:
                copied(source, into, item, shown, job)
            except _damage() as problem:
                raise ReadError(f"damaged ({problem})", "a sound entry", "Fetch it again.", shown) from None
            if not left:
                members.close()  # type: ignore[attr-defined]
                return

    def head(self, item: Item) -> bytes:
        """Nothing: all before it would have to be gone through."""
        return b""

    def close(self) -> None:
        """Nothing stays open."""


class _Reader:
    """Parts as a file that is read from its beginning on."""

    def __init__(self, parts: Iterable[bytes]) -> None:
        self._parts, self._held = iter(parts), b""

    def read(self, size: int) -> bytes:
        """At most so many bytes."""
        while len(self._held) < size and (part := next(self._parts, None)) is not None:
            self._held += part
        out, self._held = self._held[:size], self._held[size:]
        return out


def _listed(asked: Asked) -> list[Item] | None:
    """The list that was made of an archive before, None where there is none that can be read."""
    try:
        with open_regular(asked.spill.folder / LIST) as f:
            return [Item(*row) for row in json.loads(f.read())]
    except (OSError, ValueError, TypeError):
        return None


def _is_tar_inside(asked: Asked, unpack: Unpack) -> bool:
    with open_regular(asked.file) as raw:
        return is_tar(_Reader(unpack(raw)).read(HEAD))


def _open(asked: Asked, job: Job, unpack: Unpack, endings: tuple[str, ...]) -> Archive:
    packed = asked.file.stat().st_size

    def fill(out: BinaryIO) -> None:
        with open_regular(asked.file) as raw:
            most = max(NO_BOMB, min(RATIO * packed, TOTAL))
            done = 0
            try:
                for part in unpack(raw):
                    job.check()
                    job.progress(raw.tell() / max(packed, 1), f"Unpacking {asked.shown}")
                    done += len(part)
                    if done > most:
                        check_total(done, packed, asked.shown)
                    out.write(part)
            except _damage() as problem:
                raise ReadError(
                    f"damaged ({problem})", "a sound archive", "Fetch it again.", asked.shown
                ) from None

    known = _listed(asked)
    if known is not None and sum(i.size for i in known) > asked.spill.limit:
        # It was found too large before: that is not tried again.
        return Streamed(asked, unpack, job)
    try:
        unpacked = asked.spill.made("unpacked", fill)
    except RoomError:
        # One file that is too large is too large; of many only some may be wanted.
        if not _is_tar_inside(asked, unpack):
            raise
        return Streamed(asked, unpack, job)
    with open_regular(unpacked) as f:
        inside = is_tar(f.read(HEAD))
    if inside:
        return Tar(Asked(unpacked, asked.shown, asked.spill), job)
    name = Path(asked.shown).name
    ending = next((e for e in endings if name.lower().endswith(e)), "")
    return Single(asked, unpacked, name[: len(name) - len(ending)] or name)


def _damage() -> tuple[type[Exception], ...]:
    import zstandard

    # gzip's own is an OSError, and so is a disk that cannot be read.
    return (EOFError, OSError, ValueError, lzma.LZMAError, zlib.error, tarfile.TarError, zstandard.ZstdError)


def _zstd(raw: BinaryIO) -> Iterator[bytes]:
    """Frame after frame; the library's own reader takes one that is cut off for a whole one."""
    import zstandard

    maker = zstandard.ZstdDecompressor()
    frame, begun = maker.decompressobj(), False
    while data := raw.read(PIECE):
        while data:
            begun = True
            yield frame.decompress(data)
            data = frame.unused_data if frame.eof else b""
            if frame.eof:
                frame, begun = maker.decompressobj(), False
    if begun:
        raise EOFError("it ends before its end is marked")


def _kind(id_: str, magic: bytes, unpack: Unpack, *endings: str) -> None:
    register(
        ArchiveKind(
            id_,
            id_,
            lambda head: head.startswith(magic),
            lambda asked, job: _open(asked, job, unpack, endings),
        )
    )


_kind("gzip", b"\x1f\x8b\x08", lambda raw: chunks(gzip.GzipFile(fileobj=raw)), ".gz")
_kind("bzip2", b"BZh", lambda raw: chunks(bz2.BZ2File(raw)), ".bz2")
_kind("xz", b"\xfd7zXZ\x00", lambda raw: chunks(lzma.LZMAFile(raw)), ".xz")  # noqa: SIM115
_kind("zstd", b"\x28\xb5\x2f\xfd", _zstd, ".zst", ".zstd")
