"""Assets of a shipment, intake and the demo."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from customs.demo.shipment import open_demo
from customs.demo.write import GOODS, Good, write_goods
from customs.errors import Cancelled, CustomsError, ReadError
from customs.intake.scan import model_files
from customs.intake.take import take
from customs.job import Job
from customs.route.route import SceneCache
from customs.work.asset import Request, run
from customs.work.batch import run_all
from customs.work.goods import take_in, title_of, with_origin
from customs.work.lookup import all_origins, all_sheets, find_origin, find_sheet
from customs.work.places import origins_folder, sheets_folder
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.evaluate import about_of, asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, run_plan, with_settings
from customs.work.requests.take import kept_copy
from tests.assets import cube, saved, scene_of
from tests.conftest import good

SHEET = find_sheet("metre-yup-pbr")


def test_an_asset_from_file_to_landing(goods: dict[str, Path], tmp_path: Path) -> None:
    origin = find_origin("inch-zup")
    asset = take_in(
        goods["bell_lantern"], goods["bell_lantern"].parent, tmp_path / "store", "bell_lantern", origin
    )
    assert asset.name == "Bell lantern" and len(asset.files) == 8 and asset.kind.startswith("prop")
    planned = run_plan(PlanRequest(asked_of(asset, tmp_path / "store", SHEET)), SceneCache()).asset
    early: list[object] = []
    done = run_evaluate(asked_of(planned, tmp_path / "store", SHEET), SceneCache(), early=early.append)
    assert done.judged and [r.requirement for r in done.ledger.open()] == ["skins-nearby"] and len(early) == 1
    assert done.at("arrive@1") is done.passed[0].scene and done.at(None) is done.passed[-1].scene
    written = run_dispatch(DispatchRequest(done, SHEET, tmp_path / "out")).written
    assert written.folder.name == "bell_lantern" and written.docket["source"]["name"] == "bell_lantern.obj"


def test_the_store_stands_alone_when_the_sources_go(goods: dict[str, Path], tmp_path: Path) -> None:
    shutil.copytree(goods["fern_bed"].parent, tmp_path / "src")
    asset = take_in(tmp_path / "src" / "fern_bed.gltf", tmp_path / "src", tmp_path / "store", "f", None)
    assert about_of(asset).source_changed == ""
    shutil.rmtree(tmp_path / "src")
    assert about_of(asset).source_changed == "fern_bed.gltf"
    done = run_evaluate(asked_of(asset, tmp_path / "store", SHEET), SceneCache())
    assert done.taken is not None and any(
        r.requirement == "source-changed" and r.verdict == "query" for r in done.ledger.rows
    )


def test_an_unreadable_file_is_one_held_row_and_the_rest_goes_on(tmp_path: Path) -> None:
    (tmp_path / "bad.glb").write_bytes(b"glTF\x02\0\0\0")
    asset = take_in(tmp_path / "bad.glb", tmp_path, tmp_path / "store", "bad", None)
    assert asset.kind == "unreadable"
    asset = run_plan(PlanRequest(asked_of(asset, tmp_path / "store", SHEET)), SceneCache()).asset
    done = run_evaluate(asked_of(asset, tmp_path / "store", SHEET), SceneCache())
    assert done.error is not None and done.ledger.verdict == "held" and done.at(None) is None
    with pytest.raises(CustomsError):
        run_dispatch(DispatchRequest(done, SHEET, tmp_path / "out"))
    with pytest.raises(ReadError):
        take_in(tmp_path / "gone.glb", tmp_path, tmp_path / "store", "gone", None)


def test_another_origin_changes_the_first_stop_alone(goods: dict[str, Path], tmp_path: Path) -> None:
    asset = take_in(goods["pane_wall"], goods["pane_wall"].parent, tmp_path, "w", None)
    planned = run_plan(PlanRequest(asked_of(asset, tmp_path, SHEET)), SceneCache()).asset
    other = with_origin(planned, find_origin("metre-zup"))
    assert other.stops[1:] == planned.stops[1:] and dict(other.stops[0].values)["up"] == "+Z"
    assert kept_copy(other, tmp_path).run().digest == asset.digest


def test_cancel_is_heard_while_evaluating(goods: dict[str, Path], tmp_path: Path) -> None:
    asset = take_in(goods["pane_wall"], goods["pane_wall"].parent, tmp_path, "w", None)
    with pytest.raises(Cancelled):
        run_evaluate(asked_of(asset, tmp_path, SHEET), SceneCache(), job=Job(cancelled=lambda: True))


@pytest.mark.parametrize("id_", [g.id for g in GOODS])
def test_every_good_arrives_wrong_and_looks_like_something(id_: str, goods: dict[str, Path]) -> None:
    taken = take(goods[id_])
    done = run(Request(goods[id_], goods[id_].parent, SHEET, find_origin(good(id_).origin)))
    assert done.route is not None and len(done.route.stops) >= (
        2 if id_ in ("gardener", "house_warden") else 3
    )
    assert taken.files[0] == goods[id_] and (id_ != "seed_cart" or taken.absent == ("cart_brand.png",))


def test_the_goods_are_what_the_story_says(goods: dict[str, Path]) -> None:
    stork = take(goods["watering_stork"]).scene
    assert len(stork.meshes) == 14 and len(stork.clips) == 1
    from customs.motion.weights.influences import most_influences

    assert max(most_influences(p) for m in stork.meshes for p in m.primitives) == 6
    basin = take(goods["spring_basin"]).scene
    assert len(basin.meshes[0].primitives[0].positions) // 3 == 200_000
    cart = take(goods["seed_cart"]).scene
    assert len(cart.meshes) > 50 and sum("empty" in n.name for n in cart.nodes) == 5
    assert all(i.uri.endswith(".bmp") for i in take(goods["bell_lantern"]).scene.images)


@pytest.fixture
def few(monkeypatch: pytest.MonkeyPatch) -> tuple[Good, ...]:
    """A demo of four goods, the donor among them."""
    kept = tuple(g for g in GOODS if g.id in ("fern_bed", "pane_wall", "lamplighter", "house_warden"))
    for module in ("write", "shipment"):
        monkeypatch.setattr(f"customs.demo.{module}.GOODS", kept)
    return kept


def test_goods_are_written_once_and_mended_when_one_is_gone(few: tuple[Good, ...], tmp_path: Path) -> None:
    paths = write_goods(tmp_path / "g")
    stamp = paths["fern_bed"].stat().st_mtime_ns
    assert write_goods(tmp_path / "g")["fern_bed"].stat().st_mtime_ns == stamp
    paths["fern_bed"].unlink()
    assert write_goods(tmp_path / "g")["fern_bed"].is_file()


def test_the_demo_shipment_opens_planned_and_stays(few: tuple[Good, ...], tmp_path: Path) -> None:
    told: list[str] = []
    ship = open_demo(tmp_path, told.append)
    assert [a.name for a in ship.state.goods] == [g.title for g in few] and len(told) == len(few) + 1
    assert all(len(a.stops) > 1 for a in ship.state.goods)
    ship.edit("mine", lambda s: replace(s, out="/kept"))
    ship.close()
    again = open_demo(tmp_path)
    assert again.state.out == "/kept"
    again.close()


def test_models_in_folders(tmp_path: Path) -> None:
    saved(scene_of(cube()), tmp_path / "a" / "one.glb")
    saved(scene_of(cube()), tmp_path / "two.obj")
    (tmp_path / "notes.txt").write_text("x")
    (tmp_path / ".hidden.glb").write_bytes(b"glTF")
    (tmp_path / "wood.PNG").write_bytes(b"")
    assert [m.shown for m in model_files([tmp_path])] == ["a/one.glb", "two.obj"]
    assert model_files([tmp_path / "notes.txt"])[0].path.name == "notes.txt", "named outright"


def test_content_counts_before_the_ending(tmp_path: Path) -> None:
    path = saved(scene_of(cube()), tmp_path / "cube.glb")
    path.rename(tmp_path / "cube.stl")
    assert take(tmp_path / "cube.stl").scene.format == "glb"
    (tmp_path / "what.xyz").write_text("?")
    with pytest.raises(CustomsError, match="unknown kind"):
        take(tmp_path / "what.xyz")
    (tmp_path / "none.obj").write_text("")
    with pytest.raises(CustomsError):
        take(tmp_path / "none.obj")


def test_names_and_places() -> None:
    assert title_of("bell_lantern") == "Bell lantern" and title_of("") == "Asset"
    assert set(all_origins()) >= {"metre-yup", "centimetre-zup", "inch-zup", "metre-zup", "one-mesh-kit"}
    folder = sheets_folder()
    folder.mkdir(parents=True)
    (folder / "bad.toml").write_text("no toml [")
    assert "bad" not in all_sheets() and "metre-yup-pbr" in all_sheets()
    assert origins_folder() != folder


def test_batches_run_in_processes_and_keep_their_places(tmp_path: Path) -> None:
    paths = [saved(scene_of(cube(1 + k)), tmp_path / f"c{k}.glb") for k in range(3)]
    (tmp_path / "c1.glb").write_bytes(b"glTF broken")
    results = dict(run_all([Request(p, tmp_path, SHEET) for p in paths], workers=2))
    assert {i: r.code for i, r in results.items()} == {0: 0, 1: 3, 2: 0}
    assert "c1.glb" in str(results[1].error)


def test_settings_find_their_stops(goods: dict[str, Path]) -> None:
    from customs.planning.plan import fresh_route

    route = with_settings(fresh_route(None), ("turn.degrees=[0, 90, 0]", 'rename.asset="new_{asset}"'))
    assert [s.step for s in route.stops] == ["arrive", "turn", "rename"]
    assert dict(route.of_step("turn").values)["degrees"] == (0, 90, 0)  # type: ignore[union-attr]
