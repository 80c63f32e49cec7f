"""Kernels over pixels and tangents against the numpy and SciPy ways, to the last bit."""

from __future__ import annotations

import numpy as np
import PIL.Image
import pytest
from hypothesis import given
from hypothesis import strategies as st

from customs.geometry.tangents import sums_by_columns, sums_compiled, vertex_tangents
from customs.surface.compare import psnr
from customs.surface.counts import (
    counts_by_bins,
    counts_compiled,
    squares_by_columns,
    squares_compiled,
)
from customs.surface.mipmap import coverage
from customs.surface.transparency import bled, nearest_by_scipy, nearest_compiled
from tests.kernels.test_kernels import compiled, got

__all__ = ["compiled"]


@pytest.mark.parametrize("shape", [(0, 4, 3), (1, 1, 1), (64, 33, 4), (257, 129, 3)])
@pytest.mark.parametrize("kind", ["drawn", "zero", "full"])
def test_bytes_are_counted_and_compared_exactly(shape: tuple[int, ...], kind: str) -> None:
    rng = np.random.default_rng(5)
    a = {"drawn": rng.integers(0, 256, shape), "zero": np.zeros(shape), "full": np.full(shape, 255)}[kind]
    a, b = a.astype(np.uint8), rng.integers(0, 256, shape).astype(np.uint8)
    for view in (a, a[:, ::2], a[..., -1]):
        assert np.array_equal(counts_compiled(got("pixels"), view), counts_by_bins(view))
    assert squares_compiled(got("pixels"), a, b) == squares_by_columns(a, b)
    if a.size:
        # Pillow counts them too.
        judge = PIL.Image.fromarray(a[:, :, 0]).histogram()
        assert counts_compiled(got("pixels"), a[:, :, 0]).tolist() == judge
        exact = ((a.astype(float) - b) ** 2).mean()
        assert psnr(a, b) == (pytest.approx(10 * np.log10(255**2 / exact)) if exact else np.inf)


def test_coverage_is_the_share_that_reaches_the_cutoff() -> None:
    pixels = np.random.default_rng(2).integers(0, 256, (50, 40, 4)).astype(np.uint8)
    for cutoff in (0.0, 0.2, 100 / 255, 0.5, 1.0, 1.2):
        assert coverage(pixels, cutoff) == float((pixels[:, :, -1] >= cutoff * 255).mean())


def same(away: np.ndarray) -> bool:
    quick, slow = nearest_compiled(got("distance"), away), nearest_by_scipy(away)
    return all(np.array_equal(x, y) for x, y in zip(quick, slow))


@given(st.integers(0, 2**32 - 1), st.integers(1, 40), st.integers(1, 40), st.floats(0.0, 0.999))
def test_the_nearest_pixel_is_the_one_scipy_finds(seed: int, height: int, width: int, share: float) -> None:
    rng = np.random.default_rng(seed)
    away = rng.random((height, width)) < share
    away[rng.integers(height), rng.integers(width)] = False
    assert same(away)


@pytest.mark.parametrize("shape", [(1, 1), (1, 300), (300, 1), (200, 260)])
def test_the_nearest_pixel_where_many_are_equally_near(shape: tuple[int, int]) -> None:
    for step in (1, 2, 5, 64):
        away = np.ones(shape, bool)
        away[::step, ::step] = False
        assert same(away)
    corner = np.ones(shape, bool)
    corner[-1, -1] = False
    assert same(corner)


def test_colours_are_drawn_out_alike_with_and_without(monkeypatch: pytest.MonkeyPatch) -> None:
    pixels = np.random.default_rng(1).integers(0, 256, (90, 70, 4)).astype(np.uint8)
    pixels[..., 3][np.random.default_rng(2).random((90, 70)) < 0.8] = 0
    slow = bled(pixels)
    monkeypatch.setattr("customs.surface.transparency.kernel_for", lambda name, count: got(name))
    assert np.array_equal(bled(pixels), slow)


def patch(count: int, faces: int, seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    return (
        rng.normal(size=(count, 3)).astype(np.float32),
        rng.random((count, 2)).astype(np.float32),
        rng.integers(0, count, (faces, 3)).astype(np.uint32),
    )


@given(st.integers(0, 2**32 - 1), st.integers(1, 50), st.integers(0, 200))
def test_tangents_are_summed_as_by_columns(seed: int, count: int, faces: int) -> None:
    drawn = patch(count, faces, seed)
    quick = sums_compiled(got("tangents"), *drawn)
    assert quick is not None and np.array_equal(quick, sums_by_columns(*drawn))


def test_tangents_of_spiteful_faces(monkeypatch: pytest.MonkeyPatch) -> None:
    points, uvs, faces = patch(300, 12_000, 3)
    faces[:10_000, 0] = 0
    uvs[5:20] = uvs[4]
    points[30:40] = points[30]
    for value in (np.nan, np.inf, 3e38, 1e-45):
        points[50], uvs[60] = value, value
        with np.errstate(all="ignore"):
            quick, slow = (
                sums_compiled(got("tangents"), points, uvs, faces),
                sums_by_columns(points, uvs, faces),
            )
        assert quick is not None and np.array_equal(quick, slow, equal_nan=True)
    faces[7, 1] = 2**32 - 1
    assert sums_compiled(got("tangents"), points, uvs, faces) is None
    points, uvs, faces = patch(400, 900, 4)
    normals = np.tile(np.array([0, 0, 1], np.float32), (400, 1))
    slow = vertex_tangents(points, normals, uvs, faces)
    monkeypatch.setattr("customs.geometry.tangents.kernel_for", lambda name, count: got(name))
    assert np.array_equal(vertex_tangents(points, normals, uvs, faces), slow)
