"""What the destination's own folder says that matters to one asset: numbers and names that are taken, its version."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

from customs.sheet.form import LARGEST_ID, FieldRules
from customs.sheet.known import written_number
from customs.sheet.model import Sheet


@dataclass(frozen=True)
class KitFacts:
    """`taken` are whole numbers by field of the form, without those this asset has there already; `existing` what may be chosen, by
    field; `names` what stands in the folder a
    package goes into, without what is this asset's; `version` what the kit says, "" for nothing; `problems` by field or "version",
    what could not be read.
    """

    folder: str
    taken: Mapping[str, frozenset[int]] = field(default_factory=dict)
    existing: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    names: frozenset[str] = frozenset()
    version: str = ""
    problems: Mapping[str, str] = field(default_factory=dict)

    def as_list(self) -> list[Any]:
        """What a kept answer hangs on, as JSON gives it back."""
        taken = [[k, sorted(v)] for k, v in sorted(self.taken.items())]
        there = [[k, list(v)] for k, v in sorted(self.existing.items())]
        return [self.folder, taken, there, sorted(self.names), self.version, dict(self.problems)]


def free_number(
    sheet: Sheet, field: FieldRules, form: Mapping[str, Any], taken: Collection[int]
) -> int | None:
    """The least number of a field that nobody has, behind the one that stands in front of it; None where all are taken, or that one
    is not filled in.
    """
    number = int(field.least or 0)
    last = min(
        int(field.most) if field.most is not None else LARGEST_ID,
        10**field.digits - 1 if field.digits else LARGEST_ID,
    )
    front = written_number(sheet, field, {**form, field.id: 0})
    if not front:
        return None
    while number <= last and int(written_number(sheet, field, {**form, field.id: number})) in taken:
        number += 1
    return number if number <= last else None
