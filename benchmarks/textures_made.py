"""Textures made by rules for judging the classifier and the green direction; none of the judges' thresholds
are used here.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.ndimage import gaussian_filter, map_coordinates, zoom
from scipy.spatial import cKDTree

Field = npt.NDArray[np.float64]
SIZE = 256


def spectrum(rng: np.random.Generator, slope: float, size: int = SIZE) -> Field:
    """Noise whose power falls with frequency, 0..1."""
    f = np.hypot(*np.meshgrid(np.fft.fftfreq(size), np.fft.fftfreq(size)))
    f[0, 0] = 1
    field = np.fft.ifft2(np.fft.fft2(rng.normal(size=(size, size))) / f**slope).real
    return (field - field.min()) / np.ptp(field)


def cells(rng: np.random.Generator, count: int, size: int = SIZE) -> tuple[Field, Field]:
    """(distance to the nearest of some points, which of them it is as 0..1), tiling."""
    points = rng.random((count, 2))
    tree = cKDTree(np.concatenate([points + (i, j) for i in (-1, 0, 1) for j in (-1, 0, 1)]))
    grid = (np.indices((size, size)).reshape(2, -1).T + 0.5) / size
    distance, index = tree.query(grid)
    return distance.reshape(size, size) * np.sqrt(count), rng.random(count)[index % count].reshape(size, size)


def reliefs(rng: np.random.Generator) -> Iterator[tuple[str, Field]]:
    """Height fields in pixels: noise, pebbles, cracks, dents, weave on the slant, scales, letters."""
    yield "noise", spectrum(rng, rng.uniform(1.2, 2.2)) * rng.uniform(8, 40)
    distance, _ = cells(rng, int(rng.integers(20, 200)))
    yield "pebbles", np.sqrt(np.clip(1 - distance**2, 0, 1)) * rng.uniform(4, 14)
    _near, tone = cells(rng, int(rng.integers(30, 120)))
    yield "slabs", gaussian_filter(tone * rng.uniform(4, 10), 1.2, mode="wrap")
    dents = np.zeros((SIZE, SIZE))
    for _ in range(40):
        y, x, r = *rng.random(2) * SIZE, rng.uniform(3, 18)
        dents -= 3 * np.exp(
            -((np.indices((SIZE, SIZE)) - np.array([y, x])[:, None, None]) ** 2).sum(0) / r**2
        )
    yield "dents", dents
    t, (y, x) = rng.uniform(0.3, 1.2), np.indices((SIZE, SIZE))
    yield (
        "weave",
        2 * np.sin((x * np.cos(t) + y * np.sin(t)) / 5) * np.sin((x * np.sin(t) - y * np.cos(t)) / 5),
    )
    yield "domes", rng.uniform(2, 5) * (np.abs(np.sin(x * np.pi / 32)) * np.abs(np.sin(y * np.pi / 32)))
    mixed = spectrum(rng, 1.8) * 20
    bricks = np.minimum(np.abs((x % 64) - 32), np.abs((y % 32) - 16))
    yield "worn bricks", gaussian_filter(np.minimum(bricks, 5), 1.0) + 0.15 * mixed


def aligned(rng: np.random.Generator) -> Iterator[tuple[str, Field]]:
    """Height fields with nothing but grooves along the axes: neither green direction can be told."""
    x, y = np.arange(SIZE)[None, :], np.arange(SIZE)[:, None]
    yield "grooves", np.broadcast_to(2 * np.sin(x / rng.uniform(3, 9)), (SIZE, SIZE)).copy()
    yield "rows", np.broadcast_to(2 * np.sin(y / rng.uniform(3, 9)), (SIZE, SIZE)).copy()
    yield "plaid", 2 * np.sin(x / rng.uniform(3, 9)) + 2 * np.sin(y / rng.uniform(3, 9))
    step = gaussian_filter(((x // 32) % 2 * 4.0), (0, 1.5), mode="wrap")
    yield "planks", np.broadcast_to(step, (SIZE, SIZE)).copy()


def normal_of(height: Field, up: bool, baked: np.random.Generator | None = None) -> npt.NDArray[np.uint8]:
    """Normal map of a height field by spectral derivatives; `baked` cuts it into turned islands on a flat
    ground.
    """
    f = 2j * np.pi * np.fft.fftfreq(height.shape[0])
    spectrum_ = np.fft.fft2(height)
    dx, dy = np.fft.ifft2(spectrum_ * f[None, :]).real, np.fft.ifft2(spectrum_ * f[:, None]).real
    v = np.stack([-dx, dy if up else -dy, np.ones_like(dx)], axis=-1)
    v /= np.linalg.norm(v, axis=-1, keepdims=True)
    if baked is not None:
        v = _islands(v, baked)
    return np.round(v * 127.5 + 127.5).astype(np.uint8)


def _islands(v: Field, rng: np.random.Generator) -> Field:
    """Pieces of a map moved about on a flat ground, as charts of an unwrapped model lie: vectors are of
    tangent space.
    """
    out = np.zeros_like(v)
    out[:, :, 2] = 1
    for _ in range(7):
        w, h = rng.integers(50, 110, 2)
        sy, sx, ty, tx = (int(rng.integers(0, SIZE - max(w, h))) for _ in range(4))
        yy, xx = np.indices((h, w))
        inside = ((yy - h / 2) / (h / 2)) ** 2 + ((xx - w / 2) / (w / 2)) ** 2 < rng.uniform(0.7, 1.4)
        out[ty : ty + h, tx : tx + w][inside] = v[sy : sy + h, sx : sx + w][inside]
    return out


def coloured(rng: np.random.Generator) -> npt.NDArray[np.uint8]:
    """A colour texture: a painted, weathered or printed surface of two to four hues."""
    count = int(rng.integers(2, 5))
    hues = rng.integers(20, 235, (count, 3)).astype(float)
    kind = rng.integers(0, 3)
    if kind == 0:
        index = np.clip(spectrum(rng, 1.5) * count, 0, count - 1)
    elif kind == 1:
        index = np.floor(cells(rng, 60)[1] * count)
    else:
        index = (np.indices((SIZE, SIZE)).sum(0) / rng.uniform(8, 30)) % count
    low = np.floor(index).astype(int) % count
    part = (index - np.floor(index))[..., None]
    colour = hues[low] * (1 - part) + hues[(low + 1) % count] * part
    shade = 0.6 + 0.4 * spectrum(rng, 1.0)
    return np.clip(colour * shade[..., None], 0, 255).astype(np.uint8)


def _grey(field: Field) -> npt.NDArray[np.uint8]:
    return np.clip(field * 255, 0, 255).astype(np.uint8)[..., None]


def labelled(count: int, seed: int = 1) -> Iterator[tuple[str, npt.NDArray[Any]]]:
    """(what it is, pixels) of at least `count` textures, all kinds in turn."""
    rng = np.random.default_rng(seed)
    made = 0
    while made < count:
        for what, pixels in _round(rng):
            yield what, pixels
            made += 1


def _round(rng: np.random.Generator) -> Iterator[tuple[str, npt.NDArray[Any]]]:
    heights = list(reliefs(rng))
    height = heights[int(rng.integers(len(heights)))][1]
    yield "normal", normal_of(height, bool(rng.integers(2)), rng if rng.random() < 0.4 else None)
    two = normal_of(heights[int(rng.integers(len(heights)))][1], True)[:, :, :2]
    yield (
        "two-channel normal",
        two if rng.random() < 0.5 else np.dstack([two, np.zeros(two.shape[:2], np.uint8)]),
    )
    smooth = gaussian_filter(height, rng.uniform(1, 3), mode="wrap")
    yield (
        "height",
        np.repeat(
            _grey(0.04 + 0.92 * (smooth - smooth.min()) / np.ptp(smooth)), int(rng.choice([1, 3])), axis=2
        ),
    )
    yield (
        "grey",
        _grey(rng.uniform(0.2, 0.7) + rng.uniform(0.05, 0.3) * (spectrum(rng, rng.uniform(0.3, 1.1)) - 0.5)),
    )
    shapes = cells(rng, int(rng.integers(10, 60)))[0] < rng.uniform(0.25, 0.5)
    yield "mask", _grey(np.clip(gaussian_filter(shapes.astype(float), 0.6), 0, 1))
    yield "colour", coloured(rng)
    yield "colour", coloured(rng)
    lamps = gaussian_filter((rng.random((SIZE, SIZE)) < 0.0006).astype(float), rng.uniform(2, 6))
    lamps = np.clip(lamps / lamps.max() * 1.6, 0, 1) ** 1.5
    yield "emissive", (lamps[..., None] * rng.integers(90, 256, 3)).astype(np.uint8)
    yield "packed", _packed(rng)


def _packed(rng: np.random.Generator) -> npt.NDArray[np.uint8]:
    """Occlusion, roughness, metallic of one surface, with what goes together going together."""
    distance, tone = cells(rng, int(rng.integers(8, 60)))
    occlusion = np.clip(0.4 + distance, 0, 1) if rng.random() < 0.7 else np.ones((SIZE, SIZE))
    rough = np.clip(rng.uniform(0.3, 0.6) + 0.3 * (spectrum(rng, 1.2) - 0.5) + 0.2 * (tone - 0.5), 0, 1)
    metal = [np.zeros((SIZE, SIZE)), (tone > rng.uniform(0.3, 0.7)).astype(float), np.ones((SIZE, SIZE))][
        int(rng.integers(3))
    ]
    return np.round(np.stack([occlusion, rough, metal], axis=-1) * 255).astype(np.uint8)


def pictures(seed: int = 5) -> Iterator[tuple[str, npt.NDArray[np.uint8]]]:
    """The stated set for enlarging: a colour field, slabs, letters' like edges, a leaf, a normal map; 256 ×
    256 × 3.
    """
    rng = np.random.default_rng(seed)
    yield "colour field", coloured(rng)
    tone = cells(rng, 40)[1]
    yield "slabs", np.repeat(_grey(gaussian_filter(tone, 0.7, mode="wrap")), 3, axis=2)
    big = (zoom(rng.integers(0, 2, (32, 32)).astype(float), 16, order=0) > 0.5).astype(float)
    warped = map_coordinates(
        big, np.indices((512, 512)) + 6 * np.sin(np.indices((512, 512))[::-1] / 40), order=1, mode="wrap"
    )
    yield "edges", np.repeat(_grey(np.clip(warped.reshape(256, 2, 256, 2).mean((1, 3)), 0, 1)), 3, axis=2)
    distance, _ = cells(rng, 30)
    yield "pebbles", np.repeat(_grey(np.sqrt(np.clip(1 - distance**2, 0, 1))), 3, axis=2)
    yield "normals", normal_of(spectrum(rng, 2.0) * 30, True)
