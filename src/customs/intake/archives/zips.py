"""The zip family, whatever its ending.

Source: APPNOTE.TXT, ".ZIP File Format Specification", 6.3.10; read by Python's zipfile.
"""

from __future__ import annotations

import lzma
import stat
import struct
import zipfile
import zlib
from collections.abc import Sequence

import numpy as np

from customs.errors import ReadError
from customs.intake.archives.base import (
    HEAD,
    TYPE_IT,
    ArchiveKind,
    Asked,
    Into,
    Item,
    copied,
    named_items,
    refused,
    register,
)
from customs.intake.archives.limits import check_entries, check_total, overlapping
from customs.intake.archives.names import decoded
from customs.job import Job

METHODS = {
    1: "Shrink", 6: "Implode", 9: "Deflate64", 10: "TERSE", 18: "TERSE", 19: "LZ77", 93: "Zstandard", 94: "MP3",
    95: "XZ", 96: "JPEG", 97: "WavPack", 98: "PPMd", 99: "AES",
}  # fmt: skip
"""Ways of packing that are not read, by number (APPNOTE.TXT, 4.4.5)."""
READ = (0, 8, 12, 14)
UTF8, ENCRYPTED, UNICODE_PATH = 0x800, 0x1, 0x7075
LOCAL = 30
"""Bytes of a local header before its name (APPNOTE.TXT, 4.3.7)."""
DAMAGED = (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, OSError, ValueError, NotImplementedError)


class Zip:
    """An open zip; entries are read one by one."""

    solid = False

    def __init__(self, asked: Asked) -> None:
        self._asked = asked
        try:
            self._zip = zipfile.ZipFile(asked.file)
            self._infos = self._zip.infolist()
        except (*DAMAGED, struct.error, UnicodeError) as problem:
            raise ReadError(
                f"no sound archive ({problem})",
                "a zip with its list at the end",
                "Fetch it again.",
                asked.shown,
            ) from None
        check_entries(len(self._infos), asked.shown)
        check_total(sum(i.file_size for i in self._infos), asked.file.stat().st_size, asked.shown)
        shared = overlapping(
            np.array([i.header_offset for i in self._infos], np.int64),
            np.array([i.header_offset + LOCAL + i.compress_size for i in self._infos], np.int64),
        )
        found = [
            Item(
                _name(i),
                i.file_size,
                i.compress_size,
                k,
                _problem(i, bool(shared[k])),
                bool(i.flag_bits & ENCRYPTED),
            )
            for k, i in enumerate(self._infos)
            # Not is_dir, which asks for the last letter of a name that may have none.
            if not i.filename.endswith("/")
        ]
        self.items, said = named_items(found)
        self.remarks = tuple(said)

    def copy(self, wanted: Sequence[Item], into: Into, job: Job) -> None:
        """Each read by itself."""
        password = self._asked.password
        for k, item in enumerate(wanted):
            job.progress(k / len(wanted), item.name)
            shown = f"{self._asked.shown}/{item.name}"
            if item.problem:
                raise refused(item, shown)
            try:
                secret = password.encode() if password is not None and item.locked else None
                copied(self._zip.open(self._infos[item.number], pwd=secret), into, item, shown, job)
            except RuntimeError as problem:
                # zipfile has no class of its own for these two.
                said = "a password that does not fit" if "Bad password" in str(problem) else "encrypted"
                raise ReadError(said, "its password", TYPE_IT, shown) from None
            except DAMAGED as problem:
                raise ReadError(
                    f"damaged ({problem})", "a sound entry", "Fetch the archive again.", shown
                ) from None

    def head(self, item: Item) -> bytes:
        """The first bytes, unpacked."""
        try:
            with self._zip.open(self._infos[item.number]) as source:
                return source.read(HEAD)
        except (RuntimeError, *DAMAGED):
            return b""

    def close(self) -> None:
        """Let go of the file."""
        self._zip.close()


def _name(info: zipfile.ZipInfo) -> str:
    if info.flag_bits & UTF8 or (info.orig_filename.isascii() and b"up" not in info.extra):
        return info.orig_filename
    try:
        raw = info.orig_filename.encode("cp437")
    except UnicodeEncodeError:
        return info.orig_filename
    return _unicode_path(info.extra, raw) or decoded(raw)


def _unicode_path(extra: bytes, raw: bytes) -> str:
    """The name in UTF-8 that stands beside one in a code page, where it belongs to it (APPNOTE.TXT, 4.6.9)."""
    while len(extra) >= 4:
        kind, size = struct.unpack_from("<HH", extra)
        if kind == UNICODE_PATH and 5 <= size <= len(extra) - 4:
            version, check = struct.unpack_from("<BL", extra, 4)
            if version == 1 and check == zlib.crc32(raw):
                return extra[9 : 4 + size].decode("utf-8", "replace")
        extra = extra[4 + size :]
    return ""


def _problem(info: zipfile.ZipInfo, shared: bool) -> str:
    if shared:
        return "its bytes are also another's: the archive is damaged, or a trap"
    if info.compress_type not in READ:
        return (
            f"packed by {METHODS.get(info.compress_type, f'method {info.compress_type}')}, which is not read"
        )
    mode = info.external_attr >> 16
    if stat.S_ISLNK(mode):
        return "a link"
    return "a device" if stat.S_IFMT(mode) not in (0, stat.S_IFREG) else ""


register(
    ArchiveKind(
        "zip",
        "zip",
        lambda head: head[:4] in (b"PK\x03\x04", b"PK\x05\x06", b"PK\x07\x08"),
        lambda asked, job: Zip(asked),
    )
)
