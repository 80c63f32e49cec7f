"""Triangles, polygons, normals, tangents, faces."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from customs.geometry.faces import degenerate, doubled
from customs.geometry.inward import inward
from customs.geometry.normals import corner_normals, scatter, smooth_normals
from customs.geometry.polygons import triangulate
from customs.geometry.shells import is_closed
from customs.geometry.tangents import face_tangents, mirrored_vertices, vertex_tangents
from customs.geometry.triangles import (
    area,
    face_vectors,
    fan_triangles,
    signed_volume,
    strip_triangles,
    triangles_of,
)
from customs.geometry.weld import groups_near, groups_of_rows, unique_rows
from customs.scene.arrays import frozen
from tests.assets import LETTER_F, cube, extruded, letter_primitive


def test_strip_and_fan_follow_the_specification() -> None:
    # glTF 2.0, 3.7.2.1: strip p_i = {v_i, v_(i + (1 + i%2)), v_(i + (2 − i%2))}, fan p_i = {v_(i+1), v_(i+2),
    # v_0}
    v = np.arange(6, dtype=np.uint32)
    assert strip_triangles(v).tolist() == [[0, 1, 2], [1, 3, 2], [2, 3, 4], [3, 5, 4]]
    assert fan_triangles(v).tolist() == [[1, 2, 0], [2, 3, 0], [3, 4, 0], [4, 5, 0]]
    assert len(strip_triangles(v[:2])) == 0 and len(fan_triangles(v[:2])) == 0


def test_area_and_volume_of_a_cube() -> None:
    prim = cube(2.0)
    faces = triangles_of(prim)
    assert area(prim.positions, faces) == pytest.approx(24.0)
    assert signed_volume(prim.positions, faces) == pytest.approx(8.0)
    assert signed_volume(prim.positions, faces[:, ::-1]) == pytest.approx(-8.0)
    assert signed_volume(prim.positions, faces[:0]) == 0.0


def test_volume_agrees_with_trimesh() -> None:
    # outside judge: trimesh
    points, faces = extruded(LETTER_F, 1.2)
    judge = trimesh.Trimesh(points, faces, process=True)
    assert judge.is_watertight
    assert signed_volume(points, faces) == pytest.approx(judge.volume, rel=1e-9)


@pytest.mark.parametrize("turn", [0, 1, 2])
def test_concave_polygons_are_cut_by_ears(turn: int) -> None:
    ring = np.array(LETTER_F, dtype=np.float32)
    points = np.roll(np.c_[ring, np.zeros(len(ring))], turn, axis=1).astype(np.float32)
    n = len(ring)
    faces, source = triangulate(points, np.arange(n, dtype=np.uint32), np.array([n], np.uint32))
    assert len(faces) == n - 2 and (source == 0).all()
    vectors = face_vectors(points, faces)
    assert (vectors @ np.roll([0, 0, 1.0], turn) > 0).all()
    x, y = ring[:, 0], ring[:, 1]
    outline = 0.5 * float(np.abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))))
    assert area(points, faces) == pytest.approx(outline)


def test_polygons_of_many_sizes_keep_their_order() -> None:
    rng = np.random.default_rng(3)
    sizes = rng.integers(3, 9, 200).astype(np.uint32)
    points, corners = [], []
    for s in sizes:
        t = np.sort(rng.random(s)) * 2 * np.pi
        corners += list(range(len(points), len(points) + s))
        points += [(np.cos(a), np.sin(a), 0.0) for a in t]
    faces, source = triangulate(np.array(points, np.float32), np.array(corners, np.uint32), sizes)
    assert (np.bincount(source, minlength=200) == sizes - 2).all()
    assert (np.diff(source.astype(int)) >= 0).all()
    assert (face_vectors(np.array(points, np.float32), faces)[:, 2] > -1e-6).all()


def test_a_loop_that_crosses_itself_still_gives_the_right_count() -> None:
    star = np.array([[np.cos(a), np.sin(a), 0] for a in np.arange(5) * 4 * np.pi / 5], np.float32)
    faces, _ = triangulate(star, np.arange(5, dtype=np.uint32), np.array([5], np.uint32))
    assert len(faces) == 3


def test_nothing_to_cut() -> None:
    faces, source = triangulate(np.zeros((0, 3), np.float32), np.zeros(0, np.uint32), np.zeros(0, np.uint32))
    assert faces.shape == (0, 3) and len(source) == 0


def test_smooth_normals_agree_with_trimesh_on_a_sphere() -> None:
    # outside judge: trimesh; on a unit sphere normals point along the positions
    ball = trimesh.creation.icosphere(3)
    mine = smooth_normals(ball.vertices.astype(np.float32), ball.faces.astype(np.uint32))
    assert np.abs(mine - ball.vertices).max() < 0.02
    assert np.einsum("ij,ij->i", mine, ball.vertex_normals).min() > 0.999


def test_scatter_sums_faces_onto_vertices() -> None:
    faces = np.array([[0, 1, 2], [2, 1, 3]], np.uint32)
    out = scatter(faces, np.array([[1.0], [10.0]]), 4)
    assert out[:, 0].tolist() == [1, 11, 11, 10]


def test_corner_normals_are_hard_over_the_angle_and_smooth_below() -> None:
    prim = cube()
    faces = triangles_of(prim)
    hard = corner_normals(prim.positions, faces, 40)
    assert np.allclose(np.abs(hard).max(axis=2), 1, atol=1e-6)
    soft = corner_normals(prim.positions, faces, 180)
    assert np.allclose(np.abs(soft), 1 / np.sqrt(3), atol=0.25)
    assert np.allclose(np.linalg.norm(soft, axis=2), 1, atol=1e-5)


def test_smoothing_groups_keep_apart_what_is_not_in_one() -> None:
    prim = cube()
    faces = triangles_of(prim)
    groups = np.zeros(len(faces), np.uint32)
    assert np.allclose(
        corner_normals(prim.positions, faces, 180, groups),
        corner_normals(prim.positions, faces, 0),
        atol=1e-6,
    )


def test_an_unmirrored_patch_has_w_plus_one_and_a_tangent_along_u() -> None:
    # glTF 2.0, 3.7.2.1: bitangent = cross(normal, tangent.xyz) · w, V pointing down in glTF
    points = frozen([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    uvs = frozen([[0, 1], [1, 1], [1, 0], [0, 0]])
    faces = np.array([[0, 1, 2], [0, 2, 3]], np.uint32)
    normals = smooth_normals(points, faces)
    t = vertex_tangents(points, normals, uvs, faces)
    assert np.allclose(t, [1, 0, 0, 1], atol=1e-6)
    mirrored = vertex_tangents(points, normals, frozen(uvs * [-1, 1]), faces)
    assert np.allclose(mirrored, [-1, 0, 0, -1], atol=1e-6)


def test_tangents_are_unit_and_square_to_the_normal() -> None:
    p = letter_primitive(0)
    assert p.tangents is not None and p.normals is not None
    assert np.allclose(np.linalg.norm(p.tangents[:, :3], axis=1), 1, atol=1e-5)
    assert np.abs(np.einsum("ij,ij->i", p.tangents[:, :3], p.normals)).max() < 1e-5


def test_vertices_of_both_uv_directions_are_found() -> None:
    points = frozen([[0, 0, 0], [1, 0, 0], [1, 1, 0], [2, 0, 0]])
    uvs = frozen([[0, 1], [1, 1], [1, 0], [0, 1]])
    faces = np.array([[0, 1, 2], [1, 3, 2]], np.uint32)
    _, sign = face_tangents(points, uvs, faces)
    assert sign.tolist() == [1, -1]
    assert mirrored_vertices(sign, faces, 4).tolist() == [False, True, True, False]


def test_a_flat_uv_triangle_gives_a_finite_tangent() -> None:
    points = frozen([[0, 0, 0], [1, 0, 0], [1, 1, 0]])
    t = vertex_tangents(
        points, frozen([[0, 0, 1]] * 3), frozen([[0.5, 0.5]] * 3), np.array([[0, 1, 2]], np.uint32)
    )
    assert np.isfinite(t).all() and np.allclose(np.linalg.norm(t[:, :3], axis=1), 1)


def test_degenerate_and_doubled_faces() -> None:
    points = frozen([[0, 0, 0], [1, 0, 0], [0, 1, 0], [2, 0, 0], [0, 0, 0]])
    faces = np.array([[0, 1, 2], [0, 1, 3], [0, 1, 1], [2, 4, 1], [1, 2, 0], [1, 0, 2]], np.uint32)
    assert degenerate(points, faces).tolist() == [False, True, True, False, False, False]
    assert doubled(points, faces).tolist() == [False, False, False, True, True, False]


def test_small_and_large_faces_are_judged_alike() -> None:
    for scale in (1e-6, 1.0, 1e6):
        points = frozen(np.array([[0, 0, 0], [1, 0, 0], [0.5, 0.01, 0]]) * scale)
        assert not degenerate(points, np.array([[0, 1, 2]], np.uint32))[0]


@pytest.mark.parametrize("bad", [[], [3], [0, 5, 7], list(range(12))])
def test_inward_faces_of_a_closed_mesh_are_found_exactly(bad: list[int]) -> None:
    prim = cube()
    faces = triangles_of(prim).copy()
    faces[bad] = faces[bad][:, ::-1]
    assert np.flatnonzero(inward(prim.positions, faces)).tolist() == bad


def test_several_shells_are_judged_apart() -> None:
    a, b = cube(1.0), cube(1.0, turned_in=True)
    points = np.concatenate([a.positions, b.positions + np.float32(3)])
    faces = np.concatenate([triangles_of(a), triangles_of(b) + np.uint32(len(a.positions))])
    out = inward(points, faces)
    assert not out[:12].any() and out[12:].all()


def test_a_flat_sheet_has_no_inside() -> None:
    points = frozen([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    assert not inward(points, np.array([[0, 2, 1], [0, 3, 2]], np.uint32)).any()


def test_an_open_bowl_turned_in_is_found_by_its_centre() -> None:
    ball = trimesh.creation.icosphere(3)
    keep = ball.triangles_center[:, 1] < 0.6
    faces = ball.faces[keep].astype(np.uint32)
    assert not inward(ball.vertices.astype(np.float32), faces).any()
    assert inward(ball.vertices.astype(np.float32), faces[:, ::-1]).all()


def test_a_moebius_band_is_left_alone() -> None:
    n = 40
    t = np.linspace(0, 2 * np.pi, n, endpoint=False)

    def ring(s: float) -> np.ndarray:
        side = 1 + s * np.cos(t / 2)
        return np.c_[side * np.cos(t), side * np.sin(t), s * np.sin(t / 2)]

    points = np.concatenate([ring(-0.2), ring(0.2)]).astype(np.float32)
    i = np.arange(n - 1)
    faces = np.concatenate(
        [np.c_[i, i + 1, i + n], np.c_[i + 1, i + 1 + n, i + n], [[n - 1, n, 2 * n - 1], [n, 0, 2 * n - 1]]]
    )
    assert not inward(points, faces.astype(np.uint32)).any()


def test_closed_and_open() -> None:
    prim = cube()
    faces = triangles_of(prim)
    assert is_closed(prim.positions, faces) and not is_closed(prim.positions, faces[1:])
    assert not is_closed(prim.positions, faces[:0])


def test_unique_rows_agree_with_numpy() -> None:
    rng = np.random.default_rng(2)
    rows = rng.integers(0, 5, (5000, 3)).astype(np.float32)
    first, inverse = unique_rows([rows])
    assert (rows[first][inverse] == rows).all()
    assert len(first) == len(np.unique(rows, axis=0))
    assert (np.diff(first) > 0).all()


def test_minus_zero_equals_zero_and_nothing_is_fine() -> None:
    assert groups_of_rows(np.array([[0.0], [-0.0]], np.float32)).tolist() == [0, 0]
    first, inverse = unique_rows([np.zeros((0, 3), np.float32)])
    assert len(first) == 0 and len(inverse) == 0


def test_near_points_are_chained_into_groups() -> None:
    points = np.array([[0, 0, 0], [0.9, 0, 0], [1.8, 0, 0], [5, 0, 0], [5, 0, 0]], np.float32)
    assert len(set(groups_near(points, 1.0)[:3].tolist())) == 1
    assert len(set(groups_near(points, 1.0).tolist())) == 2
    assert len(set(groups_near(points, 0.0).tolist())) == 4
