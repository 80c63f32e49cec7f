"""The editable source, taken along with a package as it is."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from customs.dispatch.deliver import Deliverable, Tick
from customs.errors import WriteError
from customs.files import read_regular
from customs.formats.registry import Parts
from customs.intake.through import disk_file
from customs.sheet.model import Sheet
from customs.sheet.part import filled
from customs.tolerances import FILE_BYTES

SOURCE = "source"
"""Kind of a file that is the asset's own source: it goes into a package, never into a kit."""


def source_files(sheet: Sheet, asset: str, files: Sequence[Path]) -> tuple[Deliverable, ...]:
    """The source's own files below the folder the sheet names, by their places to one another; none where it leaves them out."""
    if not sheet.layout.source or not files:
        return ()
    folder = filled(sheet.layout.source, asset)
    root = os.path.commonpath([str(f.parent) for f in files])

    def made(file: Path) -> Deliverable:
        def make(tick: Tick) -> Parts:
            data = read_regular(disk_file(file), FILE_BYTES)
            if data is None:
                raise WriteError("larger than can be taken along", "a smaller source", "Leave it out.", file)
            return [data]

        return Deliverable(f"{folder}/{file.relative_to(root).as_posix()}", SOURCE, make, asset)

    return tuple(made(f) for f in files)
