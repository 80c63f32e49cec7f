"""Which kept origin explains some files best, by how they would stand and how large they would be."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from customs.conventions.fit import STANDING_FIGURE
from customs.conventions.origin import Origin
from customs.motion.posing.bounds import world_bounds
from customs.scene.convention import Convention
from customs.scene.model import Scene
from customs.surface.suffixes import words
from customs.words import figure, many

FIGURES, PROPS = (0.3, 4.0), (0.02, 60.0)
"""Heights of what has a skeleton, and longest sides of anything else, that are usual (m; common practice)."""


@dataclass(frozen=True)
class Explained:
    """An origin ("" for as the files say): how many files of how many it lets stand upright in a usual size, how
    near their size is to the usual (0 is nearest, in powers of e), and why in words.
    """

    origin: str
    fits: int
    of: int
    away: float
    reason: str


@dataclass(frozen=True)
class _Stands:
    upright: bool
    sized: bool
    away: float
    tall: float


def explained(scenes: Sequence[Scene], origins: Mapping[str, Origin]) -> list[Explained]:
    """Origins by how well they explain files as read, the best first; where several do as well, as the files say
    comes first, then those with more of the texture names' suffixes.
    """
    seen = [s for s in scenes if world_bounds(s) is not None]
    if not seen:
        return []
    plain = [_stands(s, s.convention) for s in seen]
    out = [(_judged("", plain, plain, ()), 0)]
    for id_, origin in origins.items():
        stands = [_stands(s, origin.convention(s.convention), origin.scale) for s in seen]
        told = _suffixes(seen, origin)
        out.append((_judged(id_, stands, plain, told), len(told)))
    ranked = sorted(out, key=lambda x: (-x[0].fits, -x[1], round(x[0].away, 2), x[0].origin != ""))
    return [found for found, _ in ranked]


def _stands(scene: Scene, meant: Convention, scale: float = 1.0) -> _Stands:
    box = world_bounds(scene)
    assert box is not None
    axis = "XYZ".index(meant.up[1])
    size = box[1] - box[0]
    metres = size * meant.metres_per_unit * scale
    rigged = bool(scene.skins)
    least, most = FIGURES if rigged else PROPS
    extent = float(metres[axis] if rigged else metres.max())
    low = float(box[0][axis] if meant.up[0] == "+" else -box[1][axis])
    standing = abs(low) <= 0.05 * max(float(size[axis]), 1e-9)
    upright = int(np.argmax(size)) == axis if rigged else standing
    away = abs(float(np.log(max(extent, 1e-9) / (STANDING_FIGURE if rigged else 1.0))))
    return _Stands(upright, least <= extent <= most, away, float(size[axis]))


def _suffixes(scenes: Sequence[Scene], origin: Origin) -> tuple[str, ...]:
    own = {x for parts in origin.suffixes.values() for x in parts}
    said = {w[-1] for s in scenes for im in s.images if (w := words(im.name))}
    return tuple(sorted(own & said))


def _judged(id_: str, stands: Sequence[_Stands], plain: Sequence[_Stands], told: Sequence[str]) -> Explained:
    fits = sum(s.upright and s.sized for s in stands)
    away = float(np.mean([s.away for s in stands]))
    parts = []
    if id_ and not plain[0].upright and stands[0].upright:
        parts.append("it lies on its back as it is")
    elif not stands[0].upright:
        parts.append("it would not stand upright")
    parts.append(f"{figure(stands[0].tall, 3)} units tall")
    if told:
        parts.append("suffixes " + " ".join(f"_{x}" for x in told[:4]))
    return Explained(
        id_, fits, len(stands), away, f"Explains {fits} of {many(len(stands), 'file')}: {', '.join(parts)}."
    )
