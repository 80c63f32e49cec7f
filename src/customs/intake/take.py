"""Reading an asset with everything it leans on."""

from __future__ import annotations

import functools
import hashlib
import os
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from customs.files import open_regular
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.intake.nearby import nearby, with_nearby
from customs.intake.pairs import with_pair
from customs.intake.stamps import stamps_of
from customs.intake.through import disk_file, tree_of
from customs.job import Job
from customs.scene.model import Scene


@dataclass(frozen=True, eq=False)
class Taken:
    """An asset as received: its scene, the files it is made of (the model first), what is absent, the digest
    of all.
    """

    scene: Scene
    files: tuple[Path, ...]
    absent: tuple[str, ...]
    digest: str
    stamps: Mapping[str, str] = field(default_factory=dict)
    """Texts beside it that say what it was made for, by name."""

    def source(self) -> dict[str, object]:
        """For the docket."""
        return {"name": self.files[0].name, "sha256": self.digest, "files": [f.name for f in self.files]}


TICK = 2.0
"""Seconds for which two writings of a file may bear one time: the coarsest clock of a common file system (FAT)."""
REMEMBERED = 4096
"""Files whose digests are remembered."""


def files_digest(files: tuple[Path, ...], known: Mapping[Path, bytes] | None = None) -> str:
    """SHA-256 over names and contents, of the disk or in archives; `known` are digests of contents. Raises OSError,
    CustomsError.
    """
    state, known = hashlib.sha256(), known or {}
    for path in files:
        state.update(os.fsencode(path.name))
        state.update(known.get(path) or content_digest(disk_file(path)))
    return state.hexdigest()


def content_digest(file: Path) -> bytes:
    """SHA-256 of a file's bytes, remembered while nothing has touched it: a source is asked for at every look."""
    with open_regular(file) as f:
        known = os.fstat(f.fileno())
        if time.time() - max(known.st_mtime, known.st_ctime) < TICK:
            # It may change once more without a later time to tell it by.
            return hashlib.file_digest(f, "sha256").digest()
    stamp = (known.st_dev, known.st_ino, known.st_size, known.st_mtime_ns, known.st_ctime_ns)
    return _remembered_digest(str(file), stamp)


@functools.lru_cache(REMEMBERED)
def _remembered_digest(file: str, stamp: tuple[int, ...]) -> bytes:
    with open_regular(Path(file)) as f:
        return hashlib.file_digest(f, "sha256").digest()


def take(
    path: Path,
    root: Path | None = None,
    search: Sequence[Path] = (),
    given: Mapping[str, str] | None = None,
    paired: Sequence[str] = (),
    digest: str | None = None,
    job: Job | None = None,
) -> Taken:
    """Read `path`, on the disk or in an archive; companions must lie inside `root` (the file's own folder unless
    given, and the whole archive for what lies in one). Raises CustomsError.

    Textures it may be meant to have are looked for in `root` and in the folders `search`; `given` are places a
    person chose for names the file says, `paired` files whose clips go along, or that are other skins of it. With a
    `digest` nothing is hashed: one known from before, or "" where it is found out otherwise.
    """
    path = Path(os.path.abspath(path))
    tree = tree_of(path, job)
    chosen = {name: Path(place) for name, place in (given or {}).items()}
    source = Source(path, root, tree, {name: disk_file(place) for name, place in chosen.items()})
    source.job = job or source.job
    scene = read_scene(source)
    for number, place in enumerate(paired):
        source_of = Source(Path(place), tree=tree_of(Path(place), job))
        other = read_scene(source_of)
        # What a paired file leans on goes along as what the model leans on does.
        source.touched += source_of.touched
        source.absent += source_of.absent
        scene = with_pair(scene, other, Path(place).name, number)
    where = root or path.parent if tree is None else tree.root
    found = nearby(scene, path, (where, *search), source.touched) if scene.materials else []
    if tree is not None:
        tree.heap.unpack([str(f) for f in found], job)
    scene = with_nearby(scene, path, found)
    # A chosen file is known by where it came from, not by its copy in the cache.
    back = {source.given[name]: place for name, place in chosen.items()}
    touched = [back.get(f, f) for f in source.touched]
    files = tuple(dict.fromkeys([path, *touched, *found, *map(Path, paired)]))
    absent, stamps = tuple(dict.fromkeys(source.absent)), stamps_of(source.tree, path)
    return Taken(scene, files, absent, files_digest(files) if digest is None else digest, stamps)
