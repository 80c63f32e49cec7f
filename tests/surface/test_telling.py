"""What is told of textures from their names and pixels: content, role, green direction, alpha, what they are
called.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
import pytest
from scipy.ndimage import gaussian_filter

from customs.scene.arrays import frozen
from customs.scene.model import Image
from customs.surface.classify import classify
from customs.surface.green import green_direction, green_of
from customs.surface.guess import SURE, fits, guess_role, single_value
from customs.surface.pattern import parse_pattern, pattern_text, slot_of
from customs.surface.presets import preset_of_name, presets
from customs.surface.relief import combined, flipped_green, from_height, renormalised, two_to_three, vectors
from customs.surface.suffixes import family, role_of_name
from customs.surface.transparency import bled, rim, shares, wanted_cutoff, wanted_mode, without_alpha
from tests.assets import key

RNG = np.random.default_rng(11)
SIZE = 128


def field(blur: float, seed: int) -> npt.NDArray[np.float64]:
    """Tiling blurred noise, spread over 0..1."""
    out = gaussian_filter(np.random.default_rng(seed).random((SIZE, SIZE)), blur, mode="wrap")
    return (out - out.min()) / np.ptp(out)


def grey(values: npt.NDArray[np.float64]) -> npt.NDArray[np.uint8]:
    return np.round(values * 255).astype(np.uint8)[..., None]


def relief(seed: int, blur: float = 3.0, deep: float = 9.0) -> npt.NDArray[np.uint8]:
    """A normal map, green up, worked out here from the heights' own differences."""
    height = field(blur, seed) * deep
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) / 2
    dy = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) / 2
    n = np.stack([-dx, dy, np.ones_like(height)], axis=-1)
    return np.round(n / np.linalg.norm(n, axis=-1, keepdims=True) * 127.5 + 127.5).astype(np.uint8)


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("blur", [2.0, 5.0])
def test_green_is_told_from_the_map_itself(seed: int, blur: float) -> None:
    up = relief(seed, blur)
    assert green_direction(up).direction == "up"
    assert green_direction(flipped_green(up)).direction == "down"
    assert green_direction(up[:, :, :2]).direction == "up", "two channels are enough"


def test_grooves_along_the_axes_and_flat_maps_are_undecidable() -> None:
    x = np.arange(SIZE) / SIZE * 2 * np.pi
    grooves = np.repeat(np.sin(4 * x)[None, :], SIZE, 0)
    tiles = np.maximum(np.sin(4 * x)[None, :] ** 8, np.sin(4 * x)[:, None] ** 8) * 0 + np.sin(4 * x)[:, None]
    for height in (grooves, tiles, np.zeros((SIZE, SIZE))):
        found = green_direction(from_height(grey((height + 1) / 2), 8.0))
        assert found.direction == "undecidable" and found.reason
    assert green_direction(relief(1)[:4, :4]).direction == "undecidable"


def test_a_mark_comes_before_pixels_and_pixels_before_the_origin() -> None:
    up = Image(key("image", 0), "n", pixels=frozen(relief(2), np.uint8))
    assert green_of(up, "down") == "up"
    assert green_of(Image(key("image", 1), "n", pixels=up.pixels, green="down"), "up") == "down"
    flat = Image(key("image", 2), "n", pixels=frozen(np.full((16, 16, 3), (128, 128, 255)), np.uint8))
    assert green_of(flat, "down") == "down" and green_of(flat, "up") == "up"


CONTENTS: dict[str, npt.NDArray[Any]] = {
    "normal": relief(3),
    "two-channel normal": relief(4)[:, :, :2],
    "height": grey(field(8, 5)),
    "mask": grey((field(6, 6) > 0.55).astype(float)),
    "colour": np.uint8(np.stack([field(5, 7) * 160 + 60, field(5, 7) * 120 + 40, field(5, 8) * 60 + 20], -1)),
    "emissive": np.uint8(np.clip(field(4, 9) - 0.8, 0, 1)[..., None] * 5 * np.array([255, 180, 60])),
    "flat": np.full((32, 32, 3), 77, np.uint8),
}


@pytest.mark.parametrize("content", CONTENTS)
def test_pixels_tell_what_they_hold(content: str) -> None:
    found = classify(CONTENTS[content])
    assert found.content == content and 0 < found.sure <= 1 and found.reason


def test_name_and_pixels_together() -> None:
    def guess(name: str, content: str):  # type: ignore[no-untyped-def]
        return guess_role(Image(key("image", 0), name, pixels=frozen(CONTENTS[content], np.uint8)))

    agree = guess("wall_n", "normal")
    assert agree.role == "normal" and agree.sure >= SURE and "agree" in agree.reason
    doubt = guess("wall_n", "colour")
    assert doubt.sure < SURE and "look like colour" in doubt.reason
    silent = guess("4711", "normal")
    assert silent.role == "normal" and "says nothing" in silent.reason
    assert fits("roughness", "grey") and not fits("normal", "colour") and fits("base_colour", "mask")
    lost = guess_role(Image(key("image", 0), "wall_ao", problem="gone"))
    assert lost.role == "occlusion" and lost.content is None


def test_one_pixel_of_another_value_is_not_one_value() -> None:
    pixels = np.full((256, 256, 3), 40, np.uint8)
    plain = Image(key("image", 0), "x", pixels=frozen(pixels, np.uint8))
    value = single_value(plain)
    assert value is not None and np.allclose(value, 40 / 255)
    pixels = pixels.copy()
    pixels[200, 31] = 250
    assert single_value(Image(key("image", 0), "x", pixels=frozen(pixels, np.uint8))) is None


def test_height_to_normal_is_the_slope_of_the_heights() -> None:
    # A ramp of one level a pixel under a depth of 255 pixels rises one pixel a pixel: 45 degrees.
    ramp = np.repeat(np.arange(64, dtype=np.uint8)[None, :, None], 16, 0)
    n = vectors(from_height(ramp, 255.0, wrap=False))[8, 32]
    assert n == pytest.approx([-np.sqrt(0.5), 0, np.sqrt(0.5)], abs=0.01)


def test_blue_is_worked_out_and_lengths_are_mended() -> None:
    whole = relief(12)
    made = two_to_three(whole[:, :, :2])
    assert np.abs(made.astype(int) - whole).max() <= 2
    shrunk = np.uint8(127.5 + (whole.astype(float) - 127.5) * 0.7)
    assert np.abs(np.linalg.norm(vectors(renormalised(shrunk)), axis=2) - 1).max() < 0.02


def test_a_flat_detail_changes_nothing_and_a_detail_on_flat_ground_is_itself() -> None:
    flat, map_ = np.full((SIZE, SIZE, 3), (128, 128, 255), np.uint8), relief(13)
    assert np.abs(combined(map_, flat).astype(int) - map_).max() <= 2
    assert np.abs(combined(flat, map_).astype(int) - map_).max() <= 2


def leaf(soft: float = 0.0) -> npt.NDArray[np.uint8]:
    """A disc of alpha on a clear ground."""
    y, x = np.mgrid[0:64, 0:64] - 31.5
    alpha = np.clip((20 - np.hypot(x, y)) / max(soft, 1e-3) + 0.5, 0, 1)
    out = np.zeros((64, 64, 4), np.uint8)
    out[..., :3], out[..., 3] = (30, 150, 40), np.round(alpha * 255)
    out[out[..., 3] == 0, :3] = (250, 10, 10)
    return out


def test_modes_and_cutoffs_from_the_histogram() -> None:
    assert wanted_mode(np.full((8, 8), 255, np.uint8)) == "opaque"
    assert wanted_mode(leaf(2.0)[:, :, 3]) == "mask"
    assert wanted_mode(np.full((8, 8), 120, np.uint8)) == "blend"
    two = np.repeat(np.array([0, 90], np.uint8), 32)[None]
    assert 0 < wanted_cutoff(two) < 90 / 255 + 0.01
    s = shares(leaf()[:, :, 3])
    assert s.clear + s.half + s.solid == pytest.approx(1) and s.solid == pytest.approx(
        np.pi * 400 / 4096, abs=0.02
    )


def test_colours_are_drawn_out_under_clear_pixels_and_seen_ones_stay() -> None:
    before = leaf()
    after = bled(before)
    seen = before[:, :, 3] > 0
    assert (after[seen] == before[seen]).all() and (after[:, :, 3] == before[:, :, 3]).all()
    assert (after[~seen][:, :3] == [30, 150, 40]).all()
    assert rim(before) > 0.5 and rim(after) < 0.01
    assert without_alpha(before).shape == (64, 64, 3)


@pytest.mark.parametrize(
    ("text", "slot"),
    [("R=occlusion G=roughness B=metallic", "metallic_roughness"), ("G=roughness B=metallic R=1", "metallic_roughness"),
     ("R=metallic G=roughness B=occlusion", "parameters"), ("R=1-roughness G=0.5", "parameters")],
)  # fmt: skip
def test_patterns_read_back_and_know_their_place(text: str, slot: str) -> None:
    parts = parse_pattern(text)
    assert parse_pattern(pattern_text(parts)) == parts and slot_of(parts) == slot


@pytest.mark.parametrize(
    "text", ["", "X=roughness", "R=shine", "R=occlusion R=metallic", "R", "R=2", "R=1-2"]
)
def test_patterns_that_mean_nothing_are_told(text: str) -> None:
    with pytest.raises(ValueError, match=r"."):
        parse_pattern(text)


def test_presets_are_data_and_names_speak_of_them() -> None:
    assert set(presets()) == {"opaque", "leaf", "glass", "water", "paper", "metal", "glow"}
    # Common practice: foliage is cut out and seen from both sides, glass and puddles blend.
    assert presets()["leaf"].alpha_mode == "mask" and presets()["leaf"].double_sided
    assert presets()["glass"].alpha_mode == presets()["water"].alpha_mode == "blend"
    assert (
        preset_of_name("old_glass_pane") == "glass"
        and preset_of_name("FernLeaf") == "leaf"
        and preset_of_name("x12") is None
    )


def test_families_are_names_without_what_tells_the_role() -> None:
    assert {family(n) for n in ("wall_c", "wall_n", "Wall-Roughness", "wall_AO_2k")} == {"wall"}
    assert role_of_name("metal_wall_c").role == "base_colour"  # type: ignore[union-attr]
    assert role_of_name("normal").role == "normal" and role_of_name("wall") is None  # type: ignore[union-attr]
