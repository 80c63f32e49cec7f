"""What the destination's own folder says that matters to one asset: numbers and names that are taken, its version."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class KitFacts:
    """`taken` are numbers by field of the form, without those this asset has there already; `names` what stands in the folder a
    package goes into, without what is this asset's; `version` what the kit says, "" for nothing; `problems` by field or "version",
    what could not be read.
    """

    folder: str
    taken: Mapping[str, frozenset[int]] = field(default_factory=dict)
    names: frozenset[str] = frozenset()
    version: str = ""
    problems: Mapping[str, str] = field(default_factory=dict)

    def as_list(self) -> list[Any]:
        """What a kept answer hangs on, as JSON gives it back."""
        taken = [[k, sorted(v)] for k, v in sorted(self.taken.items())]
        return [self.folder, taken, sorted(self.names), self.version, dict(self.problems)]


def next_free(taken: frozenset[int], least: float | None, most: float | None, digits: int) -> int | None:
    """The least number nobody has; None where all are taken."""
    number = int(least or 0)
    last = min(int(most) if most is not None else 10**15, 10**digits - 1 if digits else 10**15)
    while number in taken:
        number += 1
    return number if number <= last else None
