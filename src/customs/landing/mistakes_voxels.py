"""Faults of what is made of unit cells."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from customs.landing.planting import Copy, Mistake

Json = dict[str, Any]


def _changed(copy: Copy, change: Callable[[Json], object]) -> bool:
    """The grid changed, as somebody does who knows how."""
    for path in copy.files("voxel grid"):
        copy.change_json(path, change)
        return True
    return False


def _gone(copy: Copy) -> bool:
    def change(body: Json) -> None:
        *_, count, colour = body["runs"].pop()
        body["counts"][colour] -= count

    return _changed(copy, change)


def _twice(copy: Copy) -> bool:
    return _changed(copy, lambda body: body["runs"].append(body["runs"][0]))


def _moved(copy: Copy) -> bool:
    return _changed(copy, lambda body: body.update(low=[body["low"][0] + body["cell"], *body["low"][1:]]))


def _miscounted(copy: Copy) -> bool:
    return _changed(copy, lambda body: body["counts"].__setitem__(0, body["counts"][0] + 1))


MISTAKES = (
    Mistake("cell-gone", "Take cells out of the grid", _gone),
    Mistake("cell-twice", "Fill a cell twice", _twice),
    Mistake("cells-moved", "Move the grid by a cell", _moved),
    Mistake("cells-miscounted", "Count a colour wrongly", _miscounted),
)
