"""Several into one: parts of another asset on this one's skeleton, against what both are alone."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.changes.snapshot import make_snapshot, snapshot_scene
from customs.demo.figure import Build, figure
from customs.demo.people import MOSS, WARDEN_NAMES, WARDEN_ORDER, warden
from customs.errors import StepError, WriteError
from customs.job import Job
from customs.motion.posing.pose import posed_scene_points
from customs.motion.posing.stretch import on_names
from customs.route.route import SceneCache, Stop
from customs.route.step import Outcome, get_step, make_settings
from customs.route.steps.fit.from_goods import placed
from customs.scene.arrays import frozen
from customs.scene.model import Scene
from customs.shipment.state import Asset, State
from customs.work.goods import take_in
from customs.work.lookup import find_origin, find_sheet
from customs.work.mixing import AS_IT_WAS, CHANGED, GONE, bind_for, bring, matched, parts_of, standing_of
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.evaluate import asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, PressRequest, run_plan, run_press
from tests.assets import cube, lettered, saved, scene_of

ENTRY = get_step("from-goods")


@pytest.fixture(scope="module")
def keeper() -> Scene:
    return warden()


@pytest.fixture(scope="module")
def suit() -> Scene:
    """A figure 15 mm thicker on joints of the same names and places, in another order."""
    made = figure("frost_suit", Build(1.74, 0.84, 0.185, 0.56), WARDEN_NAMES, WARDEN_ORDER[::-1], MOSS, 0.05)
    (body,) = made.meshes[0].primitives
    thick = replace(body, positions=frozen(body.positions + 0.015 * body.normals))
    return replace(made, meshes=(replace(made.meshes[0], primitives=(thick,)),))


def joined(scene: Scene, other: Scene, **values: Any) -> Outcome:
    name, data, _ = make_snapshot(other)
    said = {"part": name, "name": other.name, **values}
    return ENTRY.run(scene, make_settings(ENTRY, said), {name: data}, Job())


def test_parts_bound_by_names_move_as_they_did_alone(keeper: Scene, suit: Scene) -> None:
    """Posed by the linear blend of glTF 2.0 (3.7.3.1) in both files apart, and in the one they became."""
    out = joined(keeper, suit).scene
    assert len(out.skins) == 1 and len(out.meshes) == 2 and out.meshes[1].primitives[0].weights is not None
    for clip in keeper.clips:
        for seconds in (0.0, 0.4, 1.0):
            own = posed_scene_points(keeper, clip, seconds)
            theirs = posed_scene_points(suit, on_names(suit, keeper, clip), seconds)
            both = posed_scene_points(out, clip, seconds)
            for a, b in zip(both, [*own, *theirs]):
                assert np.abs(a - b).max() < 2e-5


def test_names_keys_and_textures_stay_apart_however_often_it_joins(keeper: Scene, suit: Scene) -> None:
    once = joined(keeper, suit).scene
    twice = joined(once, suit, move=(0.0, 0.0, 0.5)).scene
    for kind in ("nodes", "meshes", "materials", "images"):
        items = getattr(twice, kind)
        assert len({str(x.key) for x in items}) == len({x.name for x in items}) == len(items), kind
    prims = [p for m in twice.meshes for p in m.primitives]
    assert len({str(p.key) for p in prims}) == 3
    for k, p in enumerate(prims):
        image = twice.images[twice.materials[p.material or 0].textures["base_colour"].image]
        assert image.name.startswith("house_warden" if k == 0 else "frost_suit")
    assert joined(keeper, keeper).scene.meshes[1].name == "body 2", "an asset joins itself"


def test_placed_by_numbers_and_by_joints(keeper: Scene) -> None:
    block = scene_of(cube(0.2))
    out = joined(
        keeper, block, bind="rigid", joint="Head1", move=(0.1, 1.7, 0), turn=(0, 90, 0), scale=2.0
    ).scene
    points = posed_scene_points(out)[-1]
    assert points.min(axis=0) == pytest.approx([-0.1, 1.5, -0.2], abs=1e-6) and np.ptp(
        points, axis=0
    ) == pytest.approx([0.4] * 3)
    head = next(i for i, n in enumerate(out.nodes) if n.name == "Head1")
    clip = next(c for c in out.clips if c.name == "tend")
    from customs.motion.posing.posing import posing

    way = posing(out, clip).world(1.2)[head] @ np.linalg.inv(posing(out, None).world(0)[head])
    moved = posed_scene_points(out, clip, 1.2)[-1]
    assert moved == pytest.approx(points @ way[:3, :3].T + way[:3, 3], abs=1e-5), "rigid on the head"
    there = joined(keeper, block, bind="rigid", joint="Head1", own_joint="Head1", their_joint="node 0").scene
    centre = posed_scene_points(there)[-1].reshape(-1, 3)
    rest = posing(keeper, None).world(0)[next(i for i, n in enumerate(keeper.nodes) if n.name == "Head1")][
        :3, 3
    ]
    assert (centre.min(axis=0) + centre.max(axis=0)) / 2 == pytest.approx(rest, abs=1e-6)


def test_from_the_surface_of_what_is_there(keeper: Scene, suit: Scene) -> None:
    out = joined(
        keeper,
        replace(suit, skins=(), nodes=tuple(replace(n, skin=None) for n in suit.nodes)),
        bind="surface",
    ).scene
    table = out.meshes[1].primitives[0]
    assert table.weights is not None and table.weights.sum(axis=1) == pytest.approx(1, abs=1e-6)
    clip = next(c for c in keeper.clips if c.name == "greet")
    theirs = posed_scene_points(suit, on_names(suit, keeper, clip), 0.7)[0]
    off = np.linalg.norm(posed_scene_points(out, clip, 0.7)[-1] - theirs, axis=1)
    assert np.percentile(off, 95) < 0.03, "it goes about as it would with weights of its own"


def test_a_skeleton_off_its_bind_pose_and_units_of_its_own(keeper: Scene) -> None:
    """Nested, turned and scaled nodes, a skin that does something at rest, a morph target."""
    other = lettered()
    out = joined(other, lettered(), bind="names", move=(0, 0, 1.0)).scene
    before, after = posed_scene_points(other), posed_scene_points(out)
    for a, b in zip(before, after[len(before) :]):
        assert b == pytest.approx(a + [0, 0, 1.0], abs=1e-5)
    assert len(out.skins) == 1
    with pytest.raises(StepError, match="no joint of"):
        joined(keeper, other, bind="names")
    alone = joined(scene_of(cube()), other, bind="none").scene
    assert all(p.joints is None for m in alone.meshes for p in m.primitives)


def test_what_cannot_be_says_what_to_do(keeper: Scene, suit: Scene) -> None:
    for values, text in (
        ({"bind": "rigid", "joint": "Tail"}, "no joint Tail"), ({"own_joint": "Head1", "their_joint": "Tail"}, "no joint Tail"),
    ):  # fmt: skip
        with pytest.raises(StepError, match=text):
            joined(keeper, suit, **values)
    with pytest.raises(StepError, match="no skeleton"):
        joined(scene_of(cube()), suit)
    with pytest.raises(StepError, match="no longer there"):
        ENTRY.run(keeper, make_settings(ENTRY, {"part": "rows:" + "0" * 32}), {}, Job())
    with pytest.raises(StepError, match="damaged"):
        ENTRY.run(keeper, make_settings(ENTRY, {"part": "rows:x"}), {"rows:x": b"no GLB"}, Job())
    with pytest.raises(StepError, match="nothing of"):
        make_snapshot(suit, [0])
    assert ENTRY.run(keeper, make_settings(ENTRY, {}), {}, Job()).scene is keeper


def test_a_snapshot_holds_what_was_chosen(suit: Scene) -> None:
    two = replace(scene_of(cube(), cube(0.5, 1)), name="two")
    name, data, left = make_snapshot(two, [1])
    scene = snapshot_scene(name, data)
    assert (
        [m.name for m in scene.meshes] == ["mesh 1"]
        and not left
        and parts_of(two) == [(0, "node 0"), (1, "node 1")]
    )
    assert np.ptp(posed_scene_points(scene)[0]) == pytest.approx(0.5)
    assert (
        bind_for(suit, suit) == "names" and bind_for(two, suit) == "none" and bind_for(suit, two) == "surface"
    )


SHEETS = ("metre-yup-pbr", "centimetre-zup-lh", "split-rig-kit", "clips-apart-kit")


def goods(folder: Path, keeper: Scene, suit: Scene) -> tuple[Asset, Asset]:
    """Both as assets of a shipment whose store is `folder`/store."""
    out = []
    for scene, licence in ((keeper, "free with the glasshouse"), (suit, "may be changed and passed on")):
        path = saved(replace(scene, copyright=""), folder / scene.name / f"{scene.name}.glb")
        asset = take_in(path, path.parent, folder / "store", scene.name, find_origin("metre-yup"))
        out.append(replace(asset, author=f"maker of {scene.name}", licence=licence))
    return out[0], out[1]


@pytest.mark.parametrize("sheet_id", SHEETS)
def test_a_suit_of_two_sources_is_delivered_and_landed_with_both_licences(
    sheet_id: str, keeper: Scene, suit: Scene, tmp_path: Path
) -> None:
    mine, other = goods(tmp_path, keeper, suit)
    sheet, store, cache = find_sheet(sheet_id), tmp_path / "store", SceneCache()
    theirs = run_evaluate(asked_of(other, store, sheet), cache).at(None)
    assert theirs is not None
    values = {**bring(store, other, theirs), "bind": "names"}
    mine = replace(mine, stops=mine.route.added("from-goods", values, by="person").stops)
    asset = run_plan(PlanRequest(asked_of(mine, store, sheet)), cache).asset
    done = run_evaluate(asked_of(asset, store, sheet), cache)
    assert done.ledger.verdict != "held", [r for r in done.ledger.open() if r.verdict == "held"]
    rows = [r for r in done.ledger.rows if r.requirement == "rights"]
    assert len(rows) == 2 and rows[1].delivering == "may be changed and passed on"
    written = run_dispatch(DispatchRequest(done, sheet, tmp_path / "out"))
    assert written.log.accepted
    docket = written.written.docket
    assert docket["rights"]["licence"] == "free with the glasshouse"
    assert docket["rights"]["joined"][0]["licence"] == "may be changed and passed on"
    page = next(written.folder.rglob("*docket*.html")).read_text("utf-8")
    assert "may be changed and passed on" in page and "maker of frost_suit" in page
    assert docket["after"]["meshes"] >= 1 and docket["after"]["joints"] == len(WARDEN_ORDER)


def test_a_source_that_goes_on_is_noticed_and_study_only_stays(
    keeper: Scene, suit: Scene, tmp_path: Path
) -> None:
    mine, other = goods(tmp_path, keeper, suit)
    store, sheet = tmp_path / "store", find_sheet("metre-yup-pbr")
    stop = Stop("from-goods@1", "from-goods").with_values(**bring(store, other, suit))
    state = State(goods=(mine, other))
    assert standing_of(stop, state) == AS_IT_WAS
    changed = replace(other, stops=other.route.added("scale", {"factor": 2.0}, by="person").stops)
    assert (
        standing_of(stop, State(goods=(mine, changed))) == CHANGED
        and standing_of(stop, State(goods=(mine,))) == GONE
    )
    values = {**dict(stop.values), "use": "study", "bind": "names"}
    asset = replace(mine, stops=mine.route.added("from-goods", values, by="person").stops)
    done = run_evaluate(asked_of(asset, store, sheet), SceneCache())
    held = [r for r in done.ledger.open() if r.requirement == "rights"]
    assert [r.verdict for r in held] == ["held"] and "study" in held[0].delivering
    assert json.loads(json.dumps(dict(stop.values)))["name"] == other.name


def test_a_part_is_laid_on_the_surface_where_faces_match(keeper: Scene, tmp_path: Path) -> None:
    """The same faces turned and moved away are brought back to where they were (rigid registration has one answer)."""
    asset, _ = goods(tmp_path, keeper, keeper)
    store = tmp_path / "store"
    for laid in ({}, {"own_joint": "Head1", "their_joint": "Head1"}):
        values = {
            **bring(store, asset, keeper),
            "bind": "none",
            "move": (0.03, -0.02, 0.04),
            "turn": (3.0, -5.0, 4.0),
            **laid,
        }
        stop = Stop("from-goods@1", "from-goods").with_values(**values)
        found, off = matched(stop, keeper, store)
        assert off < 1e-5
        # Away and back again: where it is put now is where it came from.
        settings = make_settings(ENTRY, {**values, **found})
        there = placed(
            settings,
            keeper,
            snapshot_scene(values["part"], (store / "selections" / values["part"][5:]).read_bytes()),
        )
        assert there == pytest.approx(np.eye(4), abs=1e-4)
        assert Rotation.from_matrix(there[:3, :3]).magnitude() < 1e-4
    with pytest.raises(StepError, match="no faces"):
        matched(stop, scene_of(replace(cube(), mode="points", indices=None)), store)


def test_a_remedy_puts_right_what_joined_after_its_stop(keeper: Scene, suit: Scene, tmp_path: Path) -> None:
    """A footing stands before what a person joined at the end; wanted again, it goes behind that."""
    mine, _ = goods(tmp_path, keeper, suit)
    sheet, store, cache = find_sheet("metre-yup-pbr"), tmp_path / "store", SceneCache()
    asset = run_plan(PlanRequest(asked_of(mine, store, sheet)), cache).asset
    values = {
        **bring(store, replace(mine, id="block"), scene_of(cube(0.4))),
        "bind": "rigid",
        "joint": "Head1",
        "move": (0.5, -0.3, 0),
    }
    asset = replace(asset, stops=asset.route.after(None, "from-goods", values).stops)
    done = run_evaluate(asked_of(asset, store, sheet), cache)
    (row,) = [r for r in done.ledger.open() if r.requirement == "footing"]
    assert row.remedy is not None
    pressed = run_press(PressRequest(asked_of(asset, store, sheet), (row.remedy,), done), cache)
    assert [r.verdict for r in pressed.ledger.rows if r.requirement == "footing"] == ["cleared"]
    steps = [s.step for s in pressed.asset.stops]
    assert steps.index("footing") > steps.index("from-goods") and steps.count("footing") == 1


def test_parts_with_numbers_that_are_none_are_refused_with_what_to_do(keeper: Scene) -> None:
    points = cube().positions.copy()
    points[2] = np.nan
    with pytest.raises(WriteError, match="Drop broken faces"):
        make_snapshot(scene_of(replace(cube(), positions=frozen(points))))


def test_parts_without_joints_of_their_own_are_bound_from_the_surface_and_that_is_said(
    keeper: Scene, suit: Scene
) -> None:
    (body,) = suit.meshes[0].primitives
    bare = replace(body, key=replace(body.key, ordinal=1), joints=None, weights=None)
    mixed = replace(suit, meshes=(replace(suit.meshes[0], primitives=(body, bare)),))
    out = joined(keeper, mixed, bind="names")
    assert any("1 part without joints" in r.text for r in out.remarks)
    first, second = out.scene.meshes[1].primitives
    assert second.weights is not None and second.weights.sum(axis=1) == pytest.approx(1, abs=1e-6)
    assert len(np.unique(second.joints)) > 10, "not all on one joint"
    less = replace(
        suit, nodes=tuple(replace(n, name="Frill") if n.name == "PalmLeft" else n for n in suit.nodes)
    )
    assert any("Frill went to the joint above it" in r.text for r in joined(keeper, less).remarks)
    assert first.joints is not None
