"""Assets drawn at random through every sheet that ships: planned, and what nothing holds is dispatched,
landed and judged outside.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial import cKDTree

from customs.landing.land import land, landed_scene
from customs.motion.posing.pose import posed_scene_points
from customs.planning.plan import Plan
from customs.scene.model import Scene
from customs.work.asset import Request, prepare, run
from customs.work.lookup import find_sheet
from tests.assets import lettered, saved
from tests.drawn import SHAPES, drawn_scene, poses
from tests.motion.rigs import bar, lighter, warden
from tests.outside.judges import validate

SHEETS = (
    "metre-yup-pbr", "one-mesh-kit", "split-texture-kit", "twin-format-kit", "packed-parameters-kit", "centimetre-zup-lh",
    "split-rig-kit", "clips-apart-kit",
)  # fmt: skip
REASONS = {
    # What a person has to decide or bring: no step can make it up.
    "morphs", "clips", "skins", "size-bounds", "rights", "humanoid-map", "donor-known", "texture-missing", "required-roles",
    "settled", "mirrored", "sheared", "under-root", "single-mesh", "material-count", "texcoords",
}  # fmt: skip


def request(scene: Scene, sheet: str, folder: Path, out: Path | None = None) -> Request:
    """A scene as a file, to be sent to a sheet."""
    path = saved(scene, folder / "goods" / "drawn.glb")
    return Request(path, path.parent, find_sheet(sheet), out=out)


def done(asked: Request) -> tuple[Plan, Path | None]:
    """(the plan, the package where nothing holds it)."""
    planned = prepare(asked).plan
    if planned.ledger.verdict == "held":
        return planned, None
    result = run(asked)
    assert result.error is None, result.error
    return planned, result.folder


@pytest.mark.breadth(3)
@pytest.mark.parametrize("sheet", SHEETS)
@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("seed", [0, 1])
def test_a_plan_is_whole_and_what_is_dispatched_lands(
    seed: int, shape: str, sheet: str, tmp_path: Path
) -> None:
    scene = drawn_scene(seed, shape)
    planned, folder = done(request(scene, sheet, tmp_path, tmp_path / "out"))
    assert not [a for a in planned.passed if a.error], [
        (a.stop.step, a.error) for a in planned.passed if a.error
    ]
    held = {r.requirement for r in planned.ledger.open() if r.verdict == "held"}
    assert held <= REASONS, [(r.requirement, r.delivering, r.note) for r in planned.ledger.open()]
    if folder is None:
        return
    log = land(folder, find_sheet)
    assert log.accepted and not log.remarks, [line.text for line in log.lines if line.level != "note"]
    found = landed_scene(folder, find_sheet(sheet))
    assert sorted(c.name for c in found.clips) == sorted(c.name for c in planned.passed[-1].scene.clips)
    if find_sheet(sheet).model.format in ("glb", "gltf"):
        # A sheet with a vocabulary of its own writes extensions the validator only remarks on.
        assert not [m for m in validate(sorted(folder.rglob("*.gl*"))) if "ERROR" in m.upper()]


@pytest.mark.parametrize("sheet", ["metre-yup-pbr", "centimetre-zup-lh", "clips-apart-kit"])
@pytest.mark.parametrize("make", [bar, warden, lighter, lettered, lambda: drawn_scene(3)])
def test_the_package_moves_as_the_goods_did(make, sheet: str, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """The package's own files, read again, against what came in: one shift for all of it (the footing), in
    every pose.
    """
    scene = make()
    planned, folder = done(request(scene, sheet, tmp_path, tmp_path / "out"))
    if folder is None:
        assert {r.requirement for r in planned.ledger.open() if r.verdict == "held"} <= REASONS
        return
    found = landed_scene(folder, find_sheet(sheet))
    by_name = {c.name: c for c in found.clips}
    size = float(np.linalg.norm(np.ptp(poses(scene, 0)[0], axis=0)))
    final = planned.passed[-1].scene
    left = {
        r.subject_name
        for r in planned.ledger.open()
        if r.requirement == "clip-targets" and "morph weights" in r.delivering
    }
    for clip in final.clips:
        if clip.name in left:
            continue  # Said before it is dispatched: a file without a mesh has no morphs.
        there = by_name[clip.name]
        assert there.seconds == pytest.approx(clip.seconds, abs=0.05)
        for t in np.linspace(0.0, clip.seconds, 5):
            one = np.concatenate(posed_scene_points(final, clip, t))
            other = np.concatenate(posed_scene_points(found, there, t))
            assert cKDTree(one).query(other)[0].max() < 2e-3 * size, (clip.name, t)


@pytest.mark.parametrize("sheet", SHEETS)
def test_planned_again_nothing_changes(sheet: str, tmp_path: Path) -> None:
    asked = request(drawn_scene(1, "mirrored"), sheet, tmp_path)
    first, second = (prepare(asked).plan for _ in range(2))
    assert [(a.stop.step, a.stop.values) for a in first.passed] == [
        (a.stop.step, a.stop.values) for a in second.passed
    ]
    assert [r.verdict for r in first.ledger.rows] == [r.verdict for r in second.ledger.rows]


def test_two_dispatches_of_one_asset_differ_in_nothing_but_the_time(tmp_path: Path) -> None:
    scene = drawn_scene(2)
    folders = [
        run(request(scene, "metre-yup-pbr", tmp_path, tmp_path / name)).folder for name in ("one", "two")
    ]
    assert all(folders)
    first, second = (
        sorted(p for p in f.rglob("*") if p.is_file() and "docket" not in p.name) for f in folders
    )  # type: ignore[union-attr]
    assert [p.name for p in first] == [p.name for p in second]
    assert all(a.read_bytes() == b.read_bytes() for a, b in zip(first, second))


@pytest.mark.parametrize("shape", SHAPES)
def test_a_stop_a_person_adds_is_kept_and_the_rest_is_planned_round_it(shape: str, tmp_path: Path) -> None:
    asked = request(drawn_scene(0, shape), "metre-yup-pbr", tmp_path)
    own = replace(asked, settings=("turn.degrees=[0,90,0]",))
    planned = prepare(own).plan
    steps = [a.stop.step for a in planned.passed]
    assert "turn" in steps and steps.index("turn") < steps.index("footing")
    assert not [r for r in planned.ledger.open() if r.verdict == "held" and r.requirement not in REASONS]
