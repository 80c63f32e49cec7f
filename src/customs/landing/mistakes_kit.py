"""Faults in the kit a package went into."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from customs.landing.planting import Copy, Mistake, last_bit
from customs.patterns import every
from customs.sheet.documents import IndexRules


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


def _spoilt(copy: Copy, change: Callable[[bytes], bytes | None]) -> bool:
    """A delivered file is what `change` makes of it; None takes it away."""
    place = _delivered(copy)
    if place is None:
        return False
    new = change(place.read_bytes())
    if new is None:
        place.unlink()
    else:
        place.write_bytes(new)
    return True


def _index(copy: Copy) -> tuple[Path, IndexRules] | None:
    """The kit, and the rules of its index."""
    sheet = copy.sheet
    rules = sheet.kit.index if sheet is not None else None
    return (copy.kit, rules) if copy.kit is not None and rules is not None else None


def _stale(copy: Copy) -> bool:
    """A file comes to the folder and the index is left as it is."""
    found = _index(copy)
    if found is None:
        return False
    kit, rules = found
    (kit / rules.folder / rules.files[0].replace("*", "a_newcomer")).write_bytes(b"new")
    return True


def _other_hash(copy: Copy) -> bool:
    found = _index(copy)
    if found is None:
        return False
    place = found[0] / found[1].path
    data = place.read_bytes()
    digest = re.search(rb"[0-9a-f]{64}", data)
    if digest is None:
        return False
    place.write_bytes(data.replace(digest[0], digest[0][::-1], 1))
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
    Mistake("kit-changed", "Change what was delivered", lambda c: _spoilt(c, last_bit)),
    Mistake("kit-cut", "Cut off what was delivered", lambda c: _spoilt(c, lambda data: data[:-20])),
    Mistake("kit-gone", "Take away what was delivered", lambda c: _spoilt(c, lambda data: None)),
    Mistake("index-stale", "Leave the index as it was", _stale),
    Mistake("index-hash", "Another hash in the index", _other_hash),
    Mistake("kit-version", "A kit of another version", _version),
    Mistake("number-twice", "A number that is taken twice", _number_twice),
)
