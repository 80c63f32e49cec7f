"""Rigs drawn at random: skinning by the published equation, dual quaternions, pairs, retargeting, painting,
transfer.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from customs.geometry.closest import Surface
from customs.geometry.triangles import triangles_of
from customs.motion.curves.track import frame_times, local_track, world_track
from customs.motion.posing.deviation import deviation
from customs.motion.posing.dual import dual_positions, squeeze
from customs.motion.posing.pose import joint_matrices, morph_weights, posed_positions
from customs.motion.posing.posing import posing
from customs.motion.posing.spots import reach, speed, spots
from customs.motion.posing.stretch import stretch
from customs.motion.rig.retarget import Retargeting, retarget
from customs.motion.skeleton.pairing import propose
from customs.motion.skeleton.skeleton import skeleton_of
from customs.motion.weights.influences import limited, most_influences
from customs.motion.weights.paint import Edit, edited, grown, island, mirrored, moved_by, with_seams
from customs.motion.weights.partition import joints_used, parts_by_joints
from customs.motion.weights.table import influences_of, table_of
from customs.motion.weights.transfer import transfer
from customs.scene.arrays import frozen
from customs.scene.model import Primitive, Scene
from customs.scene.transforms import compose
from customs.scene.tree import mesh_nodes, world_matrices
from tests.drawn import drawn_scene, moments
from tests.motion.rigs import bar, lighter, warden

SEEDS = st.integers(0, 10_000)
FEW = settings(max_examples=8)


def skinned(scene: Scene) -> tuple[int, Primitive]:
    """(node, primitive) of the mesh on the rig."""
    n = next(n for n in mesh_nodes(scene) if scene.nodes[n].skin is not None)
    return n, scene.meshes[scene.nodes[n].mesh or 0].primitives[0]


def weighted(p: Primitive, joints: int) -> np.ndarray:
    """(V, J) weights."""
    return np.asarray(table_of(p, joints).toarray())


# -- skinning


@FEW
@given(SEEDS)
def test_every_vertex_is_the_weighted_sum_of_its_joints_one_by_one(seed: int) -> None:
    """glTF 2.0, 3.7.3.2: jointMatrix = globalJointTransform · inverseBind; the vertex is Σ weight ·
    jointMatrix · position.
    """
    scene = drawn_scene(seed)
    node, p = skinned(scene)
    for clip, t in moments(scene, 2):
        world = posing(scene, clip).world(t)
        found = posed_positions(scene, node, p, list(world))
        skin = scene.skins[0]
        for v in range(0, len(p.positions), 17):
            place = np.zeros(4)
            for j, w in zip(p.joints[v], p.weights[v]):  # type: ignore[index]
                place += float(w) * (
                    world[skin.joints[j]] @ skin.inverse_bind[j] @ [*p.positions[v].astype(float), 1.0]
                )
            assert np.abs(place[:3] - found[v]).max() < 1e-5


@FEW
@given(SEEDS)
def test_where_one_joint_moves_a_vertex_both_blends_agree(seed: int) -> None:
    scene = drawn_scene(seed, width=4)
    node, p = skinned(scene)
    joints, weights, _ = limited(p.joints, p.weights, 1, 0.0)  # type: ignore[arg-type]
    alone = replace(p, joints=joints, weights=weights)
    world = world_matrices(scene)
    linear = posed_positions(scene, node, alone, world)
    assert np.abs(dual_positions(alone, joint_matrices(scene, 0, world)) - linear).max() < 1e-5


def test_a_twist_squeezes_the_linear_blend_and_a_bend_hardly() -> None:
    scene = bar()
    half = np.radians(160) / 2
    twist = np.stack([[0.0, 0, 0, 1], [0, np.sin(half), 0, np.cos(half)]])
    c = scene.clips[0].channels[0]
    turning = replace(c, times=frozen([0.0, 1.0]), values=frozen(twist))
    twisted = replace(scene, clips=(replace(scene.clips[0], channels=(turning,)),))
    assert squeeze(twisted, twisted.clips[0]) > 2 * squeeze(scene, scene.clips[0])


@FEW
@given(SEEDS)
def test_morph_weights_come_from_clip_then_node_then_mesh(seed: int) -> None:
    scene = drawn_scene(seed)
    n = next(n for n in mesh_nodes(scene) if scene.nodes[n].skin is None)
    assert morph_weights(scene, n, None, 0.0) == pytest.approx([0.3, 0.0])
    nodes = tuple(replace(x, weights=frozen([0.1, 0.9])) if i == n else x for i, x in enumerate(scene.nodes))
    assert morph_weights(replace(scene, nodes=nodes), n, None, 0.0) == pytest.approx([0.1, 0.9])
    channel = next(c for c in scene.clips[0].channels if c.path == "weights")
    first = morph_weights(replace(scene, nodes=nodes), n, scene.clips[0], -1.0)
    assert first == pytest.approx(channel.values[0])


# -- measures


@FEW
@given(SEEDS)
def test_a_rig_moved_as_a_whole_stretches_nothing_and_deviates_from_itself_by_nothing(seed: int) -> None:
    scene = drawn_scene(seed)
    way = replace(scene.clips[0].channels[0], node=4, path="translation", times=frozen([0.0, 1.0]),
                  values=frozen([[0, 0, 0], [3, 1, -2]]), interpolation="linear")  # fmt: skip
    clip = replace(scene.clips[0], channels=(way,))
    moved = replace(scene, clips=(clip,))
    at_bind = replace(moved, skins=(replace(scene.skins[0], inverse_bind=frozen(
        np.stack([np.linalg.inv(world_matrices(scene)[j]) for j in scene.skins[0].joints]), np.float64)),))  # fmt: skip
    assert stretch(at_bind, at_bind, clip) == pytest.approx(1.0, abs=1e-3)
    far = deviation(scene, scene)
    assert far is None or far.distance == 0.0


@FEW
@given(SEEDS)
def test_spots_are_where_the_joints_are_and_speed_is_their_way_a_second(seed: int) -> None:
    scene = drawn_scene(seed)
    clip = scene.clips[0]
    times = frame_times(clip, 30.0)
    places = spots(scene, clip, times)
    world = world_track(scene, local_track(scene, clip, times))
    joints = world[:, list(scene.skins[0].joints)][..., :3, 3]
    for j in range(joints.shape[1]):
        # Each joint is among the spots.
        assert np.abs(places - joints[:, j : j + 1]).max(axis=(0, 2)).min() < 1e-9
    swift = speed(places, 30.0)
    step = np.linalg.norm(np.diff(places, axis=0), axis=2) * 30
    assert swift.max() <= step.max() + 1e-6 and reach(scene) > 0


# -- pairs and retargeting


@FEW
@given(SEEDS)
def test_a_skeleton_finds_itself_whatever_its_joints_order(seed: int) -> None:
    scene = warden()
    joints = list(np.random.default_rng(seed).permutation(scene.skins[0].joints))
    order = [scene.skins[0].joints.index(j) for j in joints]
    shuffled = replace(scene, skins=(replace(scene.skins[0], joints=tuple(int(j) for j in joints),
                                             inverse_bind=scene.skins[0].inverse_bind[order]),))  # fmt: skip
    pairs = propose(skeleton_of(shuffled), skeleton_of(scene))
    assert len(pairs) == len(joints) and all(p.arriving == p.donor and not p.doubtful for p in pairs)


@FEW
@given(SEEDS)
def test_one_donor_joint_stands_for_one_and_sides_stay(seed: int) -> None:
    rng = np.random.default_rng(seed)
    mine, theirs = skeleton_of(lighter()), skeleton_of(warden())
    fixed = {mine.names[int(rng.integers(mine.count))]: theirs.names[int(rng.integers(theirs.count))]}
    pairs = propose(mine, theirs, fixed)
    donors = [p.donor for p in pairs]
    assert len(set(donors)) == len(donors) and len({p.arriving for p in pairs}) == len(pairs)
    said = {p.arriving: p.donor for p in pairs}
    assert all(said[a] == d for a, d in fixed.items()), "a person's word holds"
    for a, d in said.items():
        if a not in fixed and a.endswith(("_l", "_r")):
            assert ("Left" in d) == a.endswith("_l") or not ("Left" in d or "Right" in d)


def larger(scene: Scene, factor: float) -> Scene:
    """All places and bind matrices times a factor."""
    nodes = tuple(replace(n, translation=np.asarray(n.translation) * factor) for n in scene.nodes)
    grow = np.diag([factor, factor, factor, 1.0])
    inverse = np.stack([grow @ m @ np.linalg.inv(grow) for m in scene.skins[0].inverse_bind])
    skin = replace(scene.skins[0], inverse_bind=frozen(inverse, np.float64))
    return replace(scene, nodes=nodes, skins=(skin,))


@pytest.mark.parametrize("factor", [0.3, 1.0, 2.5])
@pytest.mark.parametrize("clip", [0, 1, 2])
def test_on_a_body_of_other_size_every_joint_is_so_many_times_as_far(factor: float, clip: int) -> None:
    source = warden()
    target = larger(source, factor)
    s, t = skeleton_of(source), skeleton_of(target)
    way = Retargeting(source, s, target, t, {k: k for k in range(s.count)})
    times = frame_times(source.clips[clip], 30)
    new = retarget(way, source.clips[clip], times)
    a = world_track(source, local_track(source, source.clips[clip], times))[:, list(s.nodes)][..., :3, 3]
    b = world_track(target, local_track(target, new, times))[:, list(t.nodes)][..., :3, 3]
    # The root may stand off the ground by what its rest says; what is between joints is scaled exactly.
    assert np.abs((b - b[:, :1]) - (a - a[:, :1]) * factor).max() < 1e-4 * factor


# -- weights by hand


@FEW
@given(SEEDS, st.sampled_from(["set", "add", "scale"]), st.floats(0, 1))
def test_whatever_is_painted_sums_stay_one_and_the_rest_is_untouched(
    seed: int, kind: str, amount: float
) -> None:
    rng = np.random.default_rng(seed)
    _, p = skinned(drawn_scene(seed, width=4))
    rows = np.sort(rng.choice(len(p.positions), 30, replace=False))
    joint, locked = (int(j) for j in rng.choice(9, 2, replace=False))
    before = weighted(p, 9)
    out = edited(p, 9, Edit(joint, kind, amount, rows), frozenset({locked}), 4)  # type: ignore[arg-type]
    after = weighted(out, 9)
    chosen = with_seams(p, rows)
    rest = np.setdiff1d(np.arange(len(after)), chosen)
    assert np.array_equal(before[rest], after[rest])
    assert np.abs(after.sum(axis=1) - 1).max() < 1e-5 and after.min() >= 0 and most_influences(out) <= 4
    room = 1 - before[chosen, locked]
    wanted = {
        "set": np.full(len(chosen), amount),
        "add": before[chosen, joint] + amount,
        "scale": before[chosen, joint] * amount,
    }
    others = np.delete(before[chosen], [joint, locked], axis=1).sum(axis=1) > 1e-6
    assert np.abs(after[chosen, joint] - np.clip(wanted[kind], 0, room))[others].max(initial=0.0) < 1e-3


@FEW
@given(SEEDS)
def test_blended_all_the_way_a_spot_takes_the_mean_of_its_border(seed: int) -> None:
    scene = bar()
    p = scene.meshes[0].primitives[0]
    rows = grown(p, np.array([int(np.random.default_rng(seed).integers(200, 400))]), 2)
    out = weighted(edited(p, 4, Edit(0, "blend", 1.0, rows), frozenset(), 4), 4)
    assert np.ptp(out[with_seams(p, rows)], axis=0).max() < 1e-5, "one value for all of it"
    half = weighted(edited(p, 4, Edit(0, "blend", 0.5, rows), frozenset(), 4), 4)
    middle = (weighted(p, 4)[rows] + out[rows]) / 2
    assert np.abs(half[rows] - middle).max() < 1e-3


def test_growing_reaches_the_island_and_no_farther() -> None:
    scene = bar()
    p = scene.meshes[0].primitives[0]
    start = np.array([100])
    whole = island(p, start)
    assert np.array_equal(grown(p, start, 200), whole)
    assert set(grown(p, start, 1)) < set(grown(p, start, 3)) < set(whole)
    # A second bar beside it is an island of its own.
    count = len(p.positions)
    both = replace(
        p, positions=frozen(np.concatenate([p.positions, p.positions + np.float32([5, 0, 0])])),
        indices=frozen(np.concatenate([p.indices, p.indices + count]), np.uint32),  # type: ignore[operator, list-item]
        joints=frozen(np.tile(p.joints, (2, 1)), np.uint16), weights=frozen(np.tile(p.weights, (2, 1))),  # type: ignore[arg-type]
    )  # fmt: skip
    assert island(both, start).max() < count and island(both, start + count).min() >= count


def test_mirrored_there_and_back_is_what_it_was_on_an_even_body() -> None:
    scene = lighter()
    p = skinned(scene)[1]
    names = list(skeleton_of(scene).names)
    left, right = names.index("hand_l"), names.index("hand_r")
    out = mirrored(p, names, left, 4)
    a, b = weighted(p, len(names)), weighted(out, len(names))
    image = np.argmin(
        np.linalg.norm(p.positions[:, None] * np.float32([-1, 1, 1]) - p.positions[None, ::37], axis=2),
        axis=0,
    )
    there = b[::37, right] > 0.5
    assert there.any() and (a[image[there], left] > 0.3).all(), (
        "the right hand is where the left hand's image is"
    )
    assert len(moved_by(out, right)) > 0


# -- weights taken over, and parted


def test_a_copy_takes_its_own_weights_over_and_nothing_else() -> None:
    scene = bar()
    p = scene.meshes[0].primitives[0]
    surface = Surface(p.positions, triangles_of(p))
    table = weighted(p, 4)
    spin = compose([0, 0, 0], Rotation.from_rotvec([0, 0.4, 0]).as_quat(), np.ones(3))[:3, :3]
    # Turned about its own length a round bar lies on itself: the weights depend on the height alone.
    turned = (p.positions @ spin.T).astype(np.float32)
    found = transfer(turned, triangles_of(p), surface, triangles_of(p), table, near=0.02)
    assert found.sure.mean() > 0.95 and np.abs(found.table - table)[found.sure].max() < 0.05
    assert np.abs(found.table.sum(axis=1) - 1).max() < 1e-9


def test_far_from_the_surface_nothing_is_sure_and_everything_still_weighs_one() -> None:
    scene = bar()
    p = scene.meshes[0].primitives[0]
    surface = Surface(p.positions, triangles_of(p))
    found = transfer(
        p.positions + np.float32([0, 0, 9]),
        triangles_of(p),
        surface,
        triangles_of(p),
        weighted(p, 4),
        near=0.1,
    )
    assert np.isfinite(found.table).all() and np.abs(found.table.sum(axis=1) - 1).max() < 1e-6


@FEW
@given(SEEDS, st.integers(1, 6))
def test_a_table_cut_to_a_limit_keeps_the_strongest(seed: int, limit: int) -> None:
    rng = np.random.default_rng(seed)
    table = rng.dirichlet(np.ones(9), 50)
    joints, weights = influences_of(table, limit)
    assert joints.shape == weights.shape and np.abs(weights.sum(axis=1) - 1).max() < 1e-6
    for row in range(50):
        kept = set(joints[row][weights[row] > 0].tolist())
        assert kept == set(np.argsort(-table[row])[:limit].tolist())


@FEW
@given(SEEDS, st.integers(5, 9))
def test_parts_cover_every_face_once_within_the_limit(seed: int, limit: int) -> None:
    scene = drawn_scene(seed, width=4)
    p = skinned(scene)[1]
    joints, weights, _ = limited(p.joints, p.weights, 1, 0.0)  # type: ignore[arg-type]
    alone = replace(p, joints=joints, weights=weights)
    part = parts_by_joints(alone, limit)
    faces = triangles_of(alone)
    assert len(part) == len(faces) and set(part.tolist()) == set(range(int(part.max()) + 1))
    for k in range(int(part.max()) + 1):
        used = {int(j) for v in np.unique(faces[part == k]) for j, w in zip(joints[v], weights[v]) if w > 0}
        assert len(used) <= limit
    assert len(joints_used(alone)) <= 9
