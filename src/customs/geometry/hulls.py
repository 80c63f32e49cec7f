"""Several hulls that together follow a hollow shape."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.aside.ask import Limits, ask_aside, shared_file
from customs.aside.pack import Packer
from customs.geometry.bodies import Body, hull_within

WORK = "customs.geometry.hulls_aside"
CELLS = 100_000
"""Cells the mesh is looked at in."""
SECONDS = 60.0


def several_hulls(
    points: npt.NDArray[Any], faces: npt.NDArray[Any], most: int, corners: int, cells: int = CELLS
) -> list[Body]:
    """At most `most` hulls of at most `corners` corners each around `points` (N, 3) with `faces` (F, 3). Raises ToolError,
    ReadError or LimitError when the library gives up, breaks down or takes too long.
    """
    packer = Packer()
    header = {
        "points": packer.add(np.asarray(points, np.float64)), "faces": packer.add(np.asarray(faces, np.uint32))
    }  # fmt: skip
    with shared_file() as shared:
        packer.write(shared.place, header)
        asked = {"file": str(shared.place), "hulls": most, "corners": corners, "cells": cells}
        answer = ask_aside(WORK, asked, Path("mesh"), Limits(seconds=SECONDS), named=False)
    parts = [answer.array(entry) for entry in answer.header["hulls"]]
    return _covering([p for p in parts if len(p) > 3], np.asarray(points, np.float64), max(corners, 4))


def _covering(parts: list[npt.NDArray[Any]], points: npt.NDArray[np.float64], corners: int) -> list[Body]:
    """Hulls of the parts, each with the points that lie nearest to it: cells and few corners leave some of them outside."""
    if not parts:
        return [hull_within(points, corners)]
    least, nearest = np.full(len(points), np.inf), np.zeros(len(points), np.intp)
    for k, part in enumerate(parts):
        out = hull_within(part, corners, cover=False).outside(points)
        nearest[out < least] = k
        least = np.minimum(least, out)
    return [hull_within(np.concatenate([p, points[nearest == k]]), corners) for k, p in enumerate(parts)]
