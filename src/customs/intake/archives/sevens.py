"""7z: a list at the end, bytes in solid blocks; read by py7zr."""

from __future__ import annotations

import contextlib
from collections import Counter
from collections.abc import Sequence
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING, Any, BinaryIO

from customs.errors import Cancelled, CustomsError, ReadError, UnsupportedError
from customs.intake.archives.base import (
    TYPE_IT,
    ArchiveKind,
    Asked,
    Into,
    Item,
    LockedError,
    named_items,
    refused,
    register,
)
from customs.intake.archives.limits import check_entries, check_total
from customs.job import Job
from customs.later import later

if TYPE_CHECKING:
    import py7zr
    from py7zr import exceptions
    from py7zr import io as py7zr_io
else:
    py7zr, py7zr_io, exceptions = later("py7zr"), later("py7zr.io"), later("py7zr.exceptions")


class SevenZip:
    """An open 7z; entries of one block are unpacked in one go."""

    solid = True

    def __init__(self, asked: Asked) -> None:
        self._asked = asked
        with self._opened() as file:
            entries = file.list()
            check_entries(len(entries), asked.shown)
            check_total(sum(e.uncompressed for e in entries), asked.file.stat().st_size, asked.shown)
            self._names = [e.filename for e in entries]
            locked, met = file.needs_password(), Counter(self._names)
            found = [
                Item(e.filename, e.uncompressed, e.compressed or 0, k, _problem(e, met), locked)
                for k, e in enumerate(entries)
                if not e.is_directory
            ]
        self.items, said = named_items(found)
        self.remarks = tuple(said)

    def _opened(self) -> py7zr.SevenZipFile:
        shown = self._asked.shown
        try:
            return py7zr.SevenZipFile(self._asked.file, password=self._asked.password)
        except exceptions.PasswordRequired:
            raise LockedError("encrypted", "its password", TYPE_IT, shown) from None
        except exceptions.UnsupportedCompressionMethodError as problem:
            raise UnsupportedError(f"packed in a way that is not read ({problem})", "", "", shown) from None
        except Exception as problem:  # noqa: BLE001 (py7zr raises what its parser meets)
            if self._asked.password is not None:
                raise LockedError("a password that does not fit", "its password", "", shown) from None
            raise ReadError(f"no sound archive ({problem})", "a 7z", "Fetch it again.", shown) from None

    def copy(self, wanted: Sequence[Item], into: Into, job: Job) -> None:
        """All of them in one pass over their blocks."""
        for item in wanted:
            if item.problem:
                raise refused(item, f"{self._asked.shown}/{item.name}")
            if item.locked and self._asked.password is None:
                raise ReadError("encrypted", "its password", TYPE_IT, self._asked.shown)
        takers = _Takers({self._names[i.number]: i for i in wanted}, into, self._asked.shown, job)
        try:
            with self._opened() as file:
                file.extract(targets=list(takers.items), factory=takers)
        except (CustomsError, Cancelled) as problem:
            takers.abandon(problem)
            raise
        except Exception as problem:  # noqa: BLE001 (each of its decoders has errors of its own)
            takers.abandon(problem)
            said = "a password that does not fit, or damaged" if any(i.locked for i in wanted) else "damaged"
            raise ReadError(
                f"{said} ({problem})", "a sound archive", "Fetch it again.", self._asked.shown
            ) from None
        for item in wanted:
            if takers.done.get(item.name, 0) != item.size:
                raise ReadError(
                    f"{takers.done.get(item.name, 0):,} bytes", f"{item.size:,}", "The archive is damaged.",
                    f"{self._asked.shown}/{item.name}",
                )  # fmt: skip

    def head(self, item: Item) -> bytes:
        """Nothing: a block would have to be unpacked."""
        return b""

    def close(self) -> None:
        """Nothing stays open."""


def _problem(entry: Any, met: Counter[str]) -> str:
    if entry.is_symlink:
        return "a link"
    # py7zr asks for a name, and which of them it means is not to be known.
    return "" if met[entry.filename] == 1 else "a name that stands there more than once"


class _Takers:
    """What py7zr asks for places to write to."""

    def __init__(self, items: dict[str, Item], into: Into, shown: str, job: Job) -> None:
        self.items, self._into, self.shown, self.job = items, into, shown, job
        self.done: dict[str, int] = {}
        self._open: dict[str, AbstractContextManager[BinaryIO]] = {}

    def create(self, filename: str) -> Any:
        """A writer for one of the wanted."""
        item = self.items[filename]
        self.job.progress(len(self.done) / len(self.items), item.name)
        self._open[item.name] = place = self._into(item)
        return _taker()(self, item, place.__enter__())

    def whole(self, item: Item) -> None:
        """All of an item has come."""
        if (place := self._open.pop(item.name, None)) is not None:
            place.__exit__(None, None, None)

    def abandon(self, problem: BaseException) -> None:
        """What has not come whole is not there."""
        for place in self._open.values():
            with contextlib.suppress(type(problem)):
                place.__exit__(type(problem), problem, problem.__traceback__)
        self._open.clear()


def _taker() -> type[Any]:
    class Taker(py7zr_io.Py7zIO):
        def __init__(self, takers: _Takers, item: Item, out: BinaryIO) -> None:
            self._takers, self._item, self._out, self._size = takers, item, out, 0

        def write(self, s: bytes | bytearray) -> int:
            self._takers.job.check()
            self._size += len(s)
            if self._size > self._item.size:
                raise ReadError(
                    "more bytes than the archive says", f"{self._item.size:,}", "", self._takers.shown
                )
            self._takers.done[self._item.name] = self._size
            return self._out.write(s)

        def read(self, size: int | None = None) -> bytes:
            return b""

        def seek(self, offset: int, whence: int = 0) -> int:
            return 0

        def flush(self) -> None:
            self._out.flush()

        def size(self) -> int:
            return self._size

        def close(self) -> None:
            self._takers.whole(self._item)

    return Taker


register(
    ArchiveKind(
        "7z", "7z", lambda head: head.startswith(b"7z\xbc\xaf\x27\x1c"), lambda asked, job: SevenZip(asked)
    )
)
