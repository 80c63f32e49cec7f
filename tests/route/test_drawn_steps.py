"""Steps on assets drawn at random: what a step is not for, it leaves as it was, in every pose of every
clip.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from customs.changes.unsettled import unsettled
from customs.conventions.convert import change_convention
from customs.job import Job
from customs.motion.posing.bind import bind_error
from customs.motion.skeleton.skeleton import skeleton_of
from customs.motion.weights.influences import most_influences
from customs.motion.weights.partition import joints_used
from customs.route.step import NOTHING, Outcome, get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING, Convention
from customs.scene.model import MorphTarget, Primitive, Scene
from customs.scene.tree import joint_nodes, mesh_nodes, world_matrices
from tests.drawn import SHAPES, drawn_scene, poses

SEEDS = range(4)
FIRM = ("even", "stretched", "mirrored")


def run(step: str, scene: Scene, **values: Any) -> Outcome:
    """One step."""
    entry = get_step(step)
    return entry.apply(scene, make_settings(entry, values), NOTHING, Job())


def apart(a: Scene, b: Scene, through: Callable[[np.ndarray], np.ndarray] = lambda p: p) -> float:
    """Farthest any vertex of `b` is from those of `a` taken `through` a change, at all moments, over the
    size.
    """
    worst = 0.0
    for p, q in zip(poses(a, 3), poses(b, 3), strict=True):
        p = through(p)
        size = float(np.linalg.norm(np.ptp(p, axis=0)))
        worst = max(worst, cKDTree(p).query(q)[0].max() / size, cKDTree(q).query(p)[0].max() / size)
    return worst


def primitives(scene: Scene) -> list[Primitive]:
    """All that are drawn."""
    return [p for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]


LEAVE: dict[str, dict[str, Any]] = {
    "settle": {},
    "weld": {},
    "triangulate": {},
    "drop-empties": {},
    "split-material": {},
    "drop-broken": {},
    "weight-sums": {},
    "weightless": {},
    "weights": {"limit": 8},
    "split-joints": {"limit": 9},
    "tangents": {},
    "leave-out": {"cameras": True, "lights": True},
    "join": {},
    "flatten": {},
    "numbers": {},
    "reduce": {"millimetres": 0.05, "degrees": 0.005},
}
"""Steps that are there to change other things than where anything is."""


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("step", LEAVE)
def test_nothing_moves(step: str, shape: str) -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed, shape)
        out = run(step, scene, **LEAVE[step]).scene
        assert apart(scene, out) < 3e-4, f"seed {seed}"


@pytest.mark.parametrize("shape", FIRM)
@pytest.mark.parametrize("seed", SEEDS)
def test_settled_twice_is_settled_once(seed: int, shape: str) -> None:
    once = run("settle", drawn_scene(seed, shape)).scene
    twice = run("settle", once).scene
    assert apart(once, twice) < 1e-6
    for a, b in zip(world_matrices(once), world_matrices(twice), strict=True):
        assert np.abs(a - b).max() < 1e-6


def test_what_neither_moves_nor_bears_keeps_no_transform() -> None:
    for seed in SEEDS:
        scene = replace(drawn_scene(seed, "mirrored"), clips=())
        out = run("settle", scene).scene
        free = [n for n in mesh_nodes(out) if out.nodes[n].skin is None]
        assert free and not set(unsettled(out)) & set(free)
        for n in free:
            assert np.abs(world_matrices(out)[n] - np.eye(4)).max() < 1e-6


@pytest.mark.parametrize("shape", FIRM)
@pytest.mark.parametrize("degrees", [(90.0, 0.0, 0.0), (0.0, 180.0, 0.0), (13.0, -48.0, 110.0)])
def test_turned_as_scipy_turns(degrees: tuple[float, float, float], shape: str) -> None:
    spin = Rotation.from_euler("xyz", degrees, degrees=True).as_matrix()
    for seed in SEEDS:
        scene = drawn_scene(seed, shape)
        assert apart(scene, run("turn", scene, degrees=degrees).scene, lambda p: p @ spin.T) < 1e-5


@pytest.mark.parametrize("shape", FIRM)
@pytest.mark.parametrize("factor", [0.01, 2.54, 100.0])
def test_scaled_it_is_so_many_times_as_large(factor: float, shape: str) -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed, shape)
        assert apart(scene, run("scale", scene, factor=factor).scene, lambda p: p * factor) < 1e-5


@pytest.mark.parametrize("kind", ["base-centre", "box-centre", "mass-centre"])
def test_footing_moves_all_of_it_by_one_way(kind: str) -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed, "mirrored")
        out = run("footing", scene, kind=kind).scene
        way = poses(out, 0)[0].mean(axis=0) - poses(scene, 0)[0].mean(axis=0)
        assert apart(scene, out, lambda p, way=way: p + way) < 1e-5  # type: ignore[misc]
        again = run("footing", out, kind=kind).scene
        assert apart(out, again) < 1e-5, "there, it stays"


@pytest.mark.parametrize("shape", FIRM)
@pytest.mark.parametrize("target", [
    Convention("+Z", "-Y", "right", 0.01, v="up"),
    Convention("+Z", "+X", "left", 0.01, "cw"),
    Convention("+Y", "-Z", "left", 1.0),
])  # fmt: skip
def test_to_another_convention_and_back(target: Convention, shape: str) -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed, shape)
        there = change_convention(scene, target, WORKING)
        back = change_convention(there, WORKING, target)
        assert apart(scene, back) < 1e-5
        # Lengths are in the other unit, whatever the axes.
        one, other = (np.linalg.norm(np.diff(poses(s, 0)[0], axis=0), axis=1) for s in (scene, there))
        assert np.abs(one / target.metres_per_unit - other).max() < 1e-4 * other.max()


def test_the_bind_pose_takes_the_mesh_back_to_where_it_was_modelled() -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed)
        bent = run("pose", scene, clip="clip_0", seconds=0.4).scene
        out = run("bind-pose", bent).scene
        assert bind_error(out, 0) < 1e-5 < bind_error(bent, 0)
        for c in out.clips:
            assert c.seconds == pytest.approx(next(o for o in bent.clips if o.name == c.name).seconds)


def test_posed_it_stands_as_the_clip_does_at_that_moment() -> None:
    from customs.motion.posing.pose import posed_scene_points

    for seed in SEEDS:
        scene = drawn_scene(seed)
        clip = scene.clips[0]
        out = run("pose", scene, clip="clip_0", seconds=0.37).scene
        there = np.concatenate(posed_scene_points(scene, clip, 0.37))
        assert np.abs(np.concatenate(posed_scene_points(out)) - there).max() < 1e-5


def test_static_it_stands_as_it_rested_and_nothing_moves_it() -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed, "mirrored")
        out = run("static", scene).scene
        assert not out.clips and not out.skins and all(p.joints is None for p in primitives(out))
        assert cKDTree(poses(scene, 0)[0]).query(poses(out, 0)[0])[0].max() < 1e-5


@pytest.mark.parametrize("limit", [1, 2, 4, 6])
def test_no_more_influences_than_asked_and_sums_of_exactly_one(limit: int) -> None:
    for seed in SEEDS:
        out = run("weights", drawn_scene(seed), limit=limit)
        for p in primitives(out.scene):
            if p.weights is not None:
                assert most_influences(p) <= limit
                assert (
                    p.weights.sum(axis=1, dtype=np.float32) == 1
                ).all() and p.joints.shape == p.weights.shape  # type: ignore[union-attr]
        assert "mm" in out.remarks[0].text, "what it costs is said"


@pytest.mark.parametrize("limit", [4, 6, 8])
def test_no_part_needs_more_joints_than_asked_and_no_face_is_lost(limit: int) -> None:
    for seed in SEEDS:
        # Four influences a vertex on nine joints: a face can need up to twelve, so they are brought down to
        # one first.
        scene = run("weights", drawn_scene(seed), limit=1).scene
        out = run("split-joints", scene, limit=limit).scene
        parts = primitives(out)
        assert all(len(joints_used(p)) <= limit for p in parts if p.joints is not None)
        assert sum(len(p.indices) for p in parts) == sum(len(p.indices) for p in primitives(scene))  # type: ignore[arg-type]
        assert apart(scene, out) < 1e-6


def test_parts_of_a_morphing_mesh_morph_together() -> None:
    for seed in SEEDS:
        scene, rng = run("weights", drawn_scene(seed), limit=1).scene, np.random.default_rng(seed)
        leaf, trunk = scene.meshes
        targets = tuple(
            MorphTarget(frozen(rng.normal(size=trunk.primitives[0].positions.shape))) for _ in range(2)
        )
        trunk = replace(
            trunk,
            primitives=(replace(trunk.primitives[0], targets=targets),),
            target_names=("swell", "bend"),
        )
        weights = next(c for c in scene.clips[0].channels if c.path == "weights")
        clip = replace(scene.clips[0], channels=(*scene.clips[0].channels, replace(weights, node=13)))
        body = replace(scene.nodes[13], weights=frozen([0.2, 0.7]))
        scene = replace(
            scene, nodes=(*scene.nodes[:13], body), meshes=(leaf, trunk), clips=(clip, *scene.clips[1:])
        )
        out = run("split-joints", scene, limit=4).scene
        assert len(out.meshes) > 2 and apart(scene, out) < 1e-6


@pytest.mark.parametrize("left", [2, 4, 7])
def test_joints_merged_leave_so_many_and_the_rest_pose(left: int) -> None:
    for seed in SEEDS:
        scene = run("bind-pose", drawn_scene(seed)).scene
        out = run("merge-joints", scene, limit=left).scene
        assert len(joint_nodes(out)) <= left
        sums = [p.weights.sum(axis=1) for p in primitives(out) if p.weights is not None]
        assert all(np.abs(s - 1).max() < 1e-5 for s in sums)
        assert cKDTree(poses(scene, 0)[0]).query(poses(out, 0)[0])[0].max() < 1e-4, "at rest nothing shows"
        s = skeleton_of(out)
        assert s.count <= left and (s.parent[list(s.order)] < np.arange(s.count) + 1).all()


def test_one_file_of_clips_merged_plays_them_one_after_another() -> None:
    from customs.motion.posing.pose import posed_scene_points

    scene = drawn_scene(2)
    # What only one of the clips moves is held in the other: compared is what both move.
    scene = replace(
        scene, clips=(scene.clips[0], replace(scene.clips[0], key=scene.clips[1].key, name="again"))
    )
    out = run("merge-clips", scene, targets=("clip_0", "again")).scene
    assert len(out.clips) == 1 and out.clips[0].seconds >= 2 * scene.clips[0].seconds - 1e-4
    for t in np.linspace(0.01, scene.clips[0].seconds - 0.01, 5):
        one = np.concatenate(posed_scene_points(scene, scene.clips[0], t))
        assert np.abs(np.concatenate(posed_scene_points(out, out.clips[0], t)) - one).max() < 1e-4


def test_a_tree_of_parts_becomes_a_skeleton_that_moves_as_they_did() -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed)
        # The rig alone, a block on each of its nodes.
        block = replace(scene.meshes[0].primitives[0], targets=())
        mesh = replace(scene.meshes[0], primitives=(block,), weights=None, target_names=())
        nodes = tuple(replace(n, mesh=0, skin=None) if 4 <= k < 13 else replace(n, mesh=None, skin=None)
                      for k, n in enumerate(scene.nodes))  # fmt: skip
        clips = tuple(
            replace(c, channels=tuple(x for x in c.channels if x.path != "weights")) for c in scene.clips
        )
        parts = replace(scene, nodes=nodes, meshes=(mesh,), skins=(), clips=clips)
        out = run("rigid", parts).scene
        assert len(out.skins) == 1 and len(out.skins[0].joints) >= 9
        assert all(most_influences(p) == 1 for p in primitives(out))
        assert apart(parts, out) < 1e-5


def test_polygons_turned_over_keep_their_places() -> None:
    for seed in SEEDS:
        scene = drawn_scene(seed)
        inside_out = replace(
            scene,
            meshes=tuple(
                replace(m, primitives=tuple(replace(p, indices=frozen(p.indices.reshape(-1, 3)[:, ::-1].reshape(-1), np.uint32))
                                            for p in m.primitives))
                for m in scene.meshes
            ),
        )  # fmt: skip
        out = run("turn-outward", inside_out)
        assert apart(scene, out.scene) < 1e-7 and any("turned over" in r.text for r in out.remarks)
