"""What is in files and folders, before anything is taken."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from customs.files import is_file, open_regular
from customs.formats.registry import endings, recognise
from customs.surface.files.base import texture_formats

PICTURES = {e for f in texture_formats().values() for e in f.endings}
MOST_ENTRIES = 20_000


@dataclass(frozen=True)
class Entry:
    """One file: what kind it is, its size in bytes, the folder it was found from."""

    path: Path
    root: Path
    kind: str
    size: int

    @property
    def takeable(self) -> bool:
        """True when it is a model."""
        return self.kind.startswith("model")

    @property
    def shown(self) -> str:
        """Path from the folder it was found from."""
        return (
            self.path.relative_to(self.root).as_posix() if self.root in self.path.parents else self.path.name
        )


def scan(paths: Iterable[Path]) -> list[Entry]:
    """Every file in `paths` (files and folders), models first, largest first. Hidden ones are passed over."""
    out = []
    for path in paths:
        root = path if path.is_dir() else path.parent
        for file in _files(path):
            try:
                out.append(Entry(file, root, kind_of(file), file.stat().st_size))
            except OSError:
                continue
            if len(out) >= MOST_ENTRIES:
                break
    return sorted(out, key=lambda e: (not e.takeable, -e.size, e.shown))


def _files(path: Path) -> Iterator[Path]:
    if is_file(path):
        yield path
        return
    for folder, names, files in os.walk(path):
        names[:] = sorted(n for n in names if not n.startswith("."))
        for name in sorted(files):
            if not name.startswith("."):
                yield Path(folder) / name


def kind_of(path: Path) -> str:
    """`model, GLB`, `texture`, `material library`, `buffer` or `other`; models by their first bytes too."""
    ending = path.suffix.lower()
    if ending in endings():
        with open_regular(path) as f:
            found = recognise(path, f.read(1024))
        return "model, " + found.title if found else "other"
    if ending in PICTURES:
        return "texture"
    return {".mtl": "material library", ".bin": "buffer"}.get(ending, "other")


def model_files(paths: Iterable[Path]) -> list[Entry]:
    """The models in `paths`. A file named outright counts whatever its ending."""
    out = []
    for path in paths:
        if is_file(path) or (os.path.exists(path) and not os.path.isdir(path)):
            out.append(Entry(path, path.parent, "model", path.stat().st_size if is_file(path) else 0))
        else:
            out += sorted((e for e in scan([path]) if e.takeable), key=lambda e: e.shown)
    return out
