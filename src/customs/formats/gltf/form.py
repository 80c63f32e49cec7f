"""What a sheet may ask of the form of a glTF: attributes as whole numbers, buffers compressed."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from customs.scene.settings import Settings

F32 = npt.NDArray[np.float32]
QUANTISED = "KHR_mesh_quantization"


class GltfForm(Settings):
    """How arrays are kept in the file."""

    quantised: bool = Field(default=False, description="attributes as whole numbers of one or two bytes")
    compression: Literal["", "meshopt", "draco"] = Field(default="", description="how buffers are packed")


def shares(values: F32, dtype: type[np.integer[Any]]) -> npt.NDArray[Any]:
    """Values from −1 or 0 to 1 as shares of the greatest of a type (glTF 2.0, 3.6.2.2), rounded."""
    top = np.iinfo(dtype).max
    low = -top if np.iinfo(dtype).min < 0 else 0
    return np.clip(np.rint(values * np.float32(top)), low, top).astype(dtype)


def weight_shares(weights: F32) -> npt.NDArray[np.uint16]:
    """Weights (V, 4) that sum to one as shares (V, 4) of 65,535 that sum to it: what rounding leaves goes to the
    heaviest. Rows of other sums keep theirs.
    """
    out = shares(weights, np.uint16).astype(np.int64)
    whole = np.abs(weights.sum(axis=1) - 1) < 1e-3
    rest = np.where(whole, 65535 - out.sum(axis=1), 0)
    heaviest = out.argmax(axis=1)
    out[np.arange(len(out)), heaviest] += rest
    return np.clip(out, 0, 65535).astype(np.uint16)


def small_texcoords(values: F32) -> npt.NDArray[np.uint16] | None:
    """UVs as shares of 65,535, None where some lie outside of 0 to 1."""
    return shares(values, np.uint16) if len(values) and values.min() >= 0 and values.max() <= 1 else None
