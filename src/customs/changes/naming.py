"""Names: patterns, legality, uniqueness."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from customs.files import why_no_part
from customs.patterns import fits

Named = TypeVar("Named", bound=Any)


@dataclass(frozen=True)
class Naming:
    """What a name may look like; `files` are named by it, and a name is one part of a path then. `reserved` are small letters."""

    allowed: str = r".+"
    lower: bool = False
    max_length: int = 64
    unique: bool = True
    files: bool = False
    reserved: frozenset[str] = frozenset()

    def fits(self, name: str) -> bool:
        """True when `name` is legal as it is."""
        whole = len(name) <= self.max_length and name.strip() == name and name.lower() not in self.reserved
        return whole and fits(self.allowed, name) and not (self.files and why_no_part(name))

    def legal(self, name: str) -> str:
        """`name` made legal: accents off, foreign characters to `_`, a letter in front where one is asked
        for.
        """
        plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
        text = plain.lower() if self.lower else plain
        if not self.fits(text):
            text = re.sub(r"[^A-Za-z0-9_]+", "_", text).strip("_") or "unnamed"
        if not self.fits(text[: self.max_length]) and not fits(self.allowed, text[:1]):
            text = f"n_{text}"
        text = text[: self.max_length].rstrip("_. -") or "unnamed"
        if self.files and why_no_part(text):
            # "nul" with every ending is a device on some systems, whatever a sheet allows; accents taken off
            # may leave a slash.
            text = re.sub(r"[^A-Za-z0-9_]+", "_", text).strip("_") or "unnamed"
            text = f"{text[: self.max_length - 1]}_" if why_no_part(text) else text
        return self._spared(text)

    def _spared(self, text: str) -> str:
        """With a number behind it where the destination keeps the name for itself."""
        out, number = text, 1
        while out.lower() in self.reserved:
            number += 1
            out = f"{text[: self.max_length - len(str(number)) - 1]}_{number}"
        return out


@dataclass(frozen=True)
class Words:
    """What a name may be made of besides itself. A texture's: its material, role, what stands for the second material and later
    ones, the order number of its mesh. A material's: `later`. A node's: part, side, place among its like, order number.
    """

    material: str = ""
    role: str = ""
    later: str = ""
    part: str = ""
    side: str = ""
    place: str = ""
    order: str = ""


PLACED = ("part", "side", "place", "order")
GAPS = re.compile(r"[_.\- ]\{(part|side|place|order)\}(?=[_.\- ]|$)|\{(part|side|place|order)\}[_.\- ]?")
NO_WORDS: Mapping[int, Words] = {}


def fill(pattern: str, name: str, index: int, asset: str, words: Words = Words()) -> str:
    """A pattern with its tokens filled. A name that already starts as the pattern does is not given the start
    twice.
    """
    before, named, after = pattern.partition("{name}")
    head = before.replace("{asset}", asset)
    tail = after.replace("{asset}", asset)
    low = name.lower()
    if head and "{" not in head and low.startswith(head.lower()) and len(name) > len(head):
        name = name[len(head) :]
    elif named and head and head.rstrip("_").lower() == low:
        head = ""
    if tail and "{" not in tail and low.endswith(tail.lower()) and len(name) > len(tail):
        name = name[: -len(tail)]
    whole = f"{head}{name}{tail}" if named else head
    values = {"asset": asset, "index": str(index), "ending": "", **words.__dict__}
    if any(f"{{{t}}}" in whole and not values[t] for t in PLACED):
        # What a thing has not leaves no separator behind.
        whole = re.sub(GAPS, lambda m: "" if not values[m[1] or m[2]] else m[0], whole)
    return re.sub(r"\{(\w+)\}", lambda m: values.get(m[1], ""), whole)


def renamed_all(
    items: Sequence[Named],
    pattern: str,
    asset: str,
    rules: Naming,
    kept: Sequence[Named],
    words: Mapping[int, Words] = NO_WORDS,
    firm: Sequence[Named] = (),
) -> tuple[Named, ...]:
    """`items` (anything frozen with a `name`) with new names where they are among `kept`; the first of two
    alike keeps the plain one, and the index counts the kept ones from 1. Those among `firm` keep their names,
    and nothing else takes them.
    """
    taken = {item.name.lower() for item in firm}
    spared = {item.key for item in firm}
    used = {item.key for item in kept} - spared
    out, number = [], 0
    next_of: dict[str, int] = {}
    for i, item in enumerate(items):
        if item.key not in used:
            out.append(item)
            continue
        number += 1
        name = rules.legal(fill(pattern, item.name, number, asset, words.get(i, Words())))
        if rules.unique:
            name = _free(name, taken, rules, next_of)
            taken.add(name.lower())
        out.append(item if name == item.name else replace(item, name=name))
    return tuple(out)


def _free(name: str, taken: set[str], rules: Naming, next_of: dict[str, int]) -> str:
    """The name, or with the first number nobody has; `next_of` remembers where the search for a name
    ended.
    """
    low = name.lower()
    if low not in taken:
        return name
    number = next_of.get(low, 2)
    while True:
        tail = f"_{number}"
        candidate = name[: rules.max_length - len(tail)] + tail
        number += 1
        if candidate.lower() not in taken:
            next_of[low] = number
            return candidate


def free_name(name: str, taken: set[str]) -> str:
    """A name nothing has yet: with the next number behind it. It is taken from then on."""
    out, number = name, 1
    while out in taken:
        number += 1
        out = f"{name} {number}"
    taken.add(out)
    return out
