"""Skeletons: names taken apart, pairs, humanoid maps, bodies aligned, clips retargeted, leftovers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from customs.demo import hedgehog, people, stork
from customs.motion.curves.track import frame_times, local_track, world_track
from customs.motion.posing.stretch import on_names, stretch
from customs.motion.rig.align import between, fit_to, posed_places, size_ratio, turns_to
from customs.motion.rig.leftovers import idle_joints, joint_use, outlines, skeletons
from customs.motion.rig.retarget import Ground, Retargeting, leg_ratio, retarget
from customs.motion.skeleton.humanoid import BONES, REQUIRED, above_of, propose_humanoid
from customs.motion.skeleton.pairing import propose, side_of
from customs.motion.skeleton.skeleton import Skeleton, skeleton_of
from customs.motion.skeleton.tokens import likeness, meaning
from customs.motion.weights.joints import leaf_first, merged
from customs.route.steps.motion.rig.retarget import feet
from customs.scene.tree import mesh_nodes, parents
from tests.motion.rigs import bar, lighter, warden


@pytest.mark.parametrize(("name", "part", "side"), [
    ("thigh_l", "upper leg", "l"), ("LeftUpLeg", "upper leg", "l"), ("leg_l_02", "leg", "l"), ("L_Hand", "hand", "l"),
    ("clavicle.R", "shoulder", "r"), ("ArmLowerRight", "lower arm", "r"), ("Back1", "spine", ""), ("beak_tip", "beak", ""),
    ("hip.l", "upper leg", "l"), ("armr", "upper arm", "r"), ("leftForeArm", "lower arm", "l"), ("rig:Head", "head", ""),
    ("joint7", "", ""), ("upper_arm_r", "upper arm", "r"),
])  # fmt: skip
def test_names_are_taken_apart(name: str, part: str, side: str) -> None:
    # common practice
    found = meaning(name)
    assert (found.part, found.side) == (part, side)


def test_sides_never_pair_and_parts_do() -> None:
    assert likeness("thigh_l", "ThighRight") == 0 and likeness("thigh_l", "ThighLeft") > 0.9
    assert likeness("spine_01", "Back1") > likeness("spine_01", "Back2") > 0.6
    assert likeness("same", "same") == 1 and meaning("beak_tip").tip


def test_every_joint_of_the_body_finds_its_own_on_the_donor() -> None:
    mine, theirs = skeleton_of(lighter()), skeleton_of(warden())
    pairs = {p.arriving: p for p in propose(mine, theirs)}
    wanted = {people.LIGHTER_NAMES[part]: people.WARDEN_NAMES[part] for part in people.PARTS}
    assert {a: p.donor for a, p in pairs.items()} == wanted
    assert (
        all(0 < p.confidence <= 1 and p.why for p in pairs.values())
        and sum(p.doubtful for p in pairs.values()) <= 3
    )


def test_shape_alone_pairs_most_joints_and_a_person_has_the_last_word() -> None:
    mine, theirs = skeleton_of(lighter()), skeleton_of(warden())
    nameless = Skeleton(mine.nodes, tuple(f"joint{k}" for k in range(mine.count)), mine.parent, mine.rest)
    wanted = {f"joint{k}": people.WARDEN_NAMES[part] for k, part in enumerate(people.PARTS)}
    found = {p.arriving: p.donor for p in propose(nameless, theirs)}
    assert sum(wanted[a] == d for a, d in found.items()) >= 14
    assert not any(
        side_of(theirs)[theirs.names.index(d)] * side_of(mine)[int(a[5:])] < 0 for a, d in found.items()
    )
    fixed = {p.arriving: p for p in propose(mine, theirs, {"head": "Neck1"}, ["neck_01"])}
    assert fixed["head"].donor == "Neck1" and fixed["head"].confidence == 1 and "neck_01" not in fixed
    assert propose(Skeleton((), (), np.zeros(0, int), np.zeros((0, 4, 4))), theirs) == ()


def test_the_bone_list_is_the_standards() -> None:
    # VRMC_vrm-1.0, humanoid.md: 55 bones, 15 of them required, each under the one it names
    assert len(BONES) == 55 and len(REQUIRED) == 15
    assert BONES["leftLowerArm"] == "leftUpperArm" and BONES["rightThumbMetacarpal"] == "rightHand"
    assert above_of("head", {"hips": 1, "spine": 1}) == "spine" and above_of("hips", {}) == ""


@pytest.mark.parametrize("make", [warden, lighter])
def test_a_humanoid_is_mapped_whatever_its_names(make) -> None:  # type: ignore[no-untyped-def]
    s = skeleton_of(make())
    found = propose_humanoid(s)
    assert found.missing == () and len(found.joints) == 21
    names = people.WARDEN_NAMES if make is warden else people.LIGHTER_NAMES
    assert (
        found.joints["leftUpperArm"] == names["l.upper arm"] and found.joints["rightToes"] == names["r.toe"]
    )
    nameless = Skeleton(s.nodes, tuple("head" if n == names["head"] else "hips" if n == names["hips"] else f"j{k}"
                                       for k, n in enumerate(s.names)), s.parent, s.rest)  # fmt: skip
    by_shape = propose_humanoid(nameless)
    assert by_shape.missing == () and min(by_shape.confidence.values()) < 0.7
    assert by_shape.joints["leftHand"] == f"j{s.names.index(names['l.hand'])}"
    by_hand = propose_humanoid(s, {"head": names["neck"], "tail": "nobody"})
    assert by_hand.joints["head"] == names["neck"]


def test_a_stork_is_no_humanoid() -> None:
    assert {"leftHand", "rightHand"} <= set(propose_humanoid(skeleton_of(stork.scene())).missing)


def test_turns_bring_bones_into_line_and_steps_are_whole() -> None:
    mine, theirs = skeleton_of(lighter()), skeleton_of(warden())
    pairs = {mine.names.index(p.arriving): theirs.names.index(p.donor) for p in propose(mine, theirs)}
    turns, degrees = turns_to(mine, theirs, pairs)
    arm = mine.names.index("upper_arm_l")
    assert 40 < degrees[arm] < 60, "A-pose to T-pose"
    posed = posed_places(mine, turns)
    level = posed[mine.names.index("hand_l")] - posed[arm]
    assert abs(level[1]) < 0.02 * np.linalg.norm(level)
    for k in range(mine.count):
        up = mine.parent[k]
        if up >= 0:
            assert (
                abs(np.linalg.norm(posed[k] - posed[up]) - np.linalg.norm(mine.places[k] - mine.places[up]))
                < 1e-9
            )
    for step in (5, 15, 45):
        assert np.abs(turns_to(mine, theirs, pairs, step)[1] % step).max() < 1e-6
    assert np.allclose(between(np.array([1.0, 0, 0]), np.array([-2.0, 0, 0])) @ [1, 0, 0], [-1, 0, 0])


def test_paired_joints_come_to_stand_where_the_donors_do() -> None:
    mine, theirs = skeleton_of(lighter()), skeleton_of(warden())
    pairs = {mine.names.index(p.arriving): theirs.names.index(p.donor) for p in propose(mine, theirs)}
    fit = fit_to(mine, theirs, pairs)
    for a, d in pairs.items():
        there = fit.matrices[a] @ np.append(mine.places[a], 1)
        assert np.abs(there[:3] - theirs.places[d]).max() < 1e-9
    assert 0.9 < fit.scale < 1.2 and size_ratio(mine, mine, {k: k for k in range(mine.count)}) == 1


def test_the_donors_clips_play_on_the_body_without_tearing() -> None:
    """Acceptance: edge stretch at most 1.5 times at the 99.9th percentile over every clip; joints exactly the
    donor's.
    """
    from customs.changes.donor import make_donor
    from customs.job import Job
    from customs.route.step import get_step

    donor = make_donor(warden())
    step = get_step("donor")
    out = step.apply(
        lighter(), step.settings(donor=donor.digest, clips="both"), {donor.digest: donor.data}, Job()
    )
    scene, skin, theirs = out.scene, out.scene.skins[0], donor.scene.skins[0]
    assert [scene.nodes[j].name for j in skin.joints] == [donor.scene.nodes[j].name for j in theirs.joints]
    assert np.array_equal(skin.inverse_bind, theirs.inverse_bind) and len(scene.skins) == 1
    assert [c.name for c in scene.clips] == ["nod", "patrol", "greet", "tend"]
    old = set(people.LIGHTER_NAMES.values())
    assert not old & {n.name for n in scene.nodes}, "the old joints are gone"
    for clip in donor.scene.clips:
        assert stretch(scene, donor.scene, clip) <= 1.5, clip.name
        assert len(on_names(scene, donor.scene, clip).channels) == len(clip.channels)


def ways() -> Retargeting:
    source, target = warden(), lighter()
    s, t = skeleton_of(source), skeleton_of(target)
    return Retargeting(
        source, s, target, t, {s.names.index(p.arriving): t.names.index(p.donor) for p in propose(s, t)}
    )


def test_retargeted_clips_keep_the_new_bodys_lengths_and_scale_its_strides() -> None:
    way = ways()
    clip = next(c for c in way.source.clips if c.name == "patrol")
    times = frame_times(clip, 30)
    new = retarget(way, clip, times)
    t, world = way.target_skeleton, world_track(way.target, local_track(way.target, new, times))
    for k in range(t.count):
        up = t.parent[k]
        if up >= 0:
            length = np.linalg.norm(world[:, t.nodes[k], :3, 3] - world[:, t.nodes[up], :3, 3], axis=1)
            assert np.abs(length - np.linalg.norm(t.places[k] - t.places[up])).max() < 1e-5
    root = way.source_skeleton.names.index("Pelvis")
    ratio = leg_ratio(way, root)
    travelled = world[-1, t.nodes[way.pairs[root]], 2, 3] - world[0, t.nodes[way.pairs[root]], 2, 3]
    assert 0.75 < ratio < 0.95 and abs(travelled - 1.1 * 1.2 * ratio) < 0.02


def test_a_retarget_to_itself_changes_nothing_and_feet_keep_to_the_ground() -> None:
    scene = warden()
    s = skeleton_of(scene)
    way = Retargeting(scene, s, scene, s, {k: k for k in range(s.count)})
    clip = scene.clips[0]
    times = frame_times(clip, 30)
    same = retarget(way, clip, times)
    a, b = (world_track(scene, local_track(scene, c, times))[:, list(s.nodes)] for c in (clip, same))
    assert np.abs(a - b).max() < 1e-5
    other = ways()
    grounded = feet(other.source_skeleton, other.target_skeleton, dict(other.pairs))
    assert len(grounded.feet) == 2
    planted = retarget(other, clip, times, grounded)
    loose = retarget(other, clip, times, Ground())
    t = other.target_skeleton
    for hip, knee, ankle, source_ankle in grounded.feet:
        low = a[:, source_ankle, 1, 3] - s.places[source_ankle, 1]
        down = np.abs(low) < 0.012
        world = world_track(other.target, local_track(other.target, planted, times))
        free = world_track(other.target, local_track(other.target, loose, times))
        off = np.abs(world[down, t.nodes[ankle], 1, 3] - t.places[ankle, 1])
        assert not down.any() or off.max() < 0.006
        assert (
            off.mean() <= np.abs(free[down, t.nodes[ankle], 1, 3] - t.places[ankle, 1]).mean() + 1e-9
            if down.any()
            else True
        )
        thigh = np.linalg.norm(world[:, t.nodes[knee], :3, 3] - world[:, t.nodes[hip], :3, 3], axis=1)
        assert np.ptp(thigh) < 1e-5


def test_leftovers_are_found_in_the_moss_keeper_and_nowhere_else() -> None:
    keeper = people.keeper()
    found = skeletons(keeper)
    assert (
        len(found.tops) == 2
        and keeper.nodes[found.tops[1][0]].name == "old_0"
        and found.moves[0] > 50 * found.moves[1]
    )
    names = {keeper.nodes[j].name for j in idle_joints(keeper)}
    assert "head_aim" in names and {"old_1", "old_2", "old_3"} <= names
    assert [keeper.nodes[n].name for n in outlines(keeper)] == ["body outline"]
    clean = warden()
    assert len(skeletons(clean).tops) == 1 and not outlines(clean) and idle_joints(clean) == ()
    assert outlines(hedgehog.scene()) == (), "four equal legs are no outlines"


def test_chains_side_by_side_that_move_one_mesh_are_one_skeleton() -> None:
    """glTF 2.0, 3.7.3.1: the joints of a skin need a common root, and that root need not be a joint
    itself.
    """
    scene = bar()
    joints = scene.skins[0].joints
    above = parents(scene)
    hung = joints[len(joints) // 2]
    nodes = list(scene.nodes)
    # The upper half of the chain is hung beside the lower one: two joints without a joint above, one mesh on
    # both.
    nodes[above[hung]] = replace(nodes[above[hung]], children=())
    two = replace(scene, nodes=tuple(nodes), roots=(*scene.roots, hung))
    found = skeletons(two)
    assert len(found.tops) == 1 and set(found.tops[0]) == {joints[0], hung}
    mesh = scene.meshes[0].primitives[0]
    low = np.asarray(mesh.joints) < len(joints) // 2
    weights = np.where(low, np.asarray(mesh.weights), 0)
    lower = replace(two, meshes=(replace(scene.meshes[0], primitives=(replace(mesh, weights=weights),)),))
    assert len(skeletons(lower).tops) == 1, "joints of one skin belong together, those that move nothing too"
    assert hung in idle_joints(lower)


def test_merged_joints_carry_their_weights_up() -> None:
    scene = bar(5)
    use = joint_use(scene)
    assert (
        use[4] > 0 and next(skeleton_of(scene).names[k] for k in leaf_first(skeleton_of(scene))) == "bone_4"
    )
    out = merged(scene, {4, 3})
    assert [out.nodes[j].name for j in out.skins[0].joints] == ["bone_0", "bone_1", "bone_2"]
    p = out.meshes[0].primitives[0]
    assert (
        p.joints is not None
        and p.joints.max() == 2
        and np.abs(np.asarray(p.weights).sum(axis=1) - 1).max() < 1e-6
    )
    top = p.positions[:, 1] > 0.8
    assert (p.joints[top, 0] == 2).all() and "bone_4" not in {n.name for n in out.nodes}
    kept = merged(
        replace(scene, nodes=(*scene.nodes[:4], replace(scene.nodes[4], mesh=0), *scene.nodes[5:])), {4}
    )
    assert "bone_4" in {n.name for n in kept.nodes} and len(mesh_nodes(kept)) == 2
