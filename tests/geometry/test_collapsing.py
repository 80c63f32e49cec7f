"""The order a surface is made coarser in, against trimesh and by its own promises."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from customs.errors import Cancelled
from customs.geometry.collapsing import Collapses, collapses


def quiet(share: float, text: str) -> None:
    pass


def order_of(
    mesh: trimesh.Trimesh, values: np.ndarray | None = None, group: np.ndarray | None = None
) -> Collapses:
    count = len(mesh.vertices)
    values = np.zeros((count, 0), np.float32) if values is None else values
    group = np.arange(count, dtype=np.uint32) if group is None else group
    return collapses(
        mesh.vertices.astype(np.float32),
        mesh.faces.astype(np.uint32),
        values.astype(np.float32),
        group,
        quiet,
    )


def shape(mesh: trimesh.Trimesh, faces: np.ndarray) -> trimesh.Trimesh:
    out = trimesh.Trimesh(mesh.vertices, faces, process=False)
    out.remove_unreferenced_vertices()
    return out


@pytest.mark.parametrize("name", ["icosphere", "torus", "annulus"])
def test_what_is_closed_stays_closed(name: str) -> None:
    mesh = {
        "icosphere": lambda: trimesh.creation.icosphere(subdivisions=4),
        "torus": lambda: trimesh.creation.torus(1, 0.3),
        "annulus": lambda: trimesh.creation.annulus(0.5, 1, 1).subdivide().subdivide(),
    }[name]()
    order = order_of(mesh)
    for share in (0.5, 0.1, 0.03):
        faces, kept = order.after(order.steps_for(int(len(mesh.faces) * share)))
        assert len(faces) <= len(mesh.faces) * share and len(kept) == len(faces)
        coarse = shape(mesh, faces)
        assert coarse.is_watertight and coarse.is_winding_consistent
        assert coarse.euler_number == mesh.euler_number
        assert share < 0.1 or coarse.volume == pytest.approx(mesh.volume, rel=0.15)


def test_a_plane_costs_nothing_and_its_outline_stays() -> None:
    mesh = trimesh.creation.box().subdivide().subdivide().subdivide()
    faces, _ = (order := order_of(mesh)).after(order.steps_for(12))
    assert len(faces) == 12 and shape(mesh, faces).volume == pytest.approx(1, abs=1e-9)
    grid = trimesh.creation.box().subdivide().subdivide()
    flat = trimesh.Trimesh(grid.vertices, grid.faces[np.abs(grid.triangles_center[:, 2] - 0.5) < 1e-9])
    faces, _ = (order := order_of(flat)).after(order.steps_for(2))
    assert order.least == 1 and len(faces) == 2 and shape(flat, faces).area == pytest.approx(1)


def test_every_coarser_one_is_a_prefix() -> None:
    mesh = trimesh.creation.icosphere(subdivisions=3)
    order = order_of(mesh)
    assert (np.diff(order.errors) >= 0).all() and (np.diff(order.left) < 0).all()
    before = set(range(len(mesh.faces)))
    for steps in range(0, len(order.left), 40):
        faces, kept = order.after(steps)
        assert set(kept.tolist()) <= before and len(faces) == (
            order.left[steps - 1] if steps else len(mesh.faces)
        )
        before = set(kept.tolist())


def test_a_seam_moves_as_one() -> None:
    """A cylinder cut open in its UVs: both sides of the cut stand at the same places ever after, and each keeps its U."""
    n, m = 24, 40
    u, v = np.meshgrid(np.linspace(0, 1, n + 1), np.linspace(0, 1, m + 1), indexing="ij")
    angle = 2 * np.pi * (u % 1.0)
    points = np.stack([np.cos(angle), v * 3, np.sin(angle)], -1).reshape(-1, 3).astype(np.float32)
    at = np.arange((n + 1) * (m + 1)).reshape(n + 1, m + 1)
    a, b, c, d = at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]
    faces = np.concatenate(
        [np.stack([a, d, c], -1).reshape(-1, 3), np.stack([a, c, b], -1).reshape(-1, 3)]
    ).astype(np.uint32)
    uv = np.stack([u * 6, v * 3], -1).reshape(-1, 2).astype(np.float32)
    order = collapses(points, faces, uv, np.arange(len(points), dtype=np.uint32), quiet)
    coarse, _ = order.after(order.steps_for(len(faces) // 8))
    assert len(coarse) <= len(faces) // 8
    left, right = (np.unique(coarse[np.isin(uv[coarse, 0], side)]) for side in (0, 6))
    assert len(left) > 1 and np.allclose(np.sort(points[left, 1]), np.sort(points[right, 1]))
    # No face spans the seam: U of a face's corners lies within half of the way around.
    assert np.ptp(uv[coarse, 0], axis=1).max() < 3.1


def test_values_are_part_of_the_cost() -> None:
    """On a plane a texture that is stretched at one place keeps that place; without it nothing does."""
    grid = trimesh.creation.box().subdivide().subdivide().subdivide().subdivide()
    flat = trimesh.Trimesh(grid.vertices, grid.faces[np.abs(grid.triangles_center[:, 2] - 0.5) < 1e-9])
    values = np.maximum(0, 0.3 - np.linalg.norm(flat.vertices[:, :2], axis=1, keepdims=True))
    order = order_of(flat, values)
    faces, _ = order.after(order.steps_for(40))
    far = np.linalg.norm(flat.vertices[np.unique(faces), :2], axis=1)
    assert np.count_nonzero(far < 0.35) >= 5


def test_hard_edges_go_last() -> None:
    """Faces with corners of their own, as flat shading has them: they differ by their normals alone, and go on together."""
    mesh = trimesh.creation.icosphere(subdivisions=3)
    points = mesh.vertices[mesh.faces.reshape(-1)].astype(np.float32)
    faces = np.arange(len(points), dtype=np.uint32).reshape(-1, 3)
    stuck = collapses(
        points, faces, np.zeros((len(points), 0), np.float32), np.arange(len(points), dtype=np.uint32), quiet
    )
    group = trimesh.grouping.unique_rows(points)[1].astype(np.uint32)
    free = collapses(points, faces, np.zeros((len(points), 0), np.float32), group, quiet)
    assert stuck.least == len(faces) and free.least < 40


def test_small_parts_go_whole_and_the_largest_stays() -> None:
    parts = [
        trimesh.creation.box(extents=[s] * 3).apply_translation([3 * k, 0, 0])
        for k, s in enumerate((1, 0.2, 0.5))
    ]
    mesh = trimesh.util.concatenate(parts)
    order = order_of(mesh)
    sizes = [len(shape(mesh, order.after(s)[0]).split()) for s in range(len(order.left) + 1)]
    assert sizes[0] == 3 and sizes[-1] == 1 and (np.diff(sizes) <= 0).all()
    assert np.ptp(mesh.vertices[np.unique(order.after(len(order.left))[0])], axis=0).max() > 0.9


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(seed=st.integers(0, 10_000), count=st.integers(0, 60), places=st.integers(1, 20))
def test_any_soup_of_faces_is_taken(seed: int, count: int, places: int) -> None:
    """Non-manifold, doubled, flat, turned inside out: nothing out of range, and never more than there was."""
    rng = np.random.default_rng(seed)
    points = rng.integers(0, 3, (places, 3)).astype(np.float32)
    faces = rng.integers(0, places, (count, 3)).astype(np.uint32)
    values = rng.normal(size=(places, seed % 4)).astype(np.float32)
    order = collapses(points, faces, values, rng.integers(0, 4, places).astype(np.uint32), quiet)
    for steps in range(len(order.left) + 1):
        coarse, kept = order.after(steps)
        assert coarse.max(initial=0) < places and len(set(kept.tolist())) == len(kept) <= count
        at = points[coarse]
        flat = (
            (at[:, 0] == at[:, 1]).all(axis=1)
            | (at[:, 1] == at[:, 2]).all(axis=1)
            | (at[:, 2] == at[:, 0]).all(axis=1)
        )
        assert not flat.any()


def test_what_cannot_be_taken_is_refused() -> None:
    points, faces = np.zeros((3, 3), np.float32), np.array([[0, 1, 3]], np.uint32)
    none, group = np.zeros((3, 0), np.float32), np.zeros(3, np.uint32)
    with pytest.raises(ValueError, match="indices"):
        collapses(points, faces, none, group, quiet)
    with pytest.raises(ValueError, match="finite"):
        collapses(points * np.nan, faces * 0, none, group, quiet)


def test_it_stops_when_told_to() -> None:
    def stop(share: float, text: str) -> None:
        raise Cancelled

    mesh = trimesh.creation.icosphere(subdivisions=3)
    none = np.zeros((len(mesh.vertices), 0), np.float32)
    with pytest.raises(Cancelled):
        collapses(
            mesh.vertices.astype(np.float32),
            mesh.faces.astype(np.uint32),
            none,
            np.zeros(len(none), np.uint32),
            stop,
        )
