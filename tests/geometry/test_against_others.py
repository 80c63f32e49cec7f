"""Geometry against plain brute force, NumPy, SciPy, trimesh and published formulas, on shapes drawn at
random.
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import sparse
from scipy.spatial import cKDTree

from customs.geometry.closest import Triangles, closest_on
from customs.geometry.faces import degenerate, doubled
from customs.geometry.inward import inward
from customs.geometry.laplace import cotangent, neighbours
from customs.geometry.normals import corner_normals, scatter, smooth_normals
from customs.geometry.polygons import triangulate
from customs.geometry.shells import is_closed
from customs.geometry.tangents import any_perpendicular, face_tangents, vertex_tangents
from customs.geometry.texcoords import face_areas, flipped, overlapping, texel_density, uv_areas
from customs.geometry.triangles import area, face_vectors, signed_volume
from customs.geometry.unwrap import unwrap
from customs.geometry.weld import distinct_pairs, groups_near, groups_of_rows, hash_rows, unique_rows
from customs.scene.transforms import quaternion_matrix, unit_rows
from tests.assets import LETTER_F, extruded

SEEDS = st.integers(0, 10_000)


def ball(level: int = 2) -> tuple[np.ndarray, np.ndarray]:
    """(points float32, faces uint32) of trimesh's icosphere."""
    made = trimesh.creation.icosphere(level)
    return made.vertices.astype(np.float32), made.faces.astype(np.uint32)


def turned(seed: int) -> np.ndarray:
    """Some rotation (3, 3)."""
    q = np.random.default_rng(seed).normal(size=4)
    return quaternion_matrix(q / np.linalg.norm(q))[:3, :3]


def star(seed: int, corners: int) -> np.ndarray:
    """A closed outline (n, 2), ccw, every corner seen from the middle: seldom convex."""
    rng = np.random.default_rng(seed)
    angles = (np.arange(corners) + rng.uniform(0, 0.8, corners)) / corners * 2 * np.pi
    reach = rng.uniform(0.3, 1.0, corners)
    return np.c_[np.cos(angles), np.sin(angles)] * reach[:, None]


def shoelace(ring: np.ndarray) -> float:
    """Area of an outline (Gauss's formula)."""
    x, y = ring.T
    return 0.5 * float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))


# -- polygons


@given(SEEDS, st.integers(4, 24))
def test_cutting_an_outline_keeps_its_area_in_any_plane(seed: int, corners: int) -> None:
    ring = star(seed, corners)
    spin = turned(seed)
    points = (np.c_[ring, np.zeros(corners)] @ spin.T).astype(np.float32)
    faces, source = triangulate(points, np.arange(corners, dtype=np.uint32), np.array([corners], np.uint32))
    assert len(faces) == corners - 2 and not source.any()
    # Every triangle looks where the outline looks, so nothing is covered twice.
    along = face_vectors(points, faces) @ spin[:, 2].astype(np.float32)
    assert along.min() > -1e-5
    assert area(points, faces) == pytest.approx(shoelace(ring), rel=1e-4)
    # Each side of the outline is a side of exactly one triangle.
    edges = {(int(a), int(b)) for f in faces for a, b in zip(f, np.roll(f, -1))}
    assert all((k, (k + 1) % corners) in edges for k in range(corners))


@given(SEEDS)
def test_many_polygons_at_once_are_cut_as_each_alone(seed: int) -> None:
    rng = np.random.default_rng(seed)
    sizes = rng.integers(3, 9, 12)
    rings = [star(seed + k, int(n)) for k, n in enumerate(sizes)]
    points = np.concatenate([np.c_[r, np.full(len(r), float(k))] for k, r in enumerate(rings)]).astype(
        np.float32
    )
    corners = np.arange(len(points), dtype=np.uint32)
    together, source = triangulate(points, corners, sizes.astype(np.uint32))
    start = 0
    for k, n in enumerate(sizes):
        alone, _ = triangulate(points, corners[start : start + n], np.array([n], np.uint32))
        assert np.array_equal(together[source == k], alone)
        start += int(n)


# -- faces


@given(SEEDS, st.integers(1, 60))
def test_flipped_faces_of_a_closed_shape_are_the_ones_found(seed: int, bad: int) -> None:
    points, faces = ball()
    chosen = np.random.default_rng(seed).choice(len(faces), bad, replace=False)
    turned_in = faces.copy()
    turned_in[chosen] = turned_in[chosen][:, ::-1]
    judge = trimesh.Trimesh(points, turned_in, process=False)
    assert not judge.is_winding_consistent
    found = inward(points, turned_in)
    assert sorted(np.flatnonzero(found).tolist()) == sorted(chosen.tolist())
    mended = np.where(found[:, None], turned_in[:, ::-1], turned_in)
    assert trimesh.Trimesh(points, mended, process=False).is_winding_consistent
    assert signed_volume(points, mended) > 0


@pytest.mark.parametrize("holes", [0, 1, 2, 7])
def test_closed_is_what_trimesh_calls_watertight(holes: int) -> None:
    points, faces = ball()
    kept = faces[holes:]
    assert (
        is_closed(points, kept) == trimesh.Trimesh(points, kept, process=False).is_watertight == (holes == 0)
    )


@given(SEEDS)
def test_doubled_faces_by_brute_force(seed: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.integers(0, 3, (20, 3)).astype(np.float32)
    faces = rng.integers(0, 20, (40, 3)).astype(np.uint32)
    seen: set[tuple[tuple[float, ...], ...]] = set()
    wanted = []
    for f in faces:
        a, b, c = (tuple(points[k].tolist()) for k in f)
        # A face in the other winding is a back, and no repeat.
        places = min((a, b, c), (b, c, a), (c, a, b)) if len({a, b, c}) == 3 else tuple(sorted((a, b, c)))
        wanted.append(places in seen)
        seen.add(places)
    assert doubled(points, faces).tolist() == wanted


@given(SEEDS, st.floats(1e-6, 1e6))
def test_a_face_is_broken_or_not_whatever_its_size(seed: int, size: float) -> None:
    rng = np.random.default_rng(seed)
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], *[[0.0] * 3] * 6]) + rng.uniform(-0.2, 0.2, (9, 3))
    points[3:6] = np.outer([0, 1, 3], rng.integers(1, 9, 3))
    points[7] = points[8]
    points *= 2.0 ** np.round(np.log2(size))
    found = degenerate(points.astype(np.float32), np.arange(9, dtype=np.uint32).reshape(3, 3))
    assert found.tolist() == [False, True, True], "a spread one, three in a line, two at one place"


# -- rows and places


@given(SEEDS, st.integers(1, 4))
def test_rows_are_told_apart_as_numpy_does(seed: int, columns: int) -> None:
    rng = np.random.default_rng(seed)
    tables = [rng.integers(0, 3, (60, k + 1)).astype(np.float32) for k in range(columns)]
    first, inverse = unique_rows(tables)
    whole = np.concatenate(tables, axis=1)
    assert len(first) == len(np.unique(whole, axis=0))
    assert np.array_equal(whole[first][inverse], whole)
    assert (np.diff(first) > 0).all(), "in the order they came"
    group = groups_of_rows(whole)
    for a, b in combinations(range(0, 60, 7), 2):
        assert (group[a] == group[b]) == bool((whole[a] == whole[b]).all())


def test_hashes_of_rows_differ_where_rows_do() -> None:
    rng = np.random.default_rng(5)
    rows = rng.normal(size=(50_000, 3)).astype(np.float32)
    codes = hash_rows([rows])
    assert len(np.unique(codes)) == len(np.unique(rows, axis=0)) == 50_000
    assert np.array_equal(codes, hash_rows([rows.copy()]))


@given(SEEDS)
def test_near_places_are_the_components_of_scipys_pairs(seed: int) -> None:
    rng = np.random.default_rng(seed)
    points = rng.uniform(size=(200, 3)).astype(np.float32)
    pairs = cKDTree(points).query_pairs(0.1, output_type="ndarray")
    graph = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(200, 200))
    count, label = sparse.csgraph.connected_components(graph, directed=False)
    group = groups_near(points, 0.1)
    assert len(np.unique(group)) == count
    assert len(np.unique(np.c_[group, label], axis=0)) == count, "the same parting"


def test_corners_of_one_place_and_one_look_share_a_vertex() -> None:
    places = np.array([0, 0, 1, 1, 0], np.uint32)
    look = np.array([4, 4, 4, 9, 9], np.uint32)
    first, inverse = distinct_pairs(places, [look], 2)
    assert len(first) == 4 and inverse[0] == inverse[1] and len(set(inverse.tolist())) == 4


# -- normals and tangents


def test_normals_of_a_ball_point_away_from_its_middle() -> None:
    points, faces = ball(3)
    found = smooth_normals(points, faces)
    assert np.abs(np.linalg.norm(found, axis=1) - 1).max() < 1e-6
    assert (np.einsum("ij,ij->i", found, points) > 0.999).all()


def test_between_no_angle_and_half_a_turn_lie_faces_and_smoothness() -> None:
    points, faces = ball(1)
    flat = unit_rows(face_vectors(points, faces))
    hard = corner_normals(points, faces, 0.0).reshape(-1, 3, 3)
    assert np.abs(hard - flat[:, None]).max() < 1e-5
    soft = corner_normals(points, faces, 180.0).reshape(-1, 3, 3)
    assert np.abs(soft - smooth_normals(points, faces)[faces]).max() < 1e-5


@given(SEEDS)
def test_normals_turn_with_the_shape(seed: int) -> None:
    points, faces = ball(1)
    squashed = points * np.float32([1, 0.5, 2])
    spin = turned(seed).astype(np.float32)
    before = smooth_normals(squashed, faces)
    after = smooth_normals((squashed @ spin.T).astype(np.float32), faces)
    assert np.abs(before @ spin.T - after).max() < 1e-4


@given(SEEDS)
def test_sums_on_vertices_are_numpys(seed: int) -> None:
    rng = np.random.default_rng(seed)
    faces = rng.integers(0, 30, (100, 3)).astype(np.uint32)
    values = rng.normal(size=(100, 4)).astype(np.float32)
    wanted = np.zeros((30, 4))
    np.add.at(wanted, faces.reshape(-1), np.repeat(values, 3, axis=0).astype(float))
    assert np.abs(scatter(faces, values, 30) - wanted).max() < 1e-4


@given(SEEDS)
def test_the_tangent_is_the_slope_of_u(seed: int) -> None:
    """By definition: along the tangent u grows fastest and v not at all (E. Lengyel, 2001)."""
    rng = np.random.default_rng(seed)
    corners = rng.normal(size=(3, 3)).astype(np.float32)
    uv = rng.uniform(size=(3, 2)).astype(np.float32)
    faces = np.array([[0, 1, 2]], np.uint32)
    if abs(float(uv_areas(uv, faces)[0])) < 1e-2 or float(face_areas(corners, faces)[0]) < 1e-2:
        return
    edges = np.stack([corners[1] - corners[0], corners[2] - corners[0]]).astype(float)
    # The gradients of u and v in the plane of the triangle, by least squares.
    slope = np.linalg.pinv(edges) @ np.stack([uv[1] - uv[0], uv[2] - uv[0]]).astype(float)
    tangent, sign = face_tangents(corners, uv, faces)
    direction = tangent[0] / np.linalg.norm(tangent[0])
    assert direction @ slope[:, 0] > 0 and abs(direction @ slope[:, 1]) < 1e-3 * np.linalg.norm(slope[:, 1])
    assert sign[0] == np.sign(uv_areas(uv, faces)[0])


def test_mirrored_uvs_turn_w_and_leave_the_length() -> None:
    points, faces = ball(2)
    normals = smooth_normals(points, faces)
    # The cap about +Z, laid flat: u along X, v down along −Y as glTF has it.
    cap = faces[(points[faces][..., 2] > 0.4).all(axis=1)]
    uv = (np.c_[points[:, 0], -points[:, 1]] * 0.5 + 0.5).astype(np.float32)
    plain = vertex_tangents(points, normals, uv, cap)
    mirrored = vertex_tangents(points, normals, uv * np.float32([-1, 1]), cap)
    used = np.unique(cap)
    assert (plain[used, 3] == 1).all() and (mirrored[used, 3] == -1).all()
    assert np.abs(plain[used, :3] + mirrored[used, :3]).max() < 1e-5, "u runs the other way"


@given(SEEDS)
def test_something_at_right_angles_is_always_found(seed: int) -> None:
    normals = unit_rows(np.random.default_rng(seed).normal(size=(50, 3)).astype(np.float32))
    normals[:6] = np.concatenate([np.eye(3), -np.eye(3)])
    found = any_perpendicular(normals)
    assert np.abs(np.einsum("ij,ij->i", found, normals)).max() < 1e-6
    assert np.abs(np.linalg.norm(found, axis=1) - 1).max() < 1e-6


# -- texture coordinates


def test_texel_density_of_a_wall_two_metres_wide() -> None:
    """Common practice: pixels per metre. A wall of 2 × 1 m that fills a texture of 2048 × 1024 has 1024 a
    metre.
    """
    points = np.float32([[0, 0, 0], [2, 0, 0], [2, 1, 0], [0, 1, 0]])
    uv = np.float32([[0, 1], [1, 1], [1, 0], [0, 0]])
    faces = np.uint32([[0, 1, 2], [0, 2, 3]])
    assert texel_density(points, uv, faces, 2048, 1024).tolist() == [1024, 1024]
    assert texel_density(points, uv, faces, 2048, 1024, scale=3).tolist() == [3072, 3072]
    assert texel_density(points * 10, uv, faces, 2048, 1024)[0] == pytest.approx(102.4)
    assert texel_density(points * 0, uv, faces, 2048, 1024).tolist() == [0, 0]
    assert uv_areas(uv, faces).sum() == pytest.approx(1.0) and not flipped(uv, faces).any()
    assert flipped(uv * np.float32([-1, 1]), faces).all()


@given(SEEDS)
def test_areas_are_trimeshs(seed: int) -> None:
    points, faces = ball(1)
    squashed = points * np.random.default_rng(seed).uniform(0.2, 3, 3).astype(np.float32)
    judge = trimesh.Trimesh(squashed, faces, process=False)
    assert np.abs(face_areas(squashed, faces) - judge.area_faces).max() < 1e-5


@settings(max_examples=4)
@given(SEEDS)
def test_triangles_laid_on_each_other_are_found_and_neighbours_are_not(seed: int) -> None:
    rng = np.random.default_rng(seed)
    side = 6
    grid = np.stack(
        np.meshgrid(np.linspace(0.05, 0.95, side), np.linspace(0.05, 0.95, side)), axis=-1
    ).reshape(-1, 2)
    uv = grid.astype(np.float32)
    a = (np.arange(side - 1)[:, None] * side + np.arange(side - 1)).reshape(-1)
    faces = np.concatenate([np.c_[a, a + 1, a + side], np.c_[a + 1, a + side + 1, a + side]]).astype(
        np.uint32
    )
    assert not overlapping(uv, faces).any(), "a grid lies side by side"
    twice = rng.choice(len(faces), 3, replace=False)
    copies = np.arange(len(uv), len(uv) + 9, dtype=np.uint32).reshape(3, 3)
    more = np.concatenate([uv, uv[faces[twice]].reshape(-1, 2)])
    found = overlapping(more, np.concatenate([faces, copies]))
    assert set(np.flatnonzero(found).tolist()) == {
        *twice.tolist(),
        len(faces),
        len(faces) + 1,
        len(faces) + 2,
    }
    # A whole texture further on is the same place.
    assert overlapping(np.concatenate([uv, uv[faces[twice]].reshape(-1, 2) + 1]).astype(np.float32),
                       np.concatenate([faces, copies])).sum() == 6  # fmt: skip


def test_unwrapping_covers_every_face_once_inside_the_square() -> None:
    points, faces = extruded(LETTER_F, 1.2)
    made = unwrap(points.astype(np.float32), faces.astype(np.uint32), padding=4, resolution=512)
    assert len(made.faces) == len(faces) and made.charts >= 6, "a letter has at least six sides"
    assert np.array_equal(made.source[made.faces], faces), "the same corners, in the same order"
    assert made.uv.min() >= 0 and made.uv.max() <= 1
    assert not overlapping(made.uv, made.faces).any()
    density = texel_density(points.astype(np.float32)[made.source], made.uv, made.faces, 512, 512)
    assert density.min() > 0.5 * density.max(), "no side is much coarser than another"


# -- the surface


@given(SEEDS)
def test_the_closest_point_of_a_triangle_beats_every_other_point_on_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    corners = rng.normal(size=(20, 3, 3))
    q = rng.normal(size=(20, 3)) * 2
    point, shares = closest_on(q, Triangles.of(corners))
    assert shares.min() > -1e-12 and np.abs(shares.sum(axis=1) - 1).max() < 1e-12
    assert np.abs(np.einsum("nk,nkj->nj", shares, corners) - point).max() < 1e-9
    squared = np.linalg.norm(q - point, axis=1) ** 2
    for mix in rng.dirichlet((1, 1, 1), 300):
        other = np.einsum("k,nkj->nj", mix, corners)
        assert (np.linalg.norm(q - other, axis=1) ** 2 >= squared - 1e-9).all()


def test_the_cotangent_of_an_even_triangle_is_a_half_over_root_three() -> None:
    """Pinkall and Polthier (1993): the weight of an edge is half the sum of the cotangents of the angles
    across it.
    """
    points = np.array([[0, 0, 0], [1, 0, 0], [0.5, np.sqrt(3) / 2, 0]])
    lap, mass = cotangent(points, np.array([[0, 1, 2]]))
    assert np.abs(lap.toarray() - (np.eye(3) * 3 - 1) * 0.5 / np.sqrt(3)).max() < 1e-12
    assert mass == pytest.approx(np.full(3, np.sqrt(3) / 4 / 3))


@given(SEEDS)
def test_the_laplacian_is_even_and_never_negative(seed: int) -> None:
    points, faces = ball(1)
    squashed = points * np.random.default_rng(seed).uniform(0.2, 3, 3).astype(np.float32)
    lap, mass = cotangent(squashed, faces)
    whole = lap.toarray()
    assert np.abs(whole - whole.T).max() < 1e-9 and np.linalg.eigvalsh(whole).min() > -1e-9
    assert mass.min() > 0 and mass.sum() == pytest.approx(face_areas(squashed, faces).sum())
    ring = neighbours(faces, len(points)).toarray()
    judge = trimesh.Trimesh(points, faces, process=False)
    wanted = np.zeros_like(ring)
    for a, b in judge.edges_unique:
        wanted[a, b] = wanted[b, a] = 1
    assert np.array_equal(ring, wanted)
