"""What kind of file something is: by its first bytes where they can be had, else by its ending."""

from __future__ import annotations

import functools
import os
from pathlib import Path

from customs.formats.registry import endings, formats, recognise
from customs.surface.files.base import texture_formats

MODEL = "model, "
"""How the kind of a model begins: the title of its format comes after it."""
GROUPS = ("model", "texture", "clips", "other")
"""What the bars of a heap tell apart."""
BY_ENDING = {
    ".mtl": "material library",
    ".bin": "buffer",
    **dict.fromkeys((".wav", ".ogg", ".mp3", ".flac", ".opus", ".aif", ".aiff", ".mid"), "sound"),
    **dict.fromkeys((".mp4", ".webm", ".mkv", ".avi", ".mov", ".ogv"), "film"),
    **dict.fromkeys((".ttf", ".otf", ".woff", ".woff2"), "font"),
    **dict.fromkeys(
        (".txt", ".md", ".json", ".xml", ".csv", ".ini", ".toml", ".yaml", ".yml", ".cfg", ".log", ".html"),
        "text",
    ),
    **dict.fromkeys((".py", ".lua", ".js", ".cs", ".c", ".h", ".dll", ".so", ".exe"), "program"),
}
ARCHIVES = frozenset(
    (
        ".zip",
        ".tar",
        ".gz",
        ".tgz",
        ".bz2",
        ".tbz2",
        ".xz",
        ".txz",
        ".zst",
        ".zstd",
        ".tzst",
        ".7z",
        ".pak",
        ".jar",
    )
)
"""Endings that are looked into; so is whatever has an ending nobody knows."""


WHOLE = frozenset((".zae",))
"""Endings of archives that are one model, and read as such."""


def ending_of(name: str) -> str:
    """The ending of a file name with its dot, small letters."""
    return os.path.splitext(name)[1].lower()


@functools.cache
def _pictures() -> frozenset[str]:
    return frozenset(e for f in texture_formats().values() for e in f.endings)


@functools.cache
def _models() -> dict[str, str]:
    return {e: f.title for f in formats().values() for e in f.endings}


def kind_by_ending(name: str) -> str:
    """`model, GLB`, `texture`, `material library`, `buffer`, `clips`, `sound`, `text` and so on; `archive` for what
    should be looked into; `other`.
    """
    return _kind(ending_of(name))


@functools.cache
def _kind(ending: str) -> str:
    if ending in endings():
        return MODEL + _models()[ending]
    if ending in _pictures():
        return "texture"
    if ending in BY_ENDING:
        return BY_ENDING[ending]
    return "archive" if ending in ARCHIVES else "other"


def kind_by_content(name: str, head: bytes) -> str:
    """The same, where the first bytes are there: what only calls itself a model is `other`."""
    kind = kind_by_ending(name)
    if not kind.startswith(MODEL) or ending_of(name) in WHOLE:
        return kind
    found = recognise(Path(name), head)
    return MODEL + found.title if found else "other"


@functools.cache
def _clip_titles() -> frozenset[str]:
    only = [f for f in formats().values() if f.carries <= {"hierarchy", "clips"} and f.carries]
    return frozenset(MODEL + f.title for f in only)


def group_of(kind: str) -> str:
    """Which of GROUPS a kind belongs to."""
    if kind in _clip_titles():
        return "clips"
    if kind.startswith(MODEL) or kind in ("material library", "buffer"):
        return "model"
    return kind if kind in GROUPS else "other"
