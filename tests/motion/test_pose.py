"""Sampling clips and skinning, against scipy and the formulas of glTF 2.0."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp

from customs.motion.curves.keys import sample
from customs.motion.curves.track import local_track, world_track
from customs.motion.posing.bounds import local_bounds, world_bounds
from customs.motion.posing.pose import (
    joint_matrices,
    morph_weights,
    morphed,
    posed_positions,
    posed_scene_points,
    skin_matrices,
)
from customs.motion.posing.posing import posing
from customs.motion.weights.influences import limited, most_influences
from customs.scene.arrays import frozen
from customs.scene.folding import fold
from customs.scene.model import Channel, Clip, Node, Scene
from customs.scene.tree import world_matrices
from tests.assets import cube, key, quaternion, scene_of
from tests.motion.rigs import bar, turning

TIMES = frozen([0.0, 0.5, 2.0])


def test_linear_step_and_holding_at_the_ends() -> None:
    values = frozen([[0, 0, 0], [1, 2, 3], [4, 0, 0]])
    linear = Channel(0, "translation", TIMES, values)
    assert sample(linear, 0.25).tolist() == [0.5, 1, 1.5]
    assert sample(linear, -1).tolist() == [0, 0, 0] and sample(linear, 9).tolist() == [4, 0, 0]
    step = replace(linear, interpolation="step")
    assert sample(step, 0.49).tolist() == [0, 0, 0] and sample(step, 0.5).tolist() == [1, 2, 3]


def test_rotations_turn_as_scipys_slerp() -> None:
    # glTF 2.0, appendix C.4: spherical linear interpolation; outside judge: scipy Slerp
    q = np.array([quaternion("X", 10), quaternion("Y", 130), quaternion("Z", -80)])
    channel = Channel(0, "rotation", TIMES, frozen(q))
    judge = Slerp(TIMES, Rotation.from_quat(q))
    for t in np.linspace(0, 2, 23):
        mine = Rotation.from_quat(sample(channel, t))
        assert (mine.inv() * judge(t)).magnitude() < 1e-6


def test_the_short_way_round_and_nearly_equal_keys() -> None:
    q = np.array([quaternion("X", 20), -quaternion("X", 40), quaternion("X", 40.0001)])
    channel = Channel(0, "rotation", TIMES, frozen(q))
    assert Rotation.from_quat(sample(channel, 0.25)).magnitude() == pytest.approx(np.radians(30), abs=1e-5)
    assert np.isfinite(sample(channel, 1.0)).all()


def test_cubic_keys_follow_the_specification() -> None:
    # glTF 2.0, appendix C.5; outside judge: scipy CubicHermiteSpline with tangents as they stand
    rng = np.random.default_rng(8)
    values = frozen(rng.normal(size=(3, 3, 3)))
    channel = Channel(0, "translation", TIMES, values, "cubic")
    for lo, hi, k in ((0.0, 0.5, 0), (0.5, 2.0, 1)):
        judge = CubicHermiteSpline(
            [lo, hi], values[k : k + 2, 1].astype(float), [values[k, 2], values[k + 1, 0]]
        )
        for t in np.linspace(lo, hi, 7)[:-1]:
            assert np.allclose(sample(channel, t), judge(t), atol=1e-6)
    assert sample(channel, 5).tolist() == values[2, 1].tolist()


def test_cubic_rotations_stay_one_long() -> None:
    values = np.zeros((3, 3, 4))
    values[:, 1] = [quaternion("X", 0), quaternion("X", 90), quaternion("Y", 90)]
    values[:, 0], values[:, 2] = 0.4, -0.3
    assert np.linalg.norm(
        sample(Channel(0, "rotation", TIMES, frozen(values), "cubic"), 0.3)
    ) == pytest.approx(1)


def test_skinning_is_the_weighted_sum_of_joint_matrices(letter: Scene) -> None:
    # glTF 2.0, 3.7.3.1: skinMatrix = Σ weight · jointMatrix, jointMatrix = globalTransform ·
    # inverseBindMatrix
    world = world_matrices(letter)
    prim = letter.meshes[1].primitives[0]
    matrices = joint_matrices(letter, 0, world)
    points = posed_positions(letter, 4, prim, world)
    assert prim.joints is not None and prim.weights is not None
    for v in (0, 7, 23, len(prim.positions) - 1):
        blend = sum(float(w) * matrices[j] for j, w in zip(prim.joints[v], prim.weights[v]))
        assert np.allclose((blend @ [*prim.positions[v], 1])[:3], points[v], atol=1e-6)
    assert skin_matrices(prim, matrices).shape == (len(prim.positions), 3, 4)


def test_morph_weights_come_from_clip_node_or_mesh(letter: Scene) -> None:
    clip = letter.clips[0]
    assert morph_weights(letter, 6, clip, 0.5) == pytest.approx([1.0])
    assert morph_weights(letter, 6, None, 0.0) == pytest.approx([0.25])
    own = tuple(replace(n, weights=frozen([0.75])) if n.name == "letter" else n for n in letter.nodes)
    assert morph_weights(replace(letter, nodes=own), 6, None, 0.0) == pytest.approx([0.75])
    prim = letter.meshes[0].primitives[0]
    assert np.allclose(morphed(prim, np.array([2.0])) - prim.positions, [0, 0.2, 0.5], atol=1e-6)
    assert morphed(prim, None) is prim.positions


def test_boxes_are_those_of_the_points(letter: Scene) -> None:
    box = world_bounds(letter)
    points = np.concatenate(posed_scene_points(letter))
    assert box is not None
    assert np.allclose(box[0], points.min(axis=0), atol=1e-6) and np.allclose(
        box[1], points.max(axis=0), atol=1e-6
    )
    assert world_bounds(Scene("", "")) is None


def test_boxes_leave_out_what_is_not_finite() -> None:
    points = cube().positions.copy()
    points[3] = np.inf
    scene = scene_of(replace(cube(), positions=frozen(points)))
    box = world_bounds(scene)
    assert box is not None and np.isfinite(box).all()
    assert local_bounds(scene.meshes[0].primitives[0])[1].max() == pytest.approx(0.5)


@pytest.mark.parametrize("skinned", [False, True])
@pytest.mark.parametrize("value", [1e300, -1e308, np.inf, np.nan])
def test_boxes_leave_out_what_is_thrown_beyond_all_numbers(
    value: float, skinned: bool, letter: Scene
) -> None:
    """Straight, turned and skinned, on a node and on rows: a warning would be an error here."""
    for place in ((0, 0), (0, 1), (0, 3)):
        matrix = np.diag([1e30, 1.0, 1.0, 1.0])
        matrix[place] = value
        node = replace(scene_of(cube()).nodes[0], matrix=frozen(matrix, np.float64))
        scene = replace(scene_of(cube()), nodes=(node,))
        if skinned:
            nodes = tuple(replace(n, matrix=node.matrix) if k == 0 else n for k, n in enumerate(letter.nodes))
            scene = replace(letter, nodes=nodes)
        box = world_bounds(scene)
        assert box is not None and np.isfinite(box).all()
    far = frozen([value, 0, 0], np.float64)
    start = scene_of(cube()).nodes[0]
    wide = far if np.isfinite(value) else frozen([1e30, 1e300, 0], np.float64)
    for node in (replace(start, translation=far), replace(start, scale=wide)):
        rows = fold(replace(scene_of(cube()), nodes=(node,) * 40, roots=tuple(range(40))))
        folded = world_bounds(rows)
        assert len(rows.placements) == 40 and folded is not None and np.isfinite(folded).all()


def test_influences_are_counted_and_cut_by_strength() -> None:
    joints = np.array([[1, 2, 3, 4, 5, 6, 0, 0]], np.uint16)
    weights = np.array([[0.4, 0.25, 0.15, 0.1, 0.06, 0.04, 0, 0]], np.float32)
    prim = replace(
        cube(),
        positions=frozen(cube().positions[:1]),
        joints=frozen(joints, np.uint16),
        weights=frozen(weights),
    )
    assert most_influences(prim) == 6 and most_influences(cube()) == 0
    j, w, lost = limited(joints, weights, 4, 0.0)
    assert j.tolist() == [[1, 2, 3, 4]] and lost == pytest.approx(0.1, abs=1e-6)
    assert np.allclose(w, np.array([[0.4, 0.25, 0.15, 0.1]]) / 0.9, atol=1e-6) and w.sum() == 1
    _, pruned, _ = limited(joints, weights, 4, 0.2)
    assert np.count_nonzero(pruned) == 2
    _, wide, _ = limited(joints, weights, 6, 0.0)
    assert wide.shape == (1, 8)


def test_one_moment_is_what_the_whole_track_says_it_is() -> None:
    """Against customs.motion.curves.track, which is checked against scipy: every interpolation, one key, a
    matrix, a loose node.
    """
    scene = bar(5)
    times, late = np.array([0.0, 0.5, 2.0]), np.array([0.25])
    turn = turning(1, times, np.array([0.0, 80.0, -40.0]))
    rng = np.random.default_rng(3)
    cubic = Channel(2, "translation", frozen(times), frozen(rng.normal(size=(3, 3, 3))), "cubic")
    channels = (
        turn,
        turning(3, times, np.array([10.0, 0.0, 30.0])),
        cubic,
        replace(cubic, node=3),
        Channel(0, "scale", frozen(times), frozen(rng.uniform(0.5, 2, (3, 3))), "step"),
        Channel(4, "translation", frozen(late), frozen([[1.0, 2.0, 3.0]])),
    )
    nodes = list(scene.nodes)
    nodes[5] = replace(nodes[5], matrix=np.diag([1.0, -2.0, 1.0, 1.0]))
    nodes.append(Node(key("node", 9), "loose", translation=np.array([9.0, 9.0, 9.0])))
    scene = replace(scene, nodes=tuple(nodes), clips=(Clip(key("clip", 5), "all", channels),))
    for clip in (None, scene.clips[0]):
        at = np.array([-1.0, 0.0, 0.2, 0.5, 1.1, 2.0, 5.0])
        local = local_track(scene, clip, at)
        world = world_track(scene, local)
        for k, seconds in enumerate(at):
            assert np.allclose(posing(scene, clip).locals(float(seconds)), local[k], atol=1e-12)
            assert np.allclose(posing(scene, clip).world(float(seconds)), world[k], atol=1e-12)
    assert posing(scene, scene.clips[0]) is posing(scene, scene.clips[0])
