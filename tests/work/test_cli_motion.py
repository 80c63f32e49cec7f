"""Rigs and clips on the command line: donors, takes cut by settings, packages replaced, what cannot be
done.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pygltflib import GLTF2
from typer.testing import CliRunner

from customs.cli import app
from customs.intake.take import take
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip
from tests.assets import cube, key, saved, scene_of
from tests.drawn import drawn_scene
from tests.motion.rigs import bar, lighter, warden

RUN = CliRunner()


def call(*words: object) -> tuple[int, str]:
    """(exit code, output) of a call."""
    result = RUN.invoke(app, [str(w) for w in words])
    return result.exit_code, result.output


def answer(*words: object) -> tuple[int, dict[str, Any]]:
    """(exit code, what the first asset's answer says) of a call with `--json`."""
    code, text = call(*words, "--json")
    return code, json.loads(text)[0]


@pytest.fixture(scope="module")
def donor(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The donor as a file."""
    return saved(warden(), tmp_path_factory.mktemp("donor") / "warden.glb")


def test_a_body_is_put_on_the_donors_skeleton(donor: Path, tmp_path: Path) -> None:
    """Against pygltflib's reading: names, order and inverse bind matrices are the donor's own."""
    body = saved(lighter(), tmp_path / "lighter.glb")
    code, said = answer(
        "port", body, "--to", "donor-skeleton-kit", "--donor", donor, "--out", tmp_path / "out"
    )
    assert code == 0, [r for r in said["rows"] if r["verdict"] == "held"]
    assert "donor" in [s["step"] for s in said["route"]]
    assert call("land", said["package"])[0] == 0
    mine, theirs = (GLTF2().load(str(p)) for p in (next(Path(said["package"]).rglob("*.glb")), donor))
    names = [[g.nodes[j].name for j in g.skins[0].joints] for g in (mine, theirs)]
    assert names[0] == names[1]
    binds = []
    for g in (mine, theirs):
        a = g.accessors[g.skins[0].inverseBindMatrices]
        v = g.bufferViews[a.bufferView]
        binds.append(
            np.frombuffer(g.binary_blob(), "<f4", a.count * 16, (v.byteOffset or 0) + (a.byteOffset or 0))
        )
    assert np.abs(binds[0] - binds[1]).max() < 1e-6


def test_without_a_donor_it_is_held_and_says_what_to_do(tmp_path: Path) -> None:
    body = saved(lighter(), tmp_path / "lighter.glb")
    code, said = answer("check", body, "--to", "donor-skeleton-kit")
    row = next(r for r in said["rows"] if r["requirement"] == "donor-known")
    assert code == 1 and row["verdict"] == "held" and "donor" in row["note"]


@pytest.mark.parametrize("wrong", ["nowhere.glb", "words.glb", "plain.glb"])
def test_a_donor_that_is_none_is_said_before_anything_is_done(wrong: str, tmp_path: Path) -> None:
    (tmp_path / "words.glb").write_text("a letter to the gardener")
    saved(scene_of(cube()), tmp_path / "plain.glb")
    body = saved(lighter(), tmp_path / "lighter.glb")
    code, text = call(
        "port", body, "--to", "donor-skeleton-kit", "--donor", tmp_path / wrong, "--out", tmp_path / "out"
    )
    assert code == 2 and wrong in text.replace("\n", "") and "Traceback" not in text
    assert not (tmp_path / "out").exists()


def strip(folder: Path) -> Path:
    """A bar that bends, rests and bends again, in one take of three seconds at 30 frames."""
    scene = bar()
    t = np.arange(91) / 30
    degrees = np.where(t < 1, 40 * np.sin(np.pi * t), np.where(t > 2, 25 * np.sin(np.pi * (t - 2)), 0.0))
    half = np.radians(degrees) / 2
    turn = np.stack([np.sin(half), 0 * half, 0 * half, np.cos(half)], axis=1)
    clip = Clip(key("clip", 0), "take", (Channel(1, "rotation", frozen(t), frozen(turn)),))
    return saved(replace(scene, clips=(clip,)), folder / "strip.glb")


RANGES = 'clips.ranges=[["first",0,30,""],["second",60,90,""]]'


@pytest.mark.parametrize("how", ["together", "each", "first-with-mesh", "only"])
def test_one_take_is_cut_by_a_setting_and_delivered_every_way(how: str, tmp_path: Path) -> None:
    code, said = answer(
        "port", strip(tmp_path), "--to", "metre-yup-pbr", "--out", tmp_path / "out", "--set", RANGES, "--set", "clips.unit=frames",
        "--set", "clips.rate=30", "--set", f'clip-files.how="{how}"',
    )  # fmt: skip
    if how != "together":
        # The open sheet takes clips in one file only, and says so.
        assert (
            code == 1
            and next(r for r in said["rows"] if r["requirement"] == "clip-files")["verdict"] == "held"
        )
        return
    assert code == 0, [r for r in said["rows"] if r["verdict"] == "held"]
    found = take(next(Path(said["package"]).rglob("*.glb"))).scene
    assert [(c.name, round(c.seconds, 3)) for c in found.clips] == [("first", 1.0), ("second", 1.0)]
    before = take(tmp_path / "strip.glb").scene
    shift = None
    for number, start in ((0, 0.0), (1, 2.0)):
        for t in (0.0, 0.31, 0.5, 0.9):
            one = posed_scene_points(before, before.clips[0], start + t)[0]
            other = posed_scene_points(found, found.clips[number], t)[0]
            size = [np.ptp(p, axis=0) for p in (one, other)]
            assert np.abs(size[0] - size[1]).max() < 1e-3
            shift = other.min(axis=0) - one.min(axis=0) if shift is None else shift
            assert np.abs(other.min(axis=0) - one.min(axis=0) - shift).max() < 1e-3


def test_takes_are_found_by_their_rest_when_asked(tmp_path: Path) -> None:
    code, said = answer("check", strip(tmp_path), "--to", "metre-yup-pbr", "--set", "clips.find=true")
    assert code == 0
    stop = next(s for s in said["route"] if s["step"] == "clips")
    assert stop["settings"]["find"] is True


@pytest.mark.parametrize(("setting", "word"), [
    ('clips.ranges=[["a",30,0,""]]', "ranges"), ('clips.ranges=[["a",0]]', "ranges"), ("clips.rate=0", "rate"),
    ("clips.rate=1e9", "rate"), ("retime.rate=-3", "rate"), ("weights.limit=99", "limit"), ('pose.turns=[["bone_1",1]]', "turns"),
    ("donor.step=7", "step"), ("loop.seconds=-1", "seconds"),
])  # fmt: skip
def test_settings_that_make_no_sense_are_refused_by_name(setting: str, word: str, tmp_path: Path) -> None:
    code, text = call("check", strip(tmp_path), "--to", "metre-yup-pbr", "--set", setting)
    assert code == 2 and word in text, text


def test_a_package_is_replaced_only_when_asked(tmp_path: Path) -> None:
    body = saved(bar(), tmp_path / "bar.glb")
    words = ("port", body, "--to", "metre-yup-pbr", "--out", tmp_path / "out")
    assert call(*words)[0] == 0
    first = (tmp_path / "out" / "bar" / "docket.json").read_bytes()
    assert call(*words)[0] == 0, "the same stands there already"
    other = (*words, "--set", 'rename.asset="bar"', "--set", 'rename.node="{name}_x"')
    code, text = call(*other)
    assert code == 1 and "already" in text, text
    assert (tmp_path / "out" / "bar" / "docket.json").read_bytes() == first, "nothing was touched"
    assert call(*other, "--replace")[0] == 0
    assert call("land", tmp_path / "out" / "bar")[0] == 0


def test_a_package_is_landed_by_another_sheet(tmp_path: Path) -> None:
    body = saved(bar(), tmp_path / "bar.glb")
    assert call("port", body, "--to", "metre-yup-pbr", "--out", tmp_path / "out")[0] == 0
    code, text = call("land", tmp_path / "out", "--by", "one-mesh-kit")
    assert code == 1 and "none taken" in text, "skins and clips are not taken there"


def test_an_out_that_is_a_file_is_said(tmp_path: Path) -> None:
    body = saved(bar(), tmp_path / "bar.glb")
    (tmp_path / "out").write_text("in the way")
    code, text = call("port", body, "--to", "metre-yup-pbr", "--out", tmp_path / "out")
    assert code in (1, 3) and "Traceback" not in text and "out" in text
    assert (tmp_path / "out").read_text() == "in the way"


def test_many_at_once_answer_in_the_order_they_were_named(tmp_path: Path) -> None:
    paths = [saved(drawn_scene(k), tmp_path / f"drawn_{k}.glb") for k in range(3)]
    code, text = call("check", *paths, "--to", "split-rig-kit", "--json")
    body = json.loads(text)
    assert code in (0, 1) and [Path(b["file"]).stem for b in body] == ["drawn_0", "drawn_1", "drawn_2"]
    assert all(b["route"][0]["step"] == "arrive" and b["rows"] for b in body)


def test_motion_alone_says_that_there_is_no_shape(tmp_path: Path) -> None:
    path = tmp_path / "walk.bvh"
    path.write_text(
        "HIERARCHY\nROOT hips\n{\n OFFSET 0 1 0\n CHANNELS 3 Xposition Yposition Zposition\n End Site\n {\n  OFFSET 0 1 0\n }\n}\n"
        "MOTION\nFrames: 2\nFrame Time: 0.04\n0 1 0\n0 1 0.1\n"
    )
    code, said = answer("check", path, "--to", "metre-yup-pbr")
    row = next(r for r in said["rows"] if r["requirement"] == "has-geometry")
    assert code == 1 and row["verdict"] == "held" and row["note"]
