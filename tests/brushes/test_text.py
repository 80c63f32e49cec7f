"""Brush text: both projections against faces worked by hand, entities and lights, textures and their sizes, all that may be wrong."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh

from customs.demo.textures import encoded
from customs.errors import ReadError
from customs.formats.brushes.projection import axes_of
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.scene.model import Scene

PLANES = (
    "( 0 0 0 ) ( 0 1 0 ) ( 0 0 1 )", "( 0 0 0 ) ( 0 0 1 ) ( 1 0 0 )", "( 0 0 0 ) ( 1 0 0 ) ( 0 1 0 )",
    "( 64 64 32 ) ( 64 65 32 ) ( 65 64 32 )", "( 64 64 32 ) ( 65 64 32 ) ( 64 64 33 )", "( 64 64 32 ) ( 64 64 33 ) ( 64 65 32 )",
)  # fmt: skip
"""A box of 64 × 64 × 32 from the origin: −X, −Y, −Z, +Z, +Y, +X."""


def brush(tail: str = "0 0 0 1 1", texture: str = "wall", planes: tuple[str, ...] = PLANES) -> str:
    return "{\n" + "".join(f"{p} {texture} {tail}\n" for p in planes) + "}\n"


def level(*brushes: str, more: str = "") -> str:
    return '{\n"classname" "world"\n' + "".join(brushes) + "}\n" + more


def read(folder: Path, text: str | bytes) -> Scene:
    path = folder / "a.map"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return read_scene(Source(path))


def told(scene: Scene) -> str:
    return "\n".join(r.text for r in scene.remarks)


def solid(scene: Scene, mesh: int = 0) -> trimesh.Trimesh:
    corners = np.concatenate(
        [p.positions[p.indices].reshape(-1, 3, 3) for p in scene.meshes[mesh].primitives]
    )
    return trimesh.Trimesh(corners.reshape(-1, 3), np.arange(len(corners) * 3).reshape(-1, 3))


def uv_at(scene: Scene, place: tuple[float, ...], normal: tuple[float, ...]) -> list[float]:
    """UVs at a corner of the face that looks along `normal`."""
    prim = scene.meshes[0].primitives[0]
    hit = (np.abs(prim.positions - place).max(axis=1) < 1e-3) & (
        np.abs(prim.normals - normal).max(axis=1) < 1e-3
    )
    return prim.texcoords[0][np.flatnonzero(hit)[0]].tolist()


def difference(
    scene: Scene, a: tuple[float, ...], b: tuple[float, ...], normal: tuple[float, ...]
) -> list[float]:
    return [y - x for x, y in zip(uv_at(scene, a, normal), uv_at(scene, b, normal))]


def test_a_box_with_its_size_and_its_pictures_on_it(tmp_path: Path) -> None:
    (tmp_path / "textures").mkdir()
    (tmp_path / "textures" / "wall.png").write_bytes(encoded(np.full((32, 128, 3), 90, np.uint8), "png"))
    scene = read(tmp_path, level(brush("0 0 0 2 1")))
    box = solid(scene)
    assert (
        box.is_watertight
        and box.volume == pytest.approx(64 * 64 * 32)
        and np.allclose(box.bounds, [[0, 0, 0], [64, 64, 32]])
    )
    assert scene.convention.up == "+Z" and scene.images[0].content is not None
    # By hand: the floor's columns grow along X, its rows against Y; 64 units are 32 pixels at a scale of two, of 128; 64 of 32 rows.
    assert difference(scene, (0, 0, 32), (64, 0, 32), (0, 0, 1)) == pytest.approx([32 / 128, 0])
    assert difference(scene, (0, 0, 32), (0, 64, 32), (0, 0, 1)) == pytest.approx([0, -64 / 32])
    # A wall that looks along X: columns along Y, rows downward.
    assert difference(scene, (64, 0, 0), (64, 64, 0), (1, 0, 0)) == pytest.approx([32 / 128, 0])
    assert difference(scene, (64, 0, 0), (64, 0, 32), (1, 0, 0)) == pytest.approx([0, -32 / 32])
    # One that looks along Y: columns along X.
    assert difference(scene, (0, 64, 0), (64, 64, 0), (0, 1, 0)) == pytest.approx([32 / 128, 0])


def test_turned_and_moved_along_the_axes_of_the_level(tmp_path: Path) -> None:
    (tmp_path / "texture-sizes.csv").write_text("name,width,height\nWall,64,64\n", "utf-8")
    scene = read(tmp_path, level(brush("16 8 90 1 1")))
    # By hand, the floor: s = (1, 0, 0), t = (0, −1, 0); turned by 90°: s = (0, 1, 0), t = (1, 0, 0).
    assert uv_at(scene, (0, 0, 32), (0, 0, 1)) == pytest.approx([16 / 64, 8 / 64])
    assert difference(scene, (0, 0, 32), (64, 0, 32), (0, 0, 1)) == pytest.approx([0, 1], abs=1e-6)
    assert difference(scene, (0, 0, 32), (0, 64, 32), (0, 0, 1)) == pytest.approx([1, 0], abs=1e-6)
    # 30° by hand: (cos, sin) of it.
    normals, none = np.array([[0.0, 0, 1]]), np.array([False])
    along, off = axes_of(normals, none, np.zeros((1, 2, 4)), np.array([30.0]), np.array([[1.0, 0.0]]))
    assert along[0] == pytest.approx(np.array([[np.sqrt(3) / 2, 0.5, 0], [0.5, -np.sqrt(3) / 2, 0]]))
    assert off.tolist() == [[0, 0]]


def test_axes_of_a_face_of_its_own(tmp_path: Path) -> None:
    (tmp_path / "texture-sizes.csv").write_text("wall,32,16\n", "utf-8")
    scene = read(tmp_path, level(brush("[ 0.6 0.8 0 4 ] [ 0 0 -1 2 ] 30 0.5 0.25 0 0 0")))
    # u = (0.6·64 / 0.5 + 4) / 32, v = (0 / 0.25 + 2) / 16, whatever the turn says: it is in the axes already.
    assert difference(scene, (0, 0, 32), (64, 0, 32), (0, 0, 1)) == pytest.approx([0.6 * 64 / 0.5 / 32, 0])
    assert difference(scene, (64, 0, 0), (64, 0, 32), (1, 0, 0)) == pytest.approx([0, -32 / 0.25 / 16])
    first = uv_at(scene, (0, 0, 32), (0, 0, 1))
    assert [first[0] % 1, first[1] % 1] == pytest.approx([4 / 32 % 1, (-32 / 0.25 + 2) / 16 % 1])


def test_entities_with_their_keys_and_lights(tmp_path: Path) -> None:
    lights = '{\n"classname" "light"\n"origin" "32 16 8"\n"_light" "255 128 0 250"\n}\n{ "classname" "light_spot" "_cone" "30" "origin" "0 0 0" }\n'
    scene = read(
        tmp_path,
        level(
            brush(),
            more=lights + '{\n"classname" "start"\n"origin" "1 2 3"\n"angle" "90"\n"note" "a // b"\n}\n',
        ),
    )
    assert [n.name for n in scene.nodes] == ["world", "light", "light_spot", "start"]
    light, spot = scene.lights
    assert (
        light.intensity == 250 and light.colour == pytest.approx((1, 128 / 255, 0)) and light.kind == "point"
    )
    assert spot.kind == "spot" and spot.outer == pytest.approx(np.radians(30)) and spot.intensity == 300
    start = scene.nodes[3]
    assert start.extras["note"] == "a // b" and start.translation.tolist() == [1, 2, 3]
    assert start.rotation == pytest.approx([0, 0, np.sqrt(0.5), np.sqrt(0.5)])


FAULTS = {
    "a point in a line": (
        brush(planes=("( 0 0 0 ) ( 1 0 0 ) ( 2 0 0 )", *PLANES)),
        "line 4: a plane whose three points lie in a line",
    ),
    "a plane twice": (brush(planes=(*PLANES, PLANES[0])), "line 3: a brush with several planes in one place"),
    "a plane too few": (brush(planes=PLANES[:5]), "line 3: a brush that is no solid (open on a side"),
    "three planes": (brush(planes=PLANES[:3]), "line 3: a brush that is no solid (fewer than four planes)"),
    "holds nothing": (
        brush(planes=(*PLANES, "( 0 0 -9 ) ( 0 1 -9 ) ( 1 0 -9 )")),
        "line 3: a brush that is no solid (holds no space",
    ),
    "ten thousand planes": (
        brush(planes=tuple(f"( 0 0 {k} ) ( 0 1 {k} ) ( 1 0 {k} )" for k in range(10_000))),
        "line 3: a brush that is no solid (more than 1,024 planes)",
    ),
    "no number": (brush(planes=("( 0 0 x ) ( 0 1 0 ) ( 0 0 1 )", *PLANES)), "line 4: '( 0 0 x )"),
    "infinite": (
        brush(planes=("( 0 0 1e999 ) ( 0 1 0 ) ( 0 0 1 )", *PLANES)),
        "line 4: numbers of a face cannot be read",
    ),
    "projection cut short": (brush("0 0 0"), "line 4: numbers of a face cannot be read"),
    "another surface": (
        "{\npatch\n{\nwall\n( 3 3 0 0 0 )\n}\n}\n",
        "line 4: 'patch' is no face, key or bracket",
    ),
    "a stray bracket": (brush() + "}\n}\n", "a bracket closes that none opened"),
}


@pytest.mark.parametrize("fault", FAULTS)
def test_what_is_wrong_is_told_by_its_line_and_the_rest_is_there(tmp_path: Path, fault: str) -> None:
    text, expected = FAULTS[fault]
    scene = read(tmp_path, level(text) if fault == "a stray bracket" else level(text, brush(texture="floor")))
    assert expected in told(scene)
    assert solid(scene).volume >= 64 * 64 * 32 - 1


def test_cut_off_text_and_other_encodings(tmp_path: Path) -> None:
    whole = level(brush(), brush(texture="floor"))
    cut = read(tmp_path, whole[: whole.rindex("( 64")])
    assert "the text is cut off" in told(cut) and solid(cut).volume == pytest.approx(64 * 64 * 32)
    for data in (
        whole.encode("utf-16"),
        b"\xef\xbb\xbf" + whole.replace("\n", "\r\n").encode(),
        whole.replace("wall", "m\xfcr").encode("latin-1"),
    ):
        assert len(read(tmp_path, data).meshes[0].primitives) == 2
    one_line = read(tmp_path, whole.replace("\n", " "))
    assert solid(one_line).volume == pytest.approx(2 * 64 * 64 * 32)
    with pytest.raises(ReadError, match="no entity"):
        read(tmp_path, "// nothing\n")


def test_textures_are_found_by_name_and_wrong_sizes_told(tmp_path: Path) -> None:
    for place in ("textures/court/wall.png", "textures/old/wall.png", "textures/old/only.png"):
        (tmp_path / place).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / place).write_bytes(encoded(np.zeros((8, 8, 3), np.uint8), "png"))
    (tmp_path / "textures" / "texture-sizes.csv").write_text(
        "name,width,height\ngone,0,64\nlost,x\nfar,256,128\n", "utf-8"
    )
    names = ("court/wall", "wall", "ONLY", "gone", "far", "../../secret")
    scene = read(tmp_path, level(*(brush(texture=n) for n in names)))
    images = {i.uri: i for i in scene.images}
    assert images["court/wall"].there and images["ONLY"].there
    assert "2 files may be meant" in images["wall"].problem and not images["../../secret"].there
    assert "texture-sizes.csv line 2, 3: no size" in told(scene)
    assert "3 textures of unknown size" in told(scene)
