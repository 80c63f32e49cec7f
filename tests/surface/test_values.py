"""Numbers of the Surface room against published ones."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import PIL.Image
import pytest
from scipy.ndimage import gaussian_filter

from customs.geometry.texcoords import flipped, overlapping, texel_density, uv_areas
from customs.picture.uv_map import uv_picture
from customs.surface.colour import from_oklab, to_linear, to_oklab, to_srgb
from customs.surface.compare import difference, psnr
from customs.surface.glow import cleaned, colour_mask, parse_colour, tinted
from customs.surface.packing import pack_rectangles, put
from customs.surface.resize import resize
from customs.surface.spec_gloss import converted, solve_metallic
from tests.assets import letter_primitive


@pytest.mark.parametrize(
    ("srgb", "lab"),
    # Primaries and white in OKLab, as in the sample values of CSS Color 4 (from memory, three digits).
    [((1, 1, 1), (1.0, 0.0, 0.0)), ((1, 0, 0), (0.628, 0.225, 0.126)), ((0, 1, 0), (0.866, -0.234, 0.179)),
     ((0, 0, 1), (0.452, -0.032, -0.312)), ((0, 0, 0), (0.0, 0.0, 0.0))],
)  # fmt: skip
def test_oklab_of_the_primaries(srgb: tuple[float, ...], lab: tuple[float, ...]) -> None:
    found = to_oklab(np.array([[srgb]], np.float32))[0, 0]
    assert found == pytest.approx(lab, abs=0.001)
    assert from_oklab(found[None, None])[0, 0] == pytest.approx(srgb, abs=0.002)


def test_srgb_there_and_back_and_at_the_knee() -> None:
    # IEC 61966-2-1: linear below 0.04045, 0.5 is 0.2140 linear.
    values = np.array([0.0, 0.04045, 0.5, 1.0], np.float32)
    assert to_linear(values) == pytest.approx([0.0, 0.0031308, 0.21404, 1.0], abs=1e-5)
    ramp = np.linspace(0, 1, 256, dtype=np.float32)
    assert np.abs(to_srgb(to_linear(ramp)) - ramp).max() < 1e-5


def published(
    diffuse: Sequence[float], specular: Sequence[float], gloss: float
) -> tuple[list[float], float, float]:
    """The conversion as the extension's archive writes it down, one material at a time, in plain numbers."""
    dielectric, epsilon = 0.04, 1e-6

    def bright(c: Sequence[float]) -> float:
        return float((0.299 * c[0] ** 2 + 0.587 * c[1] ** 2 + 0.114 * c[2] ** 2) ** 0.5)

    rest = 1 - max(specular)
    d, s = bright(diffuse), bright(specular)
    if s < dielectric:
        metallic = 0.0
    else:
        a, b, c = dielectric, d * rest / (1 - dielectric) + s - 2 * dielectric, dielectric - s
        metallic = min(max((-b + max(b * b - 4 * a * c, 0) ** 0.5) / (2 * a), 0), 1)
    one = [x * (rest / (1 - dielectric) / max(1 - metallic, epsilon)) for x in diffuse]
    other = [(x - dielectric * (1 - metallic)) / max(metallic, epsilon) for x in specular]
    share = metallic * metallic
    return [min(max(p * (1 - share) + q * share, 0), 1) for p, q in zip(one, other)], metallic, 1 - gloss


@pytest.mark.parametrize(
    ("diffuse", "specular", "gloss"),
    [((0.5, 0.5, 0.5), (0.04, 0.04, 0.04), 0.3), ((0.0, 0.0, 0.0), (1.0, 0.766, 0.336), 0.8), ((0.2, 0.1, 0.05), (0.3, 0.3, 0.25), 1.0),
     ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), 0.0), ((0.1, 0.1, 0.1), (0.6, 0.5, 0.4), 0.5)],
)  # fmt: skip
def test_specular_glossiness_by_the_published_conversion(
    diffuse: tuple[float, ...], specular: tuple[float, ...], gloss: float
) -> None:
    found = converted(np.float32([[diffuse]]), np.float32([[specular]]), np.float32([[gloss]]))
    base, metallic, rough = published(diffuse, specular, gloss)
    assert found.base[0, 0] == pytest.approx(base, abs=1e-3) and found.roughness[0, 0] == pytest.approx(
        rough, abs=1e-6
    )
    assert found.metallic[0, 0] == pytest.approx(metallic, abs=1e-3)


def test_gold_is_metal_and_plaster_is_not() -> None:
    # Gold: black diffuse, coloured specular. Anything under four per cent reflectance is no metal.
    gold = converted(np.float32([[[0, 0, 0]]]), np.float32([[[1.0, 0.766, 0.336]]]), np.float32([[1]]))
    assert gold.metallic[0, 0] == pytest.approx(1, abs=1e-3) and gold.base[0, 0] == pytest.approx(
        [1.0, 0.766, 0.336], abs=0.01
    )
    assert solve_metallic(np.float32([0.8]), np.float32([0.03]), np.float32([0.97]))[0] == 0


def pictures() -> dict[str, npt.NDArray[np.uint8]]:
    """The stated set: blobs, hard shapes, a colour ramp with lines."""
    rng = np.random.default_rng(2)
    blobs = gaussian_filter(rng.random((128, 128)), 3, mode="wrap")
    blobs = (blobs - blobs.min()) / np.ptp(blobs)
    hard = gaussian_filter((blobs > 0.5).astype(float), 0.6, mode="wrap")
    y, x = np.mgrid[0:128, 0:128] / 128
    lines = np.clip(0.5 + 0.4 * np.sign(np.sin(20 * x + 30 * y)) * 0.8, 0, 1)
    out = {}
    for name, plane in (("blobs", blobs), ("hard", hard), ("lines", gaussian_filter(lines, 0.7))):
        out[name] = np.round(np.clip(plane, 0, 1)[..., None] * [255, 220, 180]).astype(np.uint8)
    return out


@pytest.mark.parametrize("name", ["blobs", "hard", "lines"])
def test_enlarging_beats_bicubic(name: str) -> None:
    picture = pictures()[name]
    small = np.asarray(PIL.Image.fromarray(picture).reduce(2))
    ours = resize(small, 128, 128, colour=False)
    bicubic = np.asarray(PIL.Image.fromarray(small).resize((128, 128), PIL.Image.Resampling.BICUBIC))
    assert psnr(picture, ours) > psnr(picture, bicubic) + 0.3
    room = 0.1 * np.ptp(small) + 1
    assert ours.max() <= small.max() + room and ours.min() >= small.min() - room, "no halos"


def test_packed_data_is_never_resized_as_colour() -> None:
    data = np.zeros((2, 2, 3), np.uint8)
    data[0] = 255
    assert resize(data, 1, 1, colour=False)[0, 0, 0] in (127, 128)
    assert resize(data, 1, 1, colour=True)[0, 0, 0] == 188, "half the light is 188 in sRGB (IEC 61966-2-1)"


def test_psnr_by_its_definition_and_differences_are_seen() -> None:
    a = np.full((8, 8, 3), 100, np.uint8)
    assert psnr(a, a) == float("inf")
    # 20 log10(255 / 10) = 28.13 dB.
    assert psnr(a, a + np.uint8(10)) == pytest.approx(28.13, abs=0.01)
    assert difference(a, a).max() == 0 and difference(a, a + np.uint8(4)).min() > 4


def test_colours_are_picked_by_distance_and_the_mask_is_cleaned() -> None:
    scene = np.full((32, 32, 3), 30, np.uint8)
    scene[4:12, 4:12], scene[7, 7], scene[25, 25] = (255, 180, 60), (30, 30, 30), (255, 180, 60)
    mask = colour_mask(scene, ("#ffb43c",), 0.05, 0.02)
    assert mask[5, 5] == 1 and mask[20, 20] == 0 and mask[25, 25] > 0
    tidy = cleaned(mask, speck=4, gap=1)
    assert tidy[7, 7] >= 0.5 and tidy[5, 5] == 1 and tidy[25, 25] == 0
    assert parse_colour("#ffffff") == (1.0, 1.0, 1.0)
    for wrong in ("ffb43c", "#12", "#gggggg"):
        with pytest.raises(ValueError, match="such as"):
            parse_colour(wrong)


def test_tinting_keeps_lightness() -> None:
    ramp = np.repeat(np.linspace(60, 200, 32).astype(np.uint8)[None, :, None], 3, 2)
    out = tinted(ramp, np.ones((1, 32), np.float32), "#4a9480", 1.0)
    before, after = to_oklab(ramp / np.float32(255)), to_oklab(out / np.float32(255))
    assert np.abs(before[..., 0] - after[..., 0]).max() < 0.02
    assert (tinted(ramp, np.zeros((1, 32), np.float32), "#4a9480", 1.0) == ramp).all()


def test_rectangles_are_packed_without_touching() -> None:
    sizes = [(40, 20), (20, 40), (64, 64), (8, 8), (30, 30)]
    edge, corners = pack_rectangles(sizes, 4, 512)  # type: ignore[misc]
    used = np.zeros((edge, edge), int)
    for (x, y), (w, h) in zip(corners, sizes):
        used[y - 4 : y + h + 4, x - 4 : x + w + 4] += 1
    assert used.max() == 1 and edge == 128
    assert pack_rectangles([(100, 100)], 0, 64) is None and pack_rectangles([], 2, 64) is None
    sheet = np.zeros((16, 16, 3), np.uint8)
    put(sheet, np.full((4, 4, 3), 9, np.uint8), (6, 6), 2, False)
    assert (sheet[4:12, 4:12] == 9).all() and sheet[3].max() == 0


def test_uv_measures_on_a_square_of_known_size() -> None:
    points = np.float32([[0, 0, 0], [2, 0, 0], [2, 2, 0], [0, 2, 0]])
    uv = np.float32([[0, 1], [1, 1], [1, 0], [0, 0]])
    faces = np.uint32([[0, 1, 2], [0, 2, 3]])
    assert texel_density(points, uv, faces, 512, 512) == pytest.approx([256, 256]), (
        "512 pixels over two metres"
    )
    assert texel_density(points, uv, faces, 512, 512, 4.0) == pytest.approx([1024, 1024]), (
        "and laid four times"
    )
    assert np.abs(uv_areas(uv, faces)).sum() == pytest.approx(1) and not flipped(uv, faces).any()
    assert flipped(uv * [-1, 1] + [1, 0], faces).all()  # type: ignore[operator]
    assert not overlapping(uv, faces).any()
    twice = np.concatenate([faces, faces])
    assert overlapping(uv, twice).all()


def test_the_uv_picture_draws_every_edge_and_mirrored_faces_in_red() -> None:
    prim = letter_primitive(0)
    picture = uv_picture([prim], 64)
    drawn = (picture != 246).any(axis=2)
    assert picture.shape == (64, 64, 3) and 0.01 < drawn.mean() < 0.9
    ground = np.full((8, 8, 4), 0, np.uint8)
    assert uv_picture([prim], 64, ground).mean() < picture.mean()
