"""Texture files: blocks, DDS, KTX2, deep PNG, against Pillow, texture2ddecoder and the published field
tables.
"""

from __future__ import annotations

import io
import struct
import tempfile
import zlib
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
import texture2ddecoder
from hypothesis import given, settings
from hypothesis import strategies as st

from customs.demo.textures import verdigris
from customs.errors import CustomsError, LimitError, ReadError, UnsupportedError
from customs.formats.image_write import encode
from customs.scene.content import Encoded
from customs.scene.model import Image
from customs.scene.wishes import Delivery
from customs.surface.blocks import BLOCK_BYTES
from customs.surface.blocks.decode import decode_level
from customs.surface.blocks.encode import encode_level
from customs.surface.files.base import Coding, recognise, texture_format, texture_formats
from customs.surface.mipmap import Kind, chain, coverage
from customs.surface.pixels import content_info, image_pixels
from tests.assets import key
from tests.surface.light import exr_of, hdr_of, rgbe_of

BLOCKS = ("bc1", "bc3", "bc4", "bc5", "bc7")


def leafy(size: int = 64) -> np.ndarray:
    colour = verdigris(size, 3)[0]
    y, x = np.mgrid[0:size, 0:size] / size
    return np.dstack([colour, (255 * np.clip(0.5 + np.sin(20 * x) * np.cos(17 * y), 0, 1)).astype(np.uint8)])


def outside(data: bytes, block: str, width: int, height: int) -> np.ndarray:
    """What texture2ddecoder makes of blocks, RGBA."""
    flat = getattr(texture2ddecoder, f"decode_{block}")(data, width, height)
    return np.frombuffer(flat, np.uint8).reshape(height, width, 4)[:, :, [2, 1, 0, 3]]


@pytest.mark.parametrize("quality", ["quick", "best"])
@pytest.mark.parametrize("block", BLOCKS)
def test_blocks_written_by_us_decode_elsewhere_to_the_same_pixels(block: str, quality: str) -> None:
    pixels = leafy()
    if block == "bc1":
        pixels[:, :, 3] = 255
    data = encode_level(pixels, block, quality)  # type: ignore[arg-type]
    mine = decode_level(data, 64, 64, block)
    channels = mine.shape[2]
    judge = outside(data, block, 64, 64)
    assert (mine == judge[:, :, :channels]).all()
    error = mine.astype(float) - pixels[:, :, :channels]
    assert (
        10 * np.log10(255**2 / np.mean(error**2))
        > {"bc1": 25, "bc3": 25, "bc4": 40, "bc5": 40, "bc7": 31}[block]
    )


def test_all_modes_of_bc7_and_both_of_bc4_decode_as_elsewhere() -> None:
    rng = np.random.default_rng(7)
    data = rng.integers(0, 256, (4096, 16), dtype=np.uint8)
    data[:, 0] = 1 << (np.arange(4096) % 8)
    raw = data.tobytes()
    assert (decode_level(raw, 256, 256, "bc7") == outside(raw, "bc7", 256, 256)).all()
    assert (decode_level(raw, 256, 128, "bc4")[:, :, 0] == outside(raw, "bc4", 256, 128)[:, :, 0]).all()


@pytest.mark.parametrize("fourcc", [b"DXT1", b"DXT3", b"DXT5"])
def test_random_legacy_blocks_decode_as_pillow_does(fourcc: bytes) -> None:
    size = 8 if fourcc == b"DXT1" else 16
    body = np.random.default_rng(5).integers(0, 256, 256 * size, dtype=np.uint8).tobytes()
    head = b"DDS " + struct.pack(
        "<7I44x2I4s5I5I", 124, 0x1007, 64, 64, 0, 0, 1, 32, 4, fourcc, 0, 0, 0, 0, 0, 0x1000, 0, 0, 0, 0
    )
    judge = np.asarray(PIL.Image.open(io.BytesIO(head + body)).convert("RGBA"))
    assert (texture_format("dds").decode(head + body) == judge).all()


@pytest.mark.parametrize("block", ["", *BLOCKS])
@pytest.mark.parametrize("form", ["dds", "ktx2"])
@pytest.mark.parametrize("space", ["srgb", "linear"])
def test_written_textures_say_what_they_are(form: str, block: str, space: str) -> None:
    """Fields by the header tables of DDS (DXGI numbers) and of KTX 2.0 (VkFormat numbers)."""
    image = Image(key("image", 0), "x", pixels=leafy(36), space=space)  # type: ignore[arg-type]
    data = encode(image, Delivery(form, block, mips=True))
    info = content_info(Encoded(data))
    known = space if block not in ("bc4", "bc5") else "linear"
    assert (info.width, info.height, info.block, info.levels, info.space, info.form) == (
        36,
        36,
        block,
        6,
        known,
        form,
    )
    dxgi = {
        "": (29, 28),
        "bc1": (72, 71),
        "bc3": (78, 77),
        "bc4": (80, 80),
        "bc5": (83, 83),
        "bc7": (99, 98),
    }[block]
    vk = {
        "": (43, 37),
        "bc1": (132, 131),
        "bc3": (138, 137),
        "bc4": (139, 139),
        "bc5": (141, 141),
        "bc7": (146, 145),
    }[block]
    place, numbers = (128, dxgi) if form == "dds" else (12, vk)
    assert struct.unpack_from("<I", data, place)[0] == numbers[0 if space == "srgb" else 1]
    assert recognise(data).id == form
    levels = texture_format(form).decode_levels(data)  # type: ignore[misc]
    assert [p.shape[:2] for p in levels] == [(36, 36), (18, 18), (9, 9), (4, 4), (2, 2), (1, 1)]


@pytest.mark.parametrize("block", BLOCKS)
def test_pillow_reads_our_dds(block: str) -> None:
    data = encode(Image(key("image", 0), "x", pixels=leafy()), Delivery("dds", block, mips=True))
    judge = np.asarray(PIL.Image.open(io.BytesIO(data)))
    mine = texture_format("dds").decode(data)
    judge = judge[:, :, None] if judge.ndim == 2 else judge
    channels = min(mine.shape[2], judge.shape[2])
    assert (judge[:, :, :channels] == mine[:, :, :channels]).all()


def test_zstd_packs_ktx2_and_legacy_headers_are_legacy() -> None:
    image = Image(key("image", 0), "x", pixels=np.full((64, 64, 4), 77, np.uint8))
    plain, packed = (encode(image, Delivery("ktx2", "", mips=True, zstd=z)) for z in (False, True))
    assert len(packed) < len(plain) / 10 and struct.unpack_from("<I", packed, 44)[0] == 2
    assert (image_pixels(Image(key("image", 0), "x", Encoded(packed))) == 77).all()
    old = encode(image, Delivery("dds", "bc3", header="legacy"))
    assert old[84:88] == b"DXT5" and PIL.Image.open(io.BytesIO(old)).size == (64, 64)


@pytest.mark.parametrize(("bits", "masks", "flags", "channels"), [
    (16, (0xF800, 0x7E0, 0x1F, 0), 0x40, 3), (16, (0xF00, 0xF0, 0xF, 0xF000), 0x41, 4), (24, (0xFF0000, 0xFF00, 0xFF, 0), 0x40, 3),
    (32, (0xFF, 0xFF00, 0xFF0000, 0xFF000000), 0x41, 4), (8, (0xFF, 0, 0, 0), 0x20000, 1), (16, (0xFF, 0, 0, 0xFF00), 0x20001, 2),
])  # fmt: skip
def test_masks_of_all_kinds_are_read(bits: int, masks: tuple[int, ...], flags: int, channels: int) -> None:
    head = b"DDS " + struct.pack(
        "<7I44x2I4s5I5I", 124, 0x100F, 2, 2, 0, 0, 0, 32, flags, b"", bits, *masks, 0x1000, 0, 0, 0, 0
    )
    body = b"\xff" * (4 * bits // 8)
    out = texture_format("dds").decode(head + body)
    assert out.shape == (2, 2, channels) and (out == 255).all()


@pytest.mark.parametrize("channels", [1, 2, 3, 4])
def test_sixteen_bit_png_goes_and_comes_whole(channels: int) -> None:
    pixels = np.random.default_rng(channels).integers(0, 65536, (9, 13, channels)).astype(np.uint16)
    data = encode(Image(key("image", 0), "x", pixels=pixels), Delivery("png"))
    assert (image_pixels(Image(key("image", 0), "x", Encoded(data))) == pixels).all()
    judge = np.asarray(PIL.Image.open(io.BytesIO(data)))
    assert judge.shape[:2] == (9, 13)


@pytest.mark.parametrize("kind", [0, 1, 2, 3, 4])
def test_every_row_filter_of_png(kind: int) -> None:
    """Filtered here byte by byte as section 9 of the PNG specification defines it."""
    width, height, step = 5, 4, 6
    plain = np.random.default_rng(kind).integers(0, 256, (height, width * step)).astype(int)
    rows = b""
    for y in range(height):
        rows += bytes([kind])
        for x in range(width * step):
            a = plain[y, x - step] if x >= step else 0
            b = plain[y - 1, x] if y else 0
            c = plain[y - 1, x - step] if y and x >= step else 0
            p = a + b - c
            paeth = min(((abs(p - v), i, v) for i, v in enumerate((a, b, c))))[2]
            rows += bytes([(plain[y, x] - (0, a, b, (a + b) // 2, paeth)[kind]) % 256])

    def chunk(name: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + name + body + struct.pack(">I", zlib.crc32(name + body))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 16, 2, 0, 0, 0))
    data = b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")
    wanted = plain.astype(np.uint8).reshape(height, width, 3, 2).view(">u2")[..., 0]
    assert (texture_format("png").decode(data) == wanted).all()


def test_png_states_its_colour_space() -> None:
    for space in ("srgb", "linear", ""):
        data = texture_format("png").encode([leafy(8)], Coding(space=space))  # type: ignore[misc,arg-type]
        assert content_info(Encoded(data)).space == space
        assert np.asarray(PIL.Image.open(io.BytesIO(data))).shape == (8, 8, 4)


def _dds(width: int, height: int, tail: bytes = b"", fourcc: bytes = b"DXT1", caps2: int = 0) -> bytes:
    return b"DDS " + struct.pack(
        "<7I44x2I4s5I5I", 124, 0x1007, height, width, 0, 0, 1, 32, 4, fourcc, 0, 0, 0, 0, 0, 0x1000, caps2, 0, 0, 0
    ) + tail  # fmt: skip


@pytest.mark.parametrize(("data", "error", "match"), [
    (_dds(0, 4), ReadError, "0 × 4"),
    (_dds(2**31, 2**31), LimitError, "pixels"),
    (_dds(16384, 16384), LimitError, "pixels a byte"),
    (_dds(64, 64, b"\0" * 100), ReadError, "ends at byte"),
    (_dds(64, 64, b"\0" * 4096, caps2=0xFE00), UnsupportedError, "cube"),
    (_dds(64, 64, b"\0" * 4096, b"WHAT"), UnsupportedError, "WHAT"),
    (_dds(4, 4, struct.pack("<5I", 71, 3, 0, 6, 0) + b"\0" * 64, b"DX10"), UnsupportedError, "array of 6"),
    (_dds(4, 4, struct.pack("<5I", 95, 3, 0, 1, 0) + b"\0" * 64, b"DX10"), UnsupportedError, "BC6H"),
    (_dds(4, 4)[:60], ReadError, "header of 128"),
])  # fmt: skip
def test_lying_and_foreign_dds_are_told(data: bytes, error: type[CustomsError], match: str) -> None:
    with pytest.raises(error, match=match):
        image_pixels(Image(key("image", 0), "x", Encoded(data)))


def test_lying_ktx2_is_told() -> None:
    good = encode(Image(key("image", 0), "x", pixels=leafy(8)), Delivery("ktx2", "bc7", zstd=True))
    for at, value, match in (
        (20, 0, "0 ×"),
        (40, 77, "levels"),
        (32, 6, "array"),
        (44, 1, "BasisLZ"),
        (12, 99999, "99999"),
        (36, 6, "cube"),
    ):
        bad = bytearray(good)
        struct.pack_into("<I", bad, at, value)
        with pytest.raises(CustomsError, match=match):
            texture_format("ktx2").decode(bytes(bad))
    bad = bytearray(good)
    struct.pack_into("<Q", bad, 96, 2**60)
    with pytest.raises(ReadError, match="says"):
        texture_format("ktx2").decode(bytes(bad))
    with pytest.raises(ReadError, match="cut off"):
        texture_format("ktx2").decode(good[:-5])


def written(form: str) -> bytes:
    """A picture in a format: by us, by Pillow or by the format's own library where we only read it."""
    if form == "exr":
        with tempfile.TemporaryDirectory() as folder:
            return exr_of(leafy(16)[..., :3] / 200, Path(folder) / "a.exr")
    if form == "hdr":
        return hdr_of(rgbe_of(leafy(16)[..., :3] / 200))
    if texture_format(form).encode is not None:
        return encode(Image(key("image", 0), "x", pixels=leafy(16)), Delivery(form))
    out = io.BytesIO()
    PIL.Image.fromarray(leafy(16)).convert("P").save(out, form)
    return out.getvalue()


def test_what_is_broken_after_the_first_picture_of_a_gif_is_no_matter() -> None:
    out = io.BytesIO()
    frames = [PIL.Image.fromarray(np.full((8, 8), 60 * k, np.uint8)) for k in range(3)]
    frames[0].save(out, "GIF", save_all=True, append_images=frames[1:])
    data = out.getvalue()
    for at in range(13, len(data), 3):
        for broken in (data[:at], data[:at] + b"\xff" + data[at + 1 :], data[:at] + b"\0" + data[at + 1 :]):
            try:
                assert texture_format("gif").info(broken).pictures >= 1
            except ReadError as problem:
                assert problem.found


def test_the_first_picture_of_a_gif() -> None:
    """Against Pillow, which wrote it (Graphics Interchange Format 89a)."""
    out = io.BytesIO()
    frames = [PIL.Image.fromarray(np.full((4, 6, 3), c, np.uint8)).convert("P") for c in (0, 204, 102)]
    frames[0].save(out, "GIF", save_all=True, append_images=frames[1:])
    info = recognise(out.getvalue()).info(out.getvalue())
    assert (info.form, info.width, info.height, info.pictures) == ("gif", 6, 4, 3)
    assert np.abs(recognise(out.getvalue()).decode(out.getvalue())[..., :3].astype(int)).max() == 0


@settings(max_examples=120, deadline=None)
@given(
    st.sampled_from(sorted(texture_formats())),
    st.integers(0, 2**32 - 1),
    st.integers(0, 400),
    st.integers(0, 255),
)
def test_damaged_files_never_do_worse_than_an_error(form: str, seed: int, at: int, value: int) -> None:
    data = bytearray(written(form))
    data[at % len(data)] = value
    cut = data[: 1 + seed % len(data)] if seed % 3 == 0 else data
    try:
        image_pixels(Image(key("image", 0), "x", Encoded(bytes(cut))))
    except CustomsError as problem:
        assert str(problem)


def test_mips_are_averages_in_linear_light() -> None:
    """Black and white in equal parts is half the light, 188 in sRGB (IEC 61966-2-1: 0.5 → 0.7354)."""
    board = np.indices((8, 8)).sum(axis=0) % 2 * 255
    pixels = np.repeat(board[:, :, None], 3, axis=2).astype(np.uint8)
    assert (chain(pixels, Kind(colour=True))[1] == 188).all()
    assert (chain(pixels, Kind())[1] == 128).all()
    tilted = np.zeros((4, 4, 3), np.uint8)
    tilted[:, ::2], tilted[:, 1::2] = (218, 128, 218), (38, 128, 218)
    vector = chain(tilted, Kind(normal=True))[1][0, 0].astype(float) / 127.5 - 1
    assert abs(np.linalg.norm(vector) - 1) < 0.01


@pytest.mark.parametrize("cutoff", [0.3, 0.5, 0.8])
def test_leaves_stay_as_dense_at_every_level(cutoff: float) -> None:
    rng = np.random.default_rng(3)
    pixels = leafy(256)
    pixels[:, :, 3] = np.clip(pixels[:, :, 3].astype(int) + rng.integers(-60, 60, (256, 256)), 0, 255)
    wanted = coverage(pixels, cutoff)
    for level in chain(pixels, Kind(True, cutoff=cutoff)):
        # A level of few pixels can only be as near as one pixel is.
        assert abs(coverage(level, cutoff) - wanted) <= max(0.01, 1 / level[:, :, 0].size)


@pytest.mark.parametrize("block", sorted(BLOCK_BYTES.keys() - {"bc6h"}))
def test_too_few_bytes_for_a_size_are_told(block: str) -> None:
    with pytest.raises(ReadError, match="13 × 7"):
        decode_level(b"\0" * 9, 13, 7, block)
