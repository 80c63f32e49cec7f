"""Approximate convex decomposition, in a child process: the library reads meshes nobody vouches for. Source: V-HACD, volumetric
hierarchical approximate convex decomposition (Mamou 2016), by the package vhacdx.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import vhacdx

from customs.aside.pack import Json, Packer, opened


def run(asked: Json) -> tuple[Json, Packer]:
    """(header, the corners (V, 3) float64 of each hull): at most `hulls` of at most `corners` corners, of the mesh in the file
    `file` looked at in `cells` cells. Raises ValueError.
    """
    told = opened(Path(asked["file"]))
    if told is None:
        raise ValueError("the mesh that was handed over is cut off")
    points = np.array(told.array(told.header["points"]), np.float64)
    faces = np.array(told.array(told.header["faces"]), np.uint32)
    found = vhacdx.compute_vhacd(
        points, faces, maxConvexHulls=asked["hulls"], maxNumVerticesPerCH=asked["corners"], resolution=asked["cells"],
        asyncACD=False,
    )  # fmt: skip
    pack = Packer()
    return {"hulls": [pack.add(np.asarray(p, np.float64)) for p, _ in found]}, pack
