"""VRM 0.x and 1.0, and BVH: what comes in, and what is refused with which words."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.demo import gardener
from customs.errors import CustomsError, ReadError
from customs.formats.registry import WriteOptions, get_format
from customs.intake.take import take
from customs.motion.skeleton.humanoid import REQUIRED
from customs.scene.model import Scene
from tests.formats.test_text_files import BVH
from tests.outside.judges import validate


def saved(folder: Path) -> Path:
    """The gardener as .vrm."""
    parts = get_format("glb").write(gardener.scene(), WriteOptions("gardener"))  # type: ignore[misc]
    path = folder / "gardener.vrm"
    path.write_bytes(b"".join(bytes(p) for p in parts[".glb"]))
    return path


def rewritten(path: Path, change: Any) -> Path:
    """A GLB with its JSON changed."""
    data = path.read_bytes()
    length = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + length])
    change(document)
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    rest = data[20 + length :]
    path.write_bytes(
        b"glTF"
        + struct.pack("<II", 2, 20 + len(text) + len(rest))
        + struct.pack("<I", len(text))
        + b"JSON"
        + text
        + rest
    )
    return path


def test_a_humanoid_comes_in_with_its_map_rights_and_expressions(tmp_path: Path) -> None:
    path = saved(tmp_path)
    assert validate([path]) == []
    scene = take(path).scene
    bones = {n.bone: n.name for n in scene.nodes if n.bone}
    assert set(REQUIRED) <= set(bones) and bones["leftUpperArm"] == "LeftUpperArm"
    assert (
        scene.rights["author"] == "Verdigris Glasshouse workshop"
        and scene.rights["licence"] == "Glasshouse Commons 2"
    )
    assert "avatarPermission: everyone" in scene.rights["terms"] and scene.convention.faces == "+Z"
    assert scene.meshes[0].target_names == ("happy", "blink")


def old_form(document: dict[str, Any]) -> None:
    """The same as VRM 0.x has it ("VRM 0.0" schema)."""
    new = document["extensions"].pop("VRMC_vrm")
    bones = [
        {"bone": b.replace("ThumbMetacarpal", "ThumbProximal"), "node": v["node"]}
        for b, v in new["humanoid"]["humanBones"].items()
    ]
    document["extensions"]["VRM"] = {
        "specVersion": "0.0",
        "meta": {"title": "Gardener", "author": "workshop", "licenseName": "CC_BY", "allowedUserName": "Everyone"},
        "humanoid": {"humanBones": bones},
        "blendShapeMaster": {"blendShapeGroups": [
            {"name": "Grin", "presetName": "joy", "binds": [{"mesh": 0, "index": 0, "weight": 100}]},
            {"name": "Wink", "presetName": "unknown", "binds": [{"mesh": 0, "index": 0, "weight": 50}, {"mesh": 0, "index": 1, "weight": 100}]},
        ]},
    }  # fmt: skip
    document["extensionsUsed"] = ["VRM"]


def test_the_old_form_faces_the_other_way_and_mixes_expressions(tmp_path: Path) -> None:
    scene = take(rewritten(saved(tmp_path), old_form)).scene
    assert scene.convention.faces == "-Z" and scene.rights == {
        "title": "Gardener", "author": "workshop", "licence": "CC BY", "terms": "allowedUserName: Everyone",
    }  # fmt: skip
    mesh = scene.meshes[0]
    assert mesh.target_names == ("joy", "blink", "Wink")
    t = mesh.primitives[0].targets
    assert (
        np.abs(
            np.asarray(t[2].positions) - (0.5 * np.asarray(t[0].positions) + np.asarray(t[1].positions))
        ).max()
        < 1e-7
    )
    assert {n.bone for n in scene.nodes if n.bone} >= set(REQUIRED)


def test_a_toon_material_is_unlit_and_a_broken_map_is_refused(tmp_path: Path) -> None:
    def toon(document: dict[str, Any]) -> None:
        document["materials"][0]["extensions"] = {"VRMC_materials_mtoon": {"specVersion": "1.0"}}
        document["extensionsUsed"].append("VRMC_materials_mtoon")

    assert take(rewritten(saved(tmp_path), toon)).scene.materials[0].model == "unlit"

    def broken(document: dict[str, Any]) -> None:
        document["extensions"]["VRMC_vrm"]["humanoid"]["humanBones"]["hips"]["node"] = 999

    with pytest.raises(ReadError) as problem:
        take(rewritten(saved(tmp_path), broken))
    assert "hips" in str(problem.value) and "999" in str(problem.value)


def bvh(tmp_path: Path, text: str = BVH) -> Scene:
    """The scene of a BVH text."""
    path = tmp_path / "take.bvh"
    path.write_text(text)
    return take(path).scene


def test_a_take_is_read_as_it_is_written(tmp_path: Path) -> None:
    scene = bvh(tmp_path)
    assert [n.name for n in scene.nodes] == ["hips", "knee", "knee end"] and scene.clips[0].extras[
        "rate"
    ] == 25
    turn = next(c for c in scene.clips[0].channels if c.node == 0 and c.path == "rotation")
    wanted = (
        Rotation.from_euler("z", 10, degrees=True)
        * Rotation.from_euler("x", 20, degrees=True)
        * Rotation.from_euler("y", 30, degrees=True)
    )
    assert (Rotation.from_quat(turn.values[0]) * wanted.inv()).magnitude() < 1e-6
    place = next(c for c in scene.clips[0].channels if c.path == "translation")
    assert np.allclose(place.values[1], [0, 1, 0.1]) and abs(scene.clips[0].seconds - 0.04) < 1e-6


@pytest.mark.parametrize(("old", "new", "word"), [
    ("Frame Time: 0.04", "Frame Time: 0", "frame time"), ("Frames: 2", "Frames: 9", "cut off"), ("OFFSET 0 1 0", "OFFSET 0 one 0", "three numbers"),
    ("CHANNELS 3 Z", "CHANNELS 4 Z", "a count"), ("\n}\nMOTION", "\nMOTION", "braces"), ("ROOT hips", "BRANCH hips", "HIERARCHY"),
    ("5 6 7", "5 six 7", "numbers"), ("MOTION", "", "HIERARCHY statements"), ("5 6 7", "5 nan 7", "finite"),
])  # fmt: skip
def test_a_broken_take_is_refused_with_its_line(tmp_path: Path, old: str, new: str, word: str) -> None:
    with pytest.raises(CustomsError) as problem:
        bvh(tmp_path, BVH.replace(old, new, 1))
    assert word in str(problem.value) and "take.bvh" in str(problem.value)
