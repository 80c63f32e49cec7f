"""Entities of a brush level: what each is called, where it stands, and lights as lights."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.key import Key
from customs.scene.model import Light, Node

CLASS, PLACE, NAME, ANGLE = "classname", "origin", ("targetname", "name"), "angle"
"""Keys of the form: what an entity is, where it stands, what others call it, degrees it is turned about up (common practice)."""
POWER, COLOUR, CONE = ("_light", "light"), ("_color", "color"), ("_cone", "cone")
USUAL_POWER = 300.0
"""What a light without a number has (common practice of the form; from memory)."""


def name_of(keys: Mapping[str, str], number: int) -> str:
    """What an entity is called: its own name, else its class, else its number."""
    return next((keys[k] for k in NAME if keys.get(k)), "") or keys.get(CLASS, "") or f"entity_{number}"


def numbers(text: str) -> list[float]:
    """Finite numbers of a value, none where one of them is no number."""
    try:
        found = [float(x) for x in text.split()]
    except ValueError:
        return []
    return found if all(map(math.isfinite, found)) else []


def is_light(keys: Mapping[str, str]) -> bool:
    """True for entities whose class says light."""
    return bool(re.match(r"light(_|$|\d)", keys.get(CLASS, ""), re.IGNORECASE))


def light_of(keys: Mapping[str, str], key: Key, problems: list[str]) -> Light:
    """Its light; its number has no unit yet (the step Light units gives it one). A cone makes a spot."""
    text = next((keys[k] for k in POWER if k in keys), "")
    said = numbers(text)
    if text and len(said) not in (1, 3, 4):
        problems.append(
            f"{name_of(keys, key.ordinal)}: {text!r:.40} is no strength of a light; {USUAL_POWER:g} is taken"
        )
    power, tint = USUAL_POWER, [1.0, 1.0, 1.0]
    if len(said) == 1:
        power = said[0]
    elif len(said) in (3, 4):
        # Colour and strength in one value: three numbers up to 255, then how strong.
        tint, power = [c / 255 for c in said[:3]], said[3] if len(said) == 4 else max(said[:3])
    own = numbers(next((keys[k] for k in COLOUR if k in keys), ""))
    if len(own) == 3:
        tint = [c / 255 for c in own] if max(own) > 1 else own
    top = max(*tint, 1e-9)
    r, g, b = (min(max(c / top, 0.0), 1.0) for c in tint)
    cone = numbers(next((keys[k] for k in CONE if k in keys), ""))
    spot = len(cone) == 1 and 0 < cone[0] <= 90
    return Light(
        key,
        name_of(keys, key.ordinal),
        kind="spot" if spot else "point",
        colour=(r, g, b),
        intensity=max(power, 0.0),
        outer=math.radians(cone[0]) if spot else math.pi / 4,
    )


def node_of(keys: Mapping[str, str], number: int, digest: str, mesh: int | None, problems: list[str]) -> Node:
    """The node of an entity: where it stands, its keys as they are, its mesh (whose numbers are the level's own)."""
    name = name_of(keys, number)
    place: npt.NDArray[np.float64] = np.zeros(3)
    if PLACE in keys and mesh is None:
        found = numbers(keys[PLACE])
        if len(found) == 3:
            place = np.array(found)
        else:
            problems.append(
                f"{name}: {keys[PLACE]!r:.40} is no place (three numbers); it stands at the origin"
            )
    turn = numbers(keys.get(ANGLE, "")) if mesh is None else []
    rotation = np.array([0.0, 0.0, 0.0, 1.0])
    # Angles below zero mean up and down, not a turn.
    if len(turn) == 1 and turn[0] > 0:
        half = math.radians(turn[0]) / 2
        rotation = np.array([0.0, 0.0, math.sin(half), math.cos(half)])
    holds: tuple[Any, ...] = ()
    if mesh is None and is_light(keys):
        holds = (light_of(keys, Key(digest, "light", number), problems),)
    return Node(
        Key(digest, "node", number),
        name,
        translation=place,
        rotation=rotation,
        mesh=mesh,
        holds=holds,
        extras=dict(keys),
    )
