"""The models in what a person named: files, folders, archives and places in them."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from customs.files import is_file, open_regular
from customs.intake.archives.base import HEAD
from customs.intake.heap import files_below
from customs.intake.kinds import MODEL, kind_by_content, kind_by_ending
from customs.intake.through import models_in, outer
from customs.job import Job


class Model(NamedTuple):
    """A model to take in: its place, and the folder or archive it was found from."""

    path: Path
    root: Path

    @property
    def shown(self) -> str:
        """Path from where it was found."""
        return os.path.relpath(self.path, self.root)


def model_files(paths: Iterable[Path], job: Job | None = None) -> list[Model]:
    """The models in `paths`. A file named outright counts whatever its ending; an archive is looked into. Raises
    CustomsError for an archive without models, and one that cannot be opened.
    """
    out = []
    for path in paths:
        if outer(path) is not None:
            out += [Model(*found) for found in models_in(path, job)]
        elif is_file(path) or (os.path.exists(path) and not os.path.isdir(path)):
            out.append(Model(path, path.parent))
        else:
            found = [Model(Path(f), path) for f in files_below(path) if _is_model(f)]
            out += sorted(found, key=lambda m: m.shown)
    return out


def _is_model(file: str) -> bool:
    if not kind_by_ending(file).startswith(MODEL):
        return False
    try:
        with open_regular(Path(file)) as f:
            return kind_by_content(file, f.read(HEAD)).startswith(MODEL)
    except OSError:
        return False
