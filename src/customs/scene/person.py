"""What an avatar says beside its bones: how it looks about, what is seen from its own eyes, joints bound to others.

Source: VRM Consortium, "VRMC_vrm 1.0" (lookAt, firstPerson) and "VRMC_node_constraint 1.0".
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.key import Key

AXES = {"PositiveX": (0, 1), "NegativeX": (0, -1), "PositiveY": (1, 1), "NegativeY": (1, -1), "PositiveZ": (2, 1), "NegativeZ": (2, -1)}  # fmt: skip
"""Axes by the words of aim constraints: which, and its sign."""
F64 = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Gaze:
    """Where the eyes are from the head bone, in its axes (units); by what they turn; (greatest angle of looking, greatest
    of turning or weight) by the way looked.
    """

    offset: tuple[float, float, float] = (0.0, 0.0, 0.0)
    kind: str = "bone"
    ranges: Mapping[str, tuple[float, float]] = field(default_factory=dict)


@dataclass(frozen=True)
class Bond:
    """A node that turns as another does: `kind` is "aim", "roll" or "rotation", `axis` the one it aims or rolls by."""

    node: Key
    source: Key
    kind: str
    weight: float = 1.0
    axis: str = ""


@dataclass(frozen=True)
class Person:
    """`seen` says of nodes with meshes from where they are seen: (node, "auto", "both", "firstPersonOnly" or
    "thirdPersonOnly").
    """

    gaze: Gaze | None = None
    seen: tuple[tuple[Key, str], ...] = ()
    bonds: tuple[Bond, ...] = ()

    def moved(self, p: F64, k: float) -> Person:
        """Through k·P (P (3, 3) a signed permutation), as the axes of all nodes are."""
        gaze = self.gaze
        if gaze is not None:
            x, y, z = (float(v) for v in p @ np.array(gaze.offset) * k)
            gaze = replace(gaze, offset=(x, y, z))
        return replace(self, gaze=gaze, bonds=tuple(replace(b, axis=_turned(b.axis, p)) for b in self.bonds))

    def rekeyed(self, keys: Mapping[Key, Key]) -> Person:
        """With its nodes called otherwise."""
        bonds = tuple(
            replace(b, node=keys.get(b.node, b.node), source=keys.get(b.source, b.source)) for b in self.bonds
        )
        return replace(self, seen=tuple((keys.get(n, n), how) for n, how in self.seen), bonds=bonds)

    def count(self, there: Mapping[Key, Any]) -> int:
        """How many of its sayings still have their nodes."""
        bonds = sum(b.node in there and b.source in there for b in self.bonds)
        return (self.gaze is not None) + sum(n in there for n, _ in self.seen) + bonds


def _turned(axis: str, p: F64) -> str:
    """An axis through P: "PositiveX" and so on with its sign, "X" and so on without."""
    if axis in AXES:
        at, sign = AXES[axis]
        way = p[:, at] * sign
        to = int(np.abs(way).argmax())
        return next(n for n, (a, s) in AXES.items() if a == to and s == round(way[to]))
    return "XYZ"[int(np.abs(p[:, "XYZ".index(axis)]).argmax())] if axis in ("X", "Y", "Z") else axis
