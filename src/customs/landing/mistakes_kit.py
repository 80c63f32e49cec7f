"""Faults in the kit a package went into."""

from __future__ import annotations

import re
from pathlib import Path

from customs.landing.planting import Copy, Mistake
from customs.patterns import every


def _target(copy: Copy) -> Path | None:
    """What the package is in the kit: its bundle or its folder."""
    sheet = copy.sheet
    if copy.kit is None or sheet is None or not sheet.kit.place:
        return None
    return copy.kit / sheet.kit.target(str(copy.body["asset"]))


def _delivered(copy: Copy) -> Path | None:
    """A file of the package in the kit."""
    target = _target(copy)
    if target is None or not target.is_dir():
        return target
    return next((p for p in sorted(target.rglob("*")) if p.is_file()), None)


def _changed(copy: Copy) -> bool:
    place = _delivered(copy)
    if place is None:
        return False
    data = place.read_bytes()
    place.write_bytes(data[:-1] + bytes([data[-1] ^ 1]))
    return True


def _cut(copy: Copy) -> bool:
    place = _delivered(copy)
    if place is None:
        return False
    place.write_bytes(place.read_bytes()[:-20])
    return True


def _gone(copy: Copy) -> bool:
    place = _delivered(copy)
    if place is None:
        return False
    place.unlink()
    return True


def _stale(copy: Copy) -> bool:
    """A file comes to the folder and the index is left as it is."""
    sheet = copy.sheet
    rules = sheet.kit.index if sheet is not None else None
    if copy.kit is None or rules is None:
        return False
    (copy.kit / rules.folder / rules.files[0].replace("*", "a_newcomer")).write_bytes(b"new")
    return True


def _other_hash(copy: Copy) -> bool:
    sheet = copy.sheet
    rules = sheet.kit.index if sheet is not None else None
    if copy.kit is None or rules is None:
        return False
    place = copy.kit / rules.path
    found = re.search(rb"[0-9a-f]{64}", place.read_bytes())
    if found is None:
        return False
    place.write_bytes(place.read_bytes().replace(found[0], found[0][::-1], 1))
    return True


def _version(copy: Copy) -> bool:
    sheet = copy.sheet
    rules = sheet.kit.version if sheet is not None else None
    if copy.kit is None or rules is None:
        return False
    place = copy.kit / rules.file
    text = place.read_bytes().decode(rules.codec or "utf-8-sig")
    said = next(iter(every(rules.pattern, text)), "")
    if not said:
        return False
    place.write_text(text.replace(said, f"{said}9"), "utf-8")
    return True


def _number_twice(copy: Copy) -> bool:
    """A second folder by the asset's number."""
    sheet = copy.sheet
    number = str(copy.body.get("known", {}).get("number", ""))
    if copy.kit is None or sheet is None or not number:
        return False
    for rules in (r for f in sheet.form for r in f.taken if r.look == "folders"):
        (copy.kit / rules.path / f"{number}_another").mkdir()
        return True
    return False


MISTAKES = (
    Mistake("kit-changed", "Change what was delivered", _changed),
    Mistake("kit-cut", "Cut off what was delivered", _cut),
    Mistake("kit-gone", "Take away what was delivered", _gone),
    Mistake("index-stale", "Leave the index as it was", _stale),
    Mistake("index-hash", "Another hash in the index", _other_hash),
    Mistake("kit-version", "A kit of another version", _version),
    Mistake("number-twice", "A number that is taken twice", _number_twice),
)
