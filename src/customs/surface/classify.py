"""What a texture holds, told from its pixels alone."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

Content = Literal[
    "normal", "two-channel normal", "height", "grey", "mask", "colour", "emissive", "packed", "flat"
]
SIDE = 256
"""Pixels looked at along each edge, taken evenly."""
NORMALS = 0.75
"""Share of unit vectors from which a texture counts as a normal map."""
F32 = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Guess:
    """What it seems to be, how sure (0..1) and why."""

    content: Content
    sure: float
    reason: str


def sample(pixels: npt.NDArray[Any]) -> F32:
    """At most SIDE × SIDE pixels (h, w, C) of an image, 0..1, taken evenly."""
    rows = np.unique(np.linspace(0, pixels.shape[0] - 1, min(pixels.shape[0], SIDE)).astype(int))
    columns = np.unique(np.linspace(0, pixels.shape[1] - 1, min(pixels.shape[1], SIDE)).astype(int))
    return pixels[np.ix_(rows, columns)].astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max)


def classify(pixels: npt.NDArray[Any]) -> Guess:
    """Judge pixels (H, W, C)."""
    values = sample(pixels)
    channels = values.shape[2]
    if channels == 2 and _two_channel(values):
        return Guess("two-channel normal", 0.8, "two channels about a half each, never longer than one")
    if channels <= 2:
        return _grey(values[:, :, 0])
    rgb = values[:, :, :3]
    if float(rgb.std(axis=(0, 1)).max()) < 0.004:
        return Guess("flat", 0.9, "one single value")
    found = _normal(rgb)
    if found is not None:
        return found
    spread = rgb.max(axis=2) - rgb.min(axis=2)
    if float((spread < 0.02).mean()) > 0.985:
        return _grey(rgb[:, :, 1])
    return _coloured(rgb, spread)


def _two_channel(values: F32) -> bool:
    v = values[:, :, :2] * 2 - 1
    length = np.einsum("ijk,ijk->ij", v, v)
    return bool((length <= 1.02).mean() > 0.99 and np.abs(v.mean(axis=(0, 1))).max() < 0.2 and v.std() > 0.01)


def unit_vectors(rgb: F32) -> float:
    """Share of the pixels (h, w, 3), 0..1, that are vectors one long; 0 where on average they do not lean
    outward.
    """
    v = rgb * 2 - 1
    outward = _lean(rgb) < 0.3 and float(v[:, :, 2].mean()) > 0.35
    return float((np.abs(np.sqrt(np.einsum("ijk,ijk->ij", v, v)) - 1) < 0.12).mean()) if outward else 0.0


def holds_normals(pixels: npt.NDArray[Any]) -> bool:
    """True for pixels (H, W, C) that are a normal map, be it one of a single value."""
    return pixels.shape[2] >= 3 and unit_vectors(sample(pixels)[:, :, :3]) > NORMALS


def _lean(rgb: F32) -> float:
    return float(np.abs((rgb[:, :, :2] * 2 - 1).mean(axis=(0, 1))).max())


def _normal(rgb: F32) -> Guess | None:
    whole = unit_vectors(rgb)
    if whole > NORMALS:
        return Guess(
            "normal",
            min(0.99, whole),
            f"{whole * 100:.0f} % of its pixels are unit vectors that lean outward",
        )
    blue = rgb[:, :, 2]
    flat_blue = float(blue.std()) < 0.01 and (float(blue.mean()) < 0.02 or float(blue.mean()) > 0.98)
    if flat_blue and _two_channel(rgb) and _lean(rgb) < 0.15:
        return Guess("two-channel normal", 0.8, "red and green are a half on average, blue is empty")
    return None


def _grey(tone: F32) -> Guess:
    """Masks, heights and other data of one value."""
    if float(tone.std()) < 0.004:
        return Guess("flat", 0.9, f"one single value, {float(tone.mean()):.2f}")
    ends = float(((tone < 0.04) | (tone > 0.96)).mean())
    if ends > 0.88 and min(float((tone < 0.5).mean()), float((tone >= 0.5).mean())) > 0.01:
        return Guess("mask", min(0.95, ends), f"{ends * 100:.0f} % is black or white")
    across = np.abs(np.diff(tone, axis=1)).mean() + np.abs(np.diff(tone, axis=0)).mean()
    rough = float(across / 2 / max(float(tone.std()), 1e-3))
    spread = float(np.quantile(tone, 0.98) - np.quantile(tone, 0.02))
    if rough < 0.22 and spread > 0.45 and 0.2 < float(tone.mean()) < 0.8:
        return Guess("height", 0.6, f"grey, smooth, over {spread * 100:.0f} % of the range")
    return Guess("grey", 0.7, f"grey, mean {float(tone.mean()):.2f}")


def _coloured(rgb: F32, spread: F32) -> Guess:
    bright = rgb.max(axis=2)
    dark = float((bright < 0.06).mean())
    lit = float((bright > 0.45).mean())
    if dark > 0.55 and lit > 0.001:
        return Guess("emissive", min(0.95, 0.5 + dark / 2), f"{dark * 100:.0f} % black with lit places")
    packed = _packed(rgb)
    if packed:
        return Guess("packed", 0.75, packed)
    return Guess(
        "colour", 0.8 if float(spread.mean()) > 0.04 else 0.6, "channels move together as colours do"
    )


def _packed(rgb: F32) -> str:
    """Why it looks like several values in one texture, or ""."""
    flat = rgb.reshape(-1, 3)
    deviation, mean = flat.std(axis=0), flat.mean(axis=0)
    constant = (deviation < 0.012) & ((mean < 0.02) | (mean > 0.98))
    if constant.any() and deviation.max() > 0.02:
        return "a channel is constantly empty or full while another varies"
    if (deviation < 0.012).any() and np.ptp(mean) > 0.25:
        return "a channel stands still while another varies"
    with np.errstate(invalid="ignore", divide="ignore"):
        table = np.nan_to_num(np.asarray(np.corrcoef(flat[:: max(1, len(flat) // 20000)].T)))
    pairs = np.array([table[0, 1], table[1, 2], table[0, 2]])
    ends = ((flat < 0.04) | (flat > 0.96)).mean(axis=0)
    # Paints of several hues part the channels as well: only one that clings to black and white is no colour.
    if pairs.min() < 0.25 and np.abs(pairs).mean() < 0.5 and ends.max() > 0.45:
        return "its channels have little to do with each other, and one is black or white"
    if ends.max() > 0.9 and ends.min() < 0.5 and np.abs(pairs).min() < 0.5:
        return "one channel is a mask, another is not"
    return ""
