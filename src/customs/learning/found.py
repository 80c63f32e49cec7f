"""What examples tell of one key of a sheet, and the detectors that find it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from customs.learning.examples import Example
from customs.registry import Registry

Sure = Literal["sure", "likely", "undecided"]
SHOWN = 3
"""Contradictions that are told by name."""


@dataclass(frozen=True)
class Found:
    """A key: its value (None where nothing is told), how many of how many things support it, what contradicts it by name, how sure
    it is, why.
    """

    key: str
    value: Any
    support: int
    of: int
    contradictions: tuple[str, ...] = ()
    sure: Sure = "likely"
    why: str = ""

    @property
    def evidence(self) -> str:
        """In words: "14 of 14", "11 of 14; 3 differ: a, b, c"."""
        count = f"{self.support} of {self.of}"
        if not self.contradictions:
            return count
        names = ", ".join(self.contradictions[:SHOWN])
        more = " …" if len(self.contradictions) > SHOWN else ""
        return f"{count}; {len(self.contradictions)} differ: {names}{more}"

    def never_required(self) -> Found:
        """A thing every example has may still be left out: allowed is all that is told."""
        return replace(self, value="allowed", sure="likely") if self.value == "required" else self

    def as_dict(self) -> dict[str, Any]:
        """For `--json`."""
        return {
            "key": self.key,
            "value": self.value,
            "support": self.support,
            "of": self.of,
            "contradictions": list(self.contradictions),
            "sure": self.sure,
            "why": self.why,
        }


@dataclass(frozen=True)
class Detector:
    """Finds what examples tell of one or several keys; `told` says from what, for the guide."""

    id: str
    keys: tuple[str, ...]
    told: str
    find: Callable[[Sequence[Example]], Iterable[Found]]


GROUPS = (
    "axes",
    "model",
    "mesh",
    "materials",
    "textures",
    "rig",
    "levels",
    "shapes",
    "posts",
    "pictures",
    "names",
    "layout",
)
DETECTORS = Registry[Detector](
    "the detectors",
    "customs.learning.detectors",
    lambda d: (GROUPS.index(d.keys[0].partition(".")[0]), d.id),
)
register = DETECTORS.add


def rule(key: str, having: Sequence[str], all_: Sequence[str]) -> Found:
    """required, allowed or nothing told: from the examples that have something."""
    n, of = len(having), len(all_)
    if not n:
        return Found(key, None, 0, of, sure="undecided", why="none has any: forbidden, or not needed so far")
    if n == of and of > 1:
        return Found(key, "required", n, of, why="every one has it")
    rest = tuple(x for x in all_ if x not in having)
    return Found(
        key,
        "allowed",
        n,
        of,
        sure="sure" if rest or of == 1 else "likely",
        why=f"{n} have it, {len(rest)} do not",
    )


def yes_or_no(key: str, things: Sequence[tuple[str, bool]], enough: int, why: str) -> Found:
    """True where all things are so; False, and sure of it, where any is not. Fewer than `enough` tell nothing."""
    bad = tuple(name for name, good in things if not good)
    if bad:
        return Found(key, False, len(bad), len(things), (), "sure", f"not so: {', '.join(bad[:SHOWN])}")
    if len(things) < enough:
        return Found(key, None, len(things), len(things), sure="undecided", why="too few to tell")
    return Found(key, True, len(things), len(things), why=why)


def loosened(key: str, value: Any, breaking: Sequence[str], of: int, why: str) -> Found:
    """A rule that sheets have by themselves, where examples break it: then it is not one there. Nothing is told where none does."""
    if not breaking:
        return Found(key, None, 0, of, sure="undecided", why="none breaks what sheets ask by themselves")
    return Found(
        key, value, len(breaking), of, (), "sure", f"{why}: {', '.join(dict.fromkeys(breaking))[:80]}"
    )


def seen(key: str, values: Sequence[tuple[str, float]], why: str) -> Found:
    """The greatest value seen: a limit is not told by what keeps it."""
    if not values:
        return Found(key, None, 0, 0, sure="undecided")
    name, most = max(values, key=lambda pair: pair[1])
    whole = int(most) if float(most).is_integer() else most
    return Found(
        key,
        whole,
        len(values),
        len(values),
        sure="undecided",
        why=f"{why}, in {name}: the limit itself is not told",
    )
