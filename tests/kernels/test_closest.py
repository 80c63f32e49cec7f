"""Nearest points of triangles: the kernel against columns, to the last bit, and against trimesh."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from customs.geometry.closest import Surface, Triangles, closest_on, pairs_compiled
from tests.kernels.test_kernels import compiled, got

__all__ = ["compiled"]


def same(q: np.ndarray, corners: np.ndarray, rows: np.ndarray, faces: np.ndarray) -> bool:
    with np.errstate(all="ignore"):
        triangles = Triangles.of(np.asarray(corners, float))
        quick = pairs_compiled(got("closest"), q, rows, triangles, faces)
        slow = closest_on(q[rows], triangles.at(faces))
    return all(np.array_equal(a, b, equal_nan=True) for a, b in zip(quick, slow))


@given(st.integers(0, 2**32 - 1), st.integers(1, 60), st.integers(1, 30), st.integers(0, 300))
def test_pairs_are_those_of_columns(seed: int, points: int, faces: int, pairs: int) -> None:
    rng = np.random.default_rng(seed)
    # Numbers of a coarse grid meet corners, edges and triangles without area.
    q, corners = rng.integers(-3, 4, (points, 3)) / 2.0, rng.integers(-3, 4, (faces, 3, 3)) / 2.0
    assert same(q, corners, rng.integers(0, points, pairs), rng.integers(0, faces, pairs))
    assert same(rng.normal(size=(points, 3)), rng.normal(size=(faces, 3, 3)), rng.integers(0, points, pairs),
                rng.integers(0, faces, pairs))  # fmt: skip


@pytest.mark.parametrize("value", [np.nan, np.inf, -np.inf, 1e308, 1e-320, 0.0])
def test_pairs_of_spiteful_numbers(value: float) -> None:
    q = np.array([[0.0, 0, 0], [value, 0, 1], [value, value, value]])
    corners = np.array([[[0, 0, 0], [1, 0, 0], [0, 1, 0]], [[value, 0, 0], [1, value, 0], [0, 1, 0]],
                        [[value] * 3] * 3, [[2.0, 0, 0]] * 3, [[0, 0, 0], [1, 1, 1], [2, 2, 2]]])  # fmt: skip
    rows, faces = (x.reshape(-1) for x in np.meshgrid(np.arange(len(q)), np.arange(len(corners))))
    assert same(q, corners, rows, faces)
    assert same(q, corners, rows[:0], faces[:0])


def test_a_surface_answers_alike_with_and_without_and_as_trimesh_does(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    mesh = trimesh.creation.icosphere(3)
    q = np.random.default_rng(7).normal(size=(900, 3))
    surface = Surface(mesh.vertices, mesh.faces)
    slow = surface.closest(q)
    monkeypatch.setattr("customs.geometry.closest.kernel_for", lambda name, count: got(name))
    quick = surface.closest(q)
    assert all(
        np.array_equal(getattr(quick, f), getattr(slow, f)) for f in ("face", "point", "shares", "distance")
    )
    _, far, _ = trimesh.proximity.closest_point(mesh, q)
    assert quick.distance == pytest.approx(far, abs=1e-6)
