"""What swings of VRM 1.0 and 0.x: read, carried through steps, written, and left out with a word elsewhere.

Source: VRM Consortium, "VRMC_springBone 1.0"; of 0.x the schema "vrm.secondaryanimation" (its Z from memory).
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.changes.settling import settle
from customs.conventions.convert import change_convention
from customs.errors import CustomsError
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.intake.take import take
from customs.ledger.left import losses
from customs.scene.convention import WORKING, Convention
from customs.scene.model import Collider, Scene
from customs.scene.renumber import renumbered
from customs.scene.swinging import swinging
from customs.scene.tree import world_matrices
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.formats.test_vrm_bvh import rewritten, saved

NAMES = ("LeftUpperArm", "LeftLowerArm", "LeftHand", "Head", "Hips")


def number(document: dict[str, Any], name: str) -> int:
    return next(i for i, n in enumerate(document["nodes"]) if n["name"] == name)


def new(document: dict[str, Any]) -> None:
    at = {n: number(document, n) for n in NAMES}
    document["extensions"]["VRMC_springBone"] = {
        "specVersion": "1.0",
        "colliders": [
            {"node": at["Head"], "shape": {"sphere": {"offset": [0.01, 0.05, 0.02], "radius": 0.09}}},
            {"node": at["Hips"], "shape": {"capsule": {"offset": [0, 0, 0], "tail": [0.0, -0.2, 0.1], "radius": 0.07}}},
        ],
        "colliderGroups": [{"name": "body", "colliders": [0, 1]}, {"name": "body", "colliders": [1]}],
        "springs": [
            {
                "name": "sleeve", "center": at["Hips"], "colliderGroups": [0],
                "joints": [
                    {"node": at[n], "hitRadius": 0.02 + 0.01 * k, "stiffness": 0.7, "gravityPower": 0.2, "gravityDir": [0, -1, 0],
                     "dragForce": 0.3} for k, n in enumerate(NAMES[:3])
                ],
            }
        ],
    }  # fmt: skip
    document["extensionsUsed"] = sorted([*document["extensionsUsed"], "VRMC_springBone"])


def old(document: dict[str, Any]) -> None:
    vrm = document["extensions"].pop("VRMC_vrm")
    at = {n: number(document, n) for n in NAMES}
    bones = [{"bone": b, "node": v["node"]} for b, v in vrm["humanoid"]["humanBones"].items()]
    document["extensions"]["VRM"] = {
        "humanoid": {"humanBones": bones}, "meta": {"title": "Gardener", "author": "someone", "licenseName": "CC0"},
        "secondaryAnimation": {
            "colliderGroups": [{"node": at["Head"], "colliders": [{"offset": {"x": 0.01, "y": 0.05, "z": -0.02}, "radius": 0.09}]}],
            "boneGroups": [
                {"comment": "sleeve", "stiffiness": 0.7, "gravityPower": 0.2, "gravityDir": {"x": 0, "y": -1, "z": 0}, "dragForce": 0.3,
                 "center": -1, "hitRadius": 0.02, "bones": [at["LeftUpperArm"]], "colliderGroups": [0]}
            ],
        },
    }  # fmt: skip
    document["extensionsUsed"] = ["VRM"]


def places(scene: Scene) -> list[tuple[np.ndarray, np.ndarray, Collider]]:
    """(begin, end, collider) of each in the world."""
    worlds, out = world_matrices(scene), []
    for i, n in enumerate(scene.nodes):
        for h in n.holds:
            if isinstance(h, Collider):
                ends = np.array([[0, 0, 0, 1.0], [0, 0, -h.length, 1.0]])
                begin, end = (worlds[i] @ ends.T).T[:, :3]
                out.append((begin, end, h))
    return out


def glb(scene: Scene, path: Path) -> Scene:
    entry = get_format("glb")
    assert entry.write is not None
    path.write_bytes(b"".join(bytes(p) for p in entry.write(scene, WriteOptions("gardener"))[".glb"]))
    return read_scene(Source(path))


def test_chains_and_bodies_are_read_where_they_are(tmp_path: Path) -> None:
    scene = take(rewritten(saved(tmp_path), new)).scene
    assert (
        not scene.unknown and swinging(scene) == 3 and not [r for r in scene.remarks if "sideways" in r.text]
    )
    (spring,) = scene.springs
    names = {n.key: n.name for n in scene.nodes}
    assert [names[j.node] for j in spring.joints] == list(NAMES[:3]) and spring.name == "sleeve"
    assert [round(j.radius, 3) for j in spring.joints] == [0.02, 0.03, 0.04] and names[
        spring.centre
    ] == "Hips"  # type: ignore[index]
    assert {(j.stiffness, j.gravity, j.drag) for j in spring.joints} == {(0.7, 0.2, 0.3)}
    worlds = {n.name: w for n, w in zip(scene.nodes, world_matrices(scene))}
    (ball, _, one), (begin, end, other) = places(scene)
    assert np.allclose(ball, (worlds["Head"] @ [0.01, 0.05, 0.02, 1])[:3]) and one.radius == 0.09
    assert np.allclose(begin, (worlds["Hips"] @ [0, 0, 0, 1])[:3]) and np.allclose(
        end, (worlds["Hips"] @ [0, -0.2, 0.1, 1])[:3]
    )
    # Groups of one name stay two.
    assert len(other.groups) == 2 and spring.groups == one.groups


def test_they_go_out_again_where_they_were(tmp_path: Path) -> None:
    scene = take(rewritten(saved(tmp_path), new)).scene
    again = glb(scene, tmp_path / "again.vrm")
    assert len(again.springs) == 1 and swinging(again) == 3
    a, b = scene.springs[0], again.springs[0]
    assert [(j.radius, j.stiffness, j.gravity, j.drag) for j in a.joints] == [
        (j.radius, j.stiffness, j.gravity, j.drag) for j in b.joints
    ]
    for x, y in zip(places(scene), places(again), strict=True):
        assert (
            np.allclose(x[0], y[0], atol=1e-6)
            and np.allclose(x[1], y[1], atol=1e-6)
            and x[2].radius == y[2].radius
        )
    assert [len(h.groups) for _, _, h in places(again)] == [1, 2]


def test_an_older_avatar_s_chains_are_told_in_today_s_words(tmp_path: Path) -> None:
    scene = take(rewritten(saved(tmp_path), old)).scene
    names = {n.key: n.name for n in scene.nodes}
    chains = [[names[j.node] for j in s.joints] for s in scene.springs]
    # All below a bone swings; where it forks, one goes on and the others begin chains.
    assert chains[0][:3] == list(NAMES[:3]) and sum(map(len, chains)) == len({n for c in chains for n in c})
    worlds = {n.name: w for n, w in zip(scene.nodes, world_matrices(scene))}
    ((ball, _, thing),) = places(scene)
    assert np.allclose(ball, (worlds["Head"] @ [0.01, 0.05, 0.02, 1])[:3]) and thing.radius == 0.09


@pytest.mark.parametrize("axes", [Convention("+Z", "-Y", "right", 0.01), Convention("+Y", "-Z", "left", 0.5)])
def test_other_axes_and_units_and_new_keys_move_them_along(axes: Convention, tmp_path: Path) -> None:
    scene = take(rewritten(saved(tmp_path), new)).scene
    there = change_convention(scene, axes, WORKING)
    assert there.springs[0].joints[1].radius == pytest.approx(0.03 / axes.metres_per_unit)
    back = change_convention(there, WORKING)
    for x, y in zip(places(scene), places(back), strict=True):
        assert (
            np.allclose(x[0], y[0], atol=1e-5)
            and np.allclose(x[1], y[1], atol=1e-5)
            and x[2].radius == pytest.approx(y[2].radius)
        )
    other = renumbered(scene, "f" * 12, {})
    assert swinging(other) == 3 and other.springs[0].joints[0].node.digest == "f" * 12


def test_an_avatar_keeps_what_swings_and_others_are_told(tmp_path: Path) -> None:
    path = rewritten(saved(tmp_path), new)
    kept = run(Request(path, tmp_path, find_sheet("humanoid-avatar-kit"), out=tmp_path / "out"))
    assert kept.folder is not None and kept.accepted, kept.ledger.open()
    model = next(kept.folder.rglob("*.glb"))
    landed = read_scene(Source(model))
    assert swinging(landed) == 3 and len(places(landed)) == 2 and not any("swing" in x for x in kept.left)
    moved = run(Request(path, tmp_path, find_sheet("centimetre-zup-lh"), out=tmp_path / "fbx"))
    assert moved.route is not None and any(s.step == "leave-out" for s in moved.route.stops)
    assert any("joints that swing" in x for x in moved.left) and any(
        "Leave out" in x for x in moved.changed
    ), moved.changed


def test_settling_moves_no_body(tmp_path: Path) -> None:
    scene = take(rewritten(saved(tmp_path), new)).scene
    grown = replace(scene, nodes=tuple(
        replace(n, scale=np.full(3, 2.0)) if i in scene.roots else n for i, n in enumerate(scene.nodes)))  # fmt: skip
    before, after = places(grown), places(settle(grown)[0])
    for x, y in zip(before, after, strict=True):
        assert np.allclose(x[0], y[0], atol=1e-5)


def test_joints_that_have_gone_are_counted_and_a_chain_of_one_is_none(tmp_path: Path) -> None:
    scene = take(rewritten(saved(tmp_path), new)).scene
    gone = {n.key for n in scene.nodes if n.name in NAMES[1:3]}
    fewer = replace(scene, nodes=tuple(replace(n, key=replace(n.key, ordinal=900 + i)) if n.key in gone else n
                                       for i, n in enumerate(scene.nodes)))  # fmt: skip
    assert swinging(fewer) == 1 and not glb(fewer, tmp_path / "fewer.vrm").springs
    assert any(x.kind == "springs" and x.count == 2 for x in losses(scene, fewer, get_format("glb")))


def telling(document: dict[str, Any]) -> None:
    at = {n: number(document, n) for n in NAMES}
    mesh = next(i for i, n in enumerate(document["nodes"]) if "mesh" in n)
    document["extensions"]["VRMC_vrm"] |= {
        "lookAt": {"offsetFromHeadBone": [0.0, 0.06, 0.02], "type": "bone", "rangeMapHorizontalInner": {"inputMaxValue": 90.0, "outputScale": 10.0}},
        "firstPerson": {"meshAnnotations": [{"node": mesh, "type": "thirdPersonOnly"}]},
    }  # fmt: skip
    bound = {"LeftHand": {"roll": {"source": at["LeftLowerArm"], "rollAxis": "X", "weight": 0.5}},
             "Head": {"aim": {"source": at["Hips"], "aimAxis": "PositiveZ", "weight": 1.0}},
             "LeftLowerArm": {"rotation": {"source": at["LeftUpperArm"], "weight": 0.25}}}  # fmt: skip
    for name, said in bound.items():
        document["nodes"][at[name]]["extensions"] = {
            "VRMC_node_constraint": {"specVersion": "1.0", "constraint": said}
        }
    document["extensionsUsed"] = sorted([*document["extensionsUsed"], "VRMC_node_constraint"])


def test_looking_own_eyes_and_bound_joints_are_kept_with_an_avatar(tmp_path: Path) -> None:
    path = rewritten(saved(tmp_path), telling)
    scene = take(path).scene
    assert not scene.unknown and scene.person is not None
    assert scene.person.gaze is not None and scene.person.gaze.offset == (0.0, 0.06, 0.02)
    result = run(Request(path, tmp_path, find_sheet("humanoid-avatar-kit"), out=tmp_path / "out"))
    assert result.folder is not None and result.accepted and not any("sayings" in x for x in result.left)
    landed = read_scene(Source(next(result.folder.rglob("*.glb"))))
    names = {n.key: n.name for n in landed.nodes}
    assert landed.person is not None and landed.person.gaze == scene.person.gaze
    assert {(names[b.node], names[b.source], b.kind, b.axis, b.weight) for b in landed.person.bonds} == {
        ("Head", "Hips", "aim", "PositiveZ", 1.0),
        ("LeftLowerArm", "LeftUpperArm", "rotation", "", 0.25),
        ("LeftHand", "LeftLowerArm", "roll", "X", 0.5),
    }
    assert [how for _, how in landed.person.seen] == ["thirdPersonOnly"]
    told = run(Request(path, tmp_path, find_sheet("centimetre-zup-lh"), out=tmp_path / "fbx"))
    assert any("5 of 5 sayings of an avatar" in x for x in told.left)
    turned = change_convention(scene, Convention("+Y", "-Z", "right", 1.0), WORKING)
    assert turned.person is not None and turned.person.gaze is not None
    assert turned.person.gaze.offset == pytest.approx((0.0, 0.06, -0.02)) and turned.person.bonds[0].axis in (
        "NegativeZ",
        "X",
        "",
    )
    assert {b.axis for b in turned.person.bonds} == {"NegativeZ", "X", ""}


def test_an_older_avatar_s_looking_is_told_in_today_s_words(tmp_path: Path) -> None:
    def change(document: dict[str, Any]) -> None:
        old(document)
        mesh = next(n["mesh"] for n in document["nodes"] if "mesh" in n)
        document["extensions"]["VRM"]["firstPerson"] = {
            "firstPersonBoneOffset": {"x": 0, "y": 0.06, "z": -0.02}, "lookAtTypeName": "BlendShape",
            "meshAnnotations": [{"mesh": mesh, "firstPersonFlag": "ThirdPersonOnly"}],
            "lookAtHorizontalInner": {"xRange": 80, "yRange": 9},
        }  # fmt: skip

    person = take(rewritten(saved(tmp_path), change)).scene.person
    assert person is not None and person.gaze is not None and person.gaze.kind == "expression"
    assert person.gaze.offset == (0.0, 0.06, 0.02) and person.gaze.ranges == {"HorizontalInner": (80.0, 9.0)}
    assert [how for _, how in person.seen] == ["thirdPersonOnly"]


@pytest.mark.parametrize(("where", "value"), [
    (("springs", 0, "joints", 0, "node"), 999), (("colliders", 0, "shape"), {}), (("colliders", 0, "node"), -1),
    (("springs", 0, "colliderGroups"), [7]), (("colliders", 0, "shape", "sphere", "radius"), "wide"),
])  # fmt: skip
def test_what_cannot_be_is_said_with_its_place(where: tuple[Any, ...], value: Any, tmp_path: Path) -> None:
    def change(document: dict[str, Any]) -> None:
        new(document)
        at = document["extensions"]["VRMC_springBone"]
        for step in where[:-1]:
            at = at[step]
        at[where[-1]] = value

    with pytest.raises(CustomsError, match="VRMC_springBone"):
        take(rewritten(saved(tmp_path), change))
