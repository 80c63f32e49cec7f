"""Where a texture lies on a surface: its UV set and its transform; and one texture brought to where another
lies.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.raster import covered
from customs.later import later
from customs.scene.model import Sampler, TextureUse
from customs.surface.colour import to_linear, to_srgb
from customs.surface.files.pillow import to_eight

ndimage = later("scipy.ndimage")
F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U8 = npt.NDArray[np.uint8]
U32 = npt.NDArray[np.uint32]
CLAMP, MIRROR = 33071, 33648
LONGEST = 4096
ALIKE = 6
"""Decimals within which two transforms are one."""


@dataclass(frozen=True)
class Lay:
    """A UV set and the rows of an affine matrix (2, 3), flat: (u', v') = M · (u, v, 1)."""

    texcoord: int
    matrix: tuple[float, ...]

    @property
    def plain(self) -> bool:
        """True when UVs are taken as they are."""
        return self.matrix == PLAIN

    @property
    def rows(self) -> F64:
        """The matrix (3, 3)."""
        return np.vstack([np.reshape(self.matrix, (2, 3)), (0.0, 0.0, 1.0)])

    def apply(self, uv: F32) -> F32:
        """UVs (V, 2) as the texture takes them."""
        if self.plain:
            return uv
        m = self.rows
        out: F32 = (uv.astype(np.float64) @ m[:2, :2].T + m[:2, 2]).astype(np.float32)
        return out


PLAIN = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)


def lay_of(use: TextureUse) -> Lay:
    """Of a texture's use. Source: KHR_texture_transform, translation · rotation · scale, V down."""
    c, s = float(np.cos(use.rotation)), float(np.sin(use.rotation))
    (ox, oy), (sx, sy) = use.offset, use.scale
    m = (c * sx, s * sy, ox, -s * sx, c * sy, oy)
    return Lay(use.texcoord, tuple(round(v, ALIKE) + 0.0 for v in m))


def plain_use(use: TextureUse, image: int) -> TextureUse:
    """The use of `image` on the first UV set, taken as it is."""
    return replace(use, image=image, texcoord=0, offset=(0.0, 0.0), rotation=0.0, scale=(1.0, 1.0))


def periodic(matrix: F64, sampler: Sampler) -> bool:
    """True when a texture taken through `matrix` (3, 3) repeats with the unit square, as whole numbers of it
    do.
    """
    linear = matrix[:2, :2]
    whole = bool(np.abs(linear - np.round(linear)).max() < 1e-4)
    return whole and CLAMP not in (sampler.wrap_s, sampler.wrap_t)


def through(pixels: npt.NDArray[Any], matrix: F64, sampler: Sampler, kind: str) -> U8:
    """A texture (H, W, C) as it lies over the unit square when it is taken at `matrix` (3, 3) · (u, v, 1)."""
    h, w = pixels.shape[:2]
    reach = np.abs(matrix[:2, :2]).sum(axis=0)
    width, height = (_edge(n * max(r, 0.25)) for n, r in zip((w, h), reach))
    u, v = np.meshgrid((np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height)
    at = np.stack([u, v, np.ones_like(u)], axis=-1) @ matrix[:2].T
    out = sampled(pixels, at.reshape(-1, 2), sampler, kind).reshape(height, width, -1)
    if kind == "normal":
        turn = _frame(np.broadcast_to(matrix[:2, :2], (1, 2, 2)))
        out[..., :2] = np.einsum("ij,hwj->hwi", turn[0], out[..., :2])
    return _levels(out, kind)


def brought(
    pixels: npt.NDArray[Any],
    parts: list[tuple[F32, F32, U32]],
    sampler: Sampler,
    kind: str,
    size: tuple[int, int],
) -> U8:
    """A texture taken at other UVs, laid out by these: `parts` are (UVs to lie at (V, 2), UVs it is taken at
    (V, 2), faces).

    Every pixel of a picture of `size` (width, height) takes what the texture shows at that spot of the
    surface; the rest takes the nearest of those, so that no seam shows when it is filtered.
    """
    width, height = size
    channels = 3 if kind == "normal" else pixels.shape[2]
    out = np.zeros((height, width, channels), np.float32)
    seen = np.zeros((height, width), dtype=bool)
    for target, source, faces in parts:
        owner, weights = covered(target, faces, width, height)
        hit = owner >= 0
        if not hit.any():
            continue
        face = owner[hit]
        at = np.einsum("nk,nkd->nd", weights[hit].astype(np.float64), source[faces[face]].astype(np.float64))
        values = sampled(pixels, at, sampler, kind)
        if kind == "normal":
            turn = _frame(_jacobians(target, source, faces))
            values[:, :2] = np.einsum("nij,nj->ni", turn[face], values[:, :2])
        out[hit], seen = values, seen | hit
    if seen.any() and not seen.all():
        rows, columns = ndimage.distance_transform_edt(~seen, return_distances=False, return_indices=True)
        out = out[rows, columns]
    return _levels(out, kind)


def size_for(pixels: npt.NDArray[Any], parts: list[tuple[F32, F32, U32]]) -> tuple[int, int]:
    """(width, height) at which a texture keeps its density on the surface when it is laid out by other
    UVs.
    """
    from customs.geometry.texcoords import uv_areas

    old = sum(float(np.abs(uv_areas(s, f)).sum()) for _, s, f in parts)
    new = sum(float(np.abs(uv_areas(t, f)).sum()) for t, _, f in parts)
    share = float(np.clip(np.sqrt(old / new), 0.25, 4)) if new > 0 else 1.0
    h, w = pixels.shape[:2]
    return _edge(w * share), _edge(h * share)


def _edge(pixels: float) -> int:
    """The nearest power of two, at most LONGEST."""
    return int(min(LONGEST, 2 ** max(2, round(float(np.log2(max(pixels, 1)))))))


def _jacobians(target: F32, source: F32, faces: U32) -> F64:
    """(F, 2, 2) d source / d target of each face."""
    t, s = target[faces].astype(np.float64), source[faces].astype(np.float64)
    a = np.stack([t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]], axis=-1)
    b = np.stack([s[:, 1] - s[:, 0], s[:, 2] - s[:, 0]], axis=-1)
    flat = np.abs(np.linalg.det(a)) < 1e-14
    a[flat] = np.eye(2)
    out: F64 = b @ np.linalg.inv(a)
    out[flat] = np.eye(2)
    return out


def _frame(jacobian: F64) -> F64:
    """(…, 2, 2) that turns red and green of a normal map from the directions of its own UVs to those it is
    laid out by.

    Along growing u and against growing v (green up) a vector keeps its direction on the surface.
    """
    j = jacobian.copy()
    j[np.abs(np.linalg.det(j)) < 1e-14] = np.eye(2)
    back = np.linalg.inv(j)
    u, v = back[..., :, 0], -back[..., :, 1]
    u = u / np.linalg.norm(u, axis=-1, keepdims=True)
    v = v / np.linalg.norm(v, axis=-1, keepdims=True)
    flip = np.array([1.0, -1.0])
    return np.stack([u * flip, v * flip], axis=-1)


def sampled(pixels: npt.NDArray[Any], at: F64, sampler: Sampler, kind: str) -> F32:
    """Bilinear values (N, C) 0..1 (colours in linear light, normals −1..1) of a texture at UVs (N, 2)."""
    source = to_eight(pixels).astype(np.float32) / np.float32(255)
    if kind == "colour":
        tone = 3 if source.shape[2] >= 3 else 1
        source = np.concatenate([to_linear(source[..., :tone]), source[..., tone:]], axis=2)
    if kind == "normal":
        source = source[..., :3] * 2 - 1
    h, w = source.shape[:2]
    x, y = at[:, 0] * w - 0.5, at[:, 1] * h - 0.5
    x0, y0 = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = (x - x0).astype(np.float32)[:, None], (y - y0).astype(np.float32)[:, None]
    columns = [_wrapped(x0 + k, w, sampler.wrap_s) for k in (0, 1)]
    rows = [_wrapped(y0 + k, h, sampler.wrap_t) for k in (0, 1)]
    top = source[rows[0], columns[0]] * (1 - fx) + source[rows[0], columns[1]] * fx
    low = source[rows[1], columns[0]] * (1 - fx) + source[rows[1], columns[1]] * fx
    out: F32 = top * (1 - fy) + low * fy
    return out


def _wrapped(index: npt.NDArray[np.int64], count: int, mode: int) -> npt.NDArray[np.int64]:
    """Pixel numbers brought into 0..count − 1 by a glTF wrap mode."""
    if mode == CLAMP:
        return np.clip(index, 0, count - 1)
    if mode == MIRROR:
        back = index % (2 * count)
        return np.where(back < count, back, 2 * count - 1 - back)
    return index % count


def _levels(values: F32, kind: str) -> U8:
    """Values as eight bits."""
    if kind == "normal":
        length = np.maximum(np.linalg.norm(values[..., :3], axis=-1, keepdims=True), 1e-6)
        values = values[..., :3] / length * 0.5 + 0.5
    elif kind == "colour":
        tone = 3 if values.shape[-1] >= 3 else 1
        values = np.concatenate([to_srgb(values[..., :tone]), values[..., tone:]], axis=-1)
    return np.clip(np.round(values * 255), 0, 255).astype(np.uint8)
