"""Textures of light, made by the library of the format, or by hand from its text."""

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


def rgbe_of(values: np.ndarray) -> np.ndarray:
    """(H, W, 4) uint8 of (H, W, 3) amounts: the exponent of the largest, mantissas cut off ("Real Pixels", Figure 1)."""
    top = values.max(axis=2)
    mantissa, exponent = np.frexp(top)
    scale = np.where(top > 1e-32, mantissa * 256 / np.maximum(top, 1e-38), 0)
    out = np.zeros((*values.shape[:2], 4), np.uint8)
    out[..., :3] = values * scale[..., None]
    out[..., 3] = np.where(top > 1e-32, exponent + 128, 0)
    return out


def hdr_of(rgbe: np.ndarray, runs: bool = True) -> bytes:
    """A Radiance picture of (H, W, 4) uint8: each channel of a row in runs, or flat."""
    height, width, _ = rgbe.shape
    out = bytearray(
        b"#?RADIANCE\n# made by hand\nFORMAT=32-bit_rle_rgbe\n\n" + f"-Y {height} +X {width}\n".encode()
    )
    if not runs:
        return bytes(out) + rgbe.tobytes()
    for row in rgbe:
        out += bytes((2, 2, width >> 8, width & 255))
        for channel in row.T:
            out += _channel(channel.tobytes())
    return bytes(out)


def _channel(values: bytes) -> bytes:
    out, at = bytearray(), 0
    while at < len(values):
        run = 1
        while at + run < len(values) and run < 127 and values[at + run] == values[at]:
            run += 1
        if run > 3:
            out += bytes((128 + run, values[at]))
        else:
            run = min(run + 2, len(values) - at)
            out += bytes((run,)) + values[at : at + run]
        at += run
    return bytes(out)
