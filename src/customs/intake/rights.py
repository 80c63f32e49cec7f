"""What a heap says of rights: licence files and read-me texts beside a model, or above it in its tree."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from dataclasses import dataclass

from customs.errors import CustomsError
from customs.formats.source import decode_text
from customs.intake.heap import Entry, Heap

FILES = re.compile(r"(?:licen[cs]e|copying|rights|credits|read.?me)\b.*", re.I)
MOST = 1 << 16
SPDX = re.compile(r"SPDX-License-Identifier:\s*([\w.+-]+)")
LICENCES: tuple[tuple[str, str, str], ...] = (
    (r"\bCC0\b|public domain|Creative Commons Zero", "CC0-1.0", "deliver"),
    (r"\bCC[ -]BY[ -]NC[ -]ND\b|Attribution-NonCommercial-NoDerivatives", "CC-BY-NC-ND-4.0", "study"),
    (r"\bCC[ -]BY[ -]ND\b|Attribution-NoDerivatives", "CC-BY-ND-4.0", "private"),
    (r"\bCC[ -]BY[ -]NC[ -]SA\b|Attribution-NonCommercial-ShareAlike", "CC-BY-NC-SA-4.0", ""),
    (r"\bCC[ -]BY[ -]NC\b|Attribution-NonCommercial", "CC-BY-NC-4.0", ""),
    (r"\bCC[ -]BY[ -]SA\b|Attribution-ShareAlike", "CC-BY-SA-4.0", "deliver"),
    (r"\bCC[ -]BY\b|Creative Commons Attribution|Attribution 4\.0", "CC-BY-4.0", "deliver"),
    (r"\bMIT License\b|Permission is hereby granted, free of charge", "MIT", "deliver"),
    (r"Apache License", "Apache-2.0", "deliver"),
    (r"study only|for study|not to be (?:delivered|distributed|redistributed)", "study only", "study"),
    (r"all rights reserved", "all rights reserved", "private"),
)
"""Words of a text, the licence they are of (SPDX where it has one), and what it allows: common practice."""
AUTHOR = re.compile(
    r"^\s*(?:copyright\s*(?:\(c\)|©)?\s*(?:[0-9]{4}[-–, 0-9]*)?|©\s*(?:[0-9]{4}[-–, 0-9]*)?|author|made by|by)\s*[:,]?\s+([^\n]{2,80}?)\s*\.?\s*$",
    re.I | re.M,
)


@dataclass(frozen=True)
class Slip:
    """What a text says: author, licence, what is allowed ("" where it does not say), and the place it stands at."""

    author: str
    licence: str
    use: str
    place: str


def read_slip(text: str, place: str) -> Slip | None:
    """What a text says of rights; None where it says nothing of them."""
    author = found[1].strip() if (found := AUTHOR.search(text)) else ""
    if (named := SPDX.search(text)) is not None:
        known = {name: use for _, name, use in LICENCES}
        return Slip(author, named[1], known.get(named[1], ""), place)
    for pattern, licence, use in LICENCES:
        if re.search(pattern, text, re.I):
            return Slip(author, licence, use, place)
    return Slip(author, "", "", place) if author else None


def slip_of(heap: Heap, model: Entry) -> Slip | None:
    """The nearest text that says something of a model's rights: beside it, then further up in its tree."""
    for entry in _texts(heap, model):
        try:
            data = heap.read(entry.place, MOST)
        except (CustomsError, OSError):
            continue
        if data is not None and (slip := read_slip(decode_text(data), entry.place)) is not None:
            return slip
    return None


def _texts(heap: Heap, model: Entry) -> Iterator[Entry]:
    folder = os.path.dirname(model.place)
    while len(folder) >= len(model.root):
        for place in heap.listing(folder):
            entry = heap.entry(place)
            if entry is not None and not entry.problem and FILES.fullmatch(os.path.basename(place)):
                if entry.kind in ("text", "other"):
                    yield entry
        folder = os.path.dirname(folder)
