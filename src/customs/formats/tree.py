"""Where a source's files lie: a folder, or whatever else can be asked for files by their place. Readers open
nothing by themselves.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Protocol

from customs.files import is_file, read_regular
from customs.scene.content import Encoded


class Tree(Protocol):
    """Files at places below `root`. A place is a path that need not be one of the disk."""

    @property
    def root(self) -> Path:
        """Where its places begin."""

    def holds(self, place: Path) -> bool:
        """True when there can be a file of the tree at `place`: it lies below the root, and no link leads out
        of it.
        """

    def is_file(self, place: Path) -> bool:
        """True when there is a file."""

    def listing(self, folder: Path) -> list[Path]:
        """Places right in a folder, in order; none where there is no such folder."""

    def read(self, place: Path, most: int) -> bytes | None:
        """All bytes of a file, None when there are more than `most`. Raises OSError."""

    def encoded(self, place: Path, mime: str = "") -> Encoded:
        """A texture's bytes, read when they are needed."""

    def on_disk(self, place: Path) -> Path:
        """The file for programs that open files themselves. Raises OSError where there is none."""


class Folder:
    """A folder of the disk."""

    def __init__(self, root: Path) -> None:
        self.root = root.resolve()

    def holds(self, place: Path) -> bool:
        """True for what lies inside, links followed."""
        return _within(place, self.root) and (
            not os.path.exists(place) or _within(place.resolve(), self.root)
        )

    def is_file(self, place: Path) -> bool:
        """True for a regular file."""
        return is_file(place)

    def listing(self, folder: Path) -> list[Path]:
        """What lies right in a folder."""
        return sorted(folder.iterdir()) if os.path.isdir(folder) else []

    def read(self, place: Path, most: int) -> bytes | None:
        """Never mapped: a mapping of a person's file could be cut short."""
        return read_regular(place, most)

    def encoded(self, place: Path, mime: str = "") -> Encoded:
        """By its path."""
        return Encoded(place, mime)

    def on_disk(self, place: Path) -> Path:
        """It is there already."""
        return place


def _within(path: Path, root: Path) -> bool:
    # A path may come as a person wrote it, from another folder and with steps up in it.
    whole = Path(os.path.abspath(path))
    return path == root or root in path.parents or whole == root or root in whole.parents
