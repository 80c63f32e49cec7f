"""The tar family: entries one after another.

Source: POSIX.1-2001 (ustar, pax) and GNU tar; read by Python's tarfile.
"""

from __future__ import annotations

import tarfile
import weakref
from collections.abc import Sequence

from customs.errors import ReadError
from customs.intake.archives.base import (
    HEAD,
    ArchiveKind,
    Asked,
    Into,
    Item,
    copied,
    named_items,
    refused,
    register,
)
from customs.intake.archives.limits import check_entries
from customs.intake.archives.names import decoded
from customs.job import Job

BLOCK = 512
EVERY = 2_000
"""Entries between two looks at whether the person wants to stop."""


def is_tar(head: bytes) -> bool:
    """True for a block whose checksum fits: the magic word is missing in old ones."""
    if len(head) < BLOCK or not head[:1].strip(b"\0"):
        return False
    try:
        said = int(head[148:156].strip(b" \0") or b"x", 8)
    except ValueError:
        return False
    return said == sum(head[:148]) + 8 * 32 + sum(head[156:BLOCK])


class Tar:
    """An open tar; entries are read one by one from where they lie."""

    solid = False

    def __init__(self, asked: Asked, job: Job) -> None:
        self._asked, self._members = asked, list[tarfile.TarInfo]()
        size, said = asked.file.stat().st_size, list[str]()
        try:
            self._tar = tarfile.open(asked.file, "r:", errors="surrogateescape")  # noqa: SIM115 (closed below)
            self._let_go = weakref.finalize(self, self._tar.close)
            while (member := self._tar.next()) is not None:
                self._members.append(member)
                # tarfile remembers every one a second time.
                check_entries(len(self._members), asked.shown)
                if len(self._members) % EVERY == 0:
                    job.check()
                    job.progress(member.offset / max(size, 1), asked.shown)
        except (tarfile.TarError, OSError, ValueError, EOFError) as problem:
            if not self._members:
                raise ReadError(
                    f"no sound archive ({problem})", "a tar", "Fetch it again.", asked.shown
                ) from None
            said.append(f"it ends early, after {self._members[-1].name}: what may follow is lost")
        found = [
            Item(_name(m.name), m.size, m.size, k, _problem(m, size))
            for k, m in enumerate(self._members)
            if not m.isdir()
        ]
        self.items, more = named_items(found)
        self.remarks = (*said, *more)

    def copy(self, wanted: Sequence[Item], into: Into, job: Job) -> None:
        """In the order they lie in."""
        for k, item in enumerate(sorted(wanted, key=lambda i: i.number)):
            job.progress(k / len(wanted), item.name)
            shown = f"{self._asked.shown}/{item.name}"
            if item.problem:
                raise refused(item, shown)
            try:
                source = self._tar.extractfile(self._members[item.number])
                assert source is not None
                copied(source, into, item, shown, job)
            except (tarfile.TarError, OSError, EOFError) as problem:
                raise ReadError(
                    f"damaged ({problem})", "a sound entry", "Fetch the archive again.", shown
                ) from None

    def head(self, item: Item) -> bytes:
        """The first bytes."""
        try:
            source = self._tar.extractfile(self._members[item.number])
            return source.read(HEAD) if source is not None else b""
        except (tarfile.TarError, OSError, EOFError):
            return b""

    def close(self) -> None:
        """Let go of the file."""
        self._let_go()


def _name(name: str) -> str:
    raw = name.encode("utf-8", "surrogateescape")
    return name if max(name, default="") < "\udc80" else decoded(raw)


def _problem(member: tarfile.TarInfo, size: int) -> str:
    if member.issym() or member.islnk():
        return f"a link to {member.linkname}"
    if not member.isreg():
        return "a device"
    if not member.issparse() and member.offset_data + member.size > size:
        return "cut off: the archive ends before it does"
    return ""


register(ArchiveKind("tar", "tar", is_tar, Tar))
