"""The cache for what is unpacked on the way: within a limit, the longest unused given up first. Nothing is ever
written beside a source.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import shutil
import tempfile
import time
import weakref
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, BinaryIO

import platformdirs

from customs.errors import LimitError, WriteError
from customs.files import open_regular

SPARE = 1 << 30
"""Bytes of the disk that are left free."""
SAMPLE = 1 << 16
MARK = ".used"
AGE = 20.0
"""Seconds for which what was counted of the cache holds, with what was written since, while half of it is free."""
_counted: dict[Path, tuple[int, float]] = {}


def spill_folder() -> Path:
    """Where archives are unpacked to; `CUSTOMS_CACHE` moves it."""
    cache = os.environ.get("CUSTOMS_CACHE")
    return (Path(cache) if cache else Path(platformdirs.user_cache_dir("customs"))) / "unpacked"


class RoomError(LimitError):
    """The cache has no room for so much."""


class Spill:
    """One archive's own folder of the cache, held while this lives: nobody gives it up meanwhile."""

    def __init__(self, key: str, limit: int, base: Path | None = None) -> None:
        self.base, self.limit, self.key = base or spill_folder(), limit, key
        self.folder = self.base / key
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            mark = os.open(self.folder / MARK, os.O_CREAT | os.O_RDWR | os.O_CLOEXEC)
            # Held as long as this lives, whoever forgets to close it.
            self._let_go = weakref.finalize(self, os.close, mark)
            fcntl.flock(mark, fcntl.LOCK_SH)
            os.utime(self.folder / MARK)
        except OSError as problem:
            raise _no_cache(self.base, problem) from None

    def inner(self, name: str) -> Spill:
        """The folder of an archive inside this one."""
        return Spill(
            hashlib.sha256(f"{self.key}/{name}".encode("utf-8", "surrogateescape")).hexdigest()[:32],
            self.limit,
            self.base,
        )

    def made(self, name: str, fill: Callable[[BinaryIO], None], size: int = 0) -> Path:
        """The file `name` of this folder, filled where it is not there yet: whole or not at all. Raises
        LimitError where `size` bytes, or those that come, are more than the limit; WriteError.
        """
        target = self.folder / name
        if target.is_file():
            return target
        with self.writing(name, size) as out:
            fill(out)
        return target

    @contextlib.contextmanager
    def writing(self, name: str, size: int = 0) -> Iterator[BinaryIO]:
        """A new file `name` of this folder, there once it is whole."""
        target, room = self.folder / name, self._room(size)
        with self._said():
            target.parent.mkdir(parents=True, exist_ok=True)
            number, partial = tempfile.mkstemp(prefix=".part", dir=self.folder)
        try:
            with os.fdopen(number, "wb") as out:
                # What goes wrong where the bytes come from is not this cache's fault, and not said to be.
                yield _Within(out, room, self)  # type: ignore[misc]
            with self._said():
                os.replace(partial, target)
                known, counted = _counted.get(self.base, (0, -AGE))
                _counted[self.base] = (known + target.stat().st_size, counted)
        finally:
            with contextlib.suppress(OSError):
                os.unlink(partial)

    @contextlib.contextmanager
    def _said(self) -> Iterator[None]:
        try:
            yield
        except OSError as problem:
            raise _no_cache(self.base, problem) from None

    def _room(self, wanted: int) -> int:
        """Bytes that may be written; others' folders are given up where `wanted` bytes have no room."""
        known, counted = _counted.get(self.base, (0, -AGE))
        if time.monotonic() - counted < AGE and known + wanted < self.limit // 2 and self._free() >= wanted:
            return min(self.limit - known, self._free())
        others = sorted(_folders(self.base), key=lambda f: f[0])
        left = sum(size for _, size, _ in others)
        for _, size, folder in others:
            if left + wanted <= self.limit and self._free() >= wanted:
                break
            if folder != self.folder and _given_up(folder):
                left -= size
        _counted[self.base] = (left, time.monotonic())
        room = min(self.limit - left, self._free())
        if wanted > room:
            raise self.too_large(wanted)
        return room

    def _free(self) -> int:
        return max(shutil.disk_usage(self.base).free - SPARE, 0)

    def too_large(self, size: int) -> RoomError:
        """That so many bytes have no room."""
        return RoomError(
            f"{size:,} bytes to unpack",
            f"at most {self.limit:,} in the cache, with {SPARE:,} of the disk left free",
            "Raise the limit in Preferences, or unpack the archive yourself.",
            self.base,
        )

    def close(self, forget: bool = False) -> None:
        """Let others give it up; where it was unpacked with a password, nothing is left."""
        self._let_go()
        if forget:
            _given_up(self.folder)


class _Within:
    """A file that takes so many bytes."""

    def __init__(self, out: IO[bytes], room: int, spill: Spill) -> None:
        self._out, self._room, self._spill, self._done = out, room, spill, 0

    def write(self, data: bytes) -> int:
        """Write, or raise LimitError, WriteError."""
        self._done += len(data)
        if self._done > self._room:
            raise self._spill.too_large(self._done)
        try:
            return self._out.write(data)
        except OSError as problem:
            raise _no_cache(self._spill.base, problem) from None

    def flush(self) -> None:
        """For libraries that ask for it; the file is flushed when it is closed."""


def key_of(file: Path) -> str:
    """What an archive of the disk is known by: its size, when it was written, and samples of it. Raises
    OSError.
    """
    with open_regular(file) as f:
        stat = os.fstat(f.fileno())
        state = hashlib.sha256(f"{stat.st_size} {stat.st_mtime_ns}".encode())
        state.update(f.read(SAMPLE))
        f.seek(max(stat.st_size - SAMPLE, 0))
        state.update(f.read(SAMPLE))
    return state.hexdigest()[:32]


def used(base: Path) -> int:
    """Bytes of everything that is unpacked."""
    return sum(size for _, size, _ in _folders(base))


def forget_unheld(base: Path) -> None:
    """Give up everything nobody holds."""
    for _, _, folder in list(_folders(base)):
        _given_up(folder)


def _folders(base: Path) -> Iterator[tuple[float, int, Path]]:
    """(when it was last used, bytes, folder) of all there are."""
    for folder in base.iterdir() if base.is_dir() else ():
        with contextlib.suppress(OSError):
            size = sum(
                os.lstat(os.path.join(place, name)).st_size
                for place, _, names in os.walk(folder)
                for name in names
            )
            yield os.stat(folder / MARK).st_mtime, size, folder


def _given_up(folder: Path) -> bool:
    """True when nobody held it, and it is gone."""
    try:
        with open(folder / MARK, "ab") as mark:
            fcntl.flock(mark, fcntl.LOCK_EX | fcntl.LOCK_NB)
            shutil.rmtree(folder)
    except OSError:
        return False
    return True


def _no_cache(base: Path, problem: OSError) -> WriteError:
    return WriteError(
        f"cannot be written ({problem.strerror})",
        "a folder to unpack to",
        "Make room, or set CUSTOMS_CACHE to another folder.",
        base,
    )
