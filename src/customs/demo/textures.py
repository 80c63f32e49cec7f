"""Textures made by code: colours as uint8 arrays (H, W, 3 or 4), rows from the top."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import numpy.typing as npt
import PIL.Image
import PIL.ImageDraw

Pixels = npt.NDArray[np.uint8]
Field = npt.NDArray[np.float64]


def noise(size: tuple[int, int], cells: int, seed: int, octaves: int = 4, stretch: float = 1.0) -> Field:
    """Tiling value noise (H, W) in 0..1; `stretch` lengthens it along V."""
    rng = np.random.default_rng(seed)
    height, width = size
    out, weight, total = np.zeros(size), 1.0, 0.0
    for k in range(octaves):
        nx = cells * 2**k
        ny = max(1, int(nx / stretch))
        table = rng.random((ny, nx))
        y, x = np.arange(height) / height * ny, np.arange(width) / width * nx
        iy, ix = y.astype(int), x.astype(int)
        fy, fx = _smooth(y - iy)[:, None], _smooth(x - ix)[None, :]
        a, b = table[iy % ny][:, ix % nx], table[iy % ny][:, (ix + 1) % nx]
        c, d = table[(iy + 1) % ny][:, ix % nx], table[(iy + 1) % ny][:, (ix + 1) % nx]
        out += weight * ((a * (1 - fx) + b * fx) * (1 - fy) + (c * (1 - fx) + d * fx) * fy)
        total += weight
        weight *= 0.5
    return out / total


def _smooth(t: Field) -> Field:
    return t * t * (3 - 2 * t)


def ramp(values: Field, colours: list[tuple[int, int, int]]) -> Pixels:
    """Colours (H, W, 3) along a ramp for values 0..1."""
    stops = np.linspace(0, 1, len(colours))
    table = np.array(colours, dtype=float)
    planes = [np.interp(np.clip(values, 0, 1), stops, table[:, c]) for c in range(3)]
    return np.stack(planes, axis=-1).astype(np.uint8)


def verdigris(size: int, seed: int) -> tuple[Pixels, Pixels]:
    """Copper gone green in patches: (colour, occlusion-roughness-metallic)."""
    shape = (size, size)
    patches = np.clip((noise(shape, 3, seed) - 0.42) * 5, 0, 1)
    grain = noise(shape, 24, seed + 1, 3)
    copper = ramp(grain, [(120, 66, 34), (168, 98, 52), (196, 130, 76)]).astype(float)
    green = ramp(grain, [(42, 104, 92), (74, 148, 128), (120, 184, 160)]).astype(float)
    colour = copper * (1 - patches[..., None]) + green * patches[..., None]
    rough = 0.34 + 0.42 * patches + 0.12 * grain
    return colour.astype(np.uint8), _packed(1 - 0.25 * (grain < 0.35), rough, 1 - 0.85 * patches)


def _packed(occlusion: npt.NDArray[Any], rough: npt.NDArray[Any], metal: npt.NDArray[Any]) -> Pixels:
    return (np.clip(np.stack([occlusion, rough, metal], axis=-1), 0, 1) * 255).astype(np.uint8)


def brass(size: int, seed: int) -> tuple[Pixels, Pixels]:
    """Brushed brass: (colour, occlusion-roughness-metallic)."""
    shape = (size, size)
    brushed = noise(shape, 64, seed, 2, stretch=24)
    wear = noise(shape, 4, seed + 1)
    colour = ramp(0.6 * brushed + 0.4 * wear, [(122, 88, 36), (178, 134, 60), (218, 180, 98)])
    return colour, _packed(np.ones(shape), 0.28 + 0.3 * wear, 0.92 + 0 * wear)


def wood(width: int, height: int, seed: int, planks: int = 4) -> Pixels:
    """Planks with grain along V."""
    shape = (height, width)
    x = np.arange(width) / width * planks
    tone = np.random.default_rng(seed).random(planks)[x.astype(int) % planks][None, :]
    grain = noise(shape, 40, seed + 1, 3, stretch=12)
    gap = (np.abs(x - np.round(x)) < 0.02)[None, :]
    value = 0.25 + 0.35 * tone + 0.4 * (grain - 0.3)
    out = ramp(value, [(62, 40, 24), (118, 80, 46), (168, 124, 76)])
    out[np.broadcast_to(gap, shape)] //= 3
    return out


def stone(size: int, seed: int) -> Pixels:
    """Pale stone with veins."""
    base = noise((size, size), 5, seed)
    veins = np.abs(noise((size, size), 4, seed + 1) - 0.5)
    out = ramp(base, [(150, 146, 134), (188, 184, 170), (210, 206, 194)])
    out[veins < 0.02] = (120, 124, 116)
    return out


def glass(size: int, seed: int) -> Pixels:
    """Old greenish glass with alpha (H, W, 4): mostly half clear, streaked."""
    streak = noise((size, size), 6, seed, 3, stretch=8)
    colour = ramp(streak, [(150, 196, 184), (186, 220, 208), (214, 236, 226)])
    alpha = (90 + 60 * streak).astype(np.uint8)
    return np.dstack([colour, alpha])


def fern_leaf(size: int, seed: int) -> Pixels:
    """A frond with leaflets on a clear ground (H, W, 4): tip at the top."""
    big = size * 2
    rng = np.random.default_rng(seed)
    picture = PIL.Image.new("RGBA", (big, big), (46, 84, 38, 0))
    draw = PIL.ImageDraw.Draw(picture)
    mid = big / 2
    for k in range(26):
        t = k / 26
        y, reach = big * (0.97 - 0.92 * t), big * 0.46 * np.sin(np.pi * min(1, 0.16 + 0.84 * (1 - t) ** 0.9))
        thick = max(3, big * 0.034 * (1 - 0.6 * t))
        for side in (-1, 1):
            green = tuple(int(v) for v in rng.integers((40, 98, 34), (96, 150, 62)))
            tip = (mid + side * reach, y - reach * 0.42)
            elbow = (mid + side * reach * 0.5, y - reach * 0.1 - thick)
            below = (mid + side * reach * 0.5, y - reach * 0.14 + thick)
            draw.polygon(
                [(mid, y - thick * 0.4), elbow, tip, below, (mid, y + thick * 0.5)], fill=(*green, 255)
            )
    draw.line([(mid, big * 0.99), (mid, big * 0.05)], fill=(92, 88, 44, 255), width=max(3, big // 70))
    return np.asarray(picture.resize((size, size), PIL.Image.Resampling.LANCZOS))


def feather(size: int, seed: int) -> Pixels:
    """Overlapping copper scales, rows offset by half: the stork's plumage."""
    y, x = np.mgrid[0:size, 0:size] / size
    rows, columns = 14, 9
    v = y * rows
    row = np.floor(v)
    u = x * columns + 0.5 * (row % 2)
    fu, fv = u - np.floor(u) - 0.5, v - row
    edge = np.clip(1 - np.hypot(fu * 2, fv * 1.05), 0, 1)
    tone = np.random.default_rng(seed).random((rows + 1, columns + 2))[
        row.astype(int), np.floor(u).astype(int)
    ]
    grain = noise((size, size), 32, seed, 2)
    value = 0.15 + 0.5 * edge + 0.25 * tone + 0.15 * grain
    return ramp(value, [(70, 38, 22), (140, 84, 42), (186, 124, 62), (220, 170, 100)])


def bumps(height: Field, strength: float) -> Pixels:
    """Normal map (H, W, 3), green up, of a height field (H, W) that tiles."""
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * strength
    dy = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) * strength
    n = np.stack([-dx, dy, np.ones_like(height)], axis=-1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return np.round(n * 127.5 + 127.5).astype(np.uint8)


def encoded(pixels: npt.NDArray[Any], form: str) -> bytes:
    """File bytes in PNG, BMP, TGA or JPEG."""
    out = io.BytesIO()
    PIL.Image.fromarray(pixels).save(out, form.upper())
    return out.getvalue()
