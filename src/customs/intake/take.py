"""Reading an asset with everything it leans on."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from customs.files import open_regular
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.intake.nearby import nearby, with_nearby
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

    def source(self) -> dict[str, object]:
        """For the docket."""
        return {"name": self.files[0].name, "sha256": self.digest, "files": [f.name for f in self.files]}


def files_digest(files: tuple[Path, ...]) -> str:
    """SHA-256 over names and contents."""
    state = hashlib.sha256()
    for path in files:
        state.update(os.fsencode(path.name))
        with open_regular(path) as f:
            state.update(hashlib.file_digest(f, "sha256").digest())
    return state.hexdigest()


def take(path: Path, root: Path | None = None, search: Sequence[Path] = ()) -> Taken:
    """Read `path`; companions must lie inside `root` (the file's own folder unless given). Raises
    CustomsError.

    Textures it may be meant to have are looked for in `root` and in the folders `search`.
    """
    source = Source(path, root)
    scene = read_scene(source)
    found = nearby(scene, path, (root or path.parent, *search)) if scene.materials else []
    scene = with_nearby(scene, path, found)
    files = tuple(dict.fromkeys([path, *source.touched, *found]))
    return Taken(scene, files, tuple(dict.fromkeys(source.absent)), files_digest(files))
