"""Scanlines of Radiance pictures, each channel in runs. Source: "Radiance File Formats", RGBE scanlines (Ward)."""

from __future__ import annotations

from numba import njit, types

BYTES = types.Array(types.uint8, 1, "C", readonly=True)
OUT = types.Array(types.uint8, 3, "C")


@njit(types.int64(BYTES, OUT), cache=True, nogil=True)
def unpack(data, out):
    """Scanlines of `data` into `out` (H, W, 4). The number of whole rows: fewer than H where the data is damaged."""
    height, width, _ = out.shape
    size, at = data.shape[0], 0
    for y in range(height):
        if (
            at + 4 > size
            or data[at] != 2
            or data[at + 1] != 2
            or int(data[at + 2]) * 256 + int(data[at + 3]) != width
        ):
            return y
        at += 4
        for channel in range(4):
            x = 0
            while x < width:
                if at >= size:
                    return y
                count = int(data[at])
                at += 1
                if count > 128:
                    count -= 128
                    if at >= size or x + count > width:
                        return y
                    for k in range(count):
                        out[y, x + k, channel] = data[at]
                    at += 1
                else:
                    if count == 0 or at + count > size or x + count > width:
                        return y
                    for k in range(count):
                        out[y, x + k, channel] = data[at + k]
                    at += count
                x += count
    return height
