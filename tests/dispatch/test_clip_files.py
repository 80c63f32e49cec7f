"""Clips in files of their own: written, named for each other, landed, and faults in them caught."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest

from customs.dispatch.dispatch import Goods, dispatch
from customs.dispatch.docket import digest_of
from customs.dispatch.variants import bones_of, model_files
from customs.landing.land import land, landed_scene
from customs.ledger.ledger import Ledger
from customs.ledger.row import About
from customs.route.route import At
from customs.sheet.model import Sheet
from customs.work.lookup import find_sheet
from tests.ledger.test_ledger import arrive_stop
from tests.motion.rigs import warden


def sheet(format_: str, **rig: object) -> Sheet:
    """The open sheet in a format, with rules for clips."""
    base = find_sheet("metre-yup-pbr").model_dump()
    base["model"] |= {"format": format_, "textures": "inside" if format_ == "glb" else "apart"}
    base["rig"] |= rig
    return Sheet.model_validate(base)


def delivered(rules: Sheet, folder: Path) -> Path:
    """The warden by a sheet."""
    scene = warden()
    source = {"name": "warden.glb", "sha256": "0", "files": []}
    return dispatch(
        Goods(scene, [At(arrive_stop(None), scene)], Ledger(()), rules, About(), source), folder
    ).folder


EXPECTED = {
    "together": {"house_warden"},
    "each": {"house_warden_patrol", "house_warden_greet", "house_warden_tend"},
    "first-with-mesh": {"house_warden", "house_warden_greet", "house_warden_tend"},
    "only": {"house_warden", "house_warden_patrol", "house_warden_greet", "house_warden_tend"},
}


@pytest.mark.parametrize("format_", ["glb", "gltf", "fbx", "dae"])
@pytest.mark.parametrize("how", list(EXPECTED))
def test_every_way_in_every_format_lands(how: str, format_: str, tmp_path: Path) -> None:
    rules = sheet(format_, clip_files=(how,))
    folder = delivered(rules, tmp_path)
    log = land(folder, find_sheet, rules)
    assert log.accepted, [line.text for line in log.lines if line.level == "refusal"]
    assert {
        Path(m["path"]).stem for m in json.loads((folder / "docket.json").read_text())["models"]
    } == EXPECTED[how]
    assert [line.file for line in log.lines if line.verb == "plays"] == ["patrol", "greet", "tend"]
    assert [c.name for c in landed_scene(folder, rules).clips] == ["patrol", "greet", "tend"]


def test_a_split_rig_names_its_files_and_a_missing_one_is_refused(tmp_path: Path) -> None:
    rules = sheet("fbx", files="split", clip_files=("only",))
    folder = delivered(rules, tmp_path)
    assert land(folder, find_sheet, rules).accepted
    assert {f.kind for f in model_files(warden(), rules)} == {"model", "skeleton", "clip"}
    body = json.loads((folder / "docket.json").read_text())
    gone = "house_warden_skeleton.fbx"
    (folder / gone).unlink()
    body["files"] = [f for f in body["files"] if f["path"] != gone]
    body["models"] = [m for m in body["models"] if m["path"] != gone]
    body["digest"] = digest_of(body)
    (folder / "docket.json").write_text(json.dumps(body))
    log = land(folder, find_sheet, rules)
    assert any("which is not in the package" in line.text for line in log.lines)


def test_a_clip_on_another_skeleton_is_refused(tmp_path: Path) -> None:
    rules = sheet("glb", clip_files=("only",))
    folder = delivered(rules, tmp_path)
    path = folder / "house_warden_greet.glb"
    data = path.read_bytes()
    path.write_bytes(data.replace(b'"Pelvis"', b'"Pelviz"'))
    log = land(folder, find_sheet, rules)
    said = " ".join(line.text for line in log.lines if line.level == "refusal")
    assert (
        "moves Pelviz, which the mesh's skeleton does not have" in said
        and "joints are missing in it: Pelvis" in said
    )
    moved = data.replace(b"0.8799999", b"0.7799999", 1)
    path.write_bytes(moved)
    assert moved == data or not land(folder, find_sheet, rules).accepted


def test_the_skeleton_alone_keeps_all_joints_and_nothing_else() -> None:
    bones = bones_of(warden())
    assert len(bones.nodes) == 21 and not bones.meshes and not bones.images and not bones.skins
    assert bones_of(replace(warden(), skins=(), clips=())).nodes == ()


def test_a_loop_that_does_not_close_is_refused(tmp_path: Path) -> None:
    rules = sheet("glb", loops=("tend", "greet"))
    folder = delivered(rules, tmp_path)
    assert land(folder, find_sheet, rules).accepted
    strict = sheet("glb", loops=("patrol",), max_clip_seconds=1.0)
    said = " ".join(line.text for line in land(folder, find_sheet, strict).lines if line.level == "refusal")
    assert "lasts 2.00 s, at most 1.0" in said
