"""PNG. Source: Portable Network Graphics specification, W3C, third edition."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator, Sequence

import numpy as np

from customs.errors import ReadError
from customs.kernels.store import kernel
from customs.surface.files.base import Coding, ImageInfo, Pixels, Space, TextureFormat, register
from customs.surface.files.pillow import decoded, header, saved

MARK = b"\x89PNG\r\n\x1a\n"
COLOUR_TYPES = {1: 0, 2: 4, 3: 2, 4: 6}
LEVEL = 6


def _chunks(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """(kind, body) of the chunks before the pixels."""
    at = len(MARK)
    while at + 8 <= len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        if kind == b"IDAT":
            return
        yield kind, data[at + 8 : at + 8 + min(length, 64)]
        at += 12 + length


def _space(data: bytes) -> Space:
    """What sRGB and gAMA chunks say. A gamma of 1 (100,000) means linear light."""
    said: Space = ""
    for kind, body in _chunks(data):
        if kind == b"sRGB":
            return "srgb"
        if kind == b"gAMA" and len(body) == 4:
            gamma = struct.unpack(">I", body)[0]
            said = "linear" if gamma == 100000 else "srgb" if gamma == 45455 else ""
    return said


def _deep(data: bytes) -> tuple[int, int, int] | None:
    """(width, height, channels) of sixteen-bit pixels with several channels, which Pillow would cut to
    eight.
    """
    if len(data) < 29 or data[12:16] != b"IHDR":
        return None
    width, height, bits, kind, _, _, interlace = struct.unpack_from(">IIBBBBB", data, 16)
    channels = {2: 3, 4: 2, 6: 4}.get(kind)
    return (width, height, channels) if bits == 16 and channels and not interlace else None


def _info(data: bytes) -> ImageInfo:
    facts = header(data, "PNG", "PNG", "png", _space(data))
    deep = _deep(data)
    return ImageInfo(deep[0], deep[1], deep[2], 16, "png", facts.space) if deep else facts


def _decode(data: bytes) -> Pixels:
    deep = _deep(data)
    return _sixteen(data, *deep) if deep else decoded(data, "PNG", "PNG")


def _sixteen(data: bytes, width: int, height: int, channels: int) -> Pixels:
    """Sixteen-bit pixels (H, W, C): inflated and unfiltered a row at a time, as every row leans on the one
    above.
    """
    packed, at = bytearray(), len(MARK)
    while at + 8 <= len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        if kind == b"IDAT":
            packed += data[at + 8 : at + 8 + length]
        at += 12 + length
    stride, step = width * channels * 2, channels * 2
    wanted = height * (stride + 1)
    try:
        raw = zlib.decompressobj().decompress(bytes(packed), wanted)
    except zlib.error as problem:
        raise ReadError(f"image data is broken ({problem})", "a whole image", "Export it again.") from None
    if len(raw) < wanted:
        raise ReadError(f"{len(raw):,} bytes of pixels", f"{wanted:,}", "Export it again.")
    rows = np.frombuffer(raw, np.uint8).reshape(height, stride + 1)
    kinds = rows[:, 0]
    if kinds.max() > 4:
        raise ReadError(f"row filter {kinds.max()}", "0 to 4", "Export it again.")
    out = _unfiltered(rows, height, width, step)
    return out.reshape(height, width, channels, 2).view(">u2")[..., 0].astype(np.uint16)


COMPILED = 4 * 1024 * 1024
"""Bytes of pixels from which the compiled way is worth its start."""


def _unfiltered(rows: Pixels, height: int, width: int, step: int) -> Pixels:
    """Pixels (H, W, step) of rows (H, 1 + W·step), each with its filter first, all of them 0 to 4."""
    fast = kernel("png_filters") if rows.size >= COMPILED else None
    if fast is None:
        return by_diagonals(rows[:, 0], rows[:, 1:].reshape(height, width, step))
    out = np.empty((height, width * step), np.uint8)
    fast.unfilter(rows, step, out)
    return out.reshape(height, width, step)


def by_diagonals(kinds: Pixels, rows: Pixels) -> Pixels:
    """Pixels (H, W, B) with the row filters `kinds` (H,) taken off.

    A pixel leans on those to its left, above and above left, so whole diagonals are done at once. Source:
    PNG, 9.
    """
    height, width, step = rows.shape
    out = np.zeros((height + 1, width + 1, step), np.uint8)
    for d in range(height + width - 1):
        y = np.arange(max(0, d - width + 1), min(height, d + 1))
        x, kind = d - y, kinds[y, None]
        left, up, corner = (out[y + j, x + i].astype(np.int16) for j, i in ((1, 0), (0, 1), (0, 0)))
        a, b, c = np.abs(up - corner), np.abs(left - corner), np.abs(left + up - 2 * corner)
        paeth = np.where((a <= b) & (a <= c), left, np.where(b <= c, up, corner))
        guess = np.select(
            [kind == 1, kind == 2, kind == 3, kind == 4], [left, up, (left + up) >> 1, paeth], np.int16(0)
        )
        out[y + 1, x + 1] = rows[y, x] + guess.astype(np.uint8)
    return np.ascontiguousarray(out[1:, 1:])


def _encode(levels: Sequence[Pixels], coding: Coding) -> bytes:
    pixels = levels[0]
    if pixels.dtype == np.uint16:
        return _sixteen_out(pixels, coding)
    return _stated(saved(pixels, "PNG", compress_level=LEVEL), coding)


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def _stated(data: bytes, coding: Coding) -> bytes:
    """With the chunk that states the colour space, right after the header chunk."""
    chunk = {"srgb": _chunk(b"sRGB", b"\0"), "linear": _chunk(b"gAMA", struct.pack(">I", 100000)), "": b""}[
        coding.space
    ]
    return data[:33] + chunk + data[33:]


def _sixteen_out(pixels: Pixels, coding: Coding) -> bytes:
    height, width, channels = pixels.shape
    rows = np.ascontiguousarray(pixels.astype(">u2")).view(np.uint8).reshape(height, -1)
    step = channels * 2
    shifted = np.zeros_like(rows)
    shifted[:, step:] = rows[:, :-step]
    body = np.concatenate([np.ones((height, 1), np.uint8), rows - shifted], axis=1)
    head = _chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 16, COLOUR_TYPES[channels], 0, 0, 0))
    whole = MARK + head + _chunk(b"IDAT", zlib.compress(body.tobytes(), LEVEL)) + _chunk(b"IEND", b"")
    return _stated(whole, coding)


register(
    TextureFormat(
        id="png",
        title="PNG",
        endings=(".png",),
        mime="image/png",
        looks_like=lambda data: data[:8] == MARK,
        info=_info,
        decode=_decode,
        encode=_encode,
        sixteen=(1, 2, 3, 4),
    )
)
