"""Compressed streams: a tar inside, or one file. Unpacked once, into the cache."""

from __future__ import annotations

import bz2
import gzip
import lzma
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import BinaryIO

from customs.errors import ReadError
from customs.files import open_regular
from customs.intake.archives.base import HEAD, Archive, ArchiveKind, Asked, Into, Item, named_items, register
from customs.intake.archives.limits import NO_BOMB, RATIO, TOTAL, check_total, chunks, poured
from customs.intake.archives.tars import Tar, is_tar
from customs.job import Job

Unpack = Callable[[BinaryIO], Iterable[bytes]]
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
            with open_regular(self._file) as source, into(item) as out:
                poured(chunks(source), out, item.size, self._asked.shown, job)

    def head(self, item: Item) -> bytes:
        """The first bytes."""
        with open_regular(self._file) as source:
            return source.read(HEAD)

    def close(self) -> None:
        """Nothing is open."""


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

    unpacked = asked.spill.made("unpacked", fill)
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
    return (EOFError, OSError, ValueError, lzma.LZMAError, zlib.error, zstandard.ZstdError)


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
