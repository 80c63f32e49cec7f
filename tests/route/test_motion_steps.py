"""Steps of the desk Motion through their registry."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.changes.donor import Donor, make_donor, take_donor
from customs.demo import gardener, hedgehog, people, stork
from customs.errors import CustomsError, StepError
from customs.job import Job
from customs.motion.posing.deviation import deviation, posed
from customs.motion.weights.influences import most_influences
from customs.motion.weights.table import table_of
from customs.route.step import Outcome, get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.model import MorphTarget, Scene
from customs.scene.tree import mesh_nodes
from tests.motion.rigs import bar, bend, lighter, warden


def run(step: str, scene: Scene, from_: Donor | None = None, **values: Any) -> Outcome:
    """One step on a scene."""
    entry = get_step(step)
    resources = {from_.digest: from_.data} if from_ else {}
    return entry.apply(scene, make_settings(entry, values), resources, Job())


@pytest.fixture(scope="module")
def giver() -> Donor:
    return make_donor(warden())


def test_clips_by_a_table_in_frames_and_seconds() -> None:
    scene = replace(bar(), clips=(bend(1, 4.0),))
    out = run("clips", scene, ranges=(("b", 75, 100, ""), ("a", 0, 70, "bend")), rate=25.0).scene
    assert [(c.name, round(c.seconds, 3)) for c in out.clips] == [("b", 1.0), ("a", 2.8)]
    assert len({c.key for c in out.clips}) == 2 and all(scene.clips[0].key in c.made_from for c in out.clips)
    timed = run("clips", scene, ranges=(("a", 0.5, 9.0, ""), ("x", 0, 1, "nobody")), unit="seconds")
    assert timed.scene.clips[0].seconds == 3.5 and len(timed.remarks) == 2
    with pytest.raises(StepError, match=r"begins at 10\.00 s"):
        run("clips", scene, ranges=(("late", 10, 11, ""),), unit="seconds")
    with pytest.raises(StepError, match="last not before first"):
        run("clips", scene, ranges=(("turned", 5, 1, ""),))
    assert run("clips", scene).scene is scene
    take = stork.scene()
    assert len(run("clips", take, find=True).scene.clips) == 3


def test_merge_retime_loop_travel_still_reduce() -> None:
    scene = replace(
        bar(),
        clips=(
            bend(1, 1.0, name="a"),
            replace(bend(2, 0.5, name="b"), key=replace(bend(1, 1).key, ordinal=9)),
        ),
    )
    both = run("merge-clips", scene, targets=("*",), name="both", gap=0.5).scene
    assert [c.name for c in both.clips] == ["both"] and both.clips[0].seconds == 2.0
    fast = run("retime", scene, targets=("a",), speed=2.0, backwards=True, rate=60.0).scene
    assert fast.clips[0].seconds == 0.5 and fast.clips[1] is scene.clips[1]
    assert "seam" in run("loop", scene, seconds=0.2).remarks[0].text
    still = run("still", scene, joints=("bone_1", "nobody"))
    assert len(still.scene.clips[0].channels[0].times) == 1 and any(
        "no longer there" in r.text for r in still.remarks
    )
    rest = run("still", scene, joints=("bone_1",), key="rest").scene
    assert np.allclose(rest.clips[0].channels[0].values[0], [0, 0, 0, 1])
    fewer = run("reduce", stork.scene(), millimetres=0.5, degrees=0.2)
    assert (
        "worst vertex" in fewer.remarks[0].text
        and sum(len(c.times) for c in fewer.scene.clips[0].channels) < 1600
    )
    far = deviation(stork.scene(), fewer.scene)
    assert far is not None and far.distance < 0.02
    assert (
        run("clip-files", scene, how="each").scene.wishes.clips == "each"
        and run("travel", scene).scene is scene
    )


def test_a_node_above_carries_the_way() -> None:
    donor = warden()
    out = run("travel", donor, targets=("patrol",), way="above", name="carrier").scene
    carrier = next(i for i, n in enumerate(out.nodes) if n.name == "carrier")
    assert out.roots[0] == carrier and any(c.node == carrier for c in out.clips[0].channels)
    for t in (0.3, 0.9):
        a, b = posed(donor, donor.clips[0], [t])[0][0], posed(out, out.clips[0], [t])[0][0]
        assert np.abs(a - b).max() < 1e-4


def test_six_influences_become_four_and_the_error_is_said() -> None:
    out = run("weights", stork.scene(), limit=4)
    assert (
        max(most_influences(p) for m in out.scene.meshes for p in m.primitives) == 4
        and "mm in" in out.remarks[0].text
    )
    assert all((np.asarray(p.weights).sum(axis=1) == 1).all() for m in out.scene.meshes for p in m.primitives)


def test_parts_become_joints_and_play_as_before() -> None:
    parts = hedgehog.scene()
    out = run("rigid", parts).scene
    assert len(out.skins) == 1 and len(out.skins[0].joints) == 9 and len(mesh_nodes(out)) == 9
    for t in (0.0, 0.4, 1.3):
        a = np.concatenate(posed(parts, parts.clips[0], [t])[0])
        b = np.concatenate(posed(out, out.clips[0], [t])[0])
        assert np.abs(np.sort(a, axis=0) - np.sort(b, axis=0)).max() < 1e-5
    hatted = run("rigid", gardener.scene()).scene
    assert all(hatted.nodes[n].skin is not None for n in mesh_nodes(hatted))
    assert (
        run("rigid", lighter()).scene is not None and run("rigid", replace(bar(), skins=())).scene is not None
    )


def test_leftovers_go_and_what_is_left_plays_on() -> None:
    out = run("leftovers", people.keeper(), skeletons=True, joints=True, outlines=True)
    scene = out.scene
    assert len(scene.skins) == 1 and len(scene.skins[0].joints) == 21
    assert not {n.name for n in scene.nodes} & {"old_0", "old_3", "head_aim", "body outline"} and "tag" in {
        n.name for n in scene.nodes
    }
    assert (
        len(out.remarks) >= 3
        and run("leftovers", warden(), skeletons=True, joints=True, outlines=True).scene.skins
    )
    tag = next(n for n in mesh_nodes(scene) if scene.nodes[n].name == "tag")
    before = people.keeper()
    old = next(i for i, n in enumerate(mesh_nodes(before)) if before.nodes[n].name == "tag")
    new = [n for n in mesh_nodes(scene)].index(tag)
    assert np.abs(posed(before, None, [0])[0][old] - posed(scene, None, [0])[0][new]).max() < 1e-5


def test_joints_are_merged_down_and_meshes_split() -> None:
    out = run("merge-joints", lighter(), limit=12)
    assert len(out.scene.skins[0].joints) == 12 and "worst vertex" in out.remarks[0].text
    kept = run("merge-joints", lighter(), joints=("toe_*", "foot_*"), keep=("head",)).scene
    assert len(kept.skins[0].joints) == 17
    split = run("split-joints", lighter(), limit=8)
    scene = split.scene
    assert len(scene.meshes) >= 3 and all(len(s.joints) <= 8 for s in scene.skins[1:])
    whole, parts = lighter(), scene
    a = np.concatenate(posed(whole, whole.clips[0], [0.5])[0])
    b = np.concatenate(posed(parts, parts.clips[0], [0.5])[0])
    from scipy.spatial import cKDTree

    assert cKDTree(a).query(b)[0].max() < 1e-5 and cKDTree(b).query(a)[0].max() < 1e-5


def test_binding_from_joints_and_from_a_surface(giver: Donor) -> None:
    whole = warden()
    p = whole.meshes[0].primitives[0]
    bare = replace(whole, meshes=(replace(whole.meshes[0], primitives=(replace(p, joints=None, weights=None),)),),
                   nodes=tuple(replace(n, skin=None) for n in whole.nodes))  # fmt: skip
    unbound = replace(bare, nodes=tuple(replace(n, skin=None) for n in bare.nodes))
    for source in ("joints", "surface"):
        out = run("bind", unbound, giver, source=source, donor=giver.digest).scene
        new = out.meshes[0].primitives[0]
        off = np.abs(table_of(new, 21).toarray() - table_of(p, 21).toarray()).sum(axis=1)
        assert np.percentile(off, 95) < (0.6 if source == "joints" else 0.02), source
    with pytest.raises(StepError, match="not those of this skeleton"):
        run("bind", stork.scene(), giver, source="surface", donor=giver.digest, targets=("*",))


def test_vertices_without_weights_take_their_neighbours() -> None:
    scene = bar()
    p = scene.meshes[0].primitives[0]
    weights = np.array(p.weights)
    weights[300:340] = 0
    weights[50, 0] = np.nan
    broken = replace(scene, meshes=(replace(scene.meshes[0], primitives=(replace(p, weights=weights),)),))
    new = run("weightless", broken).scene.meshes[0].primitives[0]
    off = np.abs(table_of(new, 4).toarray() - table_of(p, 4).toarray()).sum(axis=1)
    assert off.max() < 0.35 and np.isfinite(np.asarray(new.weights)).all()
    assert run("weightless", scene).scene.meshes[0].primitives[0] is p


def test_sums_are_brought_to_one_and_nothing_else_is_touched() -> None:
    """glTF 2.0, 3.7.3.1: the weights of a vertex sum to one. What sums to nothing is left to the stop that
    fills in.
    """
    scene = bar()
    p = scene.meshes[0].primitives[0]
    assert run("weight-sums", scene).scene is scene
    weights = np.array(p.weights)
    weights[10:20] *= 0.8
    weights[300] = 0
    off = replace(scene, meshes=(replace(scene.meshes[0], primitives=(replace(p, weights=weights),)),))
    out = run("weight-sums", off)
    new = out.scene.meshes[0].primitives[0]
    assert np.array_equal(np.delete(new.weights, np.s_[10:20], 0), np.delete(weights, np.s_[10:20], 0))  # type: ignore[arg-type]
    assert (np.asarray(new.weights)[10:20].sum(axis=1) == 1).all() and new.weights.shape == weights.shape  # type: ignore[union-attr]
    assert np.abs(table_of(new, 4).toarray()[10:20] - table_of(p, 4).toarray()[10:20]).max() < 1e-6
    assert "10 vertices" in out.remarks[0].text and "0.2 off" in out.remarks[0].text


def test_painting_through_the_step(giver: Donor) -> None:
    scene = bar()
    p = scene.meshes[0].primitives[0]
    out = run(
        "paint",
        scene,
        edits=((str(p.key), "bone_1", "set", 0.5, ((0, 40), (60, 70))), ("gone", "bone_1", "set", 1.0, ())),
    )
    column = table_of(out.scene.meshes[0].primitives[0], 4).toarray()[:, 1]
    assert np.abs(column[:40] - 0.5).max() < 1e-6 and any("no longer there" in r.text for r in out.remarks)
    with pytest.raises(StepError, match="smudge"):
        run("paint", scene, edits=((str(p.key), "bone_1", "smudge", 0.5, ()),))


def test_numbers_are_written_once() -> None:
    out = run("numbers", hedgehog.scene(), version_number=7, first=("key",)).scene
    said = {out.nodes[n].name: out.nodes[n].extras["order_number"] for n in mesh_nodes(out)}
    assert said["key"] == "1" and sorted(map(int, said.values())) == list(range(1, 10))
    assert (
        out.nodes[out.roots[0]].extras["version_number"] == "7"
        and run("numbers", out, version_number=7, first=("key",)).scene is out
    )


def test_retargeting_a_donors_clips_to_the_bodys_own_skeleton(giver: Donor) -> None:
    out = run("retarget", lighter(), giver, donor=giver.digest, clips=("pat*", "tend"))
    assert [c.name for c in out.scene.clips] == ["nod", "patrol", "tend"] and "strides ×" in out.remarks[
        0
    ].text
    assert [n.name for n in out.scene.nodes] == [n.name for n in lighter().nodes]
    with pytest.raises(StepError, match="hardly any joint"):
        run("retarget", bar(), giver, donor=giver.digest)


def test_humanoid_by_hand_and_left_out(giver: Donor) -> None:
    out = run("humanoid", lighter(), bones=(("jaw", "head"), ("leftToes", ""))).scene
    bones = {n.bone: n.name for n in out.nodes if n.bone}
    assert "leftToes" not in bones and bones["hips"] == "hip"
    with pytest.raises(StepError, match="tail"):
        run("humanoid", lighter(), bones=(("tail", "hip"),))


def test_donors_that_cannot_be() -> None:
    with pytest.raises(CustomsError, match="no skeleton"):
        make_donor(hedgehog.scene())
    with pytest.raises(StepError, match="not at hand"):
        run("donor", lighter(), donor="nowhere")
    own = warden()
    crooked = replace(
        own, nodes=(replace(own.nodes[1], rotation=np.array([0.5, 0, 0, np.sqrt(0.75)])), *own.nodes[1:])
    )
    bad = make_donor(replace(own, nodes=(own.nodes[0], crooked.nodes[0], *own.nodes[2:])))
    with pytest.raises(StepError, match="bind pose"):
        take_donor(bad.digest, {bad.digest: bad.data})
    good = make_donor(own)
    with pytest.raises(StepError, match="no skeleton of its own"):
        run("donor", hedgehog.scene(), good, donor=good.digest)
    assert run("donor", lighter()).scene is not None


def _stood(scene: Scene) -> np.ndarray:
    """All vertices at rest, in world space."""
    return np.concatenate(posed(scene, None, 0.0)[0])


def test_a_pose_stands_like_a_moment_and_a_still_keeps_it() -> None:
    scene = warden()
    clip = scene.clips[0]
    out = run("pose", scene, clip=clip.name, seconds=0.4)
    wanted = np.concatenate(posed(scene, clip, 0.4)[0])
    assert np.abs(_stood(out.scene) - wanted).max() < 1e-6
    assert f"stands as {clip.name} at 0.40 s" in out.remarks[0].text
    still = run("static", out.scene).scene
    assert not still.skins and not still.clips and np.abs(_stood(still) - wanted).max() < 1e-5
    late = run("pose", scene, clip=str(clip.key), seconds=900.0)
    assert np.abs(_stood(late.scene) - np.concatenate(posed(scene, clip, clip.seconds)[0])).max() < 1e-6
    assert run("pose", scene).scene is scene


def test_joints_are_turned_by_hand_about_their_own_axes() -> None:
    scene = replace(bar(), clips=())
    out = run("pose", scene, turns=(("bone_1", 90.0, 0.0, 0.0), ("nobody", 1, 2, 3))).scene
    top = _stood(out)[scene.meshes[0].primitives[0].positions[:, 1] > 0.999]
    # A quarter turn about X lays what stands along +Y over the joint at one third along +Z (right hand rule).
    assert np.abs(top[:, 2] - 2 / 3).max() < 1e-6 and abs(float(np.mean(top[:, 1])) - 1 / 3) < 1e-6
    assert "nobody: no such joint" in [
        r.text for r in run("pose", scene, turns=(("nobody", 1, 2, 3),)).remarks
    ]
    turned = Rotation.from_euler("XYZ", [20, 30, 40], degrees=True).as_quat()
    node = run("pose", scene, turns=(("bone_2", 20.0, 30.0, 40.0),)).scene.nodes[2]
    assert np.abs(np.abs(node.rotation @ turned) - 1) < 1e-12
    assert "no such clip" in run("pose", scene, clip="gone").remarks[0].text


def test_a_still_keeps_its_expressions() -> None:
    """Offsets are added before the skin turns them (glTF 2.0, 3.7.2.2): after the skin is gone they are
    turned already.
    """
    scene = replace(bar(), clips=())
    prim = scene.meshes[0].primitives[0]
    offset = np.zeros_like(prim.positions)
    offset[:, 0] = 0.05 * prim.positions[:, 1]
    prim = replace(prim, targets=(MorphTarget(frozen(offset), frozen(offset), None),))
    mesh = replace(scene.meshes[0], primitives=(prim,), weights=frozen([0.0]))
    nodes = tuple(replace(n, weights=frozen([0.7])) if n.mesh is not None else n for n in scene.nodes)
    posed_ = run(
        "pose", replace(scene, meshes=(mesh,), nodes=nodes), turns=(("bone_1", 0.0, 0.0, 50.0),)
    ).scene
    still = run("static", posed_).scene
    assert still.nodes[-1].weights is not None and np.abs(_stood(still) - _stood(posed_)).max() < 1e-6
    assert still.meshes[still.nodes[-1].mesh or 0].primitives[0].targets[0].normals is not None
