"""Study packages: floor plans of every storey and a docket, of goods that may not leave too; landing holds them against each other."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import pytest
from PIL import Image

from customs.errors import UnsupportedError, WriteError
from customs.floorplan.compose import usual_scale
from customs.landing.land import land, landed_scene
from customs.landing.mistakes import MISTAKES, plant
from customs.landing.planting import Copy
from customs.route.route import SceneCache
from customs.scene.floor_plan import FloorPlan, Mark
from customs.shipment.state import Asset
from customs.work.goods import take_in
from customs.work.lookup import find_sheet
from customs.work.requests.dispatch import Dispatched, DispatchRequest, run_dispatch
from customs.work.requests.evaluate import asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, run_plan
from tests.assets import saved
from tests.floorplan.test_plans import TWO

STUDY = find_sheet("study-kit")


@pytest.fixture(scope="module")
def taken(tmp_path_factory: pytest.TempPathFactory) -> tuple[Asset, Path]:
    """A house of two storeys that is for study only, and its store."""
    folder = tmp_path_factory.mktemp("study")
    path = saved(TWO, folder / "goods" / "house.glb")
    asset = take_in(path, path.parent, folder / "store", "house", None)
    return replace(asset, use="study", author="glasshouse"), folder / "store"


def sent(taken: tuple[Asset, Path], out: Path, sheet_id: str = "study-kit", **values: object) -> Dispatched:
    asset, store = replace(taken[0], **values), taken[1]  # type: ignore[arg-type]
    sheet, cache = find_sheet(sheet_id), SceneCache()
    planned = run_plan(PlanRequest(asked_of(asset, store, sheet)), cache).asset
    return run_dispatch(DispatchRequest(run_evaluate(asked_of(planned, store, sheet), cache), sheet, out))


@pytest.fixture(scope="module")
def package(taken: tuple[Asset, Path], tmp_path_factory: pytest.TempPathFactory) -> Path:
    done = sent(taken, tmp_path_factory.mktemp("out"))
    assert done.log.accepted
    return done.folder


def test_plans_of_all_storeys_and_the_docket_and_nothing_else(package: Path) -> None:
    files = sorted(p.relative_to(package).as_posix() for p in package.rglob("*") if p.is_file())
    names = [
        f"plans/house_{storey}.{form}"
        for storey in ("ground_floor", "storey_2")
        for form in ("pdf", "png", "svg")
    ]
    assert files == ["docket.html", "docket.json", *names]
    body = json.loads((package / "docket.json").read_text("utf-8"))
    assert body["models"] == [] and body["rights"]["use"] == "study" and body["after"]["triangles"] == 72
    assert body["left_behind"][-1]["text"] == "the model and its textures: for study only"
    page = (package / "docket.html").read_text("utf-8")
    assert "For study only" in page and 'src="plans/house_ground_floor.png"' in page
    with pytest.raises(UnsupportedError, match="only for study"):
        landed_scene(package, STUDY)


def test_elsewhere_they_are_held(taken: tuple[Asset, Path], tmp_path: Path) -> None:
    with pytest.raises(WriteError, match="study only"):
        sent(taken, tmp_path, "one-file-level-kit")


def test_the_scale_is_the_largest_that_fits_a3_or_a_persons_own(
    taken: tuple[Asset, Path], package: Path, tmp_path: Path
) -> None:
    # 10 × 8 m and half a metre around, on 400 × 240 mm: 9 m / 240 mm is 37.5, the next usual scale 1 : 50.
    assert usual_scale(TWO) == 50
    with Image.open(package / "plans" / "house_ground_floor.png") as page:
        wide = page.width / page.info["dpi"][0] * 25.4
    assert wide == pytest.approx(11_000 / 50 + 20, abs=0.5)
    marks = (Mark(sign="find", at=(2.0, 0.0, 3.0), text="Key"),)
    own = sent(taken, tmp_path, plan=FloorPlan(scale=200.0, marks=marks))
    with Image.open(own.folder / "plans" / "house_ground_floor.png") as page:
        assert page.width / page.info["dpi"][0] * 25.4 == pytest.approx(110, abs=0.5), (
            "the least width of a page"
        )
    text = (own.folder / "plans" / "house_ground_floor.svg").read_text("utf-8")
    assert "1 : 200" in text and "Key" in text
    # The same again writes nothing; another mark does.
    assert sent(taken, tmp_path, plan=FloorPlan(scale=200.0, marks=marks)).unchanged
    with pytest.raises(WriteError, match="already"):
        sent(taken, tmp_path, plan=FloorPlan(scale=200.0))


@pytest.mark.parametrize("kind", [m.id for m in MISTAKES])
def test_mistakes_in_a_study_are_caught(package: Path, tmp_path: Path, kind: str) -> None:
    copy = tmp_path / package.name
    shutil.copytree(package, copy)
    if plant(copy, kind, STUDY):
        assert not land(copy, lambda name: STUDY).accepted, kind
    else:
        assert kind not in ("cut", "byte", "gone", "case", "number")


def refused(copy: Path) -> str:
    return "; ".join(x.text for x in land(copy, lambda name: STUDY).lines if x.level == "refusal")


def test_a_plan_that_is_none_or_not_to_scale_is_told(package: Path, tmp_path: Path) -> None:
    copy = tmp_path / "house"
    shutil.copytree(package, copy)
    png, svg, pdf = (copy / "plans" / f"house_storey_2.{f}" for f in ("png", "svg", "pdf"))
    there = Copy(copy, STUDY)

    def with_bytes(place: Path, data: bytes) -> str:
        before = place.read_bytes()
        there.write(place, data)
        told = refused(copy)
        there.write(place, before)
        return told

    assert refused(copy) == ""
    with Image.open(png) as page:
        page.resize((page.width // 2, page.height // 2)).save(tmp_path / "half.png", dpi=(150, 150))
        page.save(tmp_path / "plain.png")
    assert "one of them is not to scale" in with_bytes(png, (tmp_path / "half.png").read_bytes())
    assert "cannot be read as PNG" in with_bytes(png, png.read_bytes()[:2000])
    assert "its unit is not a millimetre" in with_bytes(
        svg, svg.read_bytes().replace(b'viewBox="0 0 ', b'viewBox="0 0 9', 1)
    )
    assert "does not say its size" in with_bytes(svg, svg.read_bytes().replace(b"mm", b"px"))
    assert "cannot be read as SVG" in with_bytes(svg, svg.read_bytes()[:-20])
    assert "no whole page of a PDF" in with_bytes(pdf, pdf.read_bytes()[:-60])
    there.tell(lambda body: body["files"].__delitem__(slice(0, None)))
    assert "no floor plan in the package" in refused(copy)
    there.tell(lambda body: body["models"].append({"path": "house.glb"}))
    assert "a model in a package that is only for study" in refused(copy)
