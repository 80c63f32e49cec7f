"""What has been found out of a primitive's faces by where their corners stand: it holds as long as they stand
there, whatever else is changed.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from customs.scene.arrays import bounds
from customs.scene.kept import kept_with
from customs.scene.model import Primitive


def known_of_faces(prim: Primitive) -> dict[str, Any]:
    """By name; kept with the arrays that say which places the faces have, and empty at first."""
    return _table(prim, {})


def same_faces(new: Primitive, old: Primitive) -> None:
    """The faces of `new` are those of `old`, in their order, with their corners at the same places: what is
    known of the ones holds for the others.
    """
    if len(old.positions) and len(new.positions):
        # Points no face uses have a say in how large the whole is.
        (a, b), (c, d) = bounds(old.positions), bounds(new.positions)
        if np.array_equal(a, c) and np.array_equal(b, d):
            _table(new, known_of_faces(old))


def _table(prim: Primitive, first: dict[str, Any]) -> dict[str, Any]:
    order = prim.triangulation if prim.triangulation is not None else prim.indices
    holder = order if order is not None else prim.positions
    return kept_with(("faces", prim.mode), holder, prim.positions, lambda: first)
