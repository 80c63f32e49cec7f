"""Asking a child for a file, read by the library."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from customs.aside.ask import Limits, ask_aside
from customs.aside.pack import Answer
from customs.errors import UnsupportedError
from customs.formats.interchange.library import find_library

WORK = "customs.formats.interchange.work"


def import_through(path: Path, properties: Mapping[str, int], limits: Limits | None = None) -> Answer:
    """The library's reading of `path`. Raises ReadError, LimitError, ToolError, UnsupportedError; the file is
    named in all.
    """
    if find_library() is None:
        raise UnsupportedError(
            "this kind of file is read with the library libassimp, which is not installed",
            "the Python package cmeel-assimp",
            "Install it: pip install cmeel-assimp",
            path,
        )
    return ask_aside(WORK, {"path": str(path.resolve()), "properties": dict(properties)}, path, limits)
