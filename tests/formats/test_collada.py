"""COLLADA as written: every reference leads somewhere and every count is true (Khronos, COLLADA 1.4.1)."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from xml.etree.ElementTree import Element, fromstring

import numpy as np
import pytest
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from customs.conventions.convert import change_convention
from customs.demo import gardener, stork
from customs.errors import WriteError
from customs.formats.registry import WriteOptions, get_format
from customs.intake.take import take
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING, Convention
from customs.scene.model import Channel, Clip, Node, Scene
from tests.assets import cube, key, scene_of
from tests.motion.rigs import bar

NS = {"c": "http://www.collada.org/2005/11/COLLADASchema"}


def text_of(scene: Scene, **images: str) -> bytes:
    """The document of a scene."""
    options = WriteOptions("out", {int(k[1:]): v for k, v in images.items()})
    return b"".join(bytes(p) for p in get_format("dae").write(scene, options)[".dae"])  # type: ignore[misc]


def written(scene: Scene, **images: str) -> Element:
    """The tree of a scene's document."""
    return fromstring(text_of(scene, **images))


def numbers(e: Element | None) -> np.ndarray:
    """What a text element holds."""
    assert e is not None
    return np.array((e.text or "").split(), dtype=np.float64)


@pytest.mark.parametrize("scene", [stork.scene(), gardener.scene(), bar()], ids=lambda s: s.name)
def test_every_reference_leads_somewhere_and_every_count_is_true(scene: Scene) -> None:
    root = written(scene)
    ids = [e.get("id") for e in root.iter() if e.get("id")]
    assert len(ids) == len(set(ids)), "ids are unique"
    for e in root.iter():
        for name in ("url", "source"):
            value = e.get(name)
            if value is not None and value.startswith("#"):
                assert value[1:] in ids, (e.tag, value)
        if e.tag.endswith(("float_array", "Name_array")):
            assert len((e.text or "").split()) == int(e.get("count", -1))
    arrays = {e.get("id"): int(e.get("count", 0)) for e in root.iter() if e.tag.endswith("_array")}
    for accessor in root.iter(f"{{{NS['c']}}}accessor"):
        assert (
            int(accessor.get("count", 0)) * int(accessor.get("stride", 1))
            == arrays[accessor.get("source", "")[1:]]
        )
    for group in root.iter(f"{{{NS['c']}}}triangles"):
        assert len(numbers(group.find("c:p", NS))) == 3 * int(group.get("count", 0))
    targets = {f"{e.get('id')}/transform" for e in root.iter(f"{{{NS['c']}}}node")}
    assert {e.get("target") for e in root.iter(f"{{{NS['c']}}}channel")} <= targets


def test_a_skin_says_every_influence_and_its_inverse_bind_matrices() -> None:
    scene = stork.scene()
    root = written(scene)
    skin = root.find(".//c:skin", NS)
    assert skin is not None
    counts, pairs = (
        numbers(skin.find("c:vertex_weights/c:vcount", NS)),
        numbers(skin.find("c:vertex_weights/c:v", NS)),
    )
    assert len(pairs) == 2 * counts.sum() and counts.max() == 6, "six influences stay six"
    weights = numbers(skin.find("c:source[@id='" + (skin.find("c:vertex_weights/c:input[@semantic='WEIGHT']", NS)).get("source")[1:]  # type: ignore[union-attr,index]
                                + "']/c:float_array", NS))  # fmt: skip
    owner = np.repeat(np.arange(len(counts)), counts.astype(int))
    sums = np.bincount(owner, weights=weights[pairs[1::2].astype(int)])
    assert np.abs(sums - 1).max() < 1e-5
    binds = numbers(skin.find("c:source[2]/c:float_array", NS)).reshape(-1, 4, 4)
    assert np.abs(binds - scene.skins[0].inverse_bind).max() < 1e-6
    names = (skin.find("c:source[1]/c:Name_array", NS).text or "").split()  # type: ignore[union-attr]
    sids = {e.get("sid"): e.get("name") for e in root.iter(f"{{{NS['c']}}}node") if e.get("type") == "JOINT"}
    assert [sids[n] for n in names] == [scene.nodes[j].name for j in scene.skins[0].joints]


@pytest.mark.parametrize(("up", "word"), [("+X", "X_UP"), ("+Y", "Y_UP"), ("+Z", "Z_UP")])
def test_axes_and_unit_are_said_and_others_refused(up: str, word: str) -> None:
    faces = {"+X": "+Y", "+Y": "+Z", "+Z": "-Y"}[up]
    there = Convention(up, faces, "right", 0.0254, v="up")  # type: ignore[arg-type]
    root = written(change_convention(bar(), there, WORKING))
    assert root.findtext("c:asset/c:up_axis", namespaces=NS) == word
    assert float(root.find("c:asset/c:unit", NS).get("meter")) == 0.0254  # type: ignore[union-attr,arg-type]
    with pytest.raises(WriteError, match="left-handed"):
        text_of(change_convention(bar(), Convention("+Z", "+X", "left", 0.01, "cw", v="up"), WORKING))
    down = change_convention(bar(), Convention("-Y", "+Z", "right", 1.0, v="up"), WORKING)
    with pytest.raises(WriteError, match="-Y up"):
        text_of(down)


def test_points_and_lines_are_refused_with_a_way_out() -> None:
    lines = replace(cube(), mode="lines")
    with pytest.raises(WriteError, match="points or lines"):
        text_of(scene_of(lines))


def test_a_far_turn_is_written_on_every_frame_so_that_straight_lines_hold() -> None:
    """Readers that blend matrices by their numbers still keep lengths: no two keys are far apart."""
    turns = Rotation.from_euler("y", [[0], [170]], degrees=True).as_quat()
    wheel = Node(key("node", 0), "wheel", mesh=0)
    clip = Clip(
        key("clip", 0), "spin", (Channel(0, "rotation", frozen([0.0, 1.0]), frozen(turns)),), {"rate": 30.0}
    )
    scene = replace(scene_of(cube()), nodes=(wheel,), roots=(0,), clips=(clip,))
    root = written(scene)
    times = numbers(root.find(".//c:animation/c:animation/c:source[1]/c:float_array", NS))
    matrices = numbers(root.find(".//c:animation/c:animation/c:source[2]/c:float_array", NS)).reshape(
        -1, 4, 4
    )
    assert len(times) >= 10 and times[0] == 0 and times[-1] == pytest.approx(1.0)
    between = (matrices[1:, :3, :3] + matrices[:-1, :3, :3]) / 2
    assert np.linalg.norm(between, axis=1).min() > 0.97, "a blend half way keeps the axes nearly one long"


def test_clips_say_their_names_and_lengths() -> None:
    root = written(bar())
    entry = root.find("c:library_animation_clips/c:animation_clip", NS)
    assert (
        entry is not None and entry.get("name") == "bend" and float(entry.get("end", 0)) == pytest.approx(1.0)
    )
    assert entry.find("c:instance_animation", NS) is not None


@pytest.mark.parametrize("roughness", [0.1, 0.5, 0.9])
def test_surfaces_come_back(roughness: float, tmp_path: Path) -> None:
    scene = gardener.scene()
    scene = replace(
        scene, materials=tuple(replace(m, roughness=roughness) for m in scene.materials), clips=()
    )
    path = tmp_path / "g.dae"
    path.write_bytes(text_of(scene, _0="a picture é.png"))
    again = take(path).scene
    assert again.materials[0].roughness == pytest.approx(roughness, abs=1e-3)
    assert again.images[0].uri == "a picture é.png", "paths are quoted and read back"
    mine, theirs = (np.concatenate(posed_scene_points(s)) for s in (scene, again))
    assert cKDTree(mine).query(theirs)[0].max() < 1e-5
