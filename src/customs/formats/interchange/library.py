"""Loading libassimp and calling its importer with properties."""

from __future__ import annotations

import ctypes as c
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from customs.formats.interchange import structs

NAME = "cmeel.prefix/lib/libassimp.so"


def find_library() -> Path | None:
    """The shared library of the package cmeel-assimp, or None where it is not installed."""
    for folder in sys.path:
        path = Path(folder or ".") / NAME
        if path.is_file():
            return path
    return None


def load_library(path: Path) -> Any:
    """The library with the functions that are called declared. Raises OSError."""
    lib = c.CDLL(str(path))
    lib.aiCreatePropertyStore.restype = c.c_void_p
    lib.aiSetImportPropertyInteger.argtypes = [c.c_void_p, c.c_char_p, c.c_int]
    lib.aiSetImportPropertyInteger.restype = None
    lib.aiReleasePropertyStore.argtypes = [c.c_void_p]
    lib.aiImportFileExWithProperties.argtypes = [c.c_char_p, c.c_uint, c.c_void_p, c.c_void_p]
    lib.aiImportFileExWithProperties.restype = c.POINTER(structs.Scene)
    lib.aiGetErrorString.restype = c.c_char_p
    lib.aiReleaseImport.argtypes = [c.POINTER(structs.Scene)]
    lib.aiReleaseImport.restype = None
    return lib


def import_file(lib: Any, path: str, properties: Mapping[str, int]) -> structs.Scene:
    """The scene in a file, nothing post-processed. Raises ValueError with the library's own words."""
    store = lib.aiCreatePropertyStore()
    for name, value in properties.items():
        lib.aiSetImportPropertyInteger(store, name.encode(), value)
    found = lib.aiImportFileExWithProperties(path.encode(), 0, None, store)
    lib.aiReleasePropertyStore(store)
    if not found:
        raise ValueError((lib.aiGetErrorString() or b"").decode("utf-8", "replace") or "cannot be read")
    scene: structs.Scene = found.contents
    return scene
