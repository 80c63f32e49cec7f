"""PLY and STL, text and binary."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.errors import CustomsError
from customs.geometry.triangles import signed_volume, triangles_of
from customs.scene.arrays import frozen
from customs.scene.model import Scene
from tests.assets import cube, letter_primitive, loaded, saved, scene_of

HEADER = "ply\nformat {form} 1.0\ncomment made by hand\nelement vertex 5\nproperty float x\nproperty float y\nproperty float z\n"
FACES = "element face 2\nproperty list uchar int vertex_indices\nend_header\n"
POINTS = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (0.5, 0.5, 1)]


def ascii_ply(faces: list[list[int]]) -> bytes:
    body = "".join(f"{x} {y} {z}\n" for x, y, z in POINTS) + "".join(
        " ".join(map(str, [len(f), *f])) + "\n" for f in faces
    )
    return (HEADER.format(form="ascii") + FACES.replace("face 2", f"face {len(faces)}") + body).encode()


def binary_ply(faces: list[list[int]], order: str) -> bytes:
    name = "binary_little_endian" if order == "<" else "binary_big_endian"
    head = HEADER.format(form=name) + FACES.replace("face 2", f"face {len(faces)}")
    body = b"".join(struct.pack(order + "3f", *p) for p in POINTS)
    body += b"".join(struct.pack(f"{order}B{len(f)}i", len(f), *f) for f in faces)
    return head.encode() + body


def ply(data: bytes, tmp_path: Path) -> Scene:
    (tmp_path / "thing.ply").write_bytes(data)
    return loaded(tmp_path / "thing.ply")


UNIFORM, MIXED = [[0, 1, 4], [1, 2, 4]], [[0, 3, 2, 1], [0, 1, 4], [1, 2, 4], [2, 3, 0, 1, 4]]


@pytest.mark.parametrize("faces", [UNIFORM, MIXED])
@pytest.mark.parametrize("kind", ["ascii", "<", ">"])
def test_all_forms_say_the_same(kind: str, faces: list[list[int]], tmp_path: Path) -> None:
    data = ascii_ply(faces) if kind == "ascii" else binary_ply(faces, kind)
    prim = ply(data, tmp_path).meshes[0].primitives[0]
    assert np.allclose(prim.positions, POINTS)
    assert len(triangles_of(prim)) == sum(len(f) - 2 for f in faces)
    assert (prim.mode == "polygons") == (faces is MIXED)


@pytest.mark.parametrize("kind", ["ascii", "<"])
def test_many_mixed_faces_across_blocks(kind: str, tmp_path: Path) -> None:
    rng = np.random.default_rng(4)
    faces = [list(rng.permutation(5)[: rng.integers(3, 6)]) for _ in range(3000)]
    data = ascii_ply(faces) if kind == "ascii" else binary_ply(faces, kind)
    prim = ply(data, tmp_path).meshes[0].primitives[0]
    assert prim.indices is not None and prim.indices.tolist() == [int(i) for f in faces for i in f]


def test_normals_uvs_colours_and_custom_columns(tmp_path: Path) -> None:
    head = (
        "ply\nformat ascii 1.0\nelement vertex 3\n" + "".join(f"property float {n}\n" for n in ["x", "y", "z", "nx", "ny", "nz", "u", "v", "heat"])
        + "".join(f"property uchar {n}\n" for n in ("red", "green", "blue", "alpha")) + "element face 1\n"
        "property list uchar int vertex_index\nend_header\n"
    )  # fmt: skip
    rows = (
        "0 0 0 0 0 1 0 0 7 255 0 0 255\n1 0 0 0 0 1 1 0 8 0 128 0 128\n0 1 0 0 0 1 0 1 9 0 0 0 0\n3 0 1 2\n"
    )
    prim = ply((head + rows).encode(), tmp_path).meshes[0].primitives[0]
    assert prim.normals is not None and prim.texcoords[0].tolist() == [[0, 0], [1, 0], [0, 1]]
    # IEC 61966-2-1: 128/255 is 0.2159 in linear light
    assert np.allclose(prim.colours[0][1], [0, 0.2159, 0, 128 / 255], atol=1e-3)
    assert prim.custom["_HEAT"].tolist() == [7, 8, 9]


def test_without_faces_it_is_a_cloud(tmp_path: Path) -> None:
    data = (HEADER.format(form="ascii") + "end_header\n" + "0 0 0\n" * 5).encode()
    assert ply(data, tmp_path).meshes[0].primitives[0].mode == "points"


@pytest.mark.parametrize(
    "data",
    [
        b"ply\nformat ascii 1.0\n",
        b"ply\nformat morse 1.0\nend_header\n",
        b"ply\nformat ascii 1.0\nelement vertex many\nend_header\n",
        b"ply\nformat ascii 1.0\nelement vertex 1\nproperty float q\nend_header\n1\n",
        b"ply\nformat binary_little_endian 1.0\nelement vertex 999999999\nproperty float x\nproperty float y\nproperty float z\nend_header\n",
        ascii_ply([[0, 1, 9]]),
        ascii_ply([[0, 1, -1]]),
        ascii_ply(MIXED)[:-30],
        binary_ply(MIXED, "<")[:-6],
        binary_ply(UNIFORM, "<")[:-30],
        ascii_ply(UNIFORM).replace(b"0.5", b"half"),
    ],
)
def test_bad_ply_is_refused(data: bytes, tmp_path: Path) -> None:
    with pytest.raises(CustomsError) as problem:
        ply(data, tmp_path)
    assert "thing.ply" in str(problem.value)


def test_ply_round_trip(tmp_path: Path) -> None:
    prim = letter_primitive(0, material=None)
    coloured = replace(prim, colours=(frozen(np.tile([1.0, 0.5, 0.25, 1.0], (len(prim.positions), 1))),))
    again = loaded(saved(scene_of(coloured), tmp_path / "f.ply")).meshes[0].primitives[0]
    assert (again.positions == prim.positions).all() and (triangles_of(again) == triangles_of(prim)).all()
    assert again.normals is not None and np.allclose(again.normals, prim.normals, atol=1e-6)
    assert np.allclose(again.colours[0], coloured.colours[0], atol=4e-3)


def binary_stl(count: int, stated: int | None = None) -> bytes:
    record = struct.pack("<12fH", 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0)
    return (
        b"solid but binary".ljust(80)
        + struct.pack("<I", count if stated is None else stated)
        + record * count
    )


def stl(data: bytes, tmp_path: Path) -> Scene:
    (tmp_path / "thing.stl").write_bytes(data)
    return loaded(tmp_path / "thing.stl")


def test_binary_that_begins_like_text(tmp_path: Path) -> None:
    assert len(triangles_of(stl(binary_stl(7), tmp_path).meshes[0].primitives[0])) == 7


def test_text_with_several_solids(tmp_path: Path) -> None:
    facet = "facet normal 0 0 1\n outer loop\n  vertex 0 0 0\n  vertex 1e0 0 0\n  vertex 0 1.5E+0 0\n endloop\nendfacet\n"
    text = f"solid first part\n{facet}endsolid first part\nsolid second\n{facet}{facet}endsolid\n"
    scene = stl(text.encode(), tmp_path)
    assert [m.name for m in scene.meshes] == ["first part", "second"]
    assert [len(m.primitives[0].positions) for m in scene.meshes] == [3, 6]


@pytest.mark.parametrize(
    "data",
    [
        b"solid x\nfacet normal 0 0 1\n vertex 0 0\n",
        binary_stl(3, 4_000_000),
        binary_stl(2)[:100],
        b"\0" * 20,
    ],
)
def test_bad_stl_is_refused(data: bytes, tmp_path: Path) -> None:
    with pytest.raises(CustomsError) as problem:
        stl(data, tmp_path)
    assert "thing.stl" in str(problem.value)


def test_no_triangles_at_all(tmp_path: Path) -> None:
    scene = stl(b"solid empty\nendsolid empty\n", tmp_path)
    assert not scene.meshes and any("no triangles" in r.text for r in scene.remarks)


def test_stl_round_trip(tmp_path: Path) -> None:
    again = loaded(saved(scene_of(cube(2.0)), tmp_path / "c.stl")).meshes[0].primitives[0]
    assert signed_volume(again.positions, triangles_of(again)) == pytest.approx(8.0)
