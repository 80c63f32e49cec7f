"""What the destination would say of a level whose lists were meddled with: each by its own words."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from customs.landing import mistakes_levels
from customs.landing.land import land, landed_scene
from customs.landing.mistakes import tried
from customs.work.lookup import find_sheet

Body = dict[str, Any]


def first(rows: list[Body]) -> Body:
    return rows[len(rows) // 2]


def changed(**values: Any) -> Callable[[Body], object]:
    return lambda body: first(body["placements"]).update(values)


def moved(body: Body) -> None:
    first(body["placements"])["matrix"][13] = 4000.0


def gone(body: Body) -> None:
    body["placements"].pop()


def twice(body: Body) -> None:
    body["placements"][1]["id"] = body["placements"][0]["id"]


MISTAKES: dict[str, tuple[str, Callable[[Body], object], str]] = {
    "a name no file has": ("tile", changed(name="meshes/nobody.gltf"), "names that no file of the package has"),
    "a matrix of fifteen numbers": ("tile", changed(matrix=[1.0] * 15), "a matrix is not sixteen numbers"),
    "a matrix with a text": ("tile", changed(matrix=["x"] * 16), "a matrix is not sixteen numbers"),
    "a thing squeezed flat": ("tile", changed(matrix=[0.0] * 15 + [1.0]), "squeezed flat"),
    "a thing moved": ("tile", moved, "its box is not the docket's"),
    "a thing gone": ("tile", gone, "triangles"),
    "a kind that is not taken": ("tile", changed(kind="tool"), "kinds that are not taken: tool"),
    "a number twice": ("tile", twice, "an id is there twice"),
    "no light": ("whole", lambda body: body.update(lights=[]), "there is no light"),
    "a list it does not name": ("whole", lambda body: body["lists"].pop(), "triangles"),
    "a list that is not there": ("whole", lambda body: body["lists"].append("more.json"), "more.json"),
    "a light without strength": ("whole", lambda body: body["lights"][0].update(intensity=-1), "greater than or equal to 0"),
}  # fmt: skip


@pytest.mark.parametrize("mistake", list(MISTAKES))
def test_a_mistake_in_the_lists_is_named(
    mistake: str,
    ported: dict[str, tuple[Path, dict]],
    tmp_path: Path,  # type: ignore[type-arg]
) -> None:
    where, plant, words = MISTAKES[mistake]
    package = tmp_path / "palm_court"
    shutil.copytree(ported["level-kit"][0], package)
    tiles = sorted(package.glob("palm_court_tile_*.json"), key=lambda p: p.stat().st_size)
    path = package / "palm_court.json" if where == "whole" else tiles[-1]
    body = json.loads(path.read_text("utf-8"))
    plant(body)
    path.write_text(json.dumps(body), "utf-8")
    log = land(package, find_sheet)
    said = " | ".join(line.text for line in log.lines if line.level == "refusal")
    assert not log.accepted and words in said, said


@pytest.mark.parametrize("kind", [m.id for m in mistakes_levels.MISTAKES])
def test_mistakes_a_person_can_try_are_caught(
    kind: str,
    ported: dict[str, tuple[Path, dict]],  # type: ignore[type-arg]
) -> None:
    sheet = find_sheet("level-kit")
    refused = tried(ported["level-kit"][0], kind, sheet, None)
    words = {
        "placed-name": "names that no file", "placed-flat": "squeezed flat", "placed-twice": "an id is there twice",
        "list-gone": "is not there", "list-dark": "there is no light",
    }  # fmt: skip
    assert refused and words[kind] in " | ".join(x.text for x in refused)
    assert tried(ported["one-file-level-kit"][0], kind, find_sheet("one-file-level-kit"), None) is None


def test_half_a_list_and_a_mesh_that_is_gone(ported: dict[str, tuple[Path, dict]], tmp_path: Path) -> None:  # type: ignore[type-arg]
    package = tmp_path / "palm_court"
    shutil.copytree(ported["level-kit"][0], package)
    tile = next(package.glob("palm_court_tile_*.json"))
    tile.write_bytes(tile.read_bytes()[:500])
    (package / "meshes" / "crate.gltf").unlink()
    log = land(package, find_sheet)
    said = " | ".join(f"{line.file} {line.text}" for line in log.lines if line.level == "refusal")
    assert not log.accepted and "not well-formed JSON" in said and "crate" in said


def test_it_is_shown_as_it_stands_there(ported: dict[str, tuple[Path, dict]]) -> None:  # type: ignore[type-arg]
    package, _ = ported["level-kit"]
    scene = landed_scene(package, find_sheet("level-kit"))
    docket = json.loads((package / "docket.json").read_text("utf-8"))
    assert len(scene.placements) > 1000 and len(scene.lights) == 3
    assert docket["after"]["meshes"] == len(scene.meshes)
