"""Reading a file with the library: done in a child."""

from __future__ import annotations

from customs.aside.pack import Json, Packer
from customs.formats.interchange.library import find_library, import_file, load_library
from customs.formats.interchange.pack import pack_scene

_path = find_library()
_library = load_library(_path) if _path is not None else None
"""Loaded once, by the keeper; its children have it."""


def run(asked: Json) -> tuple[Json, Packer]:
    """(header, arrays) of the file `path`. Raises ValueError with the library's own words."""
    return pack_scene(import_file(_library, asked["path"], asked["properties"]))
