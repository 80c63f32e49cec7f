"""Up, facing, side and unit: what the files state, what feet on the ground and skeletons show."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np
import numpy.typing as npt

from customs.formats.registry import get_format
from customs.geometry.shells import is_closed
from customs.geometry.triangles import triangles_of
from customs.learning.examples import Example
from customs.learning.found import Detector, Found, Sure, register
from customs.scene.convention import Axis, Convention
from customs.scene.model import Scene
from customs.scene.tree import world_matrices

F64 = npt.NDArray[np.float64]
AXES: tuple[Axis, ...] = ("+X", "+Y", "+Z", "-X", "-Y", "-Z")
NEAR = 0.02
"""Of the largest extent: what lies so near the ground stands on it."""
PERSON = (1.4, 2.1)
"""Metres a figure with a skeleton like a person's stands high (common practice; the standing figure has 1.8)."""
THINGS = (0.05, 30.0)
"""Metres most things of a game lie between (common practice)."""
UNITS = {1.0: "m", 0.01: "cm", 0.001: "mm", 0.0254: "in", 0.1: "dm", 0.3048: "ft"}


@dataclass(frozen=True)
class Stance:
    """What a skeleton shows, as unit vectors in the file's numbers: up, forward (None where no toes tell), from right to left."""

    up: F64
    forward: F64 | None
    left: F64
    height: float


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    stated = [e.main.convention for e in examples]
    first = stated[0]
    stances = [(e.name, s) for e in examples if (s := stance_of(e.main)) is not None]
    yield _up(examples, first, stances)
    yield from _sides(examples, first, stances)
    yield _front(examples)
    yield _unit(examples, first, stances)


def _said(examples: Sequence[Example], part: str) -> tuple[object, int, tuple[str, ...]]:
    """(the value most files state or have by their format, how many, which state another)."""
    values = [getattr(e.main.convention, part) for e in examples]
    value = max(dict.fromkeys(values), key=values.count)
    return value, values.count(value), tuple(e.name for e, v in zip(examples, values) if v != value)


def _states(examples: Sequence[Example]) -> bool:
    """True where the files themselves, or the standard of their format, say their axes."""
    fixed = get_format(examples[0].main.format).fixed
    return fixed or (
        all(e.main.convention.stated in ("file", "format") for e in examples)
        and any(e.main.convention.stated == "file" for e in examples)
    )


def _up(examples: Sequence[Example], first: Convention, stances: Sequence[tuple[str, Stance]]) -> Found:
    value, support, others = _said(examples, "up")
    shown = [(e.name, grounded(e)) for e in examples]
    told = [(n, a) for n, a in shown if len(a) == 1] + [(n, (_axis(s.up),)) for n, s in stances]
    against = tuple(dict.fromkeys(n for n, a in told if a[0] != value))
    if _states(examples):
        sure: Sure = "sure" if not others and not against else "likely"
        return Found(
            "axes.up",
            value,
            support,
            len(examples),
            others or against,
            sure,
            "as the files state, or their format has it",
        )
    if not told:
        return Found(
            "axes.up",
            None,
            0,
            len(examples),
            sure="undecided",
            why="no file states it, and nothing stands on the ground",
        )
    axes = [a[0] for _, a in told]
    best = max(dict.fromkeys(axes), key=axes.count)
    differ = tuple(n for n, a in told if a[0] != best)
    return Found(
        "axes.up",
        best,
        axes.count(best),
        len(told),
        differ,
        "likely",
        "what stands on the ground, and skeletons",
    )


def usual_up(examples: Sequence[Example]) -> Axis:
    """Up as most of what shows it says; as the files have it where nothing does."""
    first = examples[0].main.convention
    stances = [(e.name, s) for e in examples if (s := stance_of(e.main)) is not None]
    value = _up(examples, first, stances).value
    return cast(Axis, value) if value is not None else first.up


def grounded(example: Example, near: float = NEAR) -> tuple[Axis, ...]:
    """Axes along which an example begins at 0 and is in the middle of the other two, `near` of its largest extent."""
    if example.box is None:
        return ()
    low, high = example.box
    reach = max(float((high - low).max()), 1e-12)
    middle = np.abs(low + high) / 2 <= near * reach
    out = list[Axis]()
    for k, letter in enumerate("XYZ"):
        rest = [i for i in range(3) if i != k]
        if not middle[rest].all() or middle[k]:
            continue
        if abs(low[k]) <= near * reach:
            out.append(cast(Axis, f"+{letter}"))
        elif abs(high[k]) <= near * reach:
            out.append(cast(Axis, f"-{letter}"))
    return tuple(out)


def _sides(
    examples: Sequence[Example], first: Convention, stances: Sequence[tuple[str, Stance]]
) -> Iterator[Found]:
    """Facing and hand: never sure without toes that point forward and sides with names."""
    told = [(n, s) for n, s in stances if s.forward is not None]
    for part, shown in (
        ("faces", [(n, _axis(s.forward)) for n, s in told if s.forward is not None]),
        ("hand", [(n, _hand(s)) for n, s in told]),
    ):
        value, support, others = _said(examples, part)
        values = [v for _, v in shown]
        if not shown:
            if _states(examples) and not others:
                why = "as their format has it: nothing in them shows it"
                yield Found(f"axes.{part}", value, support, len(examples), others, "likely", why)
            else:
                yield Found(
                    f"axes.{part}", None, 0, len(examples), sure="undecided", why="nothing in them shows it"
                )
            continue
        best = max(dict.fromkeys(values), key=values.count)
        differ = tuple(n for n, v in shown if v != best)
        agreed = best == value and _states(examples) and not differ
        why = "toes point forward, joints say left and right"
        yield Found(
            f"axes.{part}", best, values.count(best), len(shown), differ, "sure" if agreed else "likely", why
        )


def _front(examples: Sequence[Example]) -> Found:
    """The winding of faces as the eye sees them: closed bodies have a volume, and its sign hangs on winding and hand."""
    signs = [(e.name, v) for e in examples if (v := _volume_sign(e)) != 0]
    if not signs:
        return Found("axes.front", None, 0, len(examples), sure="undecided", why="no closed body")
    hands = {e.name: e.main.convention.hand for e in examples}
    told = [(n, "ccw" if (v > 0) == (hands[n] == "right") else "cw") for n, v in signs]
    values = [v for _, v in told]
    best = max(dict.fromkeys(values), key=values.count)
    bad = tuple(n for n, v in told if v != best)
    return Found(
        "axes.front",
        best,
        values.count(best),
        len(told),
        bad,
        "likely",
        "bodies that are closed have their outside so",
    )


def _volume_sign(e: Example) -> int:
    """+1 where most closed bodies have a volume above 0 in the file's numbers, −1 below, 0 for no body."""
    total = 0.0
    for m in e.core.meshes:
        for p in m.primitives:
            faces = triangles_of(p)
            if len(faces) and is_closed(p.positions, faces):
                a, b, c = (p.positions[faces[:, k]].astype(np.float64) for k in range(3))
                total += float(np.sign(np.einsum("ij,ij->", a, np.cross(b, c)))) * len(faces)
    return int(np.sign(total))


def _hand(s: Stance) -> str:
    assert s.forward is not None
    return "right" if float(np.dot(np.cross(s.up, s.forward), s.left)) > 0 else "left"


def _axis(v: F64 | None) -> Axis:
    assert v is not None
    k = int(np.abs(v).argmax())
    return cast(Axis, f"{'+' if v[k] >= 0 else '-'}{'XYZ'[k]}")


def stance_of(scene: Scene) -> Stance | None:
    """What the largest skeleton shows, where its joints have names of sides, feet and head."""
    from customs.changes.sides import split_side

    if not scene.skins:
        return None
    world = world_matrices(scene)[:, :3, 3]
    names = {j: split_side(scene.nodes[j].name) for s in scene.skins for j in s.joints}
    left = [j for j, (_, side) in names.items() if side == "left"]
    right = [j for j, (_, side) in names.items() if side == "right"]
    heads = [j for j in names if "head" in names[j][0].lower()]
    feet = [j for j in left + right if "foot" in names[j][0].lower() or "ankle" in names[j][0].lower()]
    toes = [j for j in left + right if "toe" in names[j][0].lower()]
    if not left or not right or not heads or not feet:
        return None
    rise = world[heads].mean(axis=0) - world[feet].mean(axis=0)
    across = world[left].mean(axis=0) - world[right].mean(axis=0)
    height = float(np.linalg.norm(rise))
    if height < 1e-9 or float(np.linalg.norm(across)) < 1e-9:
        return None
    forward = world[toes].mean(axis=0) - world[feet].mean(axis=0) if toes else None
    if forward is not None:
        forward = forward - rise * float(forward @ rise) / height**2
        forward = forward if float(np.linalg.norm(forward)) > 0.01 * height else None
    return Stance(rise, forward, across, height)


def _unit(examples: Sequence[Example], first: Convention, stances: Sequence[tuple[str, Stance]]) -> Found:
    value, support, others = _said(examples, "metres_per_unit")
    metres = float(cast(float, value))
    people = [(n, s.height * 1.1) for n, s in stances]
    fits = [n for n, h in people if PERSON[0] <= h * metres <= PERSON[1]]
    if _states(examples):
        sure: Sure = "sure" if not others and (not people or fits) else "likely"
        why = "as the files state, or their format has it"
        return Found("axes.metres_per_unit", metres, support, len(examples), others, sure, why)
    ranked = sorted(UNITS, key=lambda u: -sum(PERSON[0] <= h * u <= PERSON[1] for _, h in people))
    if people and any(PERSON[0] <= h * ranked[0] <= PERSON[1] for _, h in people):
        count = sum(PERSON[0] <= h * ranked[0] <= PERSON[1] for _, h in people)
        return Found(
            "axes.metres_per_unit",
            ranked[0],
            count,
            len(people),
            (),
            "likely",
            "figures stand as high as people",
        )
    sizes = [(e.name, float((e.box[1] - e.box[0]).max())) for e in examples if e.box is not None]
    inside = {u: sum(THINGS[0] <= s * u <= THINGS[1] for _, s in sizes) for u in (1.0, 0.01)}
    if sizes and max(inside.values()) > min(inside.values()):
        best = max(inside, key=lambda u: inside[u])
        return Found(
            "axes.metres_per_unit",
            best,
            inside[best],
            len(sizes),
            (),
            "likely",
            "sizes as things of a game have them",
        )
    return Found(
        "axes.metres_per_unit",
        None,
        0,
        len(sizes),
        sure="undecided",
        why="no file states it, and sizes fit several",
    )


register(
    Detector(
        "axes",
        ("axes.up", "axes.faces", "axes.hand", "axes.front", "axes.metres_per_unit"),
        "what the files or their format state; what begins at 0 and is centred; head over feet, toes before ankles, names of sides; heights",
        _find,
    )
)
