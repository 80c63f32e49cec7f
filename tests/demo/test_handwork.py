"""Work for hands in the demo's stores: a suit of two sources, spikes cut away, a rock behind its wall, arms pulled."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from customs.changes.soft import Pull
from customs.changes.standing_parts import whole_of
from customs.demo.handwork import ELBOW, HEM, SHORT, handwork, ivy, short_arms, suit, wall
from customs.demo.people import WARDEN_ORDER, warden
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.geometry.rims import rims
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.posing.pose import posed_scene_points
from customs.motion.posing.stretch import stretch
from customs.route.route import SceneCache, Stop
from customs.route.step import get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.model import Scene
from customs.shipment.state import Asset
from customs.work.by_hand import Chooser, SoftHold, soft_values
from customs.work.goods import take_again, take_in
from customs.work.lookup import find_origin, find_sheet
from customs.work.mixing import bring
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.evaluate import asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, run_plan
from customs.work.selections import kept_selections
from tests.assets import saved

SHEETS = ("metre-yup-pbr", "centimetre-zup-lh", "clips-apart-kit", "split-rig-kit")


def test_the_stores_hold_them() -> None:
    assert sorted(handwork()) == sorted(
        [
            "workbench/licence.txt",
            *(f"workbench/{n}.glb" for n in ("frost_suit", "spiked_ivy", "rockery_wall", "short_arms")),
        ]
    )


@pytest.fixture(scope="module")
def mixed(tmp_path_factory: pytest.TempPathFactory) -> tuple[Asset, Path]:
    """The warden's asset with the body under the suit taken away and the suit joined, in a store."""
    folder = tmp_path_factory.mktemp("mixed")
    store, found = folder / "store", []
    for made, licence in ((warden(), "free with the glasshouse"), (suit(), "CC-BY-4.0")):
        path = saved(replace(made, copyright=""), folder / made.name / f"{made.name}.glb")
        asset = take_in(path, path.parent, store, made.name, find_origin("metre-yup"))
        found.append(replace(asset, author=f"maker of {made.name}", licence=licence))
    mine, other = found
    sheet, cache = find_sheet("metre-yup-pbr"), SceneCache()
    arrived = run_evaluate(asked_of(mine, store, sheet), cache).at(None)
    theirs = run_evaluate(asked_of(other, store, sheet), cache).at(None)
    assert arrived is not None and theirs is not None
    chooser = Chooser(arrived)
    chooser.box((-ELBOW + 0.04, HEM + 0.04, -1), (ELBOW - 0.04, 1.36, 1))
    route = mine.route.added("take-away", {"faces": chooser.kept(store)}, by="person")
    values = {**bring(store, other, theirs), "bind": "names", "soften": 4}
    return replace(mine, stops=route.added("from-goods", values, by="person").stops), store


@pytest.mark.parametrize("sheet_id", SHEETS)
def test_a_suit_of_two_sources_plays_the_wardens_clips(
    sheet_id: str, mixed: tuple[Asset, Path], tmp_path: Path
) -> None:
    mine, store = mixed
    sheet, cache = find_sheet(sheet_id), SceneCache()
    asset = run_plan(PlanRequest(asked_of(mine, store, sheet)), cache).asset
    done = run_evaluate(asked_of(asset, store, sheet), cache)
    assert done.ledger.verdict != "held", [r for r in done.ledger.open() if r.verdict == "held"]
    scene = done.at(None)
    assert scene is not None and len(scene.skins) == 1 and len(scene.clips) == 3
    assert max(stretch(scene, scene, clip) for clip in scene.clips) <= 1.5
    sent = run_dispatch(DispatchRequest(done, sheet, tmp_path / "out"))
    assert sent.log.accepted
    docket = sent.written.docket
    assert [docket["rights"]["licence"], docket["rights"]["joined"][0]["licence"]] == [
        "free with the glasshouse",
        "CC-BY-4.0",
    ]
    if sheet_id == "metre-yup-pbr":
        landed = read_scene(Source(next(sent.folder.rglob("*.glb"))))
        assert max(stretch(landed, landed, clip) for clip in landed.clips) <= 1.5 and docket["after"][
            "joints"
        ] == len(WARDEN_ORDER)


def run(scene: Scene, step: str, store: Path, values: dict[str, object]) -> Scene:
    """One stop, with what the store keeps."""
    entry, stop = get_step(step), Stop("x@1", step).with_values(**values)
    return entry.run(scene, make_settings(entry, values), kept_selections(store, [stop]), Job()).scene


def test_spikes_are_cut_from_the_ivy_and_the_rest_stays_bit_by_bit(tmp_path: Path) -> None:
    scene = ivy()
    stem = scene.meshes[0].primitives[0]
    chooser, big = Chooser(scene), 0
    parts = trimesh.graph.connected_components(
        trimesh.Trimesh(chooser.whole.points, chooser.whole.faces).face_adjacency
    )
    assert len(parts) > 18
    chooser.pick(chooser.whole.parts[0].names, 0, "part")
    assert 0 < chooser.count < len(triangles_of(stem)), "the stem is one part"
    big = chooser.count
    chooser.invert()
    chooser.mask[chooser.whole.firsts[1] :] = False
    out = run(scene, "take-away", tmp_path, {"faces": chooser.kept(tmp_path), "close": True})
    (left,) = out.meshes[0].primitives
    assert len(triangles_of(left)) == big and out.meshes[1] is scene.meshes[1]
    used = np.unique(triangles_of(stem)[:big])
    for name in ("positions", "normals"):
        assert np.array_equal(getattr(left, name), getattr(stem, name)[used]), name
    assert np.array_equal(left.texcoords[0], stem.texcoords[0][used])


def test_a_rock_is_cut_off_behind_its_wall_and_closed(tmp_path: Path) -> None:
    scene = wall()
    rock = str(scene.meshes[1].key)
    before = whole_of(scene).parts[1]
    out = run(
        scene, "cut-off", tmp_path, {"planes": ((0, 0, -0.12, 0, 0, -1),), "targets": (rock,), "close": True}
    )
    after = whole_of(out).parts[1]
    assert before.points[:, 2].min() < -0.15 and after.points[:, 2].min() == pytest.approx(-0.12, abs=1e-6)
    assert not rims(after.prim.positions, after.faces)[0] and out.meshes[0] is scene.meshes[0]
    a, b = (trimesh.Trimesh(p.points, p.faces).process() for p in (before, after))
    assert b.is_watertight and 0 < b.volume < a.volume


def test_arms_are_pulled_until_they_meet_the_wardens_hands(tmp_path: Path) -> None:
    scene, donor = short_arms(), warden()
    theirs, out = np.concatenate(posed_scene_points(donor))[:, 0], scene
    for side in (1.0, -1.0):
        chooser = Chooser(out)
        tip = (chooser.whole.points[:, 0] * side).max()
        chooser.beside((side * (tip - 0.12), 0, 0), (side, 0, 0))
        far = float((theirs * side).max() - tip)
        assert far == pytest.approx(SHORT, abs=0.03), "a hand too short"
        pull = Pull((side * far, 0.0, 0.0), reach=0.35)
        shown = SoftHold(chooser, chooser.mask, 0.35, False).at(pull)
        out = run(out, "soft-move", tmp_path, dict(soft_values(chooser.kept(tmp_path), pull, False)))
        assert np.array_equal(posed_scene_points(out)[0], posed_scene_points(shown)[0]), "as it was seen"
    mine = posed_scene_points(out)[0][:, 0]
    assert abs(mine.max() - theirs.max()) < 0.002 and abs(mine.min() - theirs.min()) < 0.002
    prim, old = out.meshes[0].primitives[0], scene.meshes[0].primitives[0]
    assert not rims(prim.positions, triangles_of(prim))[0], "seams stay shut"
    assert (
        prim.weights is old.weights and prim.texcoords[0] is old.texcoords[0] and prim.indices is old.indices
    )


def test_a_choice_outlives_a_changed_source_taken_again(tmp_path: Path) -> None:
    """The file is exported anew: its faces in another order, a leaf less, and one of those that were chosen."""
    scene, folder = ivy(), tmp_path / "spiked_ivy"
    path = saved(scene, folder / "spiked_ivy.glb")
    store, sheet, cache = tmp_path / "store", find_sheet("metre-yup-pbr"), SceneCache()
    asset = take_in(path, folder, store, "spiked_ivy", find_origin("metre-yup"))
    arrived = run_evaluate(asked_of(asset, store, sheet), cache).at(None)
    assert arrived is not None
    chooser = Chooser(arrived)
    chooser.pick(chooser.whole.parts[0].names, 0, "part")
    chooser.invert()
    chooser.mask[chooser.whole.firsts[1] :] = False
    count, total = chooser.count, len(chooser.mask)
    asset = replace(asset, stops=asset.route.after(None, "take-away", {"faces": chooser.kept(store)}).stops)
    before = run_evaluate(asked_of(asset, store, sheet), cache)
    assert triangles(before.at(None)) == total - count
    stem = scene.meshes[0].primitives[0]
    faces = triangles_of(stem)
    gone = int(np.flatnonzero(chooser.whole.mine(0, chooser.mask))[0])
    order = np.random.default_rng(7).permutation(np.delete(np.arange(len(faces)), gone))
    other = replace(stem, indices=frozen(faces[order].reshape(-1), np.uint32))
    saved(replace(scene, meshes=(replace(scene.meshes[0], primitives=(other,)), *scene.meshes[1:])), path)
    again, _ = take_again(asset, store)
    after = run_evaluate(asked_of(again, store, sheet), SceneCache())
    assert triangles(after.at(None)) == total - count, "the same spikes are gone"
    said = [r.text for at in after.passed for r in at.remarks]
    assert any("1 of the faces chosen" in text and "no longer answer" in text for text in said), said


def triangles(scene: Scene | None) -> int:
    assert scene is not None
    return counts(scene)["triangles"]
