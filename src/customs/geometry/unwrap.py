"""Texture coordinates made where there are none."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
U32 = npt.NDArray[np.uint32]


@dataclass(frozen=True, eq=False)
class Unwrapped:
    """`source` (W,) says which old vertex each new one is, `faces` (F, 3) and `uv` (W, 2) in 0..1 are of the
    new ones.
    """

    source: U32
    faces: U32
    uv: F32
    charts: int


def unwrap(
    points: F32, faces: U32, normals: F32 | None = None, padding: int = 4, resolution: int = 1024
) -> Unwrapped:
    """Cut a mesh into charts and pack them, with `padding` pixels between at a texture of `resolution`."""
    import xatlas

    # The library takes triangles under a fixed area for empty: the mesh is brought to edges of about one.
    edges = np.linalg.norm(points[faces[:, 1]] - points[faces[:, 0]], axis=1)
    points = np.ascontiguousarray(points / max(float(np.median(edges)), 1e-30), np.float32)
    atlas = xatlas.Atlas()
    atlas.add_mesh(points, faces) if normals is None else atlas.add_mesh(points, faces, normals)
    options: Any = xatlas.PackOptions()
    options.padding, options.resolution = padding, resolution
    atlas.generate(pack_options=options)
    source, flat, uv = atlas[0]
    return Unwrapped(
        np.ascontiguousarray(source, np.uint32),
        np.ascontiguousarray(flat, np.uint32),
        np.ascontiguousarray(uv, np.float32),
        int(atlas.chart_count),
    )
