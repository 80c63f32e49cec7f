"""Bodies around points, against trimesh, SciPy and formulas of solid geometry."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from customs.geometry.bodies import (
    Body,
    hull_of,
    hull_within,
    least_box,
    least_capsule,
    least_sphere,
    straight_box,
)


def cloud(seed: int, count: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    return (rng.normal(size=(count, 3)) * [1, 2, 0.5]) @ turn + rng.normal(size=3) * 3


@given(seed=st.integers(0, 10_000), count=st.integers(1, 60))
def test_everything_lies_inside(seed: int, count: int) -> None:
    points = cloud(seed, count)
    bodies = [f(points) for f in (least_sphere, straight_box, least_box, least_capsule)]
    for body in [*bodies, hull_within(points, 8), hull_within(points, 500)]:
        assert body.outside(points).max() <= 1e-6 and body.volume >= 0, body.kind


@pytest.mark.parametrize("seed", range(6))
def test_no_larger_than_those_of_trimesh(seed: int) -> None:
    """trimesh.nsphere.minimum_nsphere, bounds.oriented_bounds, convex_hull."""
    points = cloud(seed, 300)
    assert least_sphere(points).radius <= trimesh.nsphere.minimum_nsphere(points)[1] * 1.0001
    assert least_box(points).volume <= trimesh.bounds.oriented_bounds(points)[1].prod() * 1.0001
    hull = trimesh.Trimesh(*hull_of(points), process=False)
    assert hull.is_watertight and hull.volume == pytest.approx(trimesh.PointCloud(points).convex_hull.volume)
    assert hull_within(points, 10_000).volume == pytest.approx(hull.volume)


def test_the_least_sphere_of_points_whose_sphere_is_known() -> None:
    """A regular tetrahedron in a cube of side 2 has a circumradius of √3; two points lie on their sphere's ends."""
    tetra = np.array([[1, 1, 1], [1, -1, -1], [-1, 1, -1], [-1, -1, 1]], float)
    assert least_sphere(tetra).radius == pytest.approx(np.sqrt(3))
    body = least_sphere(np.array([[0, 0, 0], [0, 4, 0], [0.5, 2, 0]], float))
    assert body.radius == pytest.approx(2) and body.middle == pytest.approx([0, 2, 0])


def test_a_turned_box_is_found_again() -> None:
    turn = trimesh.transformations.rotation_matrix(0.7, [1, 2, 3])[:3, :3]
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-2, 2) for z in (-0.5, 0.5)], float) @ turn.T
    assert least_box(corners).volume == pytest.approx(8, rel=1e-6) and straight_box(corners).volume > 9
    assert sorted(least_box(corners).half) == pytest.approx([0.5, 1, 2])


def test_volumes_are_those_of_the_formulas() -> None:
    """Sphere 4/3 πr³ and capsule πr²(4/3 r + h), by trimesh's primitives."""
    capsule = Body("capsule", np.zeros(3), np.eye(3), 0.5, (0, 1.5, 0))
    assert capsule.volume == pytest.approx(
        trimesh.primitives.Capsule(radius=0.5, height=3).to_mesh().volume, rel=0.02
    )
    assert capsule.volume == pytest.approx(np.pi * 0.25 * (4 / 3 * 0.5 + 3))
    assert Body("sphere", np.zeros(3), np.eye(3), 2).volume == pytest.approx(4 / 3 * np.pi * 8)


def test_a_capsule_lies_along_what_is_long() -> None:
    points = trimesh.primitives.Capsule(radius=0.3, height=2).to_mesh().vertices
    body = least_capsule(points)
    assert body.radius == pytest.approx(0.3, rel=0.01) and body.half[1] == pytest.approx(1, rel=0.02)
    assert abs(body.axes[2, 1]) == pytest.approx(1, abs=1e-3)


@pytest.mark.parametrize("most", [4, 8, 32, 100])
def test_a_hull_keeps_to_its_corners_and_covers(most: int) -> None:
    points = trimesh.creation.icosphere(subdivisions=4).vertices
    body = hull_within(points, most)
    assert body.points is not None and len(body.points) <= most and body.outside(points).max() < 1e-9
    bare = hull_within(points, most, cover=False)
    assert bare.outside(points).max() > 0 and bare.volume < 4 / 3 * np.pi


@pytest.mark.parametrize(
    "points",
    [np.zeros((1, 3)), np.full((5, 3), 7.0), np.c_[np.arange(5.0), np.zeros((5, 2))], np.c_[cloud(1, 30)[:, :2], np.zeros(30)]],
    ids=["a point", "one place", "a line", "a plane"],
)  # fmt: skip
def test_flat_things_have_bodies_too(points: np.ndarray) -> None:
    for body in (least_sphere(points), least_box(points), least_capsule(points), hull_within(points, 16)):
        assert np.isfinite(body.volume) and body.outside(points).max() < 1e-6, body.kind


def test_how_far_outside_is_measured() -> None:
    box = Body("box", np.array([1.0, 0, 0]), np.eye(3), half=(1, 1, 1))
    assert box.outside([[3, 0, 0], [1, 0, 0], [3, 2, 0]]) == pytest.approx([1, 0, np.sqrt(2)])
    capsule = Body("capsule", np.zeros(3), np.eye(3), 1, (0, 2, 0))
    assert capsule.outside([[0, 4, 0], [2, 0, 0], [0, 3, 0]]) == pytest.approx([1, 1, 0])
