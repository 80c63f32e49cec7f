"""`voxel-kit`: grid by its published schema, points as trimesh reads them, a mesh the Khronos validator takes; what landing refuses."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from dataclasses import replace
from importlib import resources
from pathlib import Path
from typing import Any

import fastjsonschema
import numpy as np
import pytest
import trimesh

from customs.errors import WriteError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.landing.land import land
from customs.landing.mistakes import MISTAKES, plant
from customs.landing.planting import Copy
from customs.route.route import SceneCache
from customs.sheet.model import Sheet
from customs.shipment.state import Asset
from customs.voxels.grid_file import GridFile
from customs.work.goods import take_in
from customs.work.lookup import find_sheet
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.evaluate import Evaluated, asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, run_plan
from tests.outside.judges import validate

KIT = find_sheet("voxel-kit")
SMALL = KIT.model_copy(update={"voxels": KIT.voxels.model_copy(update={"side": 40, "colours": 24})})
TURNED = SMALL.model_copy(
    update={
        "axes": SMALL.axes.model_copy(
            update={"up": "+Z", "faces": "-X", "hand": "left", "metres_per_unit": 0.01}
        ),
        "model": SMALL.model.model_copy(update={"footing": "as-received"}),
        "voxels": SMALL.voxels.model_copy(update={"colour_by": "texture"}),
    }
)
OWN = ("#203028", "#88aa88", "#d8d0b0", "#b07838")
Taken = Callable[[str], tuple[Asset, Path]]


@pytest.fixture(scope="module")
def taken(goods: dict[str, Path], tmp_path_factory: pytest.TempPathFactory) -> Taken:
    store = tmp_path_factory.mktemp("store")

    def asset(name: str) -> tuple[Asset, Path]:
        path = goods[name]
        return replace(take_in(path, path.parent, store, name, None), use="deliver"), store

    return asset


def done(taken: tuple[Asset, Path], sheet: Sheet) -> Evaluated:
    cache = SceneCache()
    planned = run_plan(PlanRequest(asked_of(*taken, sheet)), cache).asset
    return run_evaluate(asked_of(planned, taken[1], sheet), cache)


@pytest.fixture(scope="module")
def packages(taken: Taken, tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    out = tmp_path_factory.mktemp("out")
    return {
        name: run_dispatch(DispatchRequest(done(taken("hedgehog"), sheet), sheet, out / name)).folder
        for name, sheet in (("plain", SMALL), ("turned", TURNED))
    }


def body_of(package: Path) -> dict[str, Any]:
    return dict(json.loads(next(package.glob("*.voxels.json")).read_bytes()))


def test_the_schema_is_published_and_holds_what_is_delivered(packages: dict[str, Path]) -> None:
    text = (resources.files("customs.voxels") / "grid.schema.json").read_text("utf-8")
    said = json.loads(text)
    assert {k: v for k, v in said.items() if k != "$schema"} == json.loads(
        json.dumps(GridFile.model_json_schema())
    )
    check = fastjsonschema.compile(said | {"$schema": "http://json-schema.org/draft-07/schema#"})
    for package in packages.values():
        check(body_of(package))
    with pytest.raises(fastjsonschema.JsonSchemaException):
        check(body_of(packages["plain"]) | {"palette": ["grey"]})


@pytest.mark.parametrize("name", ["plain", "turned"])
def test_grid_points_and_mesh_tell_of_the_same_cells(packages: dict[str, Path], name: str) -> None:
    """Outside: trimesh reads the points and measures the mesh; the Khronos validator reads the GLB."""
    package, body = packages[name], body_of(packages[name])
    cells, cell = GridFile.model_validate(body).cells(), body["cell"]
    at = np.argwhere(cells > 0)
    cloud = trimesh.load(next(package.glob("*_points.ply")))
    middles = np.array(body["low"]) + (at + 0.5) * cell
    order = np.lexsort(np.round(cloud.vertices / cell, 2).T), np.lexsort(np.round(middles / cell, 2).T)
    assert np.allclose(np.asarray(cloud.vertices)[order[0]], middles[order[1]], atol=cell * 1e-3)
    palette = np.array([[int(c[k : k + 2], 16) for k in (1, 3, 5)] for c in body["palette"]])
    wanted = palette[cells[tuple(at.T)] - 1]
    assert np.abs(np.asarray(cloud.colors)[order[0], :3].astype(int) - wanted[order[1]]).max() <= 1
    assert 1 < len(palette) <= 24 and max(cells.shape) <= 40 and sum(body["counts"]) == len(at)
    model = next(package.glob("*.glb"))
    assert validate([model]) == []
    shown = trimesh.load(model, force="mesh", process=False)
    low, high = middles.min(axis=0) - cell / 2, middles.max(axis=0) + cell / 2
    assert np.allclose(shown.bounds, [low, high], atol=cell * 1e-2)
    texture = bool(read_scene(Source(model)).images)
    assert texture == (name == "turned")


def test_the_turned_one_is_the_plain_one_in_other_axes(packages: dict[str, Path]) -> None:
    """Z up, facing −X, left-handed, centimetres: own left is −(up × faces) = +Y, worked by hand."""
    plain, turned = body_of(packages["plain"]), body_of(packages["turned"])
    a, b = (GridFile.model_validate(x).cells() for x in (plain, turned))
    # Plain X (left) becomes Y, plain Y (up) becomes Z, plain Z (front) becomes −X.
    assert np.array_equal(b > 0, np.flip(a.transpose(2, 0, 1) > 0, 0))
    assert turned["cell"] == pytest.approx(100 * plain["cell"])


def test_a_palette_of_its_own_and_what_is_held(taken: Taken, tmp_path: Path) -> None:
    own = SMALL.model_copy(update={"voxels": SMALL.voxels.model_copy(update={"palette": OWN})})
    with_own = done(taken("hedgehog"), own)
    package = run_dispatch(DispatchRequest(with_own, own, tmp_path)).folder
    assert set(body_of(package)["palette"]) <= set(OWN)
    rows = {r.subject: r for r in with_own.ledger.rows if r.requirement == "voxels"}
    assert rows["side"].verdict == rows["colours"].verdict == "cleared"
    assert rows["coloured"].verdict == "cleared"
    other = own.model_copy(update={"voxels": own.voxels.model_copy(update={"colour_by": "texture"})})
    log = land(package, lambda name: other)
    assert any("coloured by vertices" in x.text for x in log.lines if x.level == "refusal")
    asset, store = taken("hedgehog")
    wrong = replace(
        asset, stops=asset.route.added("voxels", {"side": 40, "colours": 4, "palette": OWN}).stops
    )
    found = run_evaluate(asked_of(wrong, store, other), SceneCache()).ledger.rows
    (row,) = (r for r in found if r.id == "voxels/coloured")
    assert (
        row.verdict == "held" and row.remedy is not None and dict(row.remedy.values)["colour_by"] == "texture"
    )
    # What came without cells is held, what is too fine or of other colours is, and each is put right by its remedy.
    asset, store = taken("hedgehog")
    bare = run_evaluate(asked_of(asset, store, own), SceneCache())
    held = next(r for r in bare.ledger.rows if r.requirement == "voxels")
    assert held.verdict == "held" and held.remedy is not None and held.remedy.step == "voxels"
    fine = replace(asset, stops=asset.route.added("voxels", {"side": 60, "colours": 40}).stops)
    rows = {
        r.subject: r
        for r in run_evaluate(asked_of(fine, store, own), SceneCache()).ledger.rows
        if r.requirement == "voxels"
    }
    assert (
        rows["side"].verdict == rows["colours"].verdict == "held"
        and "not the destination's" in rows["colours"].delivering
    )
    assert {r.requirement for r in done((fine, store), own).ledger.rows if r.verdict == "held"} == set()


def test_thin_parts_that_are_dropped_are_asked_about(taken: Taken) -> None:
    asset, store = taken("hedgehog")
    thin = replace(
        asset, stops=asset.route.added("voxels", {"side": 40, "colours": 24, "thin": "drop"}).stops
    )
    row = next(
        r
        for r in run_evaluate(asked_of(thin, store, SMALL), SceneCache()).ledger.rows
        if r.id == "voxels/thin"
    )
    assert row.verdict == "query" and row.remedy is not None and not row.remedy.sure


def test_what_comes_after_voxels_is_told(taken: Taken, tmp_path: Path) -> None:
    """Somebody scales what is made of cells: the grid would lie, so it is held until Voxels come last again."""
    asset, store = taken("hedgehog")
    route = asset.route.added("voxels", {"side": 40, "colours": 24})
    later = route.added("scale", {"factor": 2.0})
    scale = next(s for s in later.stops if s.step == "scale")
    moved = replace(asset, stops=(*(s for s in later.stops if s is not scale), scale))
    found = run_evaluate(asked_of(moved, store, SMALL), SceneCache())
    (row,) = (r for r in found.ledger.rows if r.requirement == "voxels")
    assert row.verdict == "held" and "changed" in row.note
    with pytest.raises(WriteError, match="held"):
        run_dispatch(DispatchRequest(found, SMALL, tmp_path))


@pytest.mark.parametrize(
    "kind", [m.id for m in MISTAKES if m.id.startswith("cell")] + ["cut", "byte", "gone"]
)
def test_mistakes_in_cells_are_caught(packages: dict[str, Path], tmp_path: Path, kind: str) -> None:
    copy = tmp_path / packages["plain"].name
    shutil.copytree(packages["plain"], copy)
    assert plant(copy, kind, SMALL)
    log = land(copy, lambda name: SMALL)
    assert not log.accepted, kind


def test_files_that_do_not_belong_together_are_refused(packages: dict[str, Path], tmp_path: Path) -> None:
    copy = tmp_path / packages["plain"].name
    shutil.copytree(packages["plain"], copy)
    there = Copy(copy, SMALL)
    grid, points = next(copy.glob("*.voxels.json")), next(copy.glob("*_points.ply"))
    whole, cloud = grid.read_bytes(), points.read_bytes()

    def said(place: Path, data: bytes) -> str:
        there.write(place, data)
        text = "; ".join(x.text for x in land(copy, lambda name: SMALL).lines if x.level == "refusal")
        there.write(grid, whole)
        there.write(points, cloud)
        return text

    def changed(**values: Any) -> bytes:
        return json.dumps(json.loads(whole) | values).encode()

    assert land(copy, lambda name: SMALL).accepted
    assert "Input should be" in said(grid, changed(cell=-1)) and "Extra inputs" in said(grid, changed(tune=1))
    assert "leaves the grid" in said(grid, changed(runs=[[0, 0, 0, 1000, 0]]))
    assert "not in the palette" in said(grid, changed(runs=[[0, 0, 0, 1, 9999]]))
    assert "there is no cell" in said(grid, changed(runs=[], counts=[0] * len(json.loads(whole)["counts"])))
    assert "is read" in said(grid, changed(up="-Y")) and "it is of" in said(grid, changed(asset="nobody"))
    assert "less than or equal" in said(grid, changed(size=[10**9, 10**9, 10**9], runs=[]))
    head, _, rest = cloud.partition(b"end_header\n")
    stride, count = 16, sum(json.loads(whole)["counts"])
    assert f"1 point, {count:,} cells" in said(
        points, head.replace(f"vertex {len(rest) // stride}".encode(), b"vertex 1") + b"end_header\n" + rest
    )
    moved = np.frombuffer(rest[: len(rest) // stride * stride], np.uint8).reshape(-1, stride).copy()
    moved[0, 12:15] = 255 - moved[0, 12:15]
    assert "colours" in said(points, head + b"end_header\n" + moved.tobytes())
    moved.view("<f4")[0, 0] += 100
    assert "middles" in said(points, head + b"end_header\n" + moved.tobytes())
