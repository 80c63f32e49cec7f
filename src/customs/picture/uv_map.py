"""A picture of the texture coordinates of some primitives, laid over their texture, with the tiles around the
first.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.texcoords import flipped
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import unique_rows
from customs.later import later
from customs.scene.model import Primitive

sparse = later("scipy.sparse")
U8 = npt.NDArray[np.uint8]
Mask = npt.NDArray[np.bool_]
MOST_FACES = 40_000
"""Faces drawn at most; more are thinned evenly, as their lines would cover everything."""
FARTHEST = 4
"""Tiles shown to each side at most; what lies farther is drawn at the rim."""
MARGIN = 0.06
"""Share of a tile shown around those that hold something."""
TEAL, RUST, GOLD = np.array([10, 92, 94]), np.array([180, 55, 31]), np.array([214, 142, 10])
TILE, FIRST = np.array([176, 176, 168]), np.array([60, 66, 68])


@dataclass(frozen=True)
class Window:
    """The square of texture space a picture shows: its corner and edge, in tiles."""

    left: float
    top: float
    edge: float

    def places(self, uv: npt.NDArray[Any], size: int) -> npt.NDArray[np.float64]:
        """UVs (..., 2) in pixels of a picture `size` wide."""
        out: npt.NDArray[np.float64] = (
            (np.asarray(uv, dtype=np.float64) - (self.left, self.top)) / self.edge * size
        )
        return out

    def uv(self, x: float, y: float, size: int) -> tuple[float, float]:
        """The texture coordinate at a pixel."""
        return x / size * self.edge + self.left, y / size * self.edge + self.top


def window_of(prims: Sequence[Primitive], texcoord: int = 0) -> Window:
    """The square that holds the first tile and all others something lies on, FARTHEST at most to each
    side.
    """
    low, high = np.zeros(2), np.ones(2)
    for prim in prims:
        uv = _finite(prim, texcoord)
        if uv is not None:
            low, high = (
                np.minimum(low, np.floor(uv.min(axis=0) + 1e-5)),
                np.maximum(high, np.ceil(uv.max(axis=0) - 1e-5)),
            )
    low, high = np.maximum(low, -FARTHEST), np.minimum(high, 1 + FARTHEST)
    edge = float((high - low).max())
    return Window(float(low[0]) - MARGIN * edge, float(low[1]) - MARGIN * edge, edge * (1 + 2 * MARGIN))


def uv_picture(
    prims: Sequence[Primitive],
    size: int,
    ground: npt.NDArray[Any] | None = None,
    texcoord: int = 0,
    window: Window | None = None,
    picked: Mapping[int, Mask] | None = None,
) -> U8:
    """(size, size, 3) picture of `window` with the edges of every triangle; mirrored ones in rust, `picked`
    faces in gold.

    `ground` (H, W, C) uint8 lies under it on every tile, paled. `picked` are masks (F,) by number of the
    primitive.
    """
    window = window or window_of(prims, texcoord)
    out = _ground(ground, size, window)
    _tiles(out, window)
    wide = 1 if sum(len(triangles_of(p)) for p in prims) > MOST_FACES // 8 else 2
    for number, prim in enumerate(prims):
        uv, faces = _finite(prim, texcoord), triangles_of(prim)
        if uv is None or not len(faces):
            continue
        gold = (picked or {}).get(number, np.zeros(len(faces), bool))
        thin = np.zeros(len(faces), bool)
        thin[:: -(-len(faces) // MOST_FACES)] = True
        over = flipped(uv, faces)
        for chosen, tone, width in (
            (thin & ~over, TEAL, wide),
            (thin & over, RUST, wide),
            (gold, GOLD, wide + 1),
        ):
            if chosen.any():
                _draw(out, window.places(uv, size), faces[chosen], tone, width)
    return out


def island_at(prims: Sequence[Primitive], texcoord: int, u: float, v: float) -> dict[int, Mask]:
    """Faces (F,) by number of the primitive of the islands that lie under a texture coordinate; empty where
    none does.
    """
    out: dict[int, Mask] = {}
    for number, prim in enumerate(prims):
        uv, faces = _finite(prim, texcoord), triangles_of(prim)
        if uv is None or not len(faces):
            continue
        hit = _holding(uv, faces, u, v)
        if hit.any():
            label = _islands(uv, faces)
            out[number] = np.isin(label, label[hit])
    return out


def _finite(prim: Primitive, texcoord: int) -> npt.NDArray[np.float32] | None:
    if texcoord >= len(prim.texcoords) or not len(prim.positions):
        return None
    uv = prim.texcoords[texcoord]
    return uv if bool(np.isfinite(uv).all()) else None


def _holding(uv: npt.NDArray[np.float32], faces: npt.NDArray[np.uint32], u: float, v: float) -> Mask:
    """(F,) triangles that a point lies in."""
    a, b, c = (uv[faces[:, k]].astype(np.float64) for k in range(3))
    point = np.array([u, v])
    sides = []
    for p, q in ((a, b), (b, c), (c, a)):
        edge, to = q - p, point - p
        sides.append(edge[:, 0] * to[:, 1] - edge[:, 1] * to[:, 0])
    d = np.stack(sides)
    inside: Mask = ((d >= 0).all(axis=0) | (d <= 0).all(axis=0)) & (np.abs(d).max(axis=0) > 0)
    return inside


def _islands(uv: npt.NDArray[np.float32], faces: npt.NDArray[np.uint32]) -> npt.NDArray[np.intp]:
    """(F,) number of the island of each face: those that share a place in texture space hang together."""
    same = unique_rows([np.round(uv.astype(np.float64) * 1e5).astype(np.int64)])[1].astype(np.intp)[
        faces.astype(np.intp)
    ]
    count = int(same.max()) + 1
    links = sparse.coo_matrix(
        (np.ones(2 * len(faces), bool), (np.repeat(same[:, 0], 2), same[:, 1:].reshape(-1))),
        shape=(count, count),
    )
    label: npt.NDArray[np.intp] = sparse.csgraph.connected_components(links, directed=False)[1].astype(
        np.intp
    )
    return label[same[:, 0]]


def _ground(ground: npt.NDArray[Any] | None, size: int, window: Window) -> U8:
    out = np.full((size, size, 3), 246, np.uint8)
    if ground is None:
        return out
    at = (np.arange(size) + 0.5) / size * window.edge
    rows = (((at + window.top) % 1) * ground.shape[0]).astype(int) % ground.shape[0]
    columns = (((at + window.left) % 1) * ground.shape[1]).astype(int) % ground.shape[1]
    picked = ground[np.ix_(rows, columns)]
    tone = picked[:, :, :3] if picked.shape[2] >= 3 else np.repeat(picked[:, :, :1], 3, axis=2)
    share = np.full((size, size, 1), 0.22, np.float32)
    first = [(a + at >= 0) & (a + at < 1) for a in (window.top, window.left)]
    share[np.ix_(first[0], first[1])] = 0.5
    return (tone.astype(np.float32) * share + 246 * (1 - share)).astype(np.uint8)


def _tiles(out: U8, window: Window) -> None:
    """Lines between tiles; the first is framed heavily."""
    size = len(out)
    for axis, begin in ((0, window.top), (1, window.left)):
        whole = np.arange(np.ceil(begin), begin + window.edge + 1e-9)
        lines = np.clip(((whole - begin) / window.edge * size).astype(int), 0, size - 1)
        out[(lines, slice(None)) if axis == 0 else (slice(None), lines)] = TILE
    (x0, y0), (x1, y1) = (
        np.clip(window.places(np.array(p), size).astype(int), 0, size - 1) for p in ((0.0, 0.0), (1.0, 1.0))
    )
    for k in range(2):
        out[[min(y0 + k, size - 1), max(y1 - k, 0)], x0 : x1 + 1] = FIRST
        out[y0 : y1 + 1, [min(x0 + k, size - 1), max(x1 - k, 0)]] = FIRST


def _draw(
    out: U8, at: npt.NDArray[np.float64], faces: npt.NDArray[np.uint32], tone: npt.NDArray[Any], width: int
) -> None:
    """All edges, `width` pixels wide, as rows of points close enough to touch for the longest among them."""
    size = out.shape[0]
    at = np.clip(at, -1, size)
    a, b = at[faces.reshape(-1)], at[np.roll(faces, -1, axis=1).reshape(-1)]
    longest = float(np.quantile(np.abs(b - a).max(axis=1), 0.98))
    steps = int(np.clip(longest * 1.2, 2, min(2 * size, 4_000_000 // max(1, len(a)))))
    t = np.linspace(0, 1, steps, dtype=np.float32)[:, None, None]
    spots = np.floor(a + (b - a) * t).astype(np.intp).reshape(-1, 2)
    for dx in range(width):
        for dy in range(width):
            x, y = np.clip(spots[:, 0] + dx, 0, size - 1), np.clip(spots[:, 1] + dy, 0, size - 1)
            out[y, x] = tone
