"""KHR_animation_pointer: pointers to nodes are channels, others are kept by Key, cut off with the clip they were in.

Source: the extension's text (github.com/KhronosGroup/glTF, extensions/2.0/Khronos); a file of its kind in tests/found.
"""

from __future__ import annotations

import base64
import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.conventions.convert import change_convention
from customs.errors import StepError
from customs.formats.registry import get_format, read_scene
from customs.formats.source import Source
from customs.job import Job
from customs.ledger.left import losses
from customs.ledger.used import extensions_used
from customs.motion.clips.retime import at_rate, backwards, faster
from customs.motion.curves.cut import cut
from customs.motion.curves.reduce import Tolerance, reduced
from customs.route.step import NOTHING, Step, make_settings, steps
from customs.scene.convention import WORKING
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.scene.renumber import renumbered
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.formats.test_gltf_layers import rows, written
from tests.outside.judges import validate

LOOK = {
    "KHR_materials_transmission": {"transmissionFactor": 0.5},
    "KHR_materials_volume": {"thicknessFactor": 0.02},
}


def pointed(path: Path, targets: dict[str, list[list[float]]], node: bool = True) -> Path:
    """A cube with a clip of one second whose keys at 0 and 1 go to these JSON pointers, and to its node."""
    made = written(path, LOOK, maps=False)
    body = json.loads(made.read_text())
    data, views, accessors = bytearray(), body["bufferViews"], body["accessors"]

    def add(values: Any, shape: str) -> int:
        raw = np.asarray(values, "<f4")
        views.append({"buffer": len(body["buffers"]), "byteOffset": len(data), "byteLength": raw.nbytes})
        entry = {"bufferView": len(views) - 1, "componentType": 5126, "count": len(raw), "type": shape}
        accessors.append(
            entry
            | ({"min": [0.0], "max": [1.0]} if shape == "SCALAR" and raw.ravel().tolist() == [0, 1] else {})
        )
        data.extend(raw.tobytes())
        return len(accessors) - 1

    times = add([0.0, 1.0], "SCALAR")
    samplers, channels = [], []
    for where, values in targets.items():
        samplers.append(
            {"input": times, "output": add(values, {1: "SCALAR", 3: "VEC3", 4: "VEC4"}[len(values[0])])}
        )
        said = {"path": "pointer", "extensions": {"KHR_animation_pointer": {"pointer": where}}}
        channels.append({"sampler": len(samplers) - 1, "target": said})
    if node:
        samplers.append({"input": times, "output": add([[0, 0, 0], [0, 1, 0]], "VEC3")})
        channels.append({"sampler": len(samplers) - 1, "target": {"node": 0, "path": "translation"}})
    body["animations"] = [{"name": "glow", "samplers": samplers, "channels": channels}]
    body["buffers"].append(
        {
            "byteLength": len(data),
            "uri": "data:application/octet-stream;base64," + base64.b64encode(bytes(data)).decode(),
        }
    )
    body["extensionsUsed"] = sorted([*body["extensionsUsed"], "KHR_animation_pointer"])
    made.write_text(json.dumps(body))
    return made


GLOW = {
    "/materials/0/emissiveFactor": [[0.0, 0.0, 0.0], [1.0, 0.5, 0.0]],
    "/materials/0/extensions/KHR_materials_volume/thicknessFactor": [[0.02], [0.04]],
    "/nodes/0/scale": [[1.0, 1.0, 1.0], [2.0, 2.0, 2.0]],
}


def read(path: Path) -> Scene:
    return read_scene(Source(path))


def test_pointers_to_nodes_are_channels_and_others_are_kept(tmp_path: Path) -> None:
    scene = read(pointed(tmp_path / "in" / "lamp.gltf", GLOW))
    (clip,) = scene.clips
    assert not scene.unknown and {c.path for c in clip.channels} == {"scale", "translation"}
    assert {(p.subject.kind, p.path) for p in clip.pointers} == {
        ("material", "/emissiveFactor"), ("material", "/extensions/KHR_materials_volume/thicknessFactor"),
    }  # fmt: skip
    assert "KHR_animation_pointer" in extensions_used(scene)
    # Lengths are in the scene's unit; Keys follow those of the materials.
    there = change_convention(scene, replace(WORKING, metres_per_unit=0.01), WORKING).clips[0]
    thick = next(p for p in there.pointers if p.path.endswith("thicknessFactor"))
    assert thick.values.ravel() == pytest.approx([2.0, 4.0])
    other = renumbered(scene, "e" * 12, {})
    assert all(p.subject == other.materials[0].key for p in other.clips[0].pointers)


def test_they_are_delivered_where_they_are_read_and_counted_elsewhere(tmp_path: Path) -> None:
    path = pointed(tmp_path / "in" / "lamp.gltf", GLOW)
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path / "out"))
    assert (
        result.folder is not None and result.accepted and not any("animated values" in x for x in result.left)
    )
    model = next(result.folder.rglob("*.glb"))
    # The validator does not know the extension: what it says of its targets is left aside.
    assert not [
        c
        for c in validate([model])
        if "pointer" not in c.lower() and "EXTENSION" not in c and "TARGET" not in c
    ]
    landed = read(model).clips[0]
    assert {p.path for p in landed.pointers} == {
        "/emissiveFactor",
        "/extensions/KHR_materials_volume/thicknessFactor",
    }
    glow = next(p for p in landed.pointers if p.path == "/emissiveFactor")
    assert np.array_equal(glow.values, [[0, 0, 0], [1, 0.5, 0]]) and np.array_equal(glow.times, [0, 1])
    told = run(Request(path, path.parent, find_sheet("centimetre-zup-lh"), out=tmp_path / "fbx"))
    assert any("2 of 2 animated values" in x for x in told.left)


def test_a_clip_that_is_cut_or_whose_material_has_gone_keeps_none(tmp_path: Path) -> None:
    scene = read(pointed(tmp_path / "lamp.gltf", GLOW))
    clip = scene.clips[0]
    shorter = replace(scene, clips=(replace(clip, channels=tuple(
        replace(c, times=c.times / 2) for c in clip.channels)),))  # fmt: skip
    assert "KHR_animation_pointer" not in extensions_used(shorter)
    assert any(x.kind == "pointers" and x.count == 2 for x in losses(scene, shorter, get_format("glb")))
    other = replace(
        scene, materials=(replace(scene.materials[0], key=replace(scene.materials[0].key, ordinal=7)),)
    )
    assert any(x.kind == "pointers" and x.count == 2 for x in losses(scene, other, get_format("glb")))


@pytest.mark.parametrize(
    "where",
    ["/textures/0/sampler", "/materials/x/emissiveFactor", "nonsense", "/nodes/0/extensions/E/visible"],
)
def test_what_points_elsewhere_is_named(where: str, tmp_path: Path) -> None:
    scene = read(pointed(tmp_path / "lamp.gltf", {where: [[0.0], [1.0]]}))
    assert any(where in u for u in scene.unknown) and not scene.clips[0].pointers


LAMP = {"/materials/0/emissiveFactor": [[0.0, 0.0, 0.0], [1.0, 0.5, 0.0]]}


def test_a_clip_that_moves_no_node_goes_where_it_is_read_and_is_left_out_elsewhere(tmp_path: Path) -> None:
    path = pointed(tmp_path / "in" / "lamp.gltf", LAMP, node=False)
    scene = read(path)
    assert scene.clips[0].seconds == 1.0 and not scene.clips[0].channels and not scene.unknown
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path / "out"))
    assert result.accepted and set(rows(result.ledger, "clip-values")) == {"cleared"}
    landed = read(next(result.folder.rglob("*.glb"))).clips  # type: ignore[union-attr]
    assert [len(c.pointers) for c in landed] == [1]
    for sheet, text in (
        ("centimetre-zup-lh", "1 animated value of materials"),
        ("twin-format-kit", "1 clip dropped"),
    ):
        told = run(Request(path, path.parent, find_sheet(sheet), out=tmp_path / sheet))
        assert told.accepted and any("1 of 1 animated values" in x for x in told.left), sheet
        assert any(text in x for x in told.remarks), sheet
    # Without the material there is nothing left to animate, and no file has an animation without channels.
    bare = replace(scene.meshes[0], primitives=(replace(scene.meshes[0].primitives[0], material=None),))
    assert prune(replace(scene, meshes=(bare,))).clips == ()


def test_what_is_animated_by_pointers_is_cut_and_timed_with_its_clip(tmp_path: Path) -> None:
    for node in (True, False):
        (clip,) = read(pointed(tmp_path / f"{node}" / "lamp.gltf", LAMP, node=node)).clips
        half = cut(clip, 0.25, 0.75, "half", 0)
        slow, back, all_ = faster(clip, 0.5), backwards(clip), at_rate(clip, 4)
        for one, times, reds in (
            (half, [0, 0.5], [0.25, 0.75]), (slow, [0, 2], [0, 1]), (back, [0, 1], [1, 0]),
            (all_, [0, 0.25, 0.5, 0.75, 1], [0, 0.25, 0.5, 0.75, 1]),
        ):  # fmt: skip
            (p,) = one.pointers
            assert p.times == pytest.approx(times) and p.values[:, 0] == pytest.approx(reds)
            assert p.tells(one.seconds)
        assert reduced(clip, Tolerance())[0].alive


@pytest.mark.parametrize("step", [s for s in steps().values() if s.desk == "motion"], ids=lambda s: s.id)
def test_every_step_of_motion_takes_a_clip_that_moves_no_node(step: Step, tmp_path: Path) -> None:
    scene = read(pointed(tmp_path / "lamp.gltf", LAMP, node=False))
    try:
        out = step.apply(scene, make_settings(step, {}), NOTHING, Job()).scene
    except StepError:
        return
    assert all(c.alive for c in prune(out).clips)
