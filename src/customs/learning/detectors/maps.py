"""What normal maps lean to, and which values share a texture."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from customs.learning.examples import Example
from customs.learning.found import Detector, Found, Sure, register
from customs.scene.model import NORMAL_SLOTS
from customs.surface.green import told_green

ENOUGH = 2
"""Normal maps whose slopes have to agree."""
PACKED = "R=occlusion G=roughness B=metallic"
"""What glTF 2.0 (3.9.2, 3.9.3) reads of one texture that is both occlusion and metallic-roughness."""
SHARED = 3
"""Materials that have to share one texture for both."""


def _find(examples: Sequence[Example]) -> Iterator[Found]:
    yield _green(examples)
    yield _pack(examples)


def _green(examples: Sequence[Example]) -> Found:
    """By the slopes of the maps: heights must come back to where they were, which tells up from down."""
    ways = list[tuple[str, str]]()
    for e in examples:
        used = {u.image for m in e.main.materials for r, u in m.textures.items() if r in NORMAL_SLOTS}
        for k in sorted(used):
            told = told_green(e.main.images[k]) if e.main.images[k].there else None
            if told is not None and told.direction != "undecidable":
                ways.append((f"{e.name}: {e.main.images[k].name}", told.direction))
    if not ways:
        return Found("axes.green", None, 0, 0, sure="undecided", why="no normal map whose slopes tell it")
    values = [w for _, w in ways]
    best = max(dict.fromkeys(values), key=values.count)
    bad = tuple(n for n, w in ways if w != best)
    sure: Sure = "likely" if len(ways) >= ENOUGH and not bad else "undecided"
    return Found("axes.green", best, len(ways) - len(bad), len(ways), bad, sure, "the slopes of normal maps")


def _pack(examples: Sequence[Example]) -> Found:
    both = [
        (f"{e.name}: {m.name}", m.textures["occlusion"].image == m.textures["metallic_roughness"].image)
        for e in examples
        for m in e.main.materials
        if {"occlusion", "metallic_roughness"} <= set(m.textures)
    ]
    bad = tuple(n for n, same in both if not same)
    if len(both) < SHARED or bad:
        why = "too few materials with both" if not bad else "not all share one texture"
        return Found("textures.pack", None, len(both) - len(bad), len(both), bad, "undecided", why)
    return Found(
        "textures.pack",
        PACKED,
        len(both),
        len(both),
        (),
        "likely",
        "one texture for occlusion, roughness and metallic",
    )


register(
    Detector(
        "maps",
        ("axes.green", "textures.pack"),
        "slopes of normal maps; materials whose occlusion and metallic-roughness are one texture",
        _find,
    )
)
