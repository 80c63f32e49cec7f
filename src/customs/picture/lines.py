"""Ground grid and dimension lines, as coloured line ends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
INK, SOFT = (0.12, 0.18, 0.20), (0.36, 0.43, 0.46)


@dataclass(frozen=True)
class Label:
    """Words at a world place (m)."""

    place: tuple[float, float, float]
    text: str


def grid_step(distance: float) -> float:
    """Spacing of the ground grid (m): a power of ten that suits a camera at `distance` m."""
    return float(10.0 ** np.clip(np.floor(np.log10(max(distance, 1e-6) / 2.2)), -3, 4))


def grid(distance: float, centre: tuple[float, float, float], evening: bool) -> F32:
    """Ends (2N, 7: x y z r g b a) of grid lines on the ground about `centre`; every tenth is darker."""
    step = grid_step(distance)
    count = 22
    middle = np.round(np.array([centre[0], centre[2]]) / step)
    k = np.arange(-count, count + 1)
    reach = count * step
    out = []
    tone = np.array((0.75, 0.80, 0.80) if evening else SOFT)
    for axis in (0, 1):
        at = (k + middle[axis]) * step
        other = middle[1 - axis] * step
        ends = np.zeros((len(k), 2, 7), dtype=np.float32)
        ends[:, :, 0 if axis == 0 else 2] = at[:, None]
        ends[:, :, 2 if axis == 0 else 0] = np.array([other - reach, other + reach])
        ends[:, :, 3:6] = tone
        strong = np.round(at / step) % 10 == 0
        ends[:, :, 6] = np.where(strong, 0.75, 0.32)[:, None]
        out.append(ends.reshape(-1, 7))
    return np.concatenate(out)


def dimension_lines(low: Any, high: Any, evening: bool) -> tuple[F32, list[Label]]:
    """Height, width and depth of a box beside it: line ends (2N, 7) and their labels in metres."""
    low, high = np.asarray(low, dtype=float), np.asarray(high, dtype=float)
    size = high - low
    gap = max(float(size.max()) * 0.08, 1e-4)
    tick = gap * 0.35
    tone = (0.9, 0.92, 0.9) if evening else INK
    spans = [
        (
            np.array([high[0] + gap, low[1], high[2]]),
            np.array([high[0] + gap, high[1], high[2]]),
            np.array([tick, 0, 0]),
            size[1],
        ),
        (
            np.array([low[0], low[1], high[2] + gap]),
            np.array([high[0], low[1], high[2] + gap]),
            np.array([0, 0, tick]),
            size[0],
        ),
        (
            np.array([low[0] - gap, low[1], low[2]]),
            np.array([low[0] - gap, low[1], high[2]]),
            np.array([tick, 0, 0]),
            size[2],
        ),
    ]
    lines, labels = [], []
    for a, b, t, length in spans:
        for p, q in ((a, b), (a - t, a + t), (b - t, b + t)):
            lines += [(*p, *tone, 1.0), (*q, *tone, 1.0)]
        middle = (a + b) / 2
        labels.append(
            Label((float(middle[0]), float(middle[1]), float(middle[2])), length_text(float(length)))
        )
    return np.array(lines, dtype=np.float32), labels


def length_text(metres: float) -> str:
    """`1.784 m`, `42.0 cm`, `8.20 mm` or `1,204 m`."""
    if metres >= 100:
        return f"{metres:,.0f} m"
    if metres >= 1:
        return f"{metres:.3f} m"
    if metres >= 0.01:
        return f"{metres * 100:.1f} cm"
    return f"{metres * 1000:.2f} mm"


def box_lines(low: Any, high: Any, evening: bool) -> F32:
    """The twelve edges of a box, faint: (24, 7)."""
    corners = np.array(
        [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
    )
    pairs = [(a, b) for a in range(8) for b in range(a + 1, 8) if bin(a ^ b).count("1") == 1]
    tone = (0.9, 0.92, 0.9) if evening else SOFT
    return np.array([(*corners[k], *tone, 0.45) for pair in pairs for k in pair], dtype=np.float32)
