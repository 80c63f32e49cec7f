"""What is to change in a kit folder, as it is written down before anything does."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from customs.errors import WriteError
from customs.files import open_regular, why_no_part

OURS = ".customs"
"""The one folder of ours in a kit: journals, with originals."""


@dataclass(frozen=True)
class Wanted:
    """A file of the kit as it is to be: `data` None takes it away."""

    path: str
    data: bytes | None


@dataclass(frozen=True)
class Change:
    """A file of the kit: sha256 of what is there before and after, None for nothing."""

    path: str
    before: str | None
    after: str | None

    def as_dict(self) -> dict[str, Any]:
        """As it stands in a journal."""
        return asdict(self)


def digest_at(path: Path) -> str | None:
    """sha256 of a file, None where there is none. Raises OSError for what is no regular file."""
    try:
        with open_regular(path) as f:
            return hashlib.file_digest(f, "sha256").hexdigest()
    except FileNotFoundError:
        return None


def check_places(kit: Path, wanted: Sequence[Wanted], may: Collection[str]) -> list[Change]:
    """The changes that come of it; what changes nothing is left out. `may` are the paths of files that may be replaced or taken
    away; nothing else that is there is touched.

    Raises WriteError for a path that leaves the kit or is no name, a file in the way, a name that differs from one that is there
    by its case alone.
    """
    out, seen, names = list[Change](), set[str](), _Names(kit)
    for w in wanted:
        _inside(kit, w.path)
        if w.path.casefold() in seen:
            raise WriteError(f"{w.path} twice", "each file once", "Mend the sheet's paths.", kit)
        seen.add(w.path.casefold())
        place = kit / w.path
        try:
            before = digest_at(place)
        except OSError as problem:
            raise WriteError(
                f"{w.path} is no file ({problem.strerror})", "a file, or nothing", "Move it away.", kit
            ) from None
        after = None if w.data is None else hashlib.sha256(w.data).hexdigest()
        if before == after:
            continue
        if before is None:
            names.add(w.path)
        elif w.path not in may:
            raise WriteError(
                f"{w.path} is there already",
                "a free name, or leave to replace it",
                "Say that it may be replaced.",
                kit,
            )
        out.append(Change(w.path, before, after))
    return out


def _inside(kit: Path, path: str) -> None:
    parts = path.split("/")
    for part in parts:
        if why := why_no_part(part):
            raise WriteError(
                f"“{part}” in the path {path} {why}", "a path inside the kit", "Mend the sheet's paths.", kit
            )
    if parts[0] == OURS:
        raise WriteError(f"the path {path}", "a path of the kit's own", "Mend the sheet's paths.", kit)
    place, root = kit / path, kit.resolve()
    if root not in place.parent.resolve().parents and place.parent.resolve() != root:
        raise WriteError(
            f"the path {path} leads out of the kit",
            "a path inside it",
            "A link may lead away: look there.",
            kit,
        )
    if place.is_symlink():
        raise WriteError(f"{path} is a link", "a file", "Name the file it leads to.", kit)


class _Names:
    """Names that are there and names that come, so that no two differ by their case alone: some systems hold them for one."""

    def __init__(self, kit: Path) -> None:
        self.kit = kit
        self._there: dict[Path, dict[str, str]] = {}
        self._coming: dict[str, str] = {}

    def add(self, path: str) -> None:
        """A path that is new. Raises WriteError where it, or a folder above it, differs from another by its case alone."""
        parts = path.split("/")
        for k in range(len(parts)):
            mine, folder = "/".join(parts[: k + 1]), self.kit.joinpath(*parts[:k])
            others = (
                self._coming.setdefault(mine.casefold(), mine),
                self._listed(folder).get(parts[k].casefold(), parts[k]),
            )
            for other in (others[0].rpartition("/")[2], others[1]):
                if other != parts[k] and not (folder / parts[k]).exists():
                    raise WriteError(
                        f"{mine} differs from {other} by its case alone", "one name for one thing", "Use the name that is there.", self.kit
                    )  # fmt: skip

    def _listed(self, folder: Path) -> dict[str, str]:
        if folder not in self._there:
            self._there[folder] = {n.casefold(): n for n in os.listdir(folder)} if folder.is_dir() else {}
        return self._there[folder]
