"""OBJ and MTL."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import PIL.Image
import pytest

from customs.errors import CustomsError
from customs.formats.obj.mtl import split_options
from customs.formats.text_lines import decimals_for, format_integers, format_rows
from customs.geometry.triangles import signed_volume, triangles_of
from customs.scene.model import Scene
from tests.assets import cube, letter_primitive, loaded, saved, scene_of


def obj(text: str, tmp_path: Path, **files: bytes | str) -> Scene:
    """An OBJ through a file, with companions."""
    for name, content in files.items():
        path = tmp_path / name.replace("__", ".")
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
    (tmp_path / "thing.obj").write_text(text)
    return loaded(tmp_path / "thing.obj")


SQUARE = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\n"


def picture(tmp_path: Path, name: str, mode: str = "RGB") -> None:
    """A small texture file."""
    PIL.Image.new(mode, (4, 4), "white").save(tmp_path / name)


def test_polygons_are_kept_and_cut(tmp_path: Path) -> None:
    prim = obj(SQUARE + "f 1 2 3 4\n", tmp_path).meshes[0].primitives[0]
    assert prim.mode == "polygons" and prim.sizes is not None and prim.sizes.tolist() == [4]
    assert len(triangles_of(prim)) == 2


@pytest.mark.parametrize(
    "face", ["f 1 2 3", "f 1// 2// 3//", "f -4 -3 -2", "f 1/ 2/ 3/", "  f  1\t2   3  ", "f 1 2 3 # end"]
)
def test_forms_of_faces(face: str, tmp_path: Path) -> None:
    if "#" in face:
        face = face.split("#")[0]
    prim = obj(SQUARE + face + "\n", tmp_path).meshes[0].primitives[0]
    assert prim.positions.tolist() == [[0, 0, 0], [1, 0, 0], [1, 1, 0]]


def test_relative_indices_count_from_their_own_line(tmp_path: Path) -> None:
    text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf -3 -2 -1\nv 5 0 0\nv 6 0 0\nv 5 1 0\nf -3 -2 -1\n"
    prim = obj(text, tmp_path).meshes[0].primitives[0]
    assert prim.positions[:, 0].tolist() == [0, 1, 0, 5, 6, 5]


def test_mixed_forms_in_one_file(tmp_path: Path) -> None:
    text = (
        SQUARE
        + "vt 0 0\nvt 1 0\nvt 1 1\nvn 0 0 1\nusemtl a\nf 1/1/1 2/2/1 3/3/1\nusemtl b\nf 1 3 4\nusemtl c\nf 1//1 2//1 4//1\n"
    )
    prims = obj(text, tmp_path).meshes[0].primitives
    assert [bool(p.texcoords) for p in prims] == [True, False, False]
    assert [p.normals is not None for p in prims] == [True, False, True]


def test_vertices_are_shared_only_where_all_three_agree(tmp_path: Path) -> None:
    text = SQUARE + "vt 0 0\nvt 1 0\nvt 1 1\nvt 0.5 0.5\nf 1/1 2/2 3/3\nf 1/4 3/3 4/1\n"
    prim = obj(text, tmp_path).meshes[0].primitives[0]
    assert len(prim.positions) == 5


def test_groups_become_nodes_and_materials_primitives(tmp_path: Path) -> None:
    text = (
        "mtllib m.mtl\n"
        + SQUARE
        + "o left part\nusemtl red\nf 1 2 3\nusemtl blue\nf 1 3 4\no right\nusemtl red\nf 1 2 4\n"
    )
    scene = obj(text, tmp_path, m__mtl="newmtl red\nKd 1 0 0\nnewmtl blue\nKd 0 0 1\n")
    assert [n.name for n in scene.nodes] == ["left part", "right"]
    assert [[scene.materials[p.material or 0].name for p in m.primitives] for m in scene.meshes] == [
        ["red", "blue"],
        ["red"],
    ]


def test_lines_points_and_clouds(tmp_path: Path) -> None:
    scene = obj(SQUARE + "l 1 2 3\np 4\n", tmp_path)
    modes = {p.mode: p for p in scene.meshes[0].primitives}
    assert modes["lines"].indices is not None and len(modes["lines"].indices) == 4
    assert len(modes["points"].positions) == 1
    assert obj(SQUARE, tmp_path).meshes[0].primitives[0].mode == "points"


def test_smoothing_groups_make_normals(tmp_path: Path) -> None:
    fold = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 1\nv 2 1 1\n"
    soft = obj(fold + "s 1\nf 1 2 3 4\nf 2 5 6 3\n", tmp_path).meshes[0].primitives[0]
    hard = obj(fold + "s off\nf 1 2 3 4\nf 2 5 6 3\n", tmp_path).meshes[0].primitives[0]
    assert len(soft.positions) == 6 and len(hard.positions) == 8
    assert soft.normals is not None and np.allclose(np.linalg.norm(soft.normals, axis=1), 1, atol=1e-5)


def test_vertex_colours(tmp_path: Path) -> None:
    prim = obj("v 0 0 0 1 0 0\nv 1 0 0 0.5 0.5 0.5\nv 0 1 0\nf 1 2 3\n", tmp_path).meshes[0].primitives[0]
    # IEC 61966-2-1: sRGB 0.5 is 0.2140 in linear light
    assert np.allclose(
        prim.colours[0], [[1, 0, 0, 1], [0.21404, 0.21404, 0.21404, 1], [1, 1, 1, 1]], atol=1e-4
    )


def test_continued_lines_crlf_and_utf16(tmp_path: Path) -> None:
    text = SQUARE + "f 1 2 \\\n3 4\n"
    for data in (
        text.replace("\n", "\r\n").encode(),
        text.encode("utf-16"),
        b"\xef\xbb\xbf" + text.encode(),
        text.rstrip().encode(),
    ):
        (tmp_path / "thing.obj").write_bytes(data)
        assert len(triangles_of(loaded(tmp_path / "thing.obj").meshes[0].primitives[0])) == 2


def test_names_in_another_encoding(tmp_path: Path) -> None:
    (tmp_path / "thing.obj").write_bytes((SQUARE + "o Blütenkübel\nf 1 2 3\n").encode("latin-1"))
    assert loaded(tmp_path / "thing.obj").nodes[0].name == "Blütenkübel"


@pytest.mark.parametrize(
    ("line", "number"),
    [
        ("v 1 two 3", 5),
        ("v 1 2", 5),
        ("f 1 2 9", 0),
        ("f 1/2/3/4 2 3", 5),
        ("f a b c", 5),
        ("f -9 1 2", 5),
        ("f 0 1 2", 5),
    ],
)
def test_bad_lines_are_named(line: str, number: int, tmp_path: Path) -> None:
    with pytest.raises(CustomsError) as problem:
        obj(SQUARE + line + "\n" + "f 1 2 3\n", tmp_path)
    assert "thing.obj" in str(problem.value)
    if number:
        assert f"line {number}" in str(problem.value)


def test_material_keys(tmp_path: Path) -> None:
    for name in ("wood.png", "bump map.png", "glow.png", "orm.png"):
        picture(tmp_path, name)
    PIL.Image.new("RGB", (4, 4), (128, 128, 255)).save(tmp_path / "bump map.png")
    mtl = (
        "newmtl a\nKd 0.5 0.25 1\nd 0.5\nPr 0.3\nPm 0.7\nmap_Kd -o 0.5 0.25 -s 2 2 1 wood.png\nmap_Bump -bm 0.8 bump map.png\n"
        "map_Ke glow.png\nmap_Pr -imfchan g orm.png\nmap_Pm -imfchan b orm.png\nnewmtl b\nNs 98\nTr 0\n"
    )
    scene = obj("mtllib m.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\nusemtl b\nf 1 3 4\n", tmp_path, m__mtl=mtl)
    a, b = scene.materials
    assert a.base_colour == (0.5, 0.25, 1.0, 0.5) and (a.roughness, a.metallic) == (0.3, 0.7)
    assert a.alpha_mode == "blend" and a.emissive == (1.0, 1.0, 1.0)
    assert set(a.textures) == {"base_colour", "normal", "emissive", "metallic_roughness"}
    assert a.textures["base_colour"].scale == (2.0, 2.0) and a.textures["normal"].strength == 0.8
    # alpha = sqrt(2 / (98 + 2)) = 0.1414 (Walter et al. 2007), roughness its root
    assert b.roughness == pytest.approx(0.1414**0.5, abs=1e-3)


def test_texture_names_with_spaces_and_backslashes(tmp_path: Path) -> None:
    (tmp_path / "my maps").mkdir()
    picture(tmp_path / "my maps", "red wood.png")
    scene = obj(
        "mtllib m.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\n",
        tmp_path,
        m__mtl="newmtl a\nmap_Kd my maps\\red wood.png\n",
    )
    assert not scene.images[0].problem and scene.images[0].name == "red wood"


def test_other_case_is_found_with_a_remark(tmp_path: Path) -> None:
    picture(tmp_path, "WOOD.PNG")
    scene = obj(
        "mtllib m.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\n", tmp_path, m__mtl="newmtl a\nmap_Kd wood.png\n"
    )
    assert not scene.images[0].problem and any("WOOD.PNG" in r.text for r in scene.remarks)


def test_missing_library_and_texture_are_reported(tmp_path: Path) -> None:
    scene = obj("mtllib gone.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\n", tmp_path)
    assert any("gone.mtl" in r.text for r in scene.remarks) and scene.materials[0].name == "a"
    scene = obj(
        "mtllib m.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\n", tmp_path, m__mtl="newmtl a\nmap_Kd gone.png\n"
    )
    assert scene.images[0].problem == "gone.png is not there"


def test_a_library_out_of_the_folder_is_missing_and_not_followed(tmp_path: Path) -> None:
    (tmp_path / "secret.mtl").write_text("newmtl a\nKd 1 0 0\n")
    (tmp_path / "inside").mkdir()
    scene = obj("mtllib ../secret.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\n", tmp_path / "inside")
    assert any("leaves the folder" in r.text for r in scene.remarks)
    assert scene.materials[0].base_colour == (0.6, 0.6, 0.6, 1)


def test_companions_are_found_from_another_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "goods").mkdir()
    (tmp_path / "elsewhere").mkdir()
    obj("mtllib m.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\n", tmp_path / "goods", m__mtl="newmtl a\nKd 1 0 0\n")
    monkeypatch.chdir(tmp_path / "elsewhere")
    scene = loaded(Path("../goods/thing.obj"))
    assert scene.materials[0].base_colour[:3] == (1, 0, 0) and not scene.remarks


def test_several_libraries_in_one_statement_and_names_with_spaces(tmp_path: Path) -> None:
    files = {"m__mtl": "newmtl a\nKd 1 0 0\n", "n__mtl": "newmtl b\nKd 0 1 0\n"}
    scene = obj("mtllib m.mtl n.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\nusemtl b\nf 1 3 2\n", tmp_path, **files)
    assert [m.base_colour[:3] for m in scene.materials] == [(1, 0, 0), (0, 1, 0)] and not scene.remarks
    (tmp_path / "two words.mtl").write_text("newmtl a\nKd 0 0 1\n")
    scene = obj("mtllib two words.mtl\n" + SQUARE + "usemtl a\nf 1 2 3\n", tmp_path)
    assert scene.materials[0].base_colour[:3] == (0, 0, 1) and not scene.remarks


def test_options_are_split_from_names() -> None:
    assert split_options("-bm 1.5 -clamp on a b.png") == ("a b.png", {"-bm": ["1.5"], "-clamp": ["on"]})
    assert split_options("-o 1 2 3 -s 2 x.png") == ("x.png", {"-o": ["1", "2", "3"], "-s": ["2"]})


def test_a_cube_round_trips_closed(tmp_path: Path) -> None:
    scene = scene_of(cube(2.0))
    again = loaded(saved(scene, tmp_path / "cube.obj")).meshes[0].primitives[0]
    assert len(again.positions) == 24
    assert signed_volume(again.positions, triangles_of(again)) == pytest.approx(8.0)
    # positions are written once each, whatever normals meet there
    assert (tmp_path / "cube.obj").read_text().count("\nv ") == 8


def test_the_letter_round_trips(tmp_path: Path) -> None:
    prim = letter_primitive(0, material=None)
    again = loaded(saved(scene_of(prim), tmp_path / "f.obj")).meshes[0].primitives[0]
    order = np.lexsort(again.positions.T), np.lexsort(prim.positions.T)
    assert np.abs(again.positions[order[0]] - prim.positions[order[1]]).max() < 1e-6
    assert len(triangles_of(again)) == len(triangles_of(prim))


@pytest.mark.parametrize("decimals", [0, 3, 6])
def test_rows_of_numbers_read_back(decimals: int) -> None:
    values = np.array([[0.0, -1.5, 1234.5678], [-0.0004, 1e-9, 99999.0], [10.0, 100.0, -0.1]])
    text = format_rows(b"v", values, decimals).decode()
    back = np.array([[float(x) for x in line.split()[1:]] for line in text.splitlines()])
    assert np.abs(back - values).max() <= 0.5 * 10.0**-decimals + 1e-12
    assert "-0 " not in text and "--" not in text and ". " not in text


def test_rows_of_whole_numbers() -> None:
    rows = np.array([[1, 2, 30, 4], [500, 6, 7, 80000]])
    assert format_integers(b"f", rows, b"/", 2) == b"f 1/2 30/4\nf 500/6 7/80000\n"
    assert format_rows(b"v", np.zeros((0, 3)), 3) == b"" and format_integers(b"f", rows[:0], b"/", 2) == b""


def test_decimals_suit_the_size() -> None:
    assert decimals_for(np.array([[1000.0]])) < decimals_for(np.array([[0.01]]))
    assert decimals_for(np.zeros((0, 3))) == 6


def test_thousands_of_groups_and_materials_are_read_in_good_time(tmp_path: Path) -> None:
    import time

    lines = []
    for k in range(4000):
        lines += [f"v {k} 0 0", f"v {k} 1 0", f"v {k} 0 1", f"g part {k}", f"usemtl m{k % 700}", "f -3 -2 -1"]
    start = time.monotonic()
    scene = obj("\n".join(lines) + "\n", tmp_path)
    assert len(scene.nodes) == 4000 and len(scene.materials) == 700
    assert [m.primitives[0].positions[0, 0] for m in scene.meshes[:3]] == [0, 1, 2]
    assert scene.nodes[3999].name == "part 3999" and time.monotonic() - start < 10


def test_relative_numbers_and_states_reach_over_chunks(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    text = (
        "o one\nusemtl a\ns 3\n"
        + "".join(f"v {k} 0 0\nv {k} 1 0\nv {k} 0 1\nf -3 -2 -1\n" for k in range(40))
        + "o two\nf 1 2 3\n"
    )
    whole = obj(text, tmp_path)
    monkeypatch.setattr("customs.formats.obj.parse.CHUNK", 90)
    pieces = obj(text, tmp_path)
    assert [n.name for n in pieces.nodes] == ["one", "two"]
    for a, b in zip(whole.meshes, pieces.meshes):
        assert (a.primitives[0].positions == b.primitives[0].positions).all() and len(a.primitives) == len(
            b.primitives
        )
    with pytest.raises(CustomsError, match="line 166"):
        obj(text + "v 1 2\n", tmp_path)


def test_distinct_pairs_agree_with_sorting() -> None:
    from customs.geometry.weld import distinct_pairs, unique_rows

    rng = np.random.default_rng(6)
    for spread in (1, 3, 200):
        v, a, b = rng.integers(1, 40, 3000), rng.integers(0, spread, 3000), rng.integers(0, 2, 3000)
        first, inverse = distinct_pairs(v, [a, b], 41)
        want_first, want_inverse = unique_rows([np.stack([v, a, b], axis=1).astype(np.uint32)])
        assert (first == want_first).all() and (inverse == want_inverse).all()
    first, inverse = distinct_pairs(v, [], 41)
    assert len(first) == 39 and (v[first][inverse] == v).all()
