"""Solids from their planes against Qhull (SciPy) and trimesh; tight surfaces; faces nobody sees."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from scipy.spatial import ConvexHull, HalfspaceIntersection

from customs.geometry.abutting import covered
from customs.geometry.cracks import closed, fans, together, without_repeats
from customs.geometry.solids import DOUBLED, EMPTY, FEW, FINE, MANY, UNBOUNDED, Solids, solids

F64 = np.ndarray


def box_planes(low: tuple[float, ...], high: tuple[float, ...]) -> list[list[float]]:
    rows = [[*np.eye(3)[a], high[a]] for a in range(3)]
    return rows + [[*-np.eye(3)[a], -low[a]] for a in range(3)]


def made(*parts: list[list[float]]) -> Solids:
    starts = np.cumsum([0, *map(len, parts)])
    return solids(np.array([row for p in parts for row in p]).reshape(-1, 4), starts)


def surface(found: Solids, near: float = 1e-3, tight: bool = True) -> trimesh.Trimesh:
    """All faces welded, with corners where others end, as triangles."""
    places, at = together(found.points, near)
    corners, sizes, _ = without_repeats(at, found.sizes)
    corners, sizes, own = (
        closed(places, corners, sizes, near) if tight else (corners, sizes, np.ones(len(corners), bool))
    )
    rows, middles, _, _ = fans(places, corners, sizes, own)
    mesh = trimesh.Trimesh(np.concatenate([places[corners], middles]), rows, process=False)
    mesh.merge_vertices(digits_vertex=9)
    return mesh


@pytest.mark.parametrize("seed", range(4))
def test_solids_are_those_of_qhull(seed: int) -> None:
    rng = np.random.default_rng(seed)
    parts, volumes, corners = [], [], []
    for _ in range(60):
        middle, n = rng.uniform(-4000, 4000, 3), rng.normal(size=(int(rng.integers(4, 60)), 3))
        n /= np.linalg.norm(n, axis=1, keepdims=True)
        planes = np.concatenate([n, (n @ middle + rng.uniform(20, 60, len(n)))[:, None]], axis=1)
        planes = np.concatenate([planes, box_planes(tuple(middle - 90), tuple(middle + 90))])
        meet = HalfspaceIntersection(np.c_[planes[:, :3], -planes[:, 3]], middle).intersections
        parts.append(planes.tolist())
        volumes.append(ConvexHull(meet).volume)
        corners.append(len(np.unique(np.round(meet, 4), axis=0)))
    for part, volume, count in zip(parts, volumes, corners):
        mesh = surface(made(part))
        assert mesh.is_watertight and mesh.is_winding_consistent
        assert mesh.volume == pytest.approx(volume, rel=1e-9)
        assert len(np.unique(np.round(mesh.vertices, 4), axis=0)) == count
    together_made = made(*parts)
    assert (together_made.problems == FINE).all()
    assert surface(together_made, tight=False).volume == pytest.approx(sum(volumes), rel=1e-9)


def test_what_is_no_solid_is_told_and_the_rest_is_made() -> None:
    box = box_planes((0, 0, 0), (1, 1, 1))
    n = np.random.default_rng(0).normal(size=(1100, 3))
    ball = np.c_[n / np.linalg.norm(n, axis=1, keepdims=True), np.ones(1100)].tolist()
    inside_out = [[*(-np.array(row[:3])), -row[3]] for row in box]
    found = made(
        box[:5], box, box[:3], box_planes((1, 1, 1), (0, 0, 0)), [*box, box[0]], ball, inside_out, []
    )
    assert found.problems.tolist() == [UNBOUNDED, FINE, FEW, EMPTY, DOUBLED, MANY, EMPTY, FEW]
    assert np.bincount(
        np.searchsorted([0, 5, 11, 14, 20, 27, 1127, 1133], found.plane, "right")
    ).tolist() == [0, 0, 6, 0, 0, 6]


def test_a_ball_of_a_thousand_planes_and_a_pyramid_of_many_sides() -> None:
    n = np.random.default_rng(5).normal(size=(1000, 3))
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    found = made(np.c_[n, np.full(1000, 50.0)].tolist())
    # A simple polyhedron has 2F − 4 corners, each of three faces (Euler).
    assert len(found.sizes) == 1000 and found.sizes.sum() == 3 * (2 * 1000 - 4)
    t = np.arange(40) * 2 * np.pi / 40
    sides = np.stack([np.cos(t), np.sin(t), np.ones(40)], axis=1) / np.sqrt(2)
    pyramid = made([*np.c_[sides, np.full(40, 10.0)].tolist(), [0, 0, -1, 0]])
    mesh = surface(pyramid)
    assert mesh.is_watertight and len(np.unique(np.round(mesh.vertices, 6), axis=0)) == 41


def test_long_edges_get_the_corners_that_lie_on_them() -> None:
    low, left, right = ((0, 0, 0), (10, 1, 4)), ((0, 1, 0), (4, 2, 4)), ((4, 1, 0), (10, 2, 2))
    found = made(*(box_planes(*b) for b in (low, left, right)))
    mesh = surface(found)
    assert mesh.volume == pytest.approx(40 + 16 + 12) and (mesh.area_faces > 1e-9).all()
    # Every edge is as long as its neighbour's: each is met by as many faces one way as the other.
    edges = np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]])
    _, which = np.unique(np.sort(edges, axis=1), axis=0, return_inverse=True)
    balance = np.bincount(which.reshape(-1), np.where(edges[:, 0] < edges[:, 1], 1, -1))
    assert not balance.any()
    open_before = surface(found, tight=False)
    edges = np.concatenate(
        [open_before.faces[:, [0, 1]], open_before.faces[:, [1, 2]], open_before.faces[:, [2, 0]]]
    )
    _, which = np.unique(np.sort(edges, axis=1), axis=0, return_inverse=True)
    assert open_before.volume == pytest.approx(68)


def test_faces_between_boxes_are_found_and_none_that_shows() -> None:
    def boxes(*parts: tuple[tuple[float, ...], tuple[float, ...]]) -> tuple[F64, F64]:
        meshes = [
            trimesh.creation.box(np.array(size), trimesh.transformations.translation_matrix(at))
            for at, size in parts
        ]
        whole = trimesh.util.concatenate(meshes)
        return covered(np.asarray(whole.vertices), np.asarray(whole.faces), 1e-4), whole.face_normals

    base = ((0, 0, 0), (2, 2, 2))
    gone, normals = boxes(base, ((2, 0, 0), (2, 2, 2)), ((0, 1.5, 0), (1, 1, 1)))
    # The two that touch wholly, and the small one's underside; what it stands on shows around it.
    assert gone.sum() == 6 and sorted({tuple(n.astype(int)) for n in normals[gone]}) == [
        (-1, 0, 0),
        (0, -1, 0),
        (1, 0, 0),
    ]
    # Half of the top covered twice is not all of it covered.
    assert not boxes(base, ((-0.5, 0, 2), (1, 2, 2)), ((-0.5, 0, 2), (1, 2, 2)))[0][:12].any()
    assert boxes(base, ((-0.5, 0, 2), (1, 2, 2)), ((0.5, 0, 2), (1, 2, 2)))[0][:12].sum() == 2
    # Faces that look the same way cover nothing; nor do those a gap away.
    assert not boxes(base, base)[0].any() and not boxes(base, ((2.01, 0, 0), (2, 2, 2)))[0].any()


def test_a_floor_of_tiles_keeps_what_is_seen() -> None:
    at = np.stack(np.meshgrid(np.arange(12), np.arange(12), [0]), -1).reshape(-1, 3)
    whole = trimesh.util.concatenate([trimesh.creation.box((1, 1, 1)).apply_translation(p) for p in at])
    gone = covered(np.asarray(whole.vertices), np.asarray(whole.faces), 1e-4)
    assert gone.sum() == 4 * 12 * 11 * 2
    assert trimesh.Trimesh(whole.vertices, whole.faces[~gone]).area == pytest.approx(2 * 144 + 4 * 12)
