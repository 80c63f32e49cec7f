"""Packages that lie in archives, unpacked for as long as the program runs."""

from __future__ import annotations

import tempfile
from pathlib import Path

from customs.errors import LimitError, ReadError
from customs.files import why_no_part
from customs.intake.archives.base import archive_at
from customs.intake.through import HeapTree, heap_of
from customs.job import Job
from customs.words import byte_text

MOST = 1 << 31
"""Bytes that are unpacked of one archive."""
MOST_FILES = 10_000
_kept: list[tempfile.TemporaryDirectory[str]] = []


def is_bundle(path: Path) -> bool:
    """True for an archive of the disk."""
    return path.is_file() and archive_at(path) is not None


def unpacked(archive: Path, job: Job | None = None) -> Path:
    """A folder called as the archive, with its files. Raises CustomsError where they cannot be had, or are too many, and Cancelled."""
    job, heap = job or Job(), heap_of(archive, job)
    tree = HeapTree(heap, archive)
    place = tempfile.TemporaryDirectory(prefix="customs-learn-")
    _kept.append(place)
    target, left, count, waiting = Path(place.name) / archive.name.partition(".")[0], MOST, 0, [archive]
    target.mkdir()
    while waiting:
        folder = waiting.pop()
        for inner in tree.listing(folder):
            job.check()
            if not tree.is_file(inner):
                waiting.append(inner)
                continue
            data = tree.read(inner, left)
            count += 1
            if data is None or count > MOST_FILES:
                raise LimitError(
                    f"more than {byte_text(MOST)} or {MOST_FILES:,} files unpacked",
                    "a smaller archive",
                    "Unpack it, and name a package in it.",
                    archive,
                )
            left -= len(data)
            parts = inner.relative_to(archive).parts
            if bad := next((p for p in parts if why_no_part(p)), ""):
                raise ReadError(
                    f"a file called {bad}", "names every system takes", "Unpack it by hand.", archive
                )
            out = target.joinpath(*parts)
            out.parent.mkdir(parents=True, exist_ok=True)
            out.write_bytes(data)
    return target
