"""EXR: numbers of light without bounds, read and brought to sixteen bits.

Source: "Technical Introduction to OpenEXR" and "OpenEXR File Layout" (openexr.com); read by the library OpenEXR.
"""

from __future__ import annotations

import struct
from typing import Any

import numpy.typing as npt

from customs.aside.ask import ask_aside, shared_file
from customs.errors import ReadError, UnsupportedError
from customs.surface.files.base import ImageInfo, Pixels, TextureFormat, register
from customs.surface.files.light import clipped, share_outside
from customs.surface.files.mips import plausible

MAGIC = b"\x76\x2f\x31\x01"
DEEP, PARTS = 0x800, 0x1000
"""Bits of the version field."""
MOST_HEADER = 1 << 20
WORK = "customs.surface.files.exr_work"
COUNTS = (
    (4, ("R", "G", "B", "A")),
    (3, ("R", "G", "B")),
    (2, ("Y", "A")),
    (1, ("Y",)),
    (2, ("R", "G")),
    (1, ("R",)),
)


def _attributes(data: bytes) -> dict[str, bytes]:
    """The header's attributes by name ("OpenEXR File Layout", Header). Raises ReadError."""
    at, out = 8, dict[str, bytes]()
    try:
        while data[at] != 0:
            name = data.index(b"\0", at, at + 256)
            kind = data.index(b"\0", name + 1, name + 257)
            (size,) = struct.unpack_from("<i", data, kind + 1)
            begin = kind + 5
            if size < 0 or begin + size > min(len(data), MOST_HEADER):
                raise ValueError
            out[data[at:name].decode("latin-1")] = data[begin : begin + size]
            at = begin + size
    except (ValueError, IndexError, struct.error):
        raise ReadError("a header that is cut off or damaged", "an EXR header", "Export it again.") from None
    return out


def _names(channels: bytes) -> set[str]:
    """Names in a list of channels: each a name, a zero and sixteen bytes."""
    out, at = set[str](), 0
    while at < len(channels) and channels[at] != 0 and (end := channels.find(b"\0", at)) > 0:
        out.add(channels[at:end].decode("latin-1"))
        at = end + 17
    return out


def _info(data: bytes) -> ImageInfo:
    version = int.from_bytes(data[4:8], "little")
    if version & (DEEP | PARTS):
        what = "deep data" if version & DEEP else "several parts"
        raise UnsupportedError(f"EXR with {what}", "one flat picture", "Export it flat.")
    said = _attributes(data)
    window, channels = said.get("dataWindow", b""), said.get("channels", b"")
    if len(window) != 16:
        raise ReadError("no data window", "an EXR header", "Export it again.")
    left, top, right, bottom = struct.unpack("<4i", window)
    width, height = right - left + 1, bottom - top + 1
    plausible(width, height)
    names = _names(channels)
    count = next((n for n, wanted in COUNTS if set(wanted) <= names), 0)
    if not count:
        raise UnsupportedError(
            f"channels {', '.join(sorted(names))[:80]}", "R G B, Y or R", "Export colours."
        )
    return ImageInfo(width, height, count, 16, "exr", "linear", light=True)


def _values(data: bytes) -> npt.NDArray[Any]:
    """(H, W, C) float32, as they are."""
    info = _info(data)
    with shared_file() as shared:
        shared.file.write(data)
        shared.file.flush()
        answer = ask_aside(WORK, {"file": str(shared.place)}, shared.place, named=False)
    out = answer.array(answer.header["pixels"])
    if out.shape != (info.height, info.width, info.channels):
        raise ReadError(f"pixels {out.shape}", f"{info.width} × {info.height}", "Export it again.")
    return out


def _decode(data: bytes) -> Pixels:
    return clipped(_values(data))


def outside(data: bytes) -> float:
    """Share of pixels that are clipped."""
    return share_outside(_values(data))


register(
    TextureFormat(
        id="exr",
        title="EXR",
        endings=(".exr",),
        mime="image/x-exr",
        looks_like=lambda data: data[:4] == MAGIC,
        info=_info,
        decode=_decode,
        outside=outside,
    )
)
