"""Destination sheets: merging, errors with file, key and what is allowed."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from customs.errors import SheetError
from customs.formats.registry import formats, get_format
from customs.sheet.load import (
    copy_text,
    load_sheet,
    merge,
    parse_sheet,
    sheet_digest,
    sheet_origin,
    shipped_texts,
)

BASE = 'version = 1\nid = "mine"\ntitle = "Mine"\n'


@pytest.mark.parametrize("id_", list(shipped_texts()))
def test_those_that_ship_are_sound(id_: str) -> None:
    sheet = load_sheet(id_)
    assert parse_sheet(shipped_texts()[id_], f"{id_}.toml") == sheet, "and holds against all formats"
    assert sheet.id == id_ and sheet.summary and len(sheet.ticket()) < 60
    assert sheet_origin(sheet).metres_per_unit == sheet.axes.metres_per_unit
    assert get_format(sheet.model.format).write is not None


def test_what_they_ask_for() -> None:
    left = load_sheet("centimetre-zup-lh")
    assert (left.axes.up, left.axes.faces, left.axes.hand, left.axes.metres_per_unit) == (
        "+Z",
        "+X",
        "left",
        0.01,
    )
    assert left.textures.power_of_two and left.textures.max_edge == 4096 and left.model.textures == "apart"
    kit = load_sheet("one-mesh-kit")
    assert kit.model.single_mesh and kit.model.mesh_under_root and kit.mesh.max_vertices == 65535
    assert kit.textures.max_edge == 1024 and kit.model.min_size and kit.model.max_size and kit.model.example
    plain = load_sheet("metre-yup-pbr")
    assert (plain.axes.up, plain.axes.faces, plain.model.format) == ("+Y", "+Z", "glb")


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ('[textures]\nmax_edge = "big"\n', "textures.max_edge"),
        ("[textures]\nmax_edge = 0\n", "textures.max_edge"),
        ("[textures]\nsparkle = true\n", "textures.sparkle"),
        ('[axes]\nup = "+W"\n', "axes.up"),
        ('[axes]\nup = "+Z"\nfaces = "-Z"\n', "axes"),
        ('[model]\nformat = "carving"\n', "model.format"),
        ('[model]\nformat = "obj"\ntextures = "inside"\n', "model.textures"),
        ('[axes]\nup = "+Z"\nfaces = "-Y"\n', "axes"),
        ("[model]\nmin_size = [2.0, 1.0, 1.0]\nmax_size = [1.0, 1.0, 1.0]\n", "model.min_size"),
        ('[names]\nnode = "{planet}"\n', "names.node"),
        ('[names]\nallowed = "[a-"\n', "names.allowed"),
        ('[names]\nallowed = "(?=a)a"\n', "names.allowed"),
        ('[layout]\nmodel = "../{asset}"\n', "layout.model"),
        ('[layout]\ntexture = "/abs/{name}"\n', "layout.texture"),
    ],
)
def test_errors_name_the_key(text: str, where: str) -> None:
    with pytest.raises(SheetError) as problem:
        parse_sheet(BASE + text, "mine.toml")
    assert problem.value.where == where and "mine.toml" in str(problem.value) and problem.value.expected


def test_a_gltf_sheet_in_other_axes_must_say_why() -> None:
    text = BASE + '[axes]\nup = "+Z"\nfaces = "-Y"\n[model]\nown_axes_note = "the loader turns it"\n'
    assert parse_sheet(text).model.own_axes_note


def test_tables_merge_and_arrays_are_replaced() -> None:
    assert merge({"a": {"x": 1, "y": [1, 2]}, "b": 1}, {"a": {"y": [3]}}) == {"a": {"x": 1, "y": [3]}, "b": 1}
    child = parse_sheet(BASE + 'extends = "one-mesh-kit"\n[textures]\nmax_edge = 256\n')
    assert child.textures.max_edge == 256 and child.textures.power_of_two and child.model.single_mesh


def test_circles_and_unknown_parents(tmp_path: Path) -> None:
    for a, b in (("x", "y"), ("y", "x")):
        (tmp_path / f"{a}.toml").write_text(f'version = 1\nextends = "{b}"\nid = "{a}"\ntitle = "{a}"\n')
    with pytest.raises(SheetError, match="circle"):
        load_sheet("x", tmp_path)
    with pytest.raises(SheetError, match="no sheet 'nobody'"):
        parse_sheet(BASE + 'extends = "nobody"\n')
    with pytest.raises(SheetError, match="no such file"):
        load_sheet(str(tmp_path / "gone.toml"))


def test_a_copy_is_sound_at_once_and_found_by_id(tmp_path: Path) -> None:
    text = copy_text("one-mesh-kit", "small-kit", "Small kit")
    (tmp_path / "small-kit.toml").write_text(text)
    sheet = load_sheet("small-kit", tmp_path)
    assert sheet.textures.max_edge == 2048 and sheet.model.single_mesh
    assert sheet_digest(sheet) != sheet_digest(load_sheet("one-mesh-kit"))


def test_formats_say_what_they_carry() -> None:
    assert set(formats()) == {
        "brushes",
        "bvh",
        "dae",
        "fbx",
        "figure",
        "glb",
        "gltf",
        "level",
        "obj",
        "ply",
        "stl",
    }
    assert "skins" in get_format("glb").carries and "skins" not in get_format("obj").carries


@pytest.mark.parametrize(("text", "where"), [
    ("[textures]\nmax_edge = 16\nmin_edge = 32\n", "textures.max_edge"),
    ("[textures]\nbits = []\n", "textures.bits"),
    ("[textures]\nbits = [8, 12]\n", "textures.bits"),
    ("[textures]\ndensity = [100.0, 10.0]\n", "textures.density"),
    ("[model]\nmin_size = [-1.0, 0.0, 0.0]\n", "model.min_size"),
    ("[model]\nmax_size = [0.0, 1.0, 1.0]\n", "model.max_size"),
    ('[layout]\nmodel = "docket.json"\n', "layout.model"),
    ('[layout]\nlicence = "Docket.html"\n', "layout.licence"),
])  # fmt: skip
def test_a_sheet_that_contradicts_itself_is_refused(text: str, where: str) -> None:
    own = f'version = 1\nextends = "metre-yup-pbr"\nid = "mine"\ntitle = "Mine"\n{text}'
    with pytest.raises(SheetError) as problem:
        parse_sheet(own, "mine.toml")
    assert problem.value.where == where and problem.value.expected


def test_bad_sheets_are_passed_over_and_named(own_home: Path) -> None:
    from customs.work.lookup import read_sheets
    from customs.work.places import sheets_folder

    folder = sheets_folder()
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "deep.toml").write_text("a = " + "[" * 100_000)
    (folder / "large.toml").write_bytes(b"#" * (1 << 21))
    (folder / "bytes.toml").write_bytes(b"\xff\xfe\x00")
    (folder / "folder.toml").mkdir()
    (folder / "good.toml").write_text('version = 1\nextends = "metre-yup-pbr"\nid = "good"\ntitle = "Good"\n')
    os.mkfifo(folder / "pipe.toml")
    good, broken = read_sheets()
    assert set(broken) == {"deep", "large", "bytes", "folder", "pipe"} and all(
        p.found for p in broken.values()
    )
    assert set(good) == {*shipped_texts(), "good"}
