"""Lists of unknown shapes: where their entries are, what each has, a mapping to begin with, that reads the list as it is meant."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from customs.demo.court import PLACED, court_mapping, write_court
from customs.errors import ReadError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.levels.explore import explore, guessed
from customs.levels.mapping import OWN, Mapping, mapping_text, read_mapping
from customs.levels.read import read_list
from customs.scene.placements import NOTHING
from customs.work.levels import composed
from tests.assets import cube, saved, scene_of


def write(folder: Path, name: str, text: str) -> Path:
    path = folder / name
    path.write_text(text, "utf-8")
    return path


def test_json_csv_and_xml_are_looked_through(tmp_path: Path) -> None:
    one = {
        "model": "fern",
        "transform": {"position": [1, 2, 3], "rotation": [0, 0, 0, 1]},
        "guid": "a",
        "visible": True,
    }
    path = write(
        tmp_path,
        "l.json",
        json.dumps({"meta": {"made": 1}, "scene": {"things": [one, one, {**one, "model": "pot"}]}}),
    )
    found = explore(path)
    assert found.entries[0] == ("/scene/things/*", 3)
    mapping = guessed(found)
    assert (
        mapping is not None
        and mapping.fields.name == "/model"
        and mapping.fields.position == "/transform/position"
    )
    assert mapping.rotation == "quaternion-xyzw" and mapping.fields.id == "/guid"
    assert read_list(path, mapping).names.tolist() == ["fern", "fern", "pot"]
    table = write(tmp_path, "t.csv", "Mesh;X;Y;Z;Scale\nfern;1;2;3;2\npot;4;5;6;1\n")
    mapping = guessed(explore(table))
    assert (
        mapping is not None and mapping.fields.position == ("X", "Y", "Z") and mapping.fields.scale == "Scale"
    )
    assert np.allclose(read_list(table, mapping).matrices[1][:3, 3], [4, 5, 6])
    xml = write(tmp_path, "w.xml", "<w>" + "<thing mesh='fern'><pos>1 2 3</pos></thing>" * 4 + "</w>")
    mapping = guessed(explore(xml))
    assert mapping is not None and mapping.entries == "//thing" and len(read_list(xml, mapping)) == 4


def test_the_court_is_understood_but_for_what_nobody_can_tell(tmp_path: Path) -> None:
    listed, _, _ = write_court(tmp_path)
    mapping = guessed(explore(listed))
    assert mapping is not None and mapping.rotation == "euler" and mapping.entries == court_mapping().entries
    assert len(read_list(listed, mapping)) == PLACED
    again = tmp_path / "again.toml"
    again.write_text(mapping_text(court_mapping()), "utf-8")
    assert read_mapping(again) == court_mapping()


@pytest.mark.parametrize("text", ["", "{", "[1, 2", "<w><thing></w>", "\0\0\0"])
def test_half_a_list_is_said_or_has_nothing(text: str, tmp_path: Path) -> None:
    path = write(tmp_path, "l.json", text)
    try:
        assert guessed(explore(path)) is None
    except ReadError as problem:
        assert problem.found and str(path) in str(problem)


def test_a_level_beside_its_library_opens_by_itself(tmp_path: Path) -> None:
    """Bad input of every kind in one list: what is whole is placed, the rest is told or stood in for."""
    saved(scene_of(cube()), tmp_path / "crate.glb")
    whole = np.eye(4).T.reshape(-1).tolist()
    mirrored = np.diag([-1.0, 1, 1, 1]).reshape(-1).tolist()
    rows = [{"name": "crate", "matrix": whole, "id": str(k)} for k in range(40)]
    rows += [
        {"name": "crate", "matrix": mirrored, "id": "m"},
        {"name": "crate", "matrix": [*whole[:12], None, 0, 0, 1], "id": "nan"},
        {"name": "crate", "matrix": [0.0] * 15 + [1.0], "id": "flat"},
        {"name": "crate", "matrix": whole, "id": "a", "parent": "b"},
        {"name": "crate", "matrix": whole, "id": "b", "parent": "a"},
        {"name": "../../etc/passwd", "matrix": whole, "id": "climbs"},
        {"name": "nobody", "matrix": whole, "id": "x"},
    ]
    path = tmp_path / "hall.level"
    path.write_bytes(json.dumps({"placements": rows}).encode("utf-16"))
    scene = read_scene(Source(path))
    told = " ".join(r.text for r in scene.remarks)
    assert (
        "no transform that is whole" in told and "squeezed flat" in told and "hung under themselves" in told
    )
    boxes = [m.name for m in scene.meshes if "stand_in" in m.extras]
    assert sorted(boxes) == ["../../etc/passwd", "nobody"]
    shown = int((scene.placements.of != NOTHING).sum()) + sum(n.mesh is not None for n in scene.nodes)
    assert shown == 41 + 2


def test_a_level_file_of_a_stranger_reads_nothing_outside(tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    saved(scene_of(cube()), outside / "crate.glb")
    inner = tmp_path / "inner"
    inner.mkdir()
    whole = np.eye(4).reshape(-1).tolist()
    write(inner, "l.json", json.dumps({"placements": [{"name": "crate", "matrix": whole}]}))
    body = {
        "level": 1,
        "lists": ["l.json"],
        "libraries": ["../outside", str(outside)],
        "looked_in": [str(outside)],
    }
    scene = read_scene(Source(write(inner, "a.level", json.dumps(body))))
    assert [m.extras.get("stand_in") for m in scene.meshes] == ["no file of that name"]
    with pytest.raises(ReadError, match="l2"):
        read_scene(Source(write(inner, "b.level", json.dumps({**body, "lists": ["l2.json"]}))))
    with pytest.raises(ReadError):
        read_scene(Source(write(inner, "c.level", json.dumps({"level": 2, "lists": ["l.json"]}))))


def test_lists_with_odd_names_are_one_level(tmp_path: Path) -> None:
    """Two lists of one name, with signs that are undone in names of files."""
    saved(scene_of(cube()), tmp_path / "crate.glb")
    paths = []
    for k in range(2):
        (tmp_path / str(k)).mkdir()
        matrix = np.eye(4)
        matrix[0, 3] = k
        row = {"name": "crate", "matrix": matrix.T.reshape(-1).tolist()}
        paths.append(write(tmp_path / str(k), "a %20 b.json", json.dumps({"placements": [row]})))
    level = composed(paths, OWN, [tmp_path])
    assert len(level.scene().nodes) == 2 and not level.scene().remarks


def test_a_mapping_says_what_it_still_wants() -> None:
    with pytest.raises(ValueError, match="either a matrix, or a position"):
        Mapping.model_validate({"fields": {"name": "/n"}})
