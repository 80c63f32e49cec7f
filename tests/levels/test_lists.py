"""Lists of placements against transforms worked by hand and by SciPy: one world in three shapes, and all that may be wrong in it."""

from __future__ import annotations

import csv
import json
from itertools import permutations
from pathlib import Path
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from customs.errors import ReadError, SheetError
from customs.levels.entries import read_entries
from customs.levels.library import resolve
from customs.levels.mapping import OWN, Frame, Library, Mapping, read_mapping
from customs.levels.read import read_list
from customs.levels.transforms import chained, change_of, matrices_of
from tests.work.test_cli import call


def mapping(**values: Any) -> Mapping:
    """A mapping for entries with name, p, r and s."""
    fields = {"name": "/name", "position": "/p", "rotation": "/r", "scale": "/s"}
    return Mapping.model_validate({"entries": "/*", "fields": fields, **values})


def world(count: int = 40, seed: int = 3) -> tuple[list[str], np.ndarray, Rotation, np.ndarray]:
    rng = np.random.default_rng(seed)
    names = [f"thing_{k % 5}" for k in range(count)]
    return (
        names,
        rng.uniform(-9, 9, (count, 3)),
        Rotation.random(count, random_state=seed),
        rng.uniform(0.5, 2, (count, 3)),
    )


def whole(points: np.ndarray, turns: Rotation, sizes: np.ndarray) -> np.ndarray:
    """T · R · S, by NumPy alone."""
    out = np.tile(np.eye(4), (len(points), 1, 1))
    out[:, :3, :3] = turns.as_matrix() @ (np.eye(3) * sizes[:, None, :])
    out[:, :3, 3] = points
    return out


def test_one_world_in_three_shapes(tmp_path: Path) -> None:
    names, points, turns, sizes = world()
    meant = whole(points, turns, sizes)
    quaternions = turns.as_quat()
    angles = turns.as_euler("ZYX", degrees=True)
    own = [
        {"id": str(k), "name": n, "matrix": m.T.reshape(-1).tolist()}
        for k, (n, m) in enumerate(zip(names, meant))
    ]
    (tmp_path / "own.json").write_text(json.dumps({"placements": own}), "utf-8")
    rows = [
        {"name": n, "p": list(p), "r": [q[3], *q[:3]], "s": dict(zip("xyz", s))}
        for n, p, q, s in zip(names, points.tolist(), quaternions.tolist(), sizes.tolist())
    ]
    (tmp_path / "other.json").write_text(json.dumps(rows), "utf-16")
    with (tmp_path / "table.csv").open("w", newline="", encoding="utf-8") as f:
        table = csv.writer(f, delimiter=";")
        table.writerow(["Mesh", "X", "Y", "Z", "Turn", "Size"])
        for n, p, a, s in zip(names, points.tolist(), angles.tolist(), sizes.tolist()):
            table.writerow([n, *p, " ".join(map(repr, a)), ",".join(map(repr, s))])
    text = "".join(
        f"<thing mesh={quoteattr(n)}><m>{' '.join(map(repr, m[:3].reshape(-1).tolist()))}</m></thing>"
        for n, m in zip(names, meant)
    )
    (tmp_path / "things.xml").write_text(f"<world><things>{text}</things></world>", "utf-8")
    csv_map = Mapping.model_validate(
        {
            "fields": {"name": "Mesh", "position": ["X", "Y", "Z"], "rotation": "Turn", "scale": "Size"},
            "rotation": "euler",
            "euler": "ZYX",
        }
    )
    xml_map = Mapping.model_validate(
        {"entries": "//thing", "fields": {"name": "@mesh", "matrix": "m"}, "order": "row"}
    )
    for file, rules in (
        ("own.json", OWN),
        ("other.json", mapping(rotation="quaternion-wxyz")),
        ("table.csv", csv_map),
        ("things.xml", xml_map),
    ):
        listed = read_list(tmp_path / file, rules)
        assert listed.names.tolist() == names and not listed.problems, file
        assert np.abs(listed.matrices - meant).max() < 1e-9, file


@pytest.mark.parametrize("order", ["".join(p) for p in permutations("XYZ")] + ["xyz", "zyx", "ZXZ"])
def test_every_order_of_angles(order: str, tmp_path: Path) -> None:
    """SciPy's own composition, checked by turning about one axis after another."""
    angles = np.array([[20.0, -35.0, 110.0], [5.0, 60.0, -15.0]])
    (tmp_path / "l.json").write_text(
        json.dumps([{"name": "a", "p": [0, 0, 0], "r": list(a), "s": 1} for a in angles])
    )
    entries = read_entries((tmp_path / "l.json").read_bytes(), "/*", tmp_path / "l.json")
    found = matrices_of(entries, mapping(rotation="euler", euler=order))[:, :3, :3]
    for matrix, three in zip(found, angles):
        turn = np.eye(3)
        for letter, angle in zip(order, three):
            axis = Rotation.from_euler(letter.lower(), angle, degrees=True).as_matrix()
            turn = turn @ axis if order.isupper() else axis @ turn
        assert np.abs(matrix - turn).max() < 1e-12


def test_a_left_handed_list_with_right_handed_files(tmp_path: Path) -> None:
    """Worked by hand: centimetres, Z up, facing +X, left-handed; its left is −Y. A thing two metres to the left and three up."""
    frame = {"up": "+Z", "faces": "+X", "hand": "left", "metres_per_unit": 0.01}
    (tmp_path / "l.json").write_text(
        json.dumps([{"name": "a", "p": [0, -200, 300], "r": [0, 0, 0, 1], "s": 1}])
    )
    listed = read_list(tmp_path / "l.json", mapping(frame=frame))
    assert np.allclose(
        listed.matrices[0], [[1, 0, 0, 2], [0, 1, 0, 3], [0, 0, 1, 0], [0, 0, 0, 1]], atol=1e-12
    )
    # Raw numbers of a file in metres, Y up: the matrix takes them as if they were the list's.
    raw = read_list(tmp_path / "l.json", mapping(frame=frame, takes="raw", library={"frame": {}}))
    c = change_of(Frame.model_validate(frame))
    assert np.allclose(
        raw.matrices[0], c @ np.array([[1, 0, 0, 0], [0, 1, 0, -200], [0, 0, 1, 300], [0, 0, 0, 1]])
    )
    assert np.isclose(np.linalg.det(c[:3, :3]), -(0.01**3))


def test_parents_of_any_depth_and_in_circles(tmp_path: Path) -> None:
    step = np.tile(np.eye(4), (1000, 1, 1))
    step[:, 0, 3] = 1.0
    found, circle = chained(step, np.arange(1000) - 1)
    assert np.allclose(found[:, 0, 3], np.arange(1, 1001)) and not circle.any()
    _, circle = chained(step[:5] * 2, np.array([1, 0, 1, -1, 3]))
    assert circle.tolist() == [True, True, True, False, False]
    rows = [
        {"id": "a", "name": "x", "p": [1, 0, 0], "r": [0, 0, 0.7071067811865476, 0.7071067811865476], "s": 2}, {"id": "b", "name": "y", "p": [1, 0, 0], "r": [0, 0, 0, 1], "s": 1, "up": "a"},
        {"id": "c", "name": "z", "p": [0, 0, 0], "r": [0, 0, 0, 1], "s": 1, "up": "nobody"}, {"id": "d", "name": "w", "p": [0, 0, 0], "r": [0, 0, 0, 1], "s": 1, "up": "d"},
    ]  # fmt: skip
    (tmp_path / "l.json").write_text(json.dumps(rows))
    fields = {
        "name": "/name",
        "position": "/p",
        "rotation": "/r",
        "scale": "/s",
        "id": "/id",
        "parent": "/up",
    }
    listed = read_list(tmp_path / "l.json", Mapping.model_validate({"entries": "/*", "fields": fields}))
    assert listed.names.tolist() == ["x", "y", "z"] and np.allclose(listed.matrices[1][:3, 3], [1, 2, 0])
    assert any("hung under themselves (1 entry): 4 (w)" in p for p in listed.problems)
    assert any("3 (z)" in p and "not in the list" in p for p in listed.problems)


def test_what_is_wrong_is_told_and_the_rest_is_read(tmp_path: Path) -> None:
    good = {"name": "a", "p": [0, 0, 0], "r": [0, 0, 0, 1], "s": 1}
    bad = [
        {**good, "p": [0, None, 0]}, {**good, "p": "nowhere at all"}, {**good, "r": [0, 0, 0, 0]}, {**good, "s": [1, 0, 1]}, {**good, "name": ""}, {**good, "p": [1e400, 0, 0]},
        {"name": "b"}, 7, {**good, "s": [-1, 1, 1]},
    ]  # fmt: skip
    (tmp_path / "l.json").write_text(json.dumps([good, *bad, good]))
    listed = read_list(tmp_path / "l.json", mapping())
    assert len(listed) == 3 and listed.of == 11, "a mirrored one is used"
    assert len(listed.problems) == 3 and "which cannot be undone (1 entry): 5 (a)" in " ".join(
        listed.problems
    )
    for name, data, told in (
        ("cut.json", b'[{"name": "a"', "not well-formed JSON"), ("x.json", b"\xff\xfa", "is no UTF-8"), ("none.json", b"{}", "nothing at"), ("cut.xml", b"<a><b></a>", "cannot be read as XML"),
        ("empty.csv", b"", "no row"), ("deep.json", b"[" * 200_000, "not well-formed JSON"),
    ):  # fmt: skip
        (tmp_path / name).write_bytes(data)
        with pytest.raises(ReadError, match=told):
            read_list(
                tmp_path / name,
                mapping(entries="/things/*")
                if name == "none.json"
                else mapping(entries="" if name.endswith("xml") else "/*"),
            )
    with pytest.raises(ReadError, match="cannot be read"):
        read_list(tmp_path / "nowhere.json", OWN)


def test_names_mean_files(tmp_path: Path) -> None:
    for place in (
        "a/props/Pot.glb",
        "a/props/pot.obj",
        "a/old/pot.glb",
        "b/pot.glb",
        "b/fern.GLB",
        "b/x/lamp.fbx",
        "b/y/lamp.fbx",
        "b/note.txt",
    ):
        (tmp_path / place).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / place).write_bytes(b"")
    folders = [tmp_path / "a", tmp_path / "b"]
    names = [
        "props/Pot",
        "Pot",
        "pot",
        "old\\pot.glb",
        "FERN",
        "lamp",
        "x/lamp",
        "../b/fern",
        "C:fern",
        "nothing",
        "props/pot.obj",
    ]
    found = {r.name: r for r in resolve([(n, 1) for n in names], folders, Library())}
    told = {
        n: (str(r.file.relative_to(tmp_path)) if r.file else "ambiguous" if r.ambiguous else None)
        for n, r in found.items()
    }
    assert told == {
        "props/Pot": "a/props/Pot.glb", "Pot": "a/props/Pot.glb", "pot": "a/old/pot.glb", "old\\pot.glb": "a/old/pot.glb", "FERN": "b/fern.GLB", "lamp": "ambiguous", "x/lamp": "b/x/lamp.fbx",
        "../b/fern": None, "C:fern": None, "nothing": None, "props/pot.obj": "a/props/pot.obj",
    }  # fmt: skip
    strict = resolve([("FERN", 1), ("fern", 1)], folders, Library(ignore_case=False))
    assert [bool(r.file) for r in strict] == [False, True]
    with pytest.raises(ReadError, match="no such folder"):
        resolve([("a", 1)], [tmp_path / "c"], Library())


def test_on_the_command_line(tmp_path: Path) -> None:
    (tmp_path / "lib").mkdir()
    (tmp_path / "lib/pot.glb").write_bytes(b"")
    eye = np.eye(4).reshape(-1).tolist()
    rows = [
        {"name": "pot", "matrix": eye, "kind": "prop"},
        {"name": "pot", "matrix": eye, "visible": False},
        {"name": "lost", "matrix": eye},
    ]
    (tmp_path / "l.json").write_text(json.dumps({"placements": rows}))
    code, text = call("list", tmp_path / "l.json", "--library", tmp_path / "lib", "--json")
    told = json.loads(text)
    assert (
        code == 1
        and told["lists"][0]["hidden"] == 1
        and {n["name"]: n["state"] for n in told["names"]} == {"pot": "resolved", "lost": "missing"}
    )
    code, text = call("list", tmp_path / "l.json", "--library", tmp_path / "lib")
    assert (
        code == 1
        and "3 placements of 3 entries" in text
        and "lost (1 placement): no file of that name" in " ".join(text.split())
    )
    assert call("list", tmp_path / "l.json")[0] == 0 and call("list", tmp_path / "none.json")[0] == 2
    for text, told in (
        ("x = [", "TOML"),
        ("version = 1\n[fields]\nname = 'a'", "either a matrix, or a position"),
        ("version = 1\neuler = 'XXY'\n[fields]\nname='a'\nmatrix='b'", "no axis twice"),
    ):
        (tmp_path / "m.toml").write_text(text)
        with pytest.raises(SheetError, match=told):
            read_mapping(tmp_path / "m.toml")


def test_a_hundred_thousand_are_read_at_once(tmp_path: Path) -> None:
    names, points, turns, sizes = world(100_000)
    with (tmp_path / "big.csv").open("w", encoding="utf-8") as f:
        f.write("name,x,y,z,r\n")
        body = np.concatenate([points, turns.as_quat()], axis=1)
        f.write(
            "\n".join(
                f"{n},{r[0]},{r[1]},{r[2]},{r[3]} {r[4]} {r[5]} {r[6]}" for n, r in zip(names, body.tolist())
            )
        )
    rules = Mapping.model_validate({"fields": {"name": "name", "position": ["x", "y", "z"], "rotation": "r"}})
    listed = read_list(tmp_path / "big.csv", rules)
    assert (
        len(listed) == 100_000
        and np.abs(listed.matrices - whole(points, turns, np.ones_like(sizes))).max() < 1e-9
    )


def test_a_level_is_written_with_every_file_once(tmp_path: Path) -> None:
    """Bounds against trimesh: 60 cubes of two files by a list in left-handed centimetres, one of them sheared."""
    import trimesh

    from tests.assets import cube, saved, scene_of

    library, rng = tmp_path / "lib", np.random.default_rng(5)
    library.mkdir()
    saved(scene_of(cube()), library / "crate.glb")
    saved(scene_of(cube()), library / "urn.glb")
    frame = {"up": "+Z", "faces": "+X", "hand": "left", "metres_per_unit": 0.01}
    rows = []
    for k in range(60):
        turn = Rotation.random(random_state=k).as_matrix() * rng.uniform(0.5, 2)
        if k == 7:
            turn = turn @ np.array([[1, 0.4, 0], [0, 1, 0], [0, 0, 1]])
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = turn, rng.uniform(-900, 900, 3)
        rows.append({"name": ("crate", "urn")[k % 2], "matrix": matrix.tolist()})
    (tmp_path / "l.json").write_text(json.dumps(rows))
    (tmp_path / "m.toml").write_text(
        "version = 1\nentries = '/*'\norder = 'row'\n[fields]\nname = '/name'\nmatrix = '/matrix'\n[frame]\n"
        + "\n".join(f"{k} = {json.dumps(v)}" for k, v in frame.items())
    )
    out = tmp_path / "level.glb"
    code, text = call(
        "list",
        tmp_path / "l.json",
        "--mapping",
        tmp_path / "m.toml",
        "--library",
        library,
        "--out",
        out,
        "--json",
    )
    told = json.loads(text)
    assert code == 0 and told["remarks"] == [], text
    c = change_of(Frame.model_validate(frame))
    corners = np.array(trimesh.load(library / "crate.glb", process=False).to_geometry().vertices)
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for row in rows:
        # By hand: the cube in the list's own numbers, moved there, and back.
        whole = c @ np.array(row["matrix"]) @ np.linalg.inv(c)
        points = corners @ whole[:3, :3].T + whole[:3, 3]
        low, high = np.minimum(low, points.min(axis=0)), np.maximum(high, points.max(axis=0))
    from customs.formats.registry import read_scene
    from customs.formats.source import Source
    from customs.motion.posing.bounds import world_bounds

    scene = read_scene(Source(out, tmp_path))
    box = world_bounds(scene)
    assert (
        box is not None
        and np.abs(box[0] - low).max() < 1e-5 * np.linalg.norm(high - low)
        and np.abs(box[1] - high).max() < 1e-5 * np.linalg.norm(high - low)
    )
    assert len(scene.meshes) == 2 and len(scene.placements) + len(scene.nodes) >= 60
    assert (
        call(
            "list", tmp_path / "l.json", "--mapping", tmp_path / "m.toml", "--library", library, "--out", out
        )[0]
        == 2
    )
