"""EXR and HDR: read, said to be light, clipped with a word, brought to sRGB for colours. Judge: OpenEXR 3.5 (PyPI), IEC 61966-2-1."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.errors import CustomsError
from customs.kernels.store import kernel
from customs.landing.land import landed_scene
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.model import Image, Material, TextureUse
from customs.surface.files.base import texture_format
from customs.surface.files.exr import outside
from customs.surface.files.hdr import unpacked_by_runs
from customs.surface.pixels import content_info, image_pixels
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.assets import cube, key, saved, scene_of
from tests.surface.light import exr_of, hdr_of, rgbe_of

RAMP = np.linspace(0, 2, 64, dtype=np.float32)[None, :, None] * np.ones((8, 1, 3), np.float32)


def image(data: bytes) -> Image:
    return Image(key("image", 0), "x", Encoded(data), uri="x.exr")


@pytest.mark.parametrize("count", [1, 3, 4])
def test_values_are_read_to_sixteen_bits(count: int, tmp_path: Path) -> None:
    values = np.random.default_rng(count).random((7, 5, count)).astype(np.float32)
    data = exr_of(values, tmp_path / "a.exr")
    info = content_info(Encoded(data))
    assert (info.width, info.height, info.channels, info.bits) == (5, 7, count, 16)
    assert info.light and info.space == "linear" and info.form == "exr"
    assert np.abs(image_pixels(image(data)) / 65535 - values).max() < 1 / 65535
    assert outside(data) == 0


def test_other_channels_and_what_is_no_number(tmp_path: Path) -> None:
    values = np.full((4, 4, 4), 0.5, np.float32)
    values[0, 0], values[0, 1], values[0, 2] = np.nan, np.inf, -1
    data = exr_of(values, tmp_path / "a.exr")
    pixels = image_pixels(image(data))
    assert (
        pixels[0, 0].tolist() == [0] * 4
        and pixels[0, 1].tolist() == [65535] * 4
        and pixels[0, 2].tolist() == [0] * 4
    )
    assert outside(data) == pytest.approx(3 / 16)
    rough = exr_of(values[:, :, :1], tmp_path / "b.exr", ("R",))
    assert content_info(Encoded(rough)).channels == 1
    with pytest.raises(CustomsError, match="depth"):
        content_info(Encoded(exr_of(values[:, :, :1], tmp_path / "c.exr", ("depth",))))


@pytest.mark.parametrize("cut", [3, 9, 60, 200, -5])
def test_a_file_that_is_cut_off_says_so(cut: int, tmp_path: Path) -> None:
    data = exr_of(RAMP, tmp_path / "a.exr")
    with pytest.raises(CustomsError) as problem:
        image_pixels(image(data[:cut]))
    assert problem.value.found


def test_light_is_brought_to_srgb_and_what_is_clipped_is_asked_about(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    exr_of(RAMP, tmp_path / "in" / "glow.exr")
    glow = Image(key("image", 0), "glow", Encoded(tmp_path / "in" / "glow.exr"), uri="glow.exr")
    lamp = Material(key("material", 0), "lamp", textures={"base_colour": TextureUse(0)})
    box = cube()
    box = replace(box, material=0, texcoords=(frozen(box.positions[:, :2] + 0.5),))
    scene = replace(scene_of(box), materials=(lamp,), images=(glow,))
    path = saved(scene, tmp_path / "in" / "lamp.obj")
    (tmp_path / "in" / "lamp.mtl").write_text("newmtl lamp\nmap_Kd glow.exr\n")
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path / "out"))
    assert result.error is None and result.folder is not None and result.accepted, result.ledger.open()
    row = next(r for r in result.ledger.rows if r.requirement == "texture-range")
    assert row.verdict == "query" and "50.0 %" in row.delivering
    steps = [s.step for s in result.route.stops]  # type: ignore[union-attr]
    assert "colour-space" in steps and "convert-textures" in steps
    got = image_pixels(landed_scene(result.folder, find_sheet("metre-yup-pbr")).images[0])
    light = np.clip(RAMP[0, :, 0], 0, 1)
    bent = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    assert got.dtype == np.uint8 and np.abs(got[0, :, 0] / 255 - bent).max() < 0.6 / 255


@pytest.mark.parametrize("runs", [True, False])
def test_a_radiance_picture_is_read_with_its_exponent(runs: bool) -> None:
    values = np.abs(RAMP * np.array([1.0, 0.5, 0.01], np.float32))
    data = hdr_of(rgbe_of(values), runs)
    info = content_info(Encoded(data))
    assert (info.width, info.height, info.channels, info.form, info.light) == (64, 8, 3, "hdr", True)
    # Eight bits of mantissa for the largest of the three.
    step = np.maximum(values.max(axis=2, keepdims=True), 1e-9) / 128
    assert np.all(np.abs(image_pixels(image(data)) / 65535 - np.clip(values, 0, 1)) <= step + 1 / 65535)
    assert texture_format("hdr").outside(data) == pytest.approx(0.5, abs=0.02)  # type: ignore[misc]


def test_a_pixel_worked_by_hand() -> None:
    # 128 ½ / 256 · 2^(129 − 128) and so on: "Radiance File Formats".
    pixel = np.array([[[128, 64, 0, 128]] * 8], np.uint8)
    got = image_pixels(image(hdr_of(pixel)))[0, 0] / 65535
    assert got == pytest.approx([128.5 / 256, 64.5 / 256, 0.5 / 256], abs=1e-5)
    assert not image_pixels(image(hdr_of(pixel * 0))).any()


@pytest.mark.parametrize("seed", range(4))
def test_the_kernel_and_the_slow_way_agree(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rgbe = np.repeat(rng.integers(0, 255, (9, 12, 4)).astype(np.uint8), int(rng.integers(1, 30)), axis=1)
    data = bytearray(hdr_of(rgbe))
    begin = data.index(b"+X") + 3 + len(str(rgbe.shape[1])) + 1
    body = bytes(data[begin:])
    for cut in (None, len(body) // 2, 7):
        part, a, b = body[:cut], np.zeros_like(rgbe), np.zeros_like(rgbe)
        compiled = kernel("runs")
        assert compiled is not None
        rows = compiled.unpack(np.frombuffer(part, np.uint8), a), unpacked_by_runs(part, b)
        assert rows[0] == rows[1] and (cut is not None or rows[0] == 9)
        assert np.array_equal(a[: rows[0]], b[: rows[0]]) and np.array_equal(a[: rows[0]], rgbe[: rows[0]])


@pytest.mark.parametrize(
    "text",
    [
        b"#?RADIANCE\n\n-Y 4 +X",
        b"#?RGBE\n\n+Y 4 +X 4\n",
        b"#?RGBE\nFORMAT=32-bit_rle_xyze\n\n-Y 4 +X 4\n",
        b"#?RGBE\n\n-Y 4 +X 4\n12",
    ],
)
def test_what_is_no_radiance_picture_says_why(text: bytes) -> None:
    with pytest.raises(CustomsError):
        image_pixels(image(text))
