"""Texts beside a model that say what it was made for: manifests, version files, logs."""

from __future__ import annotations

import fnmatch
from pathlib import Path

from customs.errors import CustomsError
from customs.formats.source import decode_text
from customs.formats.tree import Tree

NAMES = ("version*", "manifest*", "*.log", "changelog*")
MOST_TEXTS, MOST_BYTES, MOST_KEPT = 4, 1 << 20, 4000
"""Texts that are kept of an asset, bytes of one that is read, characters of its beginning that are kept."""


def stamps_of(tree: Tree, model: Path) -> dict[str, str]:
    """Texts by name, the nearest first: beside the model, then above it in its tree."""
    out: dict[str, str] = {}
    folder = model.parent
    while tree.holds(folder) and len(out) < MOST_TEXTS:
        for place in tree.listing(folder):
            name = place.name
            if (
                name not in out
                and any(fnmatch.fnmatch(name.lower(), n) for n in NAMES)
                and tree.is_file(place)
            ):
                text = _text(tree, place)
                if text and len(out) < MOST_TEXTS:
                    out[name] = text[:MOST_KEPT]
        if folder == tree.root or folder == folder.parent:
            break
        folder = folder.parent
    return out


def _text(tree: Tree, place: Path) -> str:
    try:
        data = tree.read(place, MOST_BYTES)
    except (OSError, CustomsError):
        return ""
    if data is None or b"\0" in data[:1024]:
        return ""
    return decode_text(data)
