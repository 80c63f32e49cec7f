"""SHA-256 of the files of a folder in a kit: what has not changed since is not read again."""

from __future__ import annotations

import fnmatch
import hashlib
import json
import os
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from customs.files import open_regular
from customs.kit.changes import OURS
from customs.parts import write_whole

KEPT = "hashes.json"
SETTLED = 2_000_000_000
"""Nanoseconds a file has to have lain still for its hash to be kept: times of files are no finer than the ticks of a clock, and a
change within one tick could not be told.
"""


@dataclass(frozen=True)
class Listed:
    """A file: its path from the folder, bytes, sha256."""

    path: str
    size: int
    sha256: str


Known = dict[str, list[object]]


def listed_files(kit: Path, folder: str, names: Sequence[str]) -> list[Listed]:
    """The files in a folder of a kit, and in those below it, whose names are like one of `names`, by their paths. What was found is
    kept beside the journals, where there are any. Raises OSError.
    """
    known, new = _known(kit), Known()
    wanted = list[tuple[str, str, list[object]]]()
    for path, stat in _walked(kit / folder, names):
        inside = f"{folder}/{path}" if folder else path
        wanted.append((path, inside, [stat.st_size, stat.st_mtime_ns, stat.st_ctime_ns, stat.st_ino]))

    def found(row: tuple[str, str, list[object]]) -> Listed:
        path, inside, stamp = row
        had = known.get(inside)
        if had is not None and had[:4] == stamp:
            new[inside] = had
            return Listed(path, int(str(stamp[0])), str(had[4]))
        with open_regular(kit / inside) as f:
            digest = hashlib.file_digest(f, "sha256").hexdigest()
        new[inside] = [*stamp, digest]
        return Listed(path, int(str(stamp[0])), digest)

    # Reading and hashing let go of the interpreter.
    with ThreadPoolExecutor(os.cpu_count() or 1) as crew:
        out = list(crew.map(found, wanted, chunksize=64))
    _keep(kit, known, new)
    return out


def _walked(root: Path, names: Sequence[str], above: str = "") -> Iterator[tuple[str, os.stat_result]]:
    with os.scandir(root) as entries:
        for e in sorted(entries, key=lambda e: e.name):
            if e.name.startswith(OURS) or e.is_symlink():
                continue
            if e.is_dir():
                yield from _walked(Path(e.path), names, f"{above}{e.name}/")
            elif any(fnmatch.fnmatchcase(e.name, n) for n in names):
                yield above + e.name, e.stat()


def _known(kit: Path) -> Known:
    try:
        body = json.loads((kit / OURS / KEPT).read_text("utf-8"))
        return {k: v for k, v in body.items() if isinstance(v, list) and len(v) == 5}
    except (OSError, ValueError, AttributeError):
        return {}


def _keep(kit: Path, known: Known, new: Known) -> None:
    """What lay still long enough; nothing is lost where it cannot be kept."""
    until = time.time_ns() - SETTLED
    still = {k: v for k, v in new.items() if int(str(v[2])) < until}
    if still == known or not (kit / OURS).is_dir():
        return
    with suppress(OSError):
        write_whole(kit / OURS / KEPT, json.dumps(still, separators=(",", ":")).encode())
