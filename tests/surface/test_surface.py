"""Textures: sRGB, resizing, reading and writing, against Pillow and the published standard."""

from __future__ import annotations

import io

import numpy as np
import PIL.Image
import pytest

from customs.errors import ReadError, WriteError
from customs.formats.image_write import encode
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.model import Image
from customs.scene.wishes import Delivery
from customs.surface.colour import to_linear, to_srgb
from customs.surface.pixels import content_info, image_info, image_pixels, probe
from customs.surface.resize import fitted, power_of_two, resize
from tests.assets import key


def test_srgb_against_the_standard() -> None:
    # IEC 61966-2-1: linear below 0.04045, exponent 2.4 above; 0.5 decodes to 0.2140 (value from memory of the
    # standard's curve)
    assert to_linear(np.array([0.0, 0.04045, 0.5, 1.0])) == pytest.approx(
        [0, 0.0031308, 0.214041, 1], abs=1e-6
    )
    x = np.linspace(0, 1, 1001)
    assert np.abs(to_srgb(to_linear(x)) - x).max() < 1e-5


@pytest.mark.parametrize(("edge", "limit", "power"), [(900, 4096, 1024), (700, 4096, 512), (724, 4096, 512), (725, 4096, 1024), (1, 4096, 1), (5000, 1024, 1024)])  # fmt: skip
def test_the_closest_power_of_two(edge: int, limit: int, power: int) -> None:
    assert power_of_two(edge, limit) == power


def test_sizes_fit_limits_and_shapes() -> None:
    assert fitted(2000, 1000, 1024, False) == (1024, 512)
    assert fitted(100, 60, 4096, True, True) == (128, 128)
    assert fitted(100, 60, 4096, False) == (100, 60)


def test_colours_are_averaged_in_linear_light() -> None:
    # A fine checker of black and white is half the light, which is sRGB 188 (IEC 61966-2-1), not 128
    board = np.indices((64, 64)).sum(axis=0) % 2 * 255
    pixels = np.repeat(board[..., None], 3, axis=2).astype(np.uint8)
    colour = resize(pixels, 8, 8, colour=True)
    assert abs(int(colour[4, 4, 0]) - 188) <= 2
    assert abs(int(resize(pixels, 8, 8, colour=False)[4, 4, 0]) - 128) <= 1


def test_data_is_resized_as_pillow_does_it() -> None:
    # outside judge: Pillow's own Lanczos on a single channel
    pixels = np.random.default_rng(3).integers(0, 256, (60, 90, 1)).astype(np.uint8)
    mine = resize(pixels, 32, 16, colour=False)[:, :, 0]
    judge = np.asarray(PIL.Image.fromarray(pixels[:, :, 0]).resize((32, 16), PIL.Image.Resampling.LANCZOS))
    assert np.abs(mine.astype(int) - judge.astype(int)).max() <= 1


def test_clear_pixels_do_not_bleed_into_colours() -> None:
    pixels = np.zeros((16, 16, 4), np.uint8)
    pixels[:, :8] = (255, 0, 0, 255)
    pixels[:, 8:] = (0, 255, 0, 0)
    small = resize(pixels, 4, 4, colour=True)
    seen = small[..., 3] > 20
    assert (small[seen][:, 1] < 12).all()


def test_normals_stay_one_long() -> None:
    rng = np.random.default_rng(1)
    v = rng.normal(size=(32, 32, 3))
    v[..., 2] = np.abs(v[..., 2]) + 0.5
    v /= np.linalg.norm(v, axis=2, keepdims=True)
    small = resize(np.round(v * 127.5 + 127.5).astype(np.uint8), 8, 8, colour=False, normal=True)
    assert np.abs(np.linalg.norm(small / 127.5 - 1, axis=2) - 1).max() < 0.02


@pytest.mark.parametrize("mode", ["L", "LA", "RGB", "RGBA", "P", "1", "I;16"])
@pytest.mark.parametrize("form", ["PNG", "TGA", "BMP", "JPEG"])
def test_pixels_are_those_pillow_decodes(mode: str, form: str) -> None:
    base = PIL.Image.fromarray(np.random.default_rng(2).integers(0, 256, (6, 9, 3)).astype(np.uint8))
    picture = base.convert("I").convert("I;16") if mode == "I;16" else base.convert(mode)
    out = io.BytesIO()
    try:
        picture.save(out, form)
    except OSError:
        pytest.skip(f"Pillow does not write {mode} as {form}")
    content = Encoded(out.getvalue())
    info = content_info(content)
    pixels = image_pixels(Image(key("image", 0), "x", content))
    assert pixels.shape == (6, 9, info.channels) and info.form == form.lower()
    judge = PIL.Image.open(io.BytesIO(out.getvalue()))
    if info.bits == 8:
        want = np.asarray(judge.convert({1: "L", 2: "LA", 3: "RGB", 4: "RGBA"}[info.channels])).reshape(
            pixels.shape
        )
        assert (pixels == want).all()


@pytest.mark.parametrize("channels", [1, 2, 3, 4])
@pytest.mark.parametrize("form", ["png", "tga", "jpeg"])
def test_written_files_read_back(channels: int, form: str) -> None:
    pixels = frozen(np.random.default_rng(4).integers(0, 256, (8, 8, channels)), np.uint8)
    data = encode(Image(key("image", 0), "x", pixels=pixels), Delivery(form))
    judge = np.asarray(PIL.Image.open(io.BytesIO(data)))
    assert PIL.Image.open(io.BytesIO(data)).format == form.upper()
    if form == "png":
        assert (judge.reshape(pixels.shape) == pixels).all()
    elif form == "tga" and channels in (3, 4):
        assert (judge == pixels).all()


def test_source_bytes_go_out_untouched() -> None:
    out = io.BytesIO()
    PIL.Image.new("RGB", (4, 4), "red").save(out, "PNG", pnginfo=None)
    image = Image(key("image", 0), "x", Encoded(out.getvalue()))
    assert encode(image, Delivery("png")) == out.getvalue()


def test_sixteen_bits_stay_sixteen_in_png() -> None:
    pixels = frozen(np.array([[[0], [65535]], [[257], [1000]]]), np.uint16)
    data = encode(Image(key("image", 0), "x", pixels=pixels), Delivery("png"))
    assert np.asarray(PIL.Image.open(io.BytesIO(data))).tolist() == [[0, 65535], [257, 1000]]


@pytest.mark.parametrize(
    "data", [b"", b"GIF89a" + b"\0" * 40, b"\x89PNG\r\n\x1a\n" + b"\0" * 60, b"BM" + b"\xff" * 30]
)
def test_broken_images_are_told(data: bytes) -> None:
    image = Image(key("image", 0), "x", Encoded(data))
    assert probe(image)
    with pytest.raises(ReadError):
        image_pixels(image)


def test_cut_off_image_data_is_told() -> None:
    out = io.BytesIO()
    PIL.Image.fromarray(np.random.default_rng(1).integers(0, 256, (64, 64, 3)).astype(np.uint8)).save(
        out, "PNG"
    )
    image = Image(key("image", 0), "x", Encoded(out.getvalue()[:2000]))
    assert image_info(image) is not None
    with pytest.raises(ReadError, match="broken"):
        image_pixels(image)


def test_formats_that_cannot_be_written_are_told() -> None:
    grey = frozen(np.zeros((2, 2, 3)), np.uint8)
    with pytest.raises(WriteError, match="gif"):
        encode(Image(key("image", 0), "x", pixels=grey), Delivery("gif"))
    with pytest.raises(WriteError, match="BC1 in PNG"):
        encode(Image(key("image", 0), "x", pixels=grey), Delivery("png", "bc1"))
    with pytest.raises(ReadError):
        image_pixels(Image(key("image", 0), "x", problem="gone"))
