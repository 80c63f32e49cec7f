"""The objects of an FBX document: numbered, defined by kind, connected."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.formats.fbx.record import Long, Record

FIRST = 1_000_000
SECOND = 46_186_158_000
"""Ticks of FBX time in a second (common practice)."""


def titled(name: str, kind: str) -> str:
    """A name with its class behind it, as binary files store it."""
    return f"{name}\0\x01{kind}"


def setting(name: str, kind: str, label: str, flags: str, *values: Any) -> Record:
    """One line of a property table."""
    return Record("P", [name, kind, label, flags, *values])


def number(name: str, value: float, flags: str = "") -> Record:
    """A floating point setting."""
    return setting(name, "double", "Number", flags, float(value))


def whole(name: str, value: int) -> Record:
    """A whole number."""
    return setting(name, "int", "Integer", "", int(value))


def choice(name: str, value: int) -> Record:
    """One of several."""
    return setting(name, "enum", "", "", int(value))


def vector(name: str, kind: str, values: Iterable[float], flags: str = "A") -> Record:
    """Three numbers."""
    return setting(name, kind, "", flags, *(float(v) for v in values))


def colour(name: str, values: Iterable[float]) -> Record:
    """A colour, three numbers from 0 to 1."""
    return setting(name, "Color", "", "A", *(float(v) for v in values))


def time(name: str, seconds: float) -> Record:
    """A time."""
    return setting(name, "KTime", "Time", "", Long(round(seconds * SECOND)))


def matrix_values(matrix: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """(16,) of a (4, 4) matrix of column vectors: FBX multiplies rows from the left."""
    return np.ascontiguousarray(matrix.T, dtype="<f8").reshape(-1)


@dataclass
class Objects:
    """Objects and connections as they are made."""

    records: list[Record] = field(default_factory=list)
    links: list[Record] = field(default_factory=list)
    counts: dict[str, int] = field(default_factory=dict)
    made: int = 0

    def add(self, kind: str, name: str, group: str, sort: str) -> tuple[int, Record]:
        """(number, record) of a new object: `kind` its node, `group` the class behind its name, `sort` its
        sub-kind.
        """
        self.made += 1
        id_ = FIRST + self.made
        record = Record(kind, [Long(id_), titled(name, group), sort])
        self.records.append(record)
        self.counts[kind] = self.counts.get(kind, 0) + 1
        return id_, record

    def link(self, child: int, parent: int, property_: str = "") -> None:
        """`child` belongs to `parent`, or drives one of its properties."""
        values: list[Any] = ["OP" if property_ else "OO", Long(child), Long(parent)]
        self.links.append(Record("C", [*values, property_] if property_ else values))

    def definitions(self) -> Record:
        """How many of each kind there are."""
        out = Record("Definitions")
        out.add("Version", 100)
        out.add("Count", sum(self.counts.values()) + 1)
        out.add("ObjectType", "GlobalSettings").add("Count", 1)
        for kind, count in self.counts.items():
            out.add("ObjectType", kind).add("Count", count)
        return out


def table(record: Record, *settings: Record) -> None:
    """A property table in `record`."""
    record.add("Properties70").inside += settings
