"""Textures of light, made by the library of the format."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenEXR


def exr_of(values: np.ndarray, path: Path, names: tuple[str, ...] = ()) -> bytes:
    """An EXR of (H, W, C) float32, written by OpenEXR 3.5: `names` of its channels, RGB, RGBA or Y unless given."""
    path.parent.mkdir(parents=True, exist_ok=True)
    usual = {1: ("Y",), 3: ("R", "G", "B"), 4: ("R", "G", "B", "A")}
    planes = {
        n: np.ascontiguousarray(values[:, :, k], np.float32)
        for k, n in enumerate(names or usual[values.shape[2]])
    }
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with OpenEXR.File(header, planes) as file:
        file.write(str(path))
    return path.read_bytes()
