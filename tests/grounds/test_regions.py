"""Regions: openings measured, the joining matrix worked by hand, what both have cut away, delivered as one file and as lists."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from customs.changes.snapshot import make_snapshot, snapshot_of
from customs.conventions.convert import change_convention
from customs.demo.walk import DOOR, HIGH, THICK, VAULT_DOOR, WIDE, vault, walk, write_regions
from customs.errors import StepError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.geometry.triangles import area, triangles_of
from customs.grounds.kinds import kinds_of
from customs.grounds.openings import Face, Opening, differ, joining, opening_between, opening_of, turned
from customs.grounds.overlaps import cut_away
from customs.grounds.regions import MOST, SPAN, delivered_apart, region_of, regions_in, with_region
from customs.grounds.things import things_of
from customs.job import Job
from customs.route.route import SceneCache
from customs.route.step import get_step, make_settings
from customs.scene.convention import WORKING
from customs.scene.kinds import kind_notes
from customs.scene.model import Light, Scene
from customs.sheet.model import Sheet
from customs.work.goods import take_in
from customs.work.lookup import find_sheet
from customs.work.regions import bring_level, first_met, joined_route, stays
from customs.work.requests.dispatch import DispatchRequest, run_dispatch
from customs.work.requests.evaluate import Evaluated, asked_of, run_evaluate
from customs.work.requests.plan import PlanRequest, run_plan
from tests.floorplan.test_plans import TWO
from tests.grounds.test_modules import walls

OWN = Opening(np.array(DOOR[0]), np.array(DOOR[1]), WIDE, HIGH)
THEIRS = Opening(np.array(VAULT_DOOR[0]), np.array(VAULT_DOOR[1]), WIDE, HIGH)


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    return write_regions(tmp_path_factory.mktemp("regions"))


@pytest.fixture(scope="module")
def levels(files: tuple[Path, Path]) -> tuple[Scene, Scene]:
    """Walk and vault in the working frame."""
    first, second = (change_convention(s := read_scene(Source(f)), WORKING, s.convention) for f in files)
    return first, second


def joined(levels: tuple[Scene, Scene], **values: object) -> tuple[Scene, list[str], dict[str, object]]:
    """(both, what the stop said in words and as data)."""
    name, data, _ = make_snapshot(levels[1], level=True)
    entry = get_step("regions")
    said = {"part": name, "name": "Seed vault", "own": OWN.numbers, "theirs": THEIRS.numbers} | values
    out = entry.run(levels[0], make_settings(entry, said), {name: data}, Job())
    found: dict[str, object] = {}
    for r in out.remarks:
        found |= dict(r.values)
    return out.scene, [r.text for r in out.remarks], found


def test_an_opening_from_its_corners() -> None:
    door = np.array([(2, 0.1, 1), (2, 0.1, 2.2), (2, 2.2, 2.2), (2, 2.2, 1)], float)
    o = opening_of(door, (0, 1, 1.5))
    assert o.sill == pytest.approx([2, 0.1, 1.6]) and o.out == pytest.approx([1, 0, 0])
    assert (o.width, o.height) == pytest.approx((1.2, 2.1)) and o.upright
    assert opening_of(door[:3], (5, 1, 1.5)).out == pytest.approx([-1, 0, 0]), (
        "three corners, from the other side"
    )
    assert turned(o).out == pytest.approx([-1, 0, 0])
    hatch = np.array([(0, 3, 0), (1, 3, 0), (1, 3, 0.8)], float)
    o = opening_of(hatch, (0, 0, 0))
    assert not o.upright and o.out == pytest.approx([0, 1, 0]) and o.sill == pytest.approx([0.5, 3, 0.4])
    # A wall that leans by a degree has a door that does not.
    lean = door @ trimesh.transformations.rotation_matrix(np.radians(1), (0, 0, 1))[:3, :3].T
    assert opening_of(lean, (0, 1, 1.5)).out[1] == 0
    for bad in (door[:2], np.array([(0, 0, 0), (1, 1, 1), (2, 2, 2)], float), np.zeros((0, 3))):
        with pytest.raises(StepError, match="lie in a line"):
            opening_of(bad, (0, 0, 0))
    assert Opening.of(o.numbers).numbers == o.numbers
    with pytest.raises(StepError, match="way out"):
        Opening.of((0, 0, 0, 0, 0, 0, 1, 2))


def test_an_opening_from_its_reveal(levels: tuple[Scene, Scene]) -> None:
    def jamb(side: float, at: tuple[float, float, float], far: float = 0.3) -> Face:
        a, b, c, d = ((side, 0, 0), (side, 0, far), (side, 3, far), (side, 3, 0))
        corners = np.array([a, b, c, a, c, d], float)
        return Face(np.array(at), np.array([-np.sign(side), 0, 0]), corners[:3], corners)

    def met(at: np.ndarray, way: np.ndarray) -> float:
        ends = np.array([(-0.6, 0.0), (0.6, 2.2)])
        k = int(np.abs(way[:2]).argmax())
        return (
            float("inf") if abs(way[2]) > 0.5 else float((ends[int(way[k] > 0), k] - at[k]) * np.sign(way[k]))
        )

    faces = [jamb(-0.6, (-0.6, 1.0, 0.1)), jamb(0.6, (0.6, 0.4, 0.2))]
    o = opening_between(faces, (0, 1, -4), met)
    assert o.sill == pytest.approx([0, 0, 0.3]) and o.out == pytest.approx([0, 0, 1])
    assert (o.width, o.height) == pytest.approx((1.2, 2.2))
    with pytest.raises(StepError, match="open to a side"):
        opening_between(faces, (0, 1, -4), lambda at, way: np.inf)
    # On the demo's walk, along each way from the middle of its door.
    at = np.array(DOOR[0]) + (THICK / 2, 1.0, 0)
    ways = {(0, 0, 1): WIDE / 2, (0, 0, -1): WIDE / 2, (0, 1, 0): HIGH - 1, (0, -1, 0): 1.0}
    for way, far in ways.items():
        assert first_met(levels[0], at, np.array(way, float)) == pytest.approx(far, abs=1e-4)


def test_the_joining_matrix_worked_by_hand() -> None:
    # A door to the east at (5, 0, 2); another to the south at (1, 3, 8): turned by −90° about up, its sill comes to (5, 0, 2).
    own = Opening(np.array([5.0, 0, 2]), np.array([1.0, 0, 0]), 1, 2)
    theirs = Opening(np.array([1.0, 3, 8]), np.array([0.0, 0, 1]), 1, 2)
    place = joining(own, theirs)
    # Their +Z has to become −X: x' = −z + 13, z' = x + 1, up 3 lower.
    by_hand = np.array([[0, 0, -1, 13], [0, 1, 0, -3], [1, 0, 0, 1], [0, 0, 0, 1]], float)
    assert place == pytest.approx(by_hand, abs=1e-12)
    flat = Opening(np.zeros(3), np.array([0.0, 1, 0]), 1, 1)
    up = joining(flat, Opening(np.array([1.0, 2, 3]), np.array([0.0, -1, 0]), 1, 1))
    assert up @ (1, 2, 3, 1) == pytest.approx([0, 0, 0, 1]) and np.linalg.det(up) == pytest.approx(1)
    with pytest.raises(StepError, match="upright"):
        joining(own, flat)
    assert differ(own, Opening(own.sill, own.out, 1.02, 2)) == pytest.approx((0.02, 0))


def surface(solid: tuple[str, tuple[float, ...], tuple[float, ...]]) -> float:
    """Square metres of a box."""
    x, y, z = np.subtract(solid[2], solid[1]).tolist()
    return float(2 * (x * y + y * z + z * x))


def test_two_regions_meet_within_a_millimetre_and_nothing_is_there_twice(levels: tuple[Scene, Scene]) -> None:
    whole, said, _ = joined(levels)
    t = things_of(whole)
    at, shown = region_of(whole, t), t.mesh >= 0
    assert regions_in(whole) == [1] and len(whole.lights) == 2
    assert t.low[shown & (at == 0), 0].min() == pytest.approx(DOOR[0][0], abs=1e-3)
    assert t.high[shown & (at == 1), 0].max() == pytest.approx(DOOR[0][0], abs=1e-3)
    # Floors are level: the vault's boards lie as high as the walk's paving.
    boards = next(
        i
        for i, m in enumerate(whole.materials)
        if m.name.startswith("glass/boards") and i >= len(levels[0].materials)
    )
    heights = [
        whole.meshes[1].primitives[k].positions
        for k, p in enumerate(whole.meshes[1].primitives)
        if p.material == boards
    ]
    top = float(np.concatenate(heights)[:, 1].max()) + t.matrices[shown & (at == 1)][0, 1, 3]
    assert top == pytest.approx(0.0, abs=1e-3)
    assert any("cut away" in line for line in said)
    # What stays is what each has without its piece of the other, but for ends that lay in the plane of the opening.
    for region, solids, past in ((0, walk(), 4), (1, vault(), 2)):
        wanted = sum(map(surface, solids[:-past]))
        ends = sum(
            float(np.prod(np.subtract(b, a)[:2])) if region == 0 else float(np.prod(np.subtract(b, a)[1:]))
            for _, a, b in solids[-past:]
        )
        mesh = whole.meshes[int(t.mesh[shown & (at == region)][0])]
        mine = sum(area(p.positions, triangles_of(p)) for p in mesh.primitives)
        assert wanted - ends - 0.01 <= mine <= wanted + ends + 0.01, region
    kept, told, data = joined(levels, overlap="keep")
    assert int(data["overlaps"]) > 40  # type: ignore[call-overload]
    assert counts(kept)["triangles"] == sum(counts(s)["triangles"] for s in levels) and "overlaps" in told[-1]
    # Cut once, nothing is left to cut.
    again, cut = cut_away(whole, 1, OWN)
    assert again is whole and not cut.anything


def test_by_numbers_alone_only_faces_on_faces_go(levels: tuple[Scene, Scene]) -> None:
    away, said, _ = joined(levels, own=(), theirs=(), move=(100.0, 0.0, 0.0), turn=90.0)
    assert counts(away)["triangles"] == sum(counts(s)["triangles"] for s in levels) and len(said) == 1
    low = (
        things_of(away).low[(things_of(away).mesh >= 0) & (region_of(away, things_of(away)) == 1)].min(axis=0)
    )
    mine = things_of(levels[1])
    # 90° about up takes +Z to +X.
    assert low[0] == pytest.approx(100 + np.nanmin(mine.low[:, 2]), abs=1e-4)
    twice, said, _ = joined((levels[1], levels[1]), own=(), theirs=())
    assert counts(twice)["triangles"] == counts(levels[1])["triangles"], (
        "the same in the same place goes as a whole"
    )
    assert "1 thing as a whole" in said[-1]
    _, said, data = joined(levels, theirs=replace(THEIRS, width=1.25).numbers)
    assert data["opening_off"] == pytest.approx(0.05) and "1.250 × 2.200 m at Seed vault" in said[1]


def test_what_repeats_stays_repeated_and_kinds_come_along() -> None:
    row = [("wall_a", (2.0 * k, 0.0, 0.0), 0.0) for k in range(40)]
    level = walls({"wall_a": (2.0, 3.0, 0.2)}, row)
    words = np.array(["decal" if k == 7 else "" for k in range(40)], object)
    level = replace(level, kinds=kind_notes(words).teaching({"wall_a": "prop"}))
    name, data, _ = make_snapshot(level, level=True)
    other = snapshot_of(name, "other", {name: data})
    place = np.eye(4)
    place[:3, 3] = 0, 0, 50
    both, number = with_region(TWO, other, place, "other")
    assert number == 1 and len(both.placements) == 40 and both.kinds.taught == {"wall_a": "prop"}
    assert both.placements.ordinals.min() >= SPAN
    assert kinds_of(both).counts()["prop"][0] == 40
    assert both.placements.matrices[:, 2, 3] == pytest.approx(50) and len(both.meshes) == len(TWO.meshes) + 1
    # Things cut from repeated meshes have one of their own; the others stay rows.
    third, number = with_region(both, TWO, np.eye(4), "again")
    assert number == 2 and regions_in(third) == [1, 2]
    apart = delivered_apart(delivered_apart(third, 1, "b"), 2, "c")
    assert set(apart.parts.words) == {"b", "c"}
    crowd = replace(
        TWO, nodes=(replace(TWO.nodes[0], key=replace(TWO.nodes[0].key, ordinal=MOST * SPAN)), *TWO.nodes[1:])
    )
    with pytest.raises(StepError, match="too much"):
        with_region(crowd, other, place, "one more")
    with pytest.raises(StepError, match="no longer there"):
        snapshot_of("rows:0", "gone", {})
    with pytest.raises(StepError, match="damaged"):
        snapshot_of("rows:1", "bent", {"rows:1": b"glTF no more"})


def test_a_repeated_wall_is_cut_in_one_place_alone() -> None:
    """Forty walls in a row, the last through a doorway into a room: only that one is cut, on a mesh of its own."""
    row = [("wall_a", (-2.0 * k, 0.0, 0.0), 0.0) for k in range(40)]
    level = walls({"wall_a": (2.0, 3.0, 0.2)}, row)
    room = walls(
        {"floor": (10.0, 0.1, 10.0), "roof": (10.0, 0.1, 10.0)},
        [("floor", (0, -0.1, 0), 0), ("roof", (0, 4.0, 0), 0)],
    )
    at = np.eye(4)
    at[:3, 3] = 1.0, 0.0, -5.0
    both, number = with_region(level, room, at, "room")
    door = Opening(np.array([1.0, 0, 0]), np.array([1.0, 0, 0]), 2, 3)
    out, cut = cut_away(both, number, door)
    t = things_of(out)
    assert cut.own and not cut.theirs and len(out.placements) == 39
    assert t.high[region_of(out, t) == 0, 0].max() == pytest.approx(1.0, abs=1e-6)
    names = [m.name for m in out.meshes]
    assert len([n for n in names if n.startswith("wall_a")]) == 2


def delivered(
    files: tuple[Path, Path], sheet: Sheet, folder: Path, **values: object
) -> tuple[Evaluated, Path, bool]:
    """Walk and vault joined, planned and dispatched: (as evaluated, the package, whether it landed)."""
    store, cache = folder / "store", SceneCache()
    mine, other = (
        replace(take_in(f, f.parent, store, f.stem, None), author="glasshouse", licence="free", use="deliver")
        for f in files
    )
    theirs = run_evaluate(asked_of(other, store, sheet), cache).at(None)
    first = run_evaluate(asked_of(mine, store, sheet), cache)
    assert theirs is not None
    brought = {**bring_level(store, other, theirs), "own": OWN.numbers, "theirs": THEIRS.numbers, **values}
    route = joined_route(mine.route, None, brought, stays(mine.route, first.passed))
    asset = run_plan(PlanRequest(asked_of(replace(mine, stops=route.stops), store, sheet)), cache).asset
    done = run_evaluate(asked_of(asset, store, sheet), cache)
    sent = run_dispatch(DispatchRequest(done, sheet, folder / "out"))
    return done, sent.folder, sent.log.accepted


def test_delivered_as_one_file_and_as_two_lists(files: tuple[Path, Path], tmp_path: Path) -> None:
    done, package, accepted = delivered(files, find_sheet("one-file-level-kit"), tmp_path / "one")
    assert accepted and [r.verdict for r in done.ledger.rows if r.requirement == "regions"] == ["cleared"]
    one = read_scene(Source(next(package.glob("*.glb"))))
    assert json.loads((package / "docket.json").read_text())["rights"]["joined"][0]["name"] == "Seed vault"

    lists = find_sheet("level-kit")
    lists = replace_grounds(lists, tile=0.0)
    _, package, accepted = delivered(files, lists, tmp_path / "two", apart=True)
    assert accepted
    whole = json.loads((package / "fern_walk.json").read_text())
    assert (
        whole["lists"] == ["fern_walk_rest.json", "fern_walk_seed_vault.json"] and len(whole["lights"]) == 2
    )
    assert all(len(json.loads((package / n).read_text())["placements"]) == 1 for n in whole["lists"])
    # Read back as the destination reads them, both are the same level.
    two = read_scene(Source(package / "fern_walk.json"))
    assert counts(two)["triangles"] == counts(one)["triangles"]
    boxes = [things_of(s) for s in (one, two)]
    low, high = ([np.nanmin(b.low, axis=0), np.nanmax(b.high, axis=0)] for b in boxes)
    assert np.array(low) == pytest.approx(np.array(high), abs=1e-4)
    assert len(one.held(Light)) == len(two.held(Light)) == 2


def replace_grounds(sheet: Sheet, **values: object) -> Sheet:
    return sheet.model_copy(update={"grounds": sheet.grounds.model_copy(update=values)})


def test_more_parts_than_anyone_takes_are_refused() -> None:
    level = walls(
        {"wall": (0.5, 1.0, 0.1)},
        [("wall", (1.0 * (k % 70), 0.0, 1.0 * (k // 70)), 0.0) for k in range(4900)],
    )
    entry = get_step("parts")
    with pytest.raises(StepError, match="4,900 parts"):
        entry.run(level, make_settings(entry, {"by": "squares", "edge": 1.0}), {}, Job())
    out = entry.run(level, make_settings(entry, {"by": "squares", "edge": 10.0}), {}, Job()).scene
    assert len(out.parts.words) == 49 + 7 * 0 and len(out.parts.ordinals) == 4900


def test_split_by_kind_by_squares_and_by_hand() -> None:
    entry = get_step("parts")

    def parts(**values: object) -> tuple[Scene, list[str]]:
        out = entry.run(TWO, make_settings(entry, values), {}, Job())
        return out.scene, [r.text for r in out.remarks]

    things = len(things_of(TWO))
    by_kind, said = parts(by="kind")
    assert len(by_kind.parts.ordinals) == things and said[0].endswith("each a list of its own")
    squares, _ = parts(by="squares", edge=2.0)
    assert len(squares.parts.words) > 1 and squares.parts.words[0].startswith("square ")
    keys = [str(n.key) for n in TWO.nodes[:2]]
    hand, said = parts(by="picked", picked=(("west wing", tuple(keys)), ("lost", ("0badf00d0000:node:3",))))
    assert (
        hand.parts.words == ("west wing",)
        and len(hand.parts.ordinals) == 2
        and "1 picked thing no longer there" in said
    )
    assert parts(by="picked")[0] is TWO
