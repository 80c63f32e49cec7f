"""What is being made stands beside its place under a hidden name that says who makes it, and takes the place once it is whole.
What a killed process left is swept by the next that makes anything there.
"""

from __future__ import annotations

import errno
import functools
import hashlib
import os
import platform
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

NAME = re.compile(
    r"^\.(?P<target>.+)-(?P<machine>[0-9a-f]{6})\.(?P<process>\d+)-[a-z0-9_]{8}\.(?P<kind>part|old)$"
)
LONGEST = 200
"""Bytes of a target's name that are taken over: file systems take 255, and the rest of the name wants some."""


@contextmanager
def part_file(target: Path, sweeps: bool = True) -> Iterator[Path]:
    """An empty file beside `target`, for whoever puts it in its place; gone at the end. `sweeps` what others left, but for folders
    of thousands. Raises OSError.
    """
    prefix = _begun(target, sweeps)
    number, name = tempfile.mkstemp(prefix=prefix, suffix=".part", dir=target.parent)
    os.close(number)
    try:
        yield Path(name)
    finally:
        with suppress(OSError):
            os.unlink(name)


@contextmanager
def part_folder(target: Path) -> Iterator[Path]:
    """An empty folder beside `target`, for whoever puts it or what is in it in its place; gone at the end. Raises OSError."""
    folder = new_folder(target)
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def new_folder(target: Path) -> Path:
    """The same, of which the caller takes care. Raises OSError."""
    return Path(tempfile.mkdtemp(prefix=_begun(target, True), suffix=".part", dir=target.parent))


def write_whole(path: Path, data: bytes, sweeps: bool = True) -> None:
    """A file in the place of what was there, whole or not at all; its folder is made. Raises OSError."""
    with part_file(path, sweeps) as part:
        part.write_bytes(data)
        put(part, path)


def put(part: Path, path: Path) -> None:
    """A part that is whole in the place of what was there, to be read by whom other files are read. Raises OSError."""
    part.chmod(0o666 & ~_umask())
    part.replace(path)


def put_new(part: Path, path: Path) -> None:
    """A part that is whole under the name `path`, never over something: a link is made or it is not. Some file systems know
    no links. Raises OSError, FileExistsError among it.
    """
    part.chmod(0o666 & ~_umask())
    try:
        os.link(part, path)
    except FileExistsError:
        raise
    except OSError:
        if os.path.lexists(path):
            raise FileExistsError(errno.EEXIST, "there is something of that name", str(path)) from None
        os.rename(part, path)


def sweep(folder: Path) -> None:
    """Removes what processes of this machine that are no more left in `folder`; what was half replaced goes back to its place.
    Raises OSError.
    """
    with os.scandir(folder) as entries:
        found = [(Path(e.path), m) for e in entries if (m := NAME.match(e.name))]
    for path, said in found:
        # Of another machine's processes nothing is known here: its own next one sweeps.
        if said["machine"] != _machine() or _alive(int(said["process"])):
            continue
        place = folder / said["target"]
        with suppress(OSError):
            if said["kind"] == "old" and not os.path.lexists(place):
                os.rename(path, place)
            elif path.is_dir() and not path.is_symlink():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)


def _begun(target: Path, sweeps: bool) -> str:
    """How the name of a part of `target` begins; its folder is there, and swept."""
    target.parent.mkdir(parents=True, exist_ok=True)
    if sweeps:
        sweep(target.parent)
    return f".{os.fsdecode(os.fsencode(target.name)[:LONGEST])}-{_machine()}.{os.getpid()}-"


@functools.cache
def _machine() -> str:
    return hashlib.sha256(platform.node().encode()).hexdigest()[:6]


@functools.cache
def _umask() -> int:
    """Asking for it changes it: once, before there are threads that make files."""
    mask = os.umask(0o022)
    os.umask(mask)
    return mask


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True


_umask()
