"""What is small in a level."""

from __future__ import annotations

import numpy as np

from customs.grounds.kinds import Sorted
from customs.grounds.rules import DECAL, LIGHT
from customs.grounds.things import Mask


def smaller(found: Sorted, least: float) -> Mask:
    """(T,) things whose longest side is under `least` metres; decals and lights are small on purpose."""
    with np.errstate(invalid="ignore"):
        small = found.things.size.max(axis=1) < least
    return np.asarray(small & (found.things.mesh >= 0) & ~found.of(DECAL) & ~found.of(LIGHT))
