"""Faults of levels that come as lists."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from customs.grounds.things import LEVEL
from customs.landing.planting import Copy, Mistake

Json = dict[str, Any]


def _lists(copy: Copy) -> list[str]:
    """Lists that have placements, in the order of the package."""
    out = []
    for path in copy.files("level list"):
        body = json.loads((copy.folder / path).read_bytes())
        if isinstance(body, dict) and body.get("placements"):
            out.append(path)
    return out


def _changed(copy: Copy, change: Callable[[Json], object]) -> bool:
    """The first placement of the first list changed, as somebody does who knows how."""
    for path in _lists(copy):
        copy.change_json(path, change)
        return True
    return False


def _lost_name(copy: Copy) -> bool:
    return _changed(copy, lambda body: body["placements"][0].update(name="nobody_has_this.gltf"))


def _squeezed(copy: Copy) -> bool:
    def change(body: Json) -> None:
        numbers = body["placements"][0]["matrix"]
        numbers[4:8] = [0.0, 0.0, 0.0, 0.0]

    return _changed(copy, change)


def _same_id(copy: Copy) -> bool:
    return _changed(copy, lambda body: body["placements"].append(dict(body["placements"][0])))


def _list_gone(copy: Copy) -> bool:
    """A list goes, and the docket does not speak of it any more."""
    lists = _lists(copy)
    if len(copy.files("level list")) < 2 or not lists:
        return False
    (copy.folder / lists[-1]).unlink()
    copy.tell(lambda body: body.update(files=[f for f in body["files"] if f["path"] != lists[-1]]))
    return True


def _dark(copy: Copy) -> bool:
    """Every light of the list goes, where a level has to have one."""
    count = sum(len(json.loads((copy.folder / p).read_bytes())["placements"]) for p in _lists(copy))
    if copy.sheet is None or copy.sheet.grounds.light != "required" or count < LEVEL:
        return False
    for path in copy.files("level list"):
        place = copy.folder / path
        body = json.loads(place.read_bytes())
        if isinstance(body, dict) and body.get("lights"):
            copy.write(place, json.dumps({**body, "lights": []}).encode())
            return True
    return False


MISTAKES = (
    Mistake("placed-name", "Place what nobody has", _lost_name),
    Mistake("placed-flat", "Squeeze a placement flat", _squeezed),
    Mistake("placed-twice", "Give two placements one number", _same_id),
    Mistake("list-gone", "Take a list away", _list_gone),
    Mistake("list-dark", "Put out the lights of a level", _dark),
)
