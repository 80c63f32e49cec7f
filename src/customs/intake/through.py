"""Files that lie in archives, for readers: the tree a heap is."""

from __future__ import annotations

import os
import threading
import weakref
from pathlib import Path

from customs.errors import ReadError
from customs.formats.tree import Folder
from customs.intake.archives.base import archive_at
from customs.intake.heap import Heap
from customs.intake.kinds import MODEL, WHOLE, ending_of
from customs.intake.spill import key_of
from customs.job import Job
from customs.scene.content import Encoded

MOST_KEPT = 2
"""Archives that stay open between one asset and the next."""
_lock = threading.Lock()
_heaps: dict[tuple[str, str], Heap] = {}
_shown: list[weakref.ref[Heap]] = []


def show(heap: Heap) -> None:
    """What a person has open serves all who ask for places in it, as long as it lives: it may know passwords."""
    with _lock:
        # The last one shown is asked first.
        _shown[:] = [weakref.ref(heap), *(r for r in _shown if r() is not None and r() is not heap)]


class HeapTree:
    """What is in a heap below `root`, as a `Tree`: archives are folders."""

    def __init__(self, heap: Heap, root: Path) -> None:
        self.heap, self.root = heap, root
        self._disk = Folder(root if root.is_dir() else root.parent)

    def holds(self, place: Path) -> bool:
        """True for what lies below the root."""
        if self.heap.entry(str(place)) is None and not _through(place):
            return self._disk.holds(place)
        return place == self.root or self.root in place.parents

    def is_file(self, place: Path) -> bool:
        """True for a file that can be had."""
        entry = self.heap.entry(str(place))
        return not entry.problem if entry is not None else self._disk.is_file(place)

    def listing(self, folder: Path) -> list[Path]:
        """What lies right in a folder or an archive."""
        return [Path(p) for p in self.heap.listing(str(folder))] or self._disk.listing(folder)

    def read(self, place: Path, most: int) -> bytes | None:
        """All bytes of a file."""
        return self.heap.read(str(place), most)

    def encoded(self, place: Path, mime: str = "") -> Encoded:
        """By its path, or that of its copy in the cache."""
        return Encoded(self.heap.on_disk(str(place)), mime)

    def on_disk(self, place: Path) -> Path:
        """Itself, or its copy in the cache."""
        return self.heap.on_disk(str(place))


def _through(place: Path) -> bool:
    return not os.path.exists(place) and outer(place) is not None


def outer(path: Path) -> Path | None:
    """The archive of the disk that `path` goes through or is; None where it goes through none."""
    path = Path(os.path.abspath(path))
    for at in (path, *path.parents):
        if os.path.isfile(at):
            return at if ending_of(at.name) not in WHOLE and archive_at(at) is not None else None
        if os.path.isdir(at):
            return None
    return None


def heap_of(archive: Path, job: Job | None = None) -> Heap:
    """An archive of the disk, listed; the last few stay open. Raises ReadError, Cancelled."""
    try:
        known = (str(archive), key_of(archive))
    except OSError as problem:
        raise ReadError(f"cannot be read ({problem.strerror})", "a readable file", file=archive) from None
    with _lock:
        if (
            open_ := next((h for r in _shown if (h := r()) and h.knows(archive, known[1])), None)
        ) is not None:
            return open_
        if (heap := _heaps.get(known)) is not None:
            return heap
    heap = Heap()
    heap.add(archive, job)
    with _lock:
        _heaps[known] = heap
        while len(_heaps) > MOST_KEPT:
            # Whoever still reads from it keeps it open.
            _heaps.pop(next(iter(_heaps)))
    return heap


def tree_of(path: Path, job: Job | None = None) -> HeapTree | None:
    """The tree of a place in an archive; None for one of the disk. Raises CustomsError where there is nothing at
    the place, or nothing that can be had.
    """
    path = Path(os.path.abspath(path))
    archive = None if os.path.exists(path) else outer(path)
    if archive is None:
        return None
    heap = heap_of(archive, job)
    entry = heap.entry(str(path))
    if entry is not None and entry.problem:
        raise ReadError(entry.problem, "an entry that can be unpacked", "", path)
    if entry is None:
        near = heap.listing(str(path.parent))
        raise (
            ReadError("not in the archive", _near(near), "", path)
            if near
            else ReadError(_why_not(heap, path), "a file of the archive", "", path)
        )
    return HeapTree(heap, archive)


def _near(places: list[str]) -> str:
    names = [os.path.basename(p) for p in places]
    return f"one of {', '.join(names[:6])}" + (" …" if len(names) > 6 else "")


def _why_not(heap: Heap, path: Path) -> str:
    """What stops a path on its way through archives."""
    for above in path.parents:
        if (entry := heap.entry(str(above))) is not None:
            return (
                f"{os.path.basename(entry.place)}: {entry.problem}" if entry.problem else "not in the archive"
            )
    return "not in the archive"


def models_in(path: Path, job: Job | None = None) -> list[tuple[Path, Path]]:
    """(place, archive) of the models at a place in an archive and below it, in order. Raises CustomsError."""
    archive = outer(path)
    assert archive is not None
    heap, begin = heap_of(archive, job), str(Path(os.path.abspath(path)))
    own = heap.entry(begin)
    if own is not None and own.takeable:
        return [(Path(begin), archive)]
    found = [e for e in heap.entries if e.place.startswith(f"{begin}/") and e.kind.startswith(MODEL)]
    if not found:
        refused = [e for e in heap.entries if e.place == begin or begin.startswith(f"{e.place}/")]
        problem = next((e.problem for e in refused if e.problem), "")
        raise ReadError(problem or "no model there", "a model, or a folder with some", "", path)
    return [(e.path, archive) for e in sorted(found, key=lambda e: e.shown)]


def disk_file(path: Path) -> Path:
    """The file of the disk with the bytes at a place. Raises CustomsError, OSError."""
    tree = tree_of(path)
    return path if tree is None else tree.on_disk(path)
