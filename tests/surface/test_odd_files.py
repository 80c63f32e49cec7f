"""Texture files that are odd, and those that lie: never worse than a clear error."""

from __future__ import annotations

import io
import struct
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import PIL.Image
import pytest

from customs.errors import CustomsError, LimitError
from customs.scene.content import Encoded
from customs.scene.model import Image
from customs.surface.files.base import Coding, texture_format
from customs.surface.pixels import content_info, image_pixels, pixels_or_none, probe
from tests.assets import key

RNG = np.random.default_rng(17)


def saved(mode: str, form: str, size: tuple[int, int] = (9, 7)) -> bytes:
    out = io.BytesIO()
    picture = PIL.Image.fromarray(RNG.integers(0, 255, (*size[::-1], 3), dtype=np.uint8)).convert(mode)
    picture.save(out, form)
    return out.getvalue()


def image(data: bytes) -> Image:
    return Image(key("image", 0), "x", Encoded(data), uri="x")


@pytest.mark.parametrize(
    ("mode", "form"), [("CMYK", "JPEG"), ("P", "PNG"), ("1", "PNG"), ("L", "JPEG"), ("YCbCr", "JPEG")]
)
def test_palettes_and_print_colours_come_as_plain_ones(mode: str, form: str) -> None:
    data = saved(mode, form)
    pixels = image_pixels(image(data))
    assert pixels.shape[:2] == (7, 9) and pixels.shape[2] in (1, 3) and pixels.dtype == np.uint8
    if mode == "CMYK":
        wanted = np.asarray(PIL.Image.open(io.BytesIO(data)).convert("RGB"))
        assert np.abs(pixels.astype(int) - wanted).max() <= 1


def chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def png(width: int, height: int, data: bytes) -> bytes:
    """A PNG that says it is so large, holding `data` unpacked."""
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(data)) + chunk(b"IEND", b"")


def dds(width: int, height: int, fourcc: bytes = b"DXT1") -> bytes:
    head = struct.pack("<4sIIIIIII44s", b"DDS ", 124, 0x1007, height, width, 0, 0, 1, b"")
    return (
        head
        + struct.pack("<II4sIIIII", 32, 4, fourcc, 0, 0, 0, 0, 0)
        + struct.pack("<IIIII", 0x1000, 0, 0, 0, 0)
        + b"\0" * 64
    )


def tga(width: int, height: int) -> bytes:
    return struct.pack("<BBBHHBHHHHBB", 0, 0, 2, 0, 0, 0, 0, 0, width, height, 24, 0) + b"\0" * 12


LIES: dict[str, Callable[[], bytes]] = {
    "a PNG of 2^31 pixels": lambda: png(2**31 - 1, 2**31 - 1, b""),
    "a PNG of no width": lambda: png(0, 8, b""),
    "a PNG of gigapixels in a few bytes": lambda: png(60_000, 60_000, b"\0" * 1000),
    "a PNG with less than it says": lambda: png(64, 64, b"\0" * 100),
    "a DDS of 2^31": lambda: dds(2**31, 4),
    "a DDS of no height": lambda: dds(16, 0),
    "a DDS with less than it says": lambda: dds(256, 256),
    "a DDS of an unknown code": lambda: dds(16, 16, b"ABCD"),
    "a TGA with less than it says": lambda: tga(300, 300),
    "a TGA of no size": lambda: tga(0, 0),
}


@pytest.mark.parametrize("name", LIES)
def test_files_that_lie_are_told_and_nothing_is_set_aside_for_them(name: str) -> None:
    data = LIES[name]()
    with pytest.raises(CustomsError) as told:
        image_pixels(image(data))
    assert told.value.found and pixels_or_none(image(data)) is None


def test_a_bomb_is_refused_by_its_header_alone() -> None:
    with pytest.raises(LimitError, match="pixels"):
        content_info(Encoded(png(16_000, 16_000, b"\0" * 64)))
    assert "pixels" in probe(image(png(16_000, 16_000, b"\0" * 64)))


@pytest.mark.parametrize("form", ["png", "tga", "dds", "ktx2", "bmp", "jpeg", "webp"])
def test_cut_anywhere_it_is_an_error_or_a_whole_picture(form: str) -> None:
    entry = texture_format(form)
    assert entry.encode is not None
    data = entry.encode([RNG.integers(0, 255, (16, 16, 4 if entry.mips else 3), dtype=np.uint8)], Coding())
    for at in np.linspace(1, len(data) - 1, 24).astype(int):
        pixels = pixels_or_none(image(data[:at]))
        assert pixels is None or pixels.shape[:2] == (16, 16)


@pytest.mark.parametrize(("width", "height"), [(5, 7), (1, 1), (2, 9), (17, 4)])
@pytest.mark.parametrize("block", ["bc1", "bc3", "bc4", "bc5", "bc7"])
def test_sizes_that_are_no_multiple_of_four_are_whole(
    width: int, height: int, block: str, tmp_path: Path
) -> None:
    plain = np.full((height, width, 4), (90, 140, 60, 255), np.uint8)
    for form in ("dds", "ktx2"):
        entry = texture_format(form)
        assert entry.encode is not None
        back = entry.decode(entry.encode([plain], Coding(block, "quick")))  # type: ignore[arg-type]
        assert back.shape[:2] == (height, width)
        assert np.abs(back[:, :, 0].astype(int) - 90).max() <= 6
