"""Rigs in glTF that are wrong: skins, weights, clips, cameras, lights; refused with the place, or read and
told by the ledger.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.spatial import cKDTree

from customs.errors import CustomsError
from customs.formats.source import Source
from customs.geometry.triangles import triangles_of
from customs.intake.take import take
from customs.motion.curves.keys import sample
from customs.scene.arrays import frozen
from customs.scene.model import Scene
from customs.scene.tree import world_matrices
from customs.sheet.load import load_sheet
from customs.work.asset import Request, prepare
from tests.assets import lettered, loaded, saved
from tests.motion.rigs import bar

Json = dict[str, Any]


def written(scene: Scene, folder: Path) -> Json:
    """A scene as glTF, its buffer beside it."""
    return json.loads(saved(scene, folder / "rig.gltf").read_text())


def numbers(doc: Json, folder: Path, index: int) -> np.ndarray:
    """The float32 numbers of an accessor."""
    a = doc["accessors"][index]
    v = doc["bufferViews"][a["bufferView"]]
    width = {"SCALAR": 1, "VEC3": 3, "VEC4": 4, "MAT4": 16}[a["type"]]
    return np.frombuffer(
        bytes_of(doc, folder), "<f4", a["count"] * width, v.get("byteOffset", 0) + a.get("byteOffset", 0)
    )


def bytes_of(doc: Json, folder: Path) -> bytes:
    """The buffer."""
    uri = doc["buffers"][0]["uri"]
    return base64.b64decode(uri.partition(",")[2]) if uri.startswith("data:") else (folder / uri).read_bytes()


def with_numbers(doc: Json, folder: Path, index: int, values: np.ndarray) -> None:
    """An accessor's float32 numbers changed in the buffer."""
    a = doc["accessors"][index]
    start = doc["bufferViews"][a["bufferView"]].get("byteOffset", 0) + a.get("byteOffset", 0)
    data = bytearray(bytes_of(doc, folder))
    data[start : start + values.size * 4] = values.astype("<f4").tobytes()
    doc["buffers"][0]["uri"] = (
        "data:application/octet-stream;base64," + base64.b64encode(bytes(data)).decode()
    )


def read(doc: Json, folder: Path) -> Scene:
    """Through a file."""
    path = folder / "rig.gltf"
    path.write_text(json.dumps(doc))
    return loaded(path)


def attributes(doc: Json) -> Json:
    """Those of the skinned mesh."""
    return next(
        p["attributes"] for m in doc["meshes"] for p in m["primitives"] if "JOINTS_0" in p["attributes"]
    )


def sampler(doc: Json, which: int = 0) -> Json:
    """One of the first clip's."""
    return doc["animations"][0]["samplers"][which]


Wrong = tuple[Callable[[Json, Path], object], str, str]
BAD: dict[str, Wrong] = {
    "a joint twice": (lambda d, f: d["skins"][0].update(joints=[0, 1, 1, 2]), "/skins/0", "each joint once"),
    "a joint that is no node": (lambda d, f: d["skins"][0].update(joints=[0, 99]), "/skins/0", "whole numbers"),
    "a joint said in words": (lambda d, f: d["skins"][0].update(joints=["hip"]), "/skins/0", "whole numbers"),
    "too few bind matrices": (
        lambda d, f: d["accessors"][d["skins"][0]["inverseBindMatrices"]].update(count=2), "/skins/0", "one a joint",
    ),
    "bind matrices of three": (
        lambda d, f: d["skins"][0].update(inverseBindMatrices=attributes(d)["POSITION"]), "/skins/0", "",
    ),
    "a bind matrix that is no number": (
        lambda d, f: with_numbers(d, f, d["skins"][0]["inverseBindMatrices"], np.full(64, np.nan)), "/skins/0", "finite",
    ),
    "joints without weights": (lambda d, f: attributes(d).pop("WEIGHTS_0"), "JOINTS_0", "as many of each"),
    "weights without joints": (lambda d, f: attributes(d).pop("JOINTS_0"), "JOINTS_0", "as many of each"),
    "times out of order": (lambda d, f: with_numbers(d, f, sampler(d)["input"], np.float32([0, 2, 1])), "input", "growing times"),
    "a time twice": (lambda d, f: with_numbers(d, f, sampler(d)["input"], np.float32([0, 0, 1])), "input", "growing times"),
    "a time before zero": (lambda d, f: with_numbers(d, f, sampler(d)["input"], np.float32([-1])), "input", "growing times"),
    "a time that is no number": (lambda d, f: with_numbers(d, f, sampler(d)["input"], np.float32([np.nan])), "input", "growing"),
    "values that are no numbers": (
        lambda d, f: with_numbers(d, f, sampler(d)["output"], np.float32([np.inf])), "output", "finite numbers",
    ),
    "fewer values than times": (lambda d, f: d["accessors"][sampler(d)["output"]].update(count=3), "output", "keys"),
    "splines with a value a key": (lambda d, f: sampler(d).update(interpolation="CUBICSPLINE"), "output", "keys"),
    "an interpolation of its own": (lambda d, f: sampler(d).update(interpolation="SMOOTH"), "interpolation", "CUBICSPLINE"),
    "a sampler that is not": (lambda d, f: d["animations"][0]["channels"][0].update(sampler=40), "sampler", ""),
    "a channel without a target": (lambda d, f: d["animations"][0]["channels"][0].pop("target"), "target", "a target"),
    "a target that is no node": (
        lambda d, f: d["animations"][0]["channels"][0]["target"].update(node=99), "/animations/0", "",
    ),
    "weights of a node without morphs": (
        lambda d, f: d["animations"][0]["channels"][0]["target"].update(path="weights"), "path", "morph targets",
    ),
}  # fmt: skip


LETTER_BAD: dict[str, Wrong] = {
    "a camera without a lens": (lambda d, f: d["cameras"][0].pop("perspective"), "/cameras/0", "an object"),
    "a field of view of nothing": (lambda d, f: d["cameras"][0]["perspective"].update(yfov=0), "yfov", "a number"),
    "a light of no kind": (
        lambda d, f: d["extensions"]["KHR_lights_punctual"]["lights"][0].update(type="sun"), "type", "spot",
    ),
    "a light darker than dark": (
        lambda d, f: d["extensions"]["KHR_lights_punctual"]["lights"][0].update(intensity=-1), "intensity", "a number",
    ),
    "morph weights too many": (lambda d, f: d["meshes"][0].update(weights=[0, 1, 2]), "weights", "morph target"),
    "a name that is a number": (lambda d, f: d["nodes"][0].update(name=7), "/nodes/0", "a string"),
    "two-sided in words": (lambda d, f: d["materials"][0].update(doubleSided="yes"), "doubleSided", "true or false"),
}  # fmt: skip


@pytest.mark.parametrize("name", [*BAD, *LETTER_BAD])
def test_it_is_refused_and_the_place_is_said(name: str, tmp_path: Path) -> None:
    change, where, expected = (BAD | LETTER_BAD)[name]
    doc = written(bar() if name in BAD else lettered(), tmp_path)
    change(doc, tmp_path)
    with pytest.raises(CustomsError) as problem:
        read(doc, tmp_path)
    text = str(problem.value)
    assert "rig.gltf" in text and where in text and expected in text, text


def test_without_bind_matrices_the_mesh_was_made_where_its_joints_are_not(tmp_path: Path) -> None:
    """glTF 2.0, 3.7.3.1: undefined, each is the identity."""
    doc = written(bar(), tmp_path)
    del doc["skins"][0]["inverseBindMatrices"]
    scene = read(doc, tmp_path)
    assert (scene.skins[0].inverse_bind == np.eye(4)).all()


def test_one_key_is_a_clip_that_stands_still(tmp_path: Path) -> None:
    doc = written(bar(), tmp_path)
    for name in ("input", "output"):
        doc["accessors"][sampler(doc)[name]].update(count=1)
        for bound in ("min", "max"):
            doc["accessors"][sampler(doc)[name]].pop(bound, None)
    clip = read(doc, tmp_path).clips[0]
    assert clip.seconds == 0 and len(clip.channels[0].times) == 1
    assert np.array_equal(sample(clip.channels[0], 5.0), sample(clip.channels[0], 0.0))


def test_what_moves_nothing_known_is_left_out_and_said(tmp_path: Path) -> None:
    doc = written(bar(), tmp_path)
    channel = doc["animations"][0]["channels"][0]
    channels = doc["animations"][0]["channels"]
    channels.append(channel | {"target": {"path": "pointer"}})
    channels.append(channel | {"target": {"path": "rotation"}})
    scene = read(doc, tmp_path)
    assert len(scene.clips[0].channels) == len(channels) - 2
    assert {"animation of pointer", "animation without a node"} <= set(scene.unknown)


def test_bytes_after_the_end_are_remarked_and_a_short_file_is_not_whole(tmp_path: Path) -> None:
    path = saved(bar(), tmp_path / "rig.glb")
    data = path.read_bytes()
    path.write_bytes(data + b"tail")
    source = Source(path)
    from customs.formats.registry import read_scene

    assert read_scene(source).clips and any("4 bytes after the end" in r.text for r in source.remarks)
    path.write_bytes(data[:-40])
    with pytest.raises(CustomsError, match="cut off"):
        loaded(path)


def judged(scene: Scene, folder: Path) -> dict[str, str]:
    """Requirement → verdict of a scene through a file, as received, and the route it would be planned."""
    path = saved(scene, folder / "rig.glb")
    planned = prepare(Request(path, folder, load_sheet("metre-yup-pbr"))).plan
    found = {r.requirement: r.verdict for r in planned.ledger.rows}
    return found | {"route": " ".join(a.stop.step for a in planned.passed)}


def changed(scene: Scene, **values: Any) -> Scene:
    """The bar with its primitive changed."""
    mesh = scene.meshes[0]
    return replace(scene, meshes=(replace(mesh, primitives=(replace(mesh.primitives[0], **values),)),))


@pytest.mark.parametrize(
    ("what", "step"), [("sums", "weight-sums"), ("nothing", "weightless"), ("no number", "weightless")]
)
def test_weights_that_are_wrong_come_in_and_are_put_right_before_anything_is_measured(
    what: str, step: str, tmp_path: Path
) -> None:
    """A footing that is right only while the weights are wrong is none."""
    scene = bar()
    weights = np.array(scene.meshes[0].primitives[0].weights)
    rows = slice(100, 140)
    if what == "sums":
        weights[rows] *= 0.7
    elif what == "nothing":
        weights[rows] = 0
    else:
        weights[rows, 0] = np.nan
    # The bar stands away from the origin, so that a sum off one shows in where it stands.
    nodes = tuple(
        replace(n, translation=np.array([2.0, 3.0, -1.0])) if n.name == "bone_0" else n for n in scene.nodes
    )
    world = world_matrices(replace(scene, nodes=nodes))
    skin = replace(
        scene.skins[0],
        inverse_bind=frozen(np.stack([np.linalg.inv(world[j]) for j in scene.skins[0].joints]), np.float64),
    )
    points = frozen(scene.meshes[0].primitives[0].positions + np.float32([2, 3, -1]))
    found = judged(
        replace(changed(scene, weights=frozen(weights), positions=points), nodes=nodes, skins=(skin,)),
        tmp_path,
    )
    assert step in found["route"].split() and "footing" in found["route"].split()
    assert found["route"].split().index(step) < found["route"].split().index("footing")
    assert "held" not in found.values(), {k: v for k, v in found.items() if v == "held"}


def test_a_joint_outside_the_list_is_refused_with_its_number(tmp_path: Path) -> None:
    scene = bar()
    joints = np.array(scene.meshes[0].primitives[0].joints)
    joints[10, 0] = 17
    path = saved(changed(scene, joints=frozen(joints, np.uint16)), tmp_path / "rig.glb")
    with pytest.raises(CustomsError, match="joint number 17; expected below 4"):
        loaded(path)


def test_several_roots_are_one_skeleton_or_told(tmp_path: Path) -> None:
    scene = bar()
    nodes = tuple(replace(n, children=()) if n.name == "bone_1" else n for n in scene.nodes)
    two = replace(scene, nodes=nodes, roots=(*scene.roots, 2))
    again = loaded(saved(two, tmp_path / "two.glb"))
    assert len(again.roots) == len(two.roots) and len(again.skins[0].joints) == 4
    found = judged(two, tmp_path)
    assert "held" not in found.values(), {k: v for k, v in found.items() if v == "held"}


@pytest.mark.parametrize("scale", [(2.0, 2.0, 2.0), (1.0, 3.0, 1.0), (-1.0, 1.0, 1.0)])
def test_scaled_and_mirrored_joints_keep_their_pose_on_the_way(
    scale: tuple[float, float, float], tmp_path: Path
) -> None:
    from customs.motion.posing.pose import posed_scene_points

    scene = bar()
    nodes = tuple(replace(n, scale=np.array(scale)) if n.name == "bone_2" else n for n in scene.nodes)
    odd = replace(scene, nodes=nodes)
    path = saved(odd, tmp_path / "odd.glb")
    planned = prepare(Request(path, tmp_path, load_sheet("metre-yup-pbr"))).plan
    before, after = take(path).scene, planned.passed[-1].scene
    way = None
    for t in (0.0, 0.25, 0.5, 0.9):
        one = np.concatenate(posed_scene_points(before, before.clips[0], t))
        other = np.concatenate(posed_scene_points(after, after.clips[0], t))
        # Wherever it was put, it is put there as a whole.
        way = other.min(axis=0) - one.min(axis=0) if way is None else way
        assert cKDTree(one + way).query(other)[0].max() < 1e-4


def test_faces_of_every_mode_are_read_as_triangles(tmp_path: Path) -> None:
    """glTF 2.0, 3.7.2.1: a strip of n vertices is n − 2 triangles, a fan too."""
    doc = written(bar(), tmp_path)
    prim = doc["meshes"][0]["primitives"][0]
    count = doc["accessors"][prim["indices"]]["count"]
    for mode, wanted in ((4, count // 3), (5, count - 2), (6, count - 2)):
        prim["mode"] = mode
        assert len(triangles_of(read(doc, tmp_path).meshes[0].primitives[0])) == wanted
