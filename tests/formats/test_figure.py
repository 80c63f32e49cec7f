"""Boxed figures against boxes and unfolded cells worked by hand, through mappings, as jointed figures that play, and all that may be
wrong.
"""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial.transform import Rotation

from customs.demo.textures import encoded
from customs.errors import ReadError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Scene
from customs.scene.tree import world_matrices
from tests.assets import key
from tests.brushes.test_court import applied
from tests.work.test_cli import call

HEAD = {
    "name": "head",
    "pivot": [0, 15, 6],
    "boxes": [{"from": [-2, 14, 5], "size": [4, 4, 5], "cell": [40, 0]}],
}
BODY = {
    "name": "body",
    "pivot": [0, 12, 0],
    "boxes": [{"from": [-4, 8, -6], "size": [8, 7, 12], "cell": [0, 0]}],
    "parts": [HEAD],
}
STORK = {"figure": 1, "unit": 0.0625, "texture": {"file": "stork.png", "size": [64, 32]}, "parts": [BODY]}


def read(folder: Path, body: Any, name: str = "stork.figure") -> Scene:
    path = folder / name
    path.write_text(body if isinstance(body, str) else json.dumps(body), "utf-8")
    return read_scene(Source(path))


def told(scene: Scene) -> str:
    return "\n".join(r.text for r in scene.remarks)


def solid(scene: Scene, mesh: int) -> trimesh.Trimesh:
    (p,) = scene.meshes[mesh].primitives
    return trimesh.Trimesh(p.positions, p.indices.reshape(-1, 3))


def rectangle(scene: Scene, mesh: int, normal: tuple[float, ...]) -> list[float]:
    """Pixels u0, v0, u1, v1 of the face that looks along `normal`, of a picture of 64 × 32."""
    (p,) = scene.meshes[mesh].primitives
    uv = p.texcoords[0][np.abs(p.normals - normal).max(axis=1) < 1e-6] * [64, 32]
    return [*uv.min(axis=0).tolist(), *uv.max(axis=0).tolist()]


def test_parts_boxes_and_cells_worked_by_hand(tmp_path: Path) -> None:
    (tmp_path / "stork.png").write_bytes(encoded(np.zeros((32, 64, 3), np.uint8), "png"))
    scene = read(tmp_path, STORK)
    assert not told(scene) and scene.convention.metres_per_unit == 0.0625 and scene.images[0].there
    body, head = scene.nodes
    assert (body.name, head.name, body.children, scene.roots) == ("body", "head", (1,), (0,))
    assert body.translation.tolist() == [0, 12, 0] and head.translation.tolist() == [0, 3, 6]
    box = solid(scene, 0)
    assert (
        box.is_watertight
        and box.volume == pytest.approx(8 * 7 * 12)
        and box.bounds.tolist() == [[-4, -4, -6], [4, 3, 6]]
    )
    # Unfolded by hand: 8 wide, 7 high, 12 deep.
    assert rectangle(scene, 0, (0, 1, 0)) == pytest.approx([12, 0, 20, 12])
    assert rectangle(scene, 0, (0, -1, 0)) == pytest.approx([20, 0, 28, 12])
    assert rectangle(scene, 0, (0, 0, 1)) == pytest.approx([12, 12, 20, 19])
    assert rectangle(scene, 0, (0, 0, -1)) == pytest.approx([32, 12, 40, 19])
    assert rectangle(scene, 0, (1, 0, 0)) == pytest.approx([0, 12, 12, 19])
    assert rectangle(scene, 0, (-1, 0, 0)) == pytest.approx([20, 12, 32, 19])
    assert rectangle(scene, 1, (0, 0, 1)) == pytest.approx([45, 5, 49, 9])
    # The picture stands upright on the front: its upper left is at the figure's right hand, seen from the front.
    (p,) = scene.meshes[0].primitives
    at = np.flatnonzero((np.abs(p.positions - [-4, 3, 6]).max(axis=1) < 1e-6) & (p.normals[:, 2] > 0.5))[0]
    assert (p.texcoords[0][at] * [64, 32]).tolist() == pytest.approx([12, 12])


def test_grown_mirrored_turned_and_faces_by_name(tmp_path: Path) -> None:
    box = {"from": [0, 0, 0], "size": [2, 2, 2], "cell": [8, 8]}
    boxes = [
        {**box, "grow": 0.5}, {**box, "mirror": True}, {**box, "faces": {"south": [1, 2, 3, 4], "up": {"uv": [5, 6], "uv_size": [2, -1]}}},
        {**box, "rotation": [0, 0, 90], "pivot": [2, 0, 0]}, {**box, "size": [-2, 2, 2]},
    ]  # fmt: skip
    parts = [{"name": f"p{k}", "boxes": [b]} for k, b in enumerate(boxes)]
    scene = read(tmp_path, {"figure": 1, "texture": {"size": [64, 32]}, "parts": parts})
    assert solid(scene, 0).bounds.tolist() == [[-0.5] * 3, [2.5] * 3] and rectangle(
        scene, 0, (0, 0, 1)
    ) == pytest.approx([10, 10, 12, 12])
    assert solid(scene, 1).volume == pytest.approx(8)
    (plain, mirrored) = (scene.meshes[k].primitives[0].texcoords[0][16:20] * [64, 32] for k in (0, 1))
    assert mirrored[:, 0].tolist() == pytest.approx(plain[[1, 0, 3, 2], 0].tolist()) and mirrored[
        :, 1
    ].tolist() == pytest.approx(plain[:, 1].tolist())
    assert rectangle(scene, 1, (1, 0, 0)) == rectangle(scene, 0, (-1, 0, 0))
    assert rectangle(scene, 2, (0, 0, 1)) == pytest.approx([1, 2, 3, 4]) and rectangle(
        scene, 2, (0, 1, 0)
    ) == pytest.approx([5, 5, 7, 6])
    # A quarter turn about an edge, by hand: (0..2, 0..2) about (2, 0) becomes (0..2, −2..0).
    assert solid(scene, 3).bounds.round(6).tolist() == [[0, -2, 0], [2, 0, 2]]
    assert solid(scene, 4).bounds.tolist() == [[-2, 0, 0], [0, 2, 2]] and solid(
        scene, 4
    ).volume == pytest.approx(8)


MAPPING = """version = 1
parts = "/model/bones"
pivots = "parent"
corners = "pivot"
euler = "xyz"
texture = "/model/skin"
texture_size = "/model/skin_size"
[part]
name = "/id"
pivot = "/joint"
rotation = "/angles"
boxes = "/cubes"
parent = "/under"
[box]
start = "/low"
end = "/high"
cell = "/uv"
[frame]
up = "+Z"
faces = "-Y"
metres_per_unit = 0.1
"""


def other(angles: list[float]) -> dict[str, Any]:
    """The stork in another shape: named parents, pivots from the part above, corners from the pivot."""
    bones = [
        {
            "id": "head",
            "under": "body",
            "joint": [0, 3, 6],
            "cubes": [{"low": [-2, -1, -1], "high": [2, 3, 4], "uv": [40, 0]}],
        },
        {
            "id": "body",
            "joint": [0, 12, 0],
            "angles": angles,
            "cubes": [{"low": [-4, -4, -6], "high": [4, 3, 6], "uv": [0, 0]}],
        },
    ]
    return {"model": {"skin": "stork.png", "skin_size": [64, 32], "bones": bones}}


def test_another_shape_through_a_mapping_from_the_command_line(tmp_path: Path) -> None:
    (tmp_path / "stork.png").write_bytes(encoded(np.full((32, 64, 3), 120, np.uint8), "png"))
    (tmp_path / "boxes.toml").write_text(MAPPING, "utf-8")
    (tmp_path / "stork.json").write_text(json.dumps(other([0, 0, 0])), "utf-8")
    code, text = call(
        "port",
        tmp_path / "stork.json",
        "--mapping",
        tmp_path / "boxes.toml",
        "--to",
        "metre-yup-pbr",
        "--out",
        tmp_path / "out",
    )
    assert code == 0 and "landed and accepted" in text, text
    # 19 units high in Z, at 0.1 m, after the turn: Y up.
    written = trimesh.load(next((tmp_path / "out").rglob("*.gl*")), force="mesh")
    assert written.extents.tolist() == pytest.approx([0.8, 1.6, 1.0], abs=1e-4)
    (tmp_path / "boxes.toml").write_text(MAPPING.replace('end = "/high"', ""), "utf-8")
    code, text = call(
        "check", tmp_path / "stork.json", "--mapping", tmp_path / "boxes.toml", "--to", "metre-yup-pbr"
    )
    assert code == 2 and "either a size, or the high corner" in text


def test_turns_are_those_of_scipy_and_both_ways_of_pivots_agree(tmp_path: Path) -> None:
    import tomllib

    from customs.formats.figure.mapping import FigureFile, FigureMapping

    mapping = FigureMapping.model_validate(tomllib.loads(MAPPING))
    (tmp_path / "stork.json").write_text(json.dumps(other([20, -30, 40])), "utf-8")
    scene = read(tmp_path, FigureFile(source="stork.json", mapping=mapping).text())
    (tmp_path / "stork.json").write_text(json.dumps(other([20, -30, 41])), "utf-8")
    # Another figure behind the same file is another asset.
    assert read(tmp_path, FigureFile(source="stork.json", mapping=mapping).text()).digest != scene.digest
    head, body = scene.nodes
    assert (head.name, scene.roots, body.children) == ("head", (1,), (0,))
    assert Rotation.from_quat(body.rotation).as_matrix() == pytest.approx(
        Rotation.from_euler("xyz", [20, -30, 40], degrees=True).as_matrix()
    )
    own = read(tmp_path, STORK)
    for a, b in ((0, 1), (1, 0)):
        assert np.allclose(scene.meshes[a].primitives[0].positions, own.meshes[b].primitives[0].positions)


def test_a_figure_becomes_a_jointed_one_and_plays(tmp_path: Path) -> None:
    scene = read(tmp_path, STORK)
    jointed, said = applied(scene, "rigid")
    assert jointed.skins and {jointed.nodes[j].name for j in jointed.skins[0].joints} >= {"body", "head"}, (
        said
    )
    head = next(k for k, n in enumerate(jointed.nodes) if n.name == "head")
    turn = Rotation.from_euler("y", 90, degrees=True).as_quat()
    keys = frozen(np.array([[0, 0, 0, 1], turn]), np.float32)
    clip = Clip(
        key("clip", 0), "look", (Channel(head, "rotation", frozen(np.array([0, 1]), np.float32), keys),)
    )
    moving = replace(jointed, clips=(clip,))
    rest, end = (np.concatenate(list(posed_scene_points(moving, clip, t))) for t in (0.0, 1.0))
    moved = np.abs(rest - end).max(axis=1) > 1e-6
    assert moved.sum() >= 20 and (~moved).sum() == 24
    pivot = world_matrices(jointed)[head][:3, 3]
    want = Rotation.from_quat(turn).apply(rest[moved] - pivot) + pivot
    assert np.allclose(end[moved], want, atol=1e-4)


FAULTS = {
    "no size": (
        {"boxes": [{"from": [0, 0, 0], "size": [0, 0, 4]}, {"from": [0, 0, 0], "size": [1, 1, 1]}]},
        "body: 1 of its boxes have no size",
    ),
    "no numbers": ({"pivot": [0, "x", 1]}, "pivot of body is no three numbers"),
    "infinite": ({"pivot": [0, 1e999, 1]}, "pivot of body is no three numbers"),
    "corner": (
        {"boxes": [{"from": [0, 0], "size": [1, 1, 1]}]},
        "corner of box 1 of body is no three numbers",
    ),
}


@pytest.mark.parametrize("fault", FAULTS)
def test_what_is_wrong_is_told_by_name_and_the_rest_is_there(tmp_path: Path, fault: str) -> None:
    change, expected = FAULTS[fault]
    scene = read(tmp_path, {**STORK, "parts": [{**BODY, **change}]})
    assert (
        expected in told(scene)
        and {n.name for n in scene.nodes} == {"body", "head"}
        and len(scene.meshes) == 2
    )


def test_texture_circle_and_broken_files(tmp_path: Path) -> None:
    assert "the size of the texture is not said" in told(read(tmp_path, {"figure": 1, "parts": [BODY]}))
    assert read(tmp_path, STORK).images[0].problem == "stork.png is not there"
    bones = [{"name": "a", "up": "b"}, {"name": "b", "up": "a"}, {"name": "c", "up": "nobody"}]
    body = {"figure": 1, "source": "m.json", "mapping": {"parts": "/*", "part": {"parent": "/up"}}}
    (tmp_path / "m.json").write_text(json.dumps(bones), "utf-8")
    scene = read(tmp_path, body)
    assert (
        "1 part hung under themselves" in told(scene)
        and "1 part hung under a part that is not there" in told(scene)
        and len(scene.nodes) == 3
    )
    for text, said in (
        ('{"figure": 1, "parts": []}', "no part"), ('{"figure": 1, "parts": [', "not well-formed"),
        ('{"figure": 1, "source": "gone.json", "mapping": {}}', "gone.json is not there"), ('{"figure": 1, "mapping": {"euler": "AAA"}}', "euler"),
    ):  # fmt: skip
        with pytest.raises(ReadError, match=said):
            read(tmp_path, text)
    deep: dict[str, Any] = {"name": "x"}
    for _ in range(260):
        deep = {"name": "x", "parts": [deep]}
    with pytest.raises(ReadError, match="200 deep"):
        read(tmp_path, {"figure": 1, "parts": [deep]})
