"""Posts: index paths by hand, transforms as delivered, and every mistake named by landing."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib
import pytest

from customs.changes.posts import frame_along, posts_of, stands
from customs.dispatch.fittings import with_fittings
from customs.landing.land import land
from customs.scene.model import Node, Scene
from customs.scene.paths import index_path, node_at
from customs.scene.tree import world_matrices
from customs.sheet.load import load_sheet
from customs.sheet.model import Sheet
from customs.work.fittings import post_rows
from customs.work.lookup import find_sheet
from tests.assets import cube, key, scene_of
from tests.changes.test_coarser import run
from tests.landing.test_fittings import KIT, again, fitted, sheet
from tests.landing.test_rules import delivered, refusals
from tests.motion.rigs import bar
from tests.outside.judges import read_modern

POSTS = (
    ("lantern", (0.2, 1.5, 0.1), (0.0, 1.0, 0.0), "", "props/lantern.glb"),
    ("hook", (1.0, 1.0, 0.0), (1.0, 1.0, 0.0), "", ""),
)


def posted() -> Scene:
    return run("posts", fitted(), posts=POSTS).scene


@pytest.fixture
def package(tmp_path: Path) -> Path:
    folder = delivered(posted(), KIT, tmp_path)
    log = land(folder, find_sheet)
    assert log.accepted, refusals(log)
    return folder


def test_an_index_path_is_the_one_counted_by_hand() -> None:
    """Child numbers from the root (common practice): the thirtieth child of the first root is 0/29."""
    leaves = tuple(Node(key("node", k), f"n{k}") for k in range(1, 32))
    tree = replace(
        scene_of(cube()),
        nodes=(Node(key("node", 0), "root", children=tuple(range(1, 31))), *leaves),
        roots=(0, 31),
    )
    assert index_path(tree, 30) == "0/29" and index_path(tree, 31) == "1" and index_path(tree, 0) == "0"
    assert (
        node_at(tree, "0/29") == 30
        and [node_at(tree, p) for p in ("0/30", "2", "x", "", "0/-1", "²")] == [None] * 6
    )


def test_the_path_leads_to_the_node_in_the_file_that_was_written(package: Path) -> None:
    """Followed by pygltflib in the delivered file; the node's own transform is the post's."""
    gltf = pygltflib.GLTF2().load(str(package / "ball.glb"))
    facts = json.loads((package / "ball.json").read_text("utf-8"))
    for row, said in zip(facts["posts"], POSTS):
        level, node = gltf.scenes[0].nodes, None
        for part in row["index_path"].split("/"):
            node = gltf.nodes[level[int(part)]]
            level = node.children
        assert node is not None and node.name == f"post_{said[0]}" and node.mesh is None
        assert node.translation == pytest.approx(said[1]) and row["position"] == pytest.approx(
            said[1], abs=1e-6
        )
        assert row["direction"] == pytest.approx(np.array(said[2]) / np.linalg.norm(said[2]), abs=1e-5)
    assert facts["posts"][0]["attached"] == {
        "path": "props/lantern.glb", "position": [0, 0, 0], "rotation": [0, 0, 0, 1], "scale": [1, 1, 1]
    } and "attached" not in facts["posts"][1]  # fmt: skip
    shown = post_rows(posted(), KIT)
    assert [r.path for r in shown] == [r["index_path"] for r in facts["posts"]]


@pytest.mark.parametrize("id_", ["centimetre-zup-lh", "metre-yup-pbr"])
def test_posts_stand_and_point_as_the_destination_counts(id_: str, tmp_path: Path) -> None:
    body = load_sheet(id_).model_dump()
    body["posts"] |= {"form": "nodes", "required": ("hook",)}
    body["layout"] |= {"facts": "{asset}.json"}
    rules = Sheet.model_validate(body)
    folder = delivered(posted(), rules, tmp_path)
    log = land(folder, find_sheet, rules)
    assert log.accepted, refusals(log)
    row = json.loads((folder / "ball.json").read_text("utf-8"))["posts"][0]
    up = "XYZ".index(rules.axes.up[1])
    assert row["position"][up] == pytest.approx(1.5 / rules.axes.metres_per_unit) and row["direction"][
        up
    ] == pytest.approx(1)


Facts = dict[str, Any]
WRONG: dict[str, tuple[Callable[[Facts], object], str]] = {
    "moved": (lambda f: f["posts"][0].update(position=[0.2, 1.4, 0.1]), "stands 0.1 m from where"),
    "a path to nowhere": (lambda f: f["posts"][0].update(index_path="0/29"), "leads nowhere"),
    "a path to another": (
        lambda f: f["posts"][0].update(index_path=f["posts"][1]["index_path"]),
        "leads to post_hook",
    ),
    "a path to the mesh": (lambda f: f["posts"][0].update(index_path="0"), "leads to a mesh"),
    "no path": (lambda f: f["posts"][0].pop("index_path"), "leads nowhere"),
    "another node": (lambda f: f["posts"][0].update(node="lamp"), "post_lantern is read"),
    "turned": (lambda f: f["posts"][0].update(direction=[0.6, 0.8, 0]), "does not point along"),
    "no position": (lambda f: f["posts"][0].pop("position"), "that can be read"),
    "a position of two": (lambda f: f["posts"][0].update(position=[1, 2]), "that can be read"),
    "told twice": (lambda f: f["posts"].append(dict(f["posts"][0])), "names a post twice"),
    "hanging outside": (
        lambda f: f["posts"][0]["attached"].update(path="../lantern.glb"),
        "no path inside the kit",
    ),
    "hanging nowhere": (lambda f: f["posts"][0]["attached"].pop("path"), "no path inside the kit"),
    "hanging turned": (
        lambda f: f["posts"][0]["attached"].update(rotation=[0, 1, 0, 0]),
        "a rotation of its own",
    ),
}


@pytest.mark.parametrize("name", WRONG)
def test_a_post_that_is_wrong_is_named(name: str, package: Path) -> None:
    change, said = WRONG[name]
    body = json.loads((package / "ball.json").read_text("utf-8"))
    change(body)
    again(package, json.dumps(body).encode())
    assert said in refusals(land(package, find_sheet)), refusals(land(package, find_sheet))


def test_a_post_that_has_to_be_there_is_held_and_refused(tmp_path: Path) -> None:
    rules = sheet(posts={"required": ("bell",)})
    log = land(delivered(posted(), rules, tmp_path), find_sheet, rules)
    assert "there is no post bell" in refusals(log)


def test_a_post_on_a_joint_goes_with_it_and_is_made_once() -> None:
    scene = bar()
    joint = scene.nodes[scene.skins[0].joints[-1]].name
    said = (("grip", (0.0, 1.2, 0.3), (0.0, 0.0, -1.0), joint, ""),)
    out = run("posts", run("posts", scene, posts=said).scene, posts=said).scene
    ((n, post),) = posts_of(out)
    at, way = stands(post, world_matrices(out)[n])
    assert at == pytest.approx([0, 1.2, 0.3]) and way == pytest.approx([0, 0, -1])
    assert any(n in out.nodes[j].children for j in out.skins[0].joints) and "/" in index_path(out, n)
    lost = run("posts", scene, posts=(("grip", (0, 0, 0), (0, 0, 1), "tail", ""),))
    assert "tail is not here" in lost.remarks[0].text


@pytest.mark.parametrize("way", [(0, 1, 0), (0, -1, 0), (1, 0, 0), (1, 2, 3), (0, 0, -1)])
def test_a_frame_points_where_it_is_told(way: tuple[float, float, float]) -> None:
    axes = frame_along(way)
    assert np.allclose(axes.T @ axes, np.eye(3)) and np.linalg.det(axes) == pytest.approx(1)
    assert axes[:, 2] == pytest.approx(np.array(way) / np.linalg.norm(way))


def test_a_sheet_without_posts_gets_none() -> None:
    out = with_fittings(posted(), sheet(posts={"form": "none"}))
    assert not any("hook" in n.name for k, n in enumerate(out.nodes) if k in out.roots)


def test_three_follows_levels_shapes_and_posts(package: Path) -> None:
    """three.js reads the delivered file: names, triangles, and the index path as child numbers of its own scene."""
    tree = read_modern("three", package / "ball.glb")["tree"]
    facts = json.loads((package / "ball.json").read_text("utf-8"))
    by_path = {o["path"]: o for o in tree}
    for row in facts["posts"]:
        found = by_path[row["index_path"]]
        assert found["name"] == row["node"] and not found["mesh"]
        assert found["at"] == pytest.approx(row["position"], abs=1e-5) and found["along"] == pytest.approx(
            row["direction"], abs=1e-5
        )
    by_name = {o["name"]: o for o in tree}
    # three.js gives no name twice, and the scene has that of the asset: the finest is told by its path.
    assert [by_path["0"]["triangles"], *(by_name[r["node"]]["triangles"] for r in facts["levels"][1:])] == [
        r["triangles"] for r in facts["levels"]
    ]
    assert all(by_name[f"ball_{purpose}"]["mesh"] for purpose in ("hits", "picking", "around"))
