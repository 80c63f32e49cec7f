"""Weights: from surfaces, from joints, by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation

from customs.geometry.closest import Surface
from customs.geometry.laplace import cotangent, neighbours
from customs.geometry.triangles import triangles_of
from customs.motion.posing.dual import collapse, dual_positions
from customs.motion.skeleton.skeleton import skeleton_of
from customs.motion.weights.heat import diffused, heat_weights, nearest_bones
from customs.motion.weights.influences import sound_weights
from customs.motion.weights.paint import (
    Edit,
    counterpart,
    edited,
    grown,
    island,
    mirrored,
    moved_by,
    with_seams,
)
from customs.motion.weights.partition import joints_used, parts_by_joints
from customs.motion.weights.table import influences_of, merged_columns, table_of
from customs.motion.weights.transfer import inpaint, transfer
from customs.scene.arrays import frozen
from tests.motion.rigs import bar, lighter, warden


@pytest.mark.parametrize("flat", [1.0, 0.03])
def test_closest_points_are_trimeshs_or_closer(flat: float) -> None:
    ball = trimesh.creation.icosphere(3)
    ball.vertices *= [1, 1, flat]
    q = np.random.default_rng(1).normal(size=(3000, 3)) * [1, 1, flat]
    found = Surface(ball.vertices, ball.faces).closest(q)
    _, theirs, _ = trimesh.proximity.closest_point(ball, q)
    # trimesh is up to 2e-5 too far at some points; never nearer than ours.
    assert (found.distance - theirs).max() < 1e-12 and np.abs(found.distance - theirs).max() < 1e-4
    on = np.einsum("nk,nkj->nj", found.shares, ball.vertices[ball.faces[found.face]])
    assert np.abs(on - found.point).max() < 1e-12 and np.abs(found.shares.sum(axis=1) - 1).max() < 1e-12
    assert np.abs(np.linalg.norm(q - found.point, axis=1) - found.distance).max() < 1e-12


def test_facing_counts_where_it_is_asked_for_and_broken_triangles_do_no_harm() -> None:
    points = np.array(
        [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 0.1], [1, 0, 0.1], [0, 1, 0.1], [5, 5, 5]], float
    )
    faces = np.array([[0, 2, 1], [3, 4, 5], [6, 6, 6]])
    surface = Surface(points, faces)
    q = np.array([[0.2, 0.2, 0.09]])
    assert surface.closest(q).face[0] == 1 and surface.closest(q, np.array([[0, 0, -1.0]])).face[0] == 0
    assert (
        np.isfinite(surface.closest(np.array([[5.0, 5, 4]])).distance).all()
        and len(surface.closest(np.zeros((0, 3))).face) == 0
    )


def test_the_laplacian_is_flat_on_a_plane_and_measures_area() -> None:
    grid = trimesh.creation.box(extents=(1, 1, 1)).subdivide().subdivide()
    lap, mass = cotangent(grid.vertices, grid.faces)
    assert np.abs(lap.sum(axis=1)).max() < 1e-9 and abs(mass.sum() - grid.area) < 1e-9
    inside = (np.abs(grid.vertices[:, :2]) < 0.4).all(axis=1) & (grid.vertices[:, 2] > 0.49)
    assert np.abs((lap @ grid.vertices)[inside, :2]).max() < 1e-6, "a straight function has no bend"
    assert neighbours(grid.faces, len(grid.vertices)).sum() == 2 * len(grid.edges_unique)


def test_heat_on_a_cylinder_is_the_known_solution() -> None:
    """(L + M·H) w = M·H·p along a long tube is −w″ + h·w = h·p: w = 1 − e^(−√h·x)/2 beyond the middle (any
    textbook on ODEs).
    """
    tall = bar(2, 2.0, 48, 161)
    p = tall.meshes[0].primitives[0]
    points = p.positions.astype(float)
    group = np.unique(points.round(6), axis=0, return_inverse=True)[1].reshape(-1)
    first = np.unique(group, return_index=True)[1]
    faces = group[triangles_of(p)]
    faces = faces[(faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 0] != faces[:, 2])]
    lap, mass = cotangent(points[first], faces)
    h = 40.0
    joint = (points[first, 1] > 1.0).astype(np.intp)
    w = diffused(lap, mass, np.full(len(first), h), joint, 2)
    x = points[first, 1] - 1.0
    middle = (np.abs(x) < 0.5) & (np.hypot(points[first, 0], points[first, 2]) > 0.09)
    known = np.where(x > 0, 1 - 0.5 * np.exp(-np.sqrt(h) * np.abs(x)), 0.5 * np.exp(-np.sqrt(h) * np.abs(x)))
    assert np.abs(w[middle, 1] - known[middle]).max() < 0.03
    assert np.abs(w.sum(axis=1) - 1).max() < 1e-9


def test_half_way_between_two_joints_is_about_half_of_each() -> None:
    # common practice
    tall = bar(3, 1.2)
    p = tall.meshes[0].primitives[0]
    s = skeleton_of(tall)
    table = heat_weights(p.positions, triangles_of(p), s)
    at = np.abs(p.positions[:, 1] - 0.6) < 0.02
    assert (
        at.any()
        and np.abs(table[at, 0] - table[at, 1]).max() < 0.25
        and (table[at, :2].sum(axis=1) > 0.9).all()
    )


def test_weights_from_the_joints_do_not_jump_through_the_air() -> None:
    made = warden()
    s, p = skeleton_of(made), made.meshes[0].primitives[0]
    left = [
        k
        for k, n in enumerate(s.names)
        if "Left" in n and any(w in n for w in ("Thigh", "Shin", "Ankle", "Ball"))
    ]
    table = table_of(p, s.count).toarray()
    right_leg = (p.positions[:, 0] < -0.06) & (p.positions[:, 1] < 0.6)
    assert right_leg.sum() > 100 and table[np.ix_(right_leg, left)].max() < 0.02
    joint, _ = nearest_bones(p.positions, np.asarray(p.normals, float), s)
    assert not np.isin(joint[right_leg], left).any()


def test_transfer_gives_a_copy_its_own_weights_and_fills_what_is_far() -> None:
    made = warden()
    s, p = skeleton_of(made), made.meshes[0].primitives[0]
    faces = triangles_of(p)
    weights = table_of(p, s.count).toarray()
    surface = Surface(p.positions, faces)
    found = transfer(p.positions, faces, surface, faces, weights, 0.01, smooth=0)
    assert found.sure.mean() > 0.95 and np.abs(found.table[found.sure] - weights[found.sure]).max() < 1e-5
    far = p.positions + np.where(p.positions[:, 1:2] > 1.5, [0, 0, 0.5], 0).astype(np.float32)
    filled = transfer(far, faces, surface, faces, weights, 0.02)
    head = p.positions[:, 1] > 1.6
    assert not filled.sure[head].any() and np.abs(filled.table.sum(axis=1) - 1).max() < 1e-9
    assert filled.table[head][:, s.names.index("Head1")].mean() > 0.5, (
        "the head follows what is nearest over the mesh"
    )
    assert np.array_equal(inpaint(p.positions, faces, weights, np.ones(len(weights), bool)), weights)


def test_painting_sets_adds_scales_blends_and_leaves_locked_joints() -> None:
    p = bar().meshes[0].primitives[0]
    rows = np.flatnonzero(np.abs(p.positions[:, 1] - 0.5) < 0.1)
    before = table_of(p, 4).toarray()
    for kind, amount, wanted in (
        ("set", 0.8, lambda w: np.full_like(w, 0.8)),
        ("add", 0.1, lambda w: w + 0.1),
        ("scale", 0.5, lambda w: w / 2),
    ):
        new = table_of(edited(p, 4, Edit(1, kind, amount, rows)), 4).toarray()  # type: ignore[arg-type]
        assert np.abs(new[rows, 1] - np.clip(wanted(before[rows, 1]), 0, 1)).max() < 1e-6
        assert np.abs(new.sum(axis=1) - 1).max() < 1e-6
        others = np.setdiff1d(np.arange(len(new)), with_seams(p, rows))
        assert np.abs(new[others] - before[others]).max() < 1e-6
    locked = table_of(edited(p, 4, Edit(1, "set", 0.9, rows), frozenset({2})), 4).toarray()
    assert (
        np.abs(locked[rows, 2] - before[rows, 2]).max() < 1e-6
        and (locked[rows, 1] <= 1 - before[rows, 2] + 1e-6).all()
    )
    assert (
        np.abs(table_of(edited(p, 4, Edit(2, "set", 0.9, rows), frozenset({2})), 4).toarray() - before).max()
        < 1e-6
    )
    blended = table_of(edited(p, 4, Edit(1, "blend", 1.0, rows)), 4).toarray()
    assert np.ptp(blended[rows], axis=0).max() < 1e-6


def test_choosing_by_joint_island_and_growing() -> None:
    p = bar().meshes[0].primitives[0]
    mine = moved_by(p, 0)
    assert (p.positions[mine, 1] < 0.34).all() and len(moved_by(p, 99)) == 0
    assert len(grown(p, mine, 1)) > len(mine) and len(grown(p, mine, -1)) < len(mine)
    assert len(island(p, mine[:1])) == len(p.positions)


def test_mirroring_takes_the_other_side() -> None:
    made = lighter()
    names = list(skeleton_of(made).names)
    p = made.meshes[0].primitives[0]
    hand = names.index("hand_l")
    other = counterpart(names, hand)
    assert names[other] == "hand_r" and counterpart(names, names.index("head")) == names.index("head")
    spoilt = edited(p, len(names), Edit(other, "scale", 0.0, moved_by(p, other, 0.0)))
    back = table_of(mirrored(spoilt, names, hand), len(names)).toarray()
    rows = moved_by(p, other, 0.3)
    assert np.abs(back[rows, other] - table_of(p, len(names)).toarray()[rows, other]).mean() < 0.06


def test_influences_are_kept_strongest_first_and_sum_to_exactly_one() -> None:
    table = np.random.default_rng(3).uniform(0, 1, (500, 9)) ** 4
    joints, weights = influences_of(table, 4, 0.0)
    assert (
        joints.shape == (500, 4)
        and (weights.sum(axis=1) == 1).all()
        and (np.cumsum(weights, axis=1)[:, -1] == 1).all()
    )
    top = np.sort(np.argsort(-table, axis=1)[:, :4], axis=1)
    assert np.array_equal(np.sort(joints, axis=1), top)
    merged = merged_columns(table_of(bar().meshes[0].primitives[0], 4), np.array([0, 0, 1, -1]), 2)
    assert merged.shape[1] == 2


def test_broken_weights_are_cleared() -> None:
    p = bar().meshes[0].primitives[0]
    bad = np.array(p.weights)
    bad[0], bad[1, 0], bad[2, 1] = 0, np.nan, -0.4
    sound = sound_weights(replace(p, weights=frozen(bad)), 4)
    assert np.isfinite(sound).all() and (sound >= 0).all() and sound_weights(p, 4) is p.weights
    assert (sound_weights(p, 2)[p.joints >= 2] == 0).all()


def test_meshes_are_parted_so_that_no_part_needs_too_many_joints() -> None:
    p = bar(8, 2.0, rings=81).meshes[0].primitives[0]
    part = parts_by_joints(p, 3)
    faces = triangles_of(p)
    for k in range(int(part.max()) + 1):
        used = np.unique(p.joints[faces[part == k]][p.weights[faces[part == k]] > 0])
        assert 0 < len(used) <= 3
    assert len(joints_used(p)) == 8 and int(part.max()) >= 2
    with pytest.raises(ValueError, match="one face alone"):
        parts_by_joints(p, 1)


def test_a_twist_keeps_its_girth_by_dual_quaternions() -> None:
    scene = bar(2, 1.0)
    p = scene.meshes[0].primitives[0]
    matrices = np.tile(np.eye(4), (2, 1, 1))
    matrices[1, :3, :3] = Rotation.from_euler("y", 170, degrees=True).as_matrix()
    matrices[1, :3, 3] = [0, 0.3, 0]
    middle = np.abs(p.positions[:, 1] - 0.5) < 0.03
    round_ = np.hypot(p.positions[:, 0], p.positions[:, 2]) > 0.09
    now = dual_positions(p, matrices)
    girth = np.hypot(now[middle & round_, 0], now[middle & round_, 2])
    assert np.abs(girth - 0.1).max() < 1e-3, "the linear blend would squeeze it to almost nothing"
    assert (
        collapse(p, matrices)[middle & round_].min() > 0.08
        and collapse(p, np.tile(np.eye(4), (2, 1, 1))).max() < 1e-6
    )
    stiff = np.tile(matrices[1], (2, 1, 1))
    wanted = p.positions @ matrices[1, :3, :3].T + matrices[1, :3, 3]
    assert np.abs(dual_positions(p, stiff) - wanted).max() < 1e-6
