"""Exact duplicates in a heap: the same bytes in several places."""

from __future__ import annotations

import contextlib
import hashlib
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO, cast

from customs.errors import CustomsError
from customs.files import open_regular
from customs.intake.archives.base import Item
from customs.intake.heap import Entry, Heap
from customs.job import Job


def duplicates(heap: Heap, job: Job | None = None) -> dict[str, str]:
    """Places whose bytes also lie at an earlier place of the heap, with that place. Only files of one size are
    read, each archive once, and nothing is unpacked to the disk. Raises Cancelled.
    """
    job = job or Job()
    sized: defaultdict[int, list[Entry]] = defaultdict(list)
    for entry in heap.entries:
        if entry.size and not entry.problem and entry.kind != "archive":
            sized[entry.size].append(entry)
    asked = [e for group in sized.values() if len(group) > 1 for e in group]
    digests = _digests(heap, asked, job)
    first: dict[str, str] = {}
    out: dict[str, str] = {}
    for entry in heap.entries:
        digest = digests.get(entry.place)
        if digest is not None and first.setdefault(digest, entry.place) != entry.place:
            out[entry.place] = first[digest]
    return out


def _digests(heap: Heap, entries: list[Entry], job: Job) -> dict[str, str]:
    """SHA-256 by place; what cannot be read has none."""
    out: dict[str, str] = {}
    held: defaultdict[str, list[Entry]] = defaultdict(list)
    for number, entry in enumerate(entries):
        if entry.item is not None:
            held[entry.archive].append(entry)
            continue
        job.check()
        job.progress(number / len(entries), entry.path.name)
        with contextlib.suppress(OSError), open_regular(Path(entry.place)) as f:
            out[entry.place] = hashlib.file_digest(f, "sha256").hexdigest()
    for archive, inside in held.items():
        found: dict[str, Any] = {}

        @contextlib.contextmanager
        def into(item: Item, found: dict[str, Any] = found) -> Iterator[BinaryIO]:
            state = hashlib.sha256()
            yield cast(BinaryIO, _Hashing(state))
            found[item.name] = state

        # One that is damaged ends the pass over its archive: what came before it is known.
        with contextlib.suppress(CustomsError):
            heap.copy(archive, [e.item for e in inside if e.item is not None], into, job)
        out |= {f"{archive}/{name}": state.hexdigest() for name, state in found.items()}
    return out


class _Hashing:
    """A file that is only hashed."""

    def __init__(self, state: Any) -> None:
        self._state = state

    def write(self, data: bytes) -> int:
        """Hash them."""
        self._state.update(data)
        return len(data)

    def flush(self) -> None:
        """There is nothing to flush."""
