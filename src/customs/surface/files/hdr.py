"""HDR pictures of Radiance (RGBE): numbers of light without bounds, read and brought to sixteen bits.

Source: "Radiance File Formats" and G. Ward, "Real Pixels", Graphics Gems II (1991), II.5.
"""

from __future__ import annotations

import re
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.errors import ReadError, UnsupportedError
from customs.kernels.store import kernel_for
from customs.surface.files.base import ImageInfo, Pixels, TextureFormat, register
from customs.surface.files.light import clipped, share_outside
from customs.surface.files.mips import plausible

MARKS = (b"#?RADIANCE", b"#?RGBE")
MOST_HEADER = 1 << 16
SIZE = re.compile(rb"([-+])Y (\d{1,6}) ([-+])X (\d{1,6})\n")
RUNS = range(8, 32768)
"""Widths that scanlines in runs can have."""
U8 = npt.NDArray[np.uint8]


def _head(data: bytes) -> tuple[int, int, int]:
    """(width, height, where the pixels begin). Raises ReadError, UnsupportedError."""
    end = data.find(b"\n\n", 0, MOST_HEADER)
    found = SIZE.match(data, end + 2) if end > 0 else None
    if found is None:
        raise ReadError("no size after the header", "-Y height +X width", "Export it again.")
    form = re.search(rb"^FORMAT=(.*)$", data[:end], re.M)
    if form is not None and form[1].strip() != b"32-bit_rle_rgbe":
        raise UnsupportedError(form[1].decode("latin-1")[:60], "32-bit_rle_rgbe", "Export it as RGBE.")
    if (found[1], found[3]) != (b"-", b"+"):
        raise UnsupportedError("rows or columns turned around", "-Y height +X width", "Export it upright.")
    width, height = int(found[4]), int(found[2])
    plausible(width, height)
    return width, height, found.end()


def _info(data: bytes) -> ImageInfo:
    width, height, _ = _head(data)
    return ImageInfo(width, height, 3, 16, "hdr", "linear", light=True)


def unpacked_by_runs(data: bytes, out: U8) -> int:
    """As the kernel `runs.unpack`, a run at a time."""
    height, width, _ = out.shape
    at = 0
    for y in range(height):
        if data[at : at + 4] != bytes((2, 2, width >> 8, width & 255)):
            return y
        at += 4
        for channel in range(4):
            x = 0
            while x < width:
                if at >= len(data):
                    return y
                count, many = data[at] & 127 if data[at] > 128 else data[at], data[at] > 128
                part = data[at + 1 : at + 2] if many else data[at + 1 : at + 1 + count]
                if not count or len(part) < (1 if many else count) or x + count > width:
                    return y
                out[y, x : x + count, channel] = np.frombuffer(part, np.uint8)
                at += 1 + len(part)
                x += count
    return height


def _rgbe(data: bytes) -> U8:
    """(H, W, 4): mantissas and the exponent of each pixel."""
    width, height, begin = _head(data)
    body = data[begin:]
    if body[:2] != b"\x02\x02" or width not in RUNS:
        if len(body) < width * height * 4:
            raise ReadError(
                f"{len(body):,} bytes of pixels", f"{width * height * 4:,}, or runs", "Export it again."
            )
        return np.frombuffer(body, np.uint8, width * height * 4).reshape(height, width, 4)
    # Four bytes a scanline, and two for each run of 127 at most, are the least there can be.
    if len(body) < height * (4 + 8 * -(-width // 127)):
        raise ReadError(
            f"{len(body):,} bytes for {width} × {height}", "a whole picture", "It was cut off: copy it again."
        )
    out = np.zeros((height, width, 4), np.uint8)
    fast = kernel_for("runs", out.size)
    rows = unpacked_by_runs(body, out) if fast is None else fast.unpack(np.frombuffer(body, np.uint8), out)
    if rows < height:
        raise ReadError(f"row {rows} is broken", f"{height} whole rows", "Export it again.")
    return out


def _values(data: bytes) -> npt.NDArray[Any]:
    """(H, W, 3) float32: (mantissa + ½) / 256 · 2^(exponent − 128), nothing for an exponent of 0."""
    rgbe = _rgbe(data)
    scale = np.ldexp(np.float32(1), rgbe[..., 3].astype(np.int32) - 136)
    scale[rgbe[..., 3] == 0] = 0
    return (rgbe[..., :3].astype(np.float32) + np.float32(0.5)) * scale[..., None].astype(np.float32)


def _decode(data: bytes) -> Pixels:
    return clipped(_values(data))


register(
    TextureFormat(
        id="hdr",
        title="HDR",
        endings=(".hdr",),
        mime="image/vnd.radiance",
        looks_like=lambda data: data.startswith(MARKS),
        info=_info,
        decode=_decode,
        outside=lambda data: share_outside(_values(data)),
    )
)
