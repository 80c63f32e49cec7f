"""Specular-glossiness to metallic-roughness.

Source: the conversion published with KHR_materials_pbrSpecularGlossiness in the Khronos archive of glTF
extensions.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
DIELECTRIC = 0.04
"""Specular reflectance of what is no metal (linear)."""
TINY = 1e-6


@dataclass(frozen=True)
class MetalRough:
    """`base` (…, 3) linear, `metallic` and `roughness` (…)."""

    base: F32
    metallic: F32
    roughness: F32


def brightness(colour: F32) -> F32:
    """Perceived brightness (…) of linear colours (…, 3): √(0.299 r² + 0.587 g² + 0.114 b²)."""
    return np.sqrt(colour**2 @ np.array([0.299, 0.587, 0.114], np.float32)).astype(np.float32)


def solve_metallic(diffuse: F32, specular: F32, rest: F32) -> F32:
    """Metallic (…) from brightnesses; `rest` is one minus the strongest specular channel."""
    a = DIELECTRIC
    b = diffuse * rest / (1 - DIELECTRIC) + specular - 2 * DIELECTRIC
    c = DIELECTRIC - specular
    root = np.sqrt(np.maximum(b * b - 4 * a * c, 0))
    return np.where(specular < DIELECTRIC, 0, np.clip((root - b) / (2 * a), 0, 1)).astype(np.float32)


def converted(diffuse: F32, specular: F32, glossiness: F32) -> MetalRough:
    """From linear `diffuse`, `specular` (…, 3) and `glossiness` (…)."""
    rest = 1 - specular.max(axis=-1)
    metallic = solve_metallic(brightness(diffuse), brightness(specular), rest)
    from_diffuse = diffuse * (rest / (1 - DIELECTRIC) / np.maximum(1 - metallic, TINY))[..., None]
    from_specular = (specular - (DIELECTRIC * (1 - metallic))[..., None]) / np.maximum(metallic, TINY)[
        ..., None
    ]
    share = (metallic * metallic)[..., None]
    base = np.clip(from_diffuse * (1 - share) + from_specular * share, 0, 1).astype(np.float32)
    return MetalRough(base, metallic, (1 - glossiness).astype(np.float32))
