"""What a sheet says of the form of a model file: text or binary, decimals. Judged by trimesh and our own
readers.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from customs.dispatch.beside import planned_files
from customs.dispatch.deliver import deliver, destination_scene
from customs.errors import SheetError
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.motion.posing.bounds import world_bounds
from customs.scene.model import Scene
from customs.sheet.load import parse_sheet
from tests.assets import lettered

SHEET = """
id = "plain-kit"
title = "Plain kit"
version = 1
extends = "metre-yup-pbr"
[model]
format = "{format}"
textures = "apart"
own_axes_note = "none"
[model.form]
{form}
"""


def written(scene: Scene, format_: str, **form: Any) -> dict[str, bytes]:
    """A scene's files by ending, as a format writes them."""
    entry = get_format(format_)
    assert entry.write is not None
    files = entry.write(scene, WriteOptions("x", settings=entry.settings(**form)))
    assert tuple(files) == entry.files(scene)
    return {ending: b"".join(bytes(p) for p in parts) for ending, parts in files.items()}


@pytest.mark.parametrize("format_", ["ply", "stl"])
def test_text_says_what_binary_says(format_: str, tmp_path: Path) -> None:
    scene = lettered()
    both = {text: written(scene, format_, text=text)[f".{format_}"] for text in (False, True)}
    assert b"ascii" in both[True][:200] or (
        both[True].startswith(b"solid Customs\n") and both[True].isascii()
    )
    ours, theirs = [], []
    for text, data in both.items():
        path = tmp_path / f"{text}.{format_}"
        path.write_bytes(data)
        ours.append(read_scene(Source(path)))
        theirs.append(trimesh.load(io.BytesIO(data), file_type=format_, process=False))
    assert len(theirs[0].faces) == len(theirs[1].faces) > 0
    assert np.allclose(theirs[0].triangles, theirs[1].triangles, atol=1e-6)
    assert np.allclose(world_bounds(ours[0]), world_bounds(ours[1]), atol=1e-6)
    if format_ == "ply":
        a, b = (s.meshes[0].primitives[0] for s in ours)
        assert len(a.positions) == len(b.positions) and len(a.texcoords) == len(b.texcoords)
        assert all(
            np.allclose(x, y, atol=1e-6)
            for x, y in zip((*a.texcoords, *a.colours), (*b.texcoords, *b.colours))
        )


@pytest.mark.parametrize("decimals", [3, 5])
def test_positions_of_an_obj_have_the_decimals_asked_for(decimals: int) -> None:
    lines = [
        line.split()[1:]
        for line in written(lettered(), "obj", decimals=decimals)[".obj"].decode().splitlines()
        if line[:2] == "v "
    ]
    assert max(len(n.partition(".")[2]) for row in lines for n in row[:3]) == decimals


@pytest.mark.parametrize(
    ("format_", "form"),
    [("stl", "text = true"), ("obj", "decimals = 4"), ("ply", "text = false"), ("glb", "")],
)
def test_a_sheet_hands_its_form_to_the_writer(format_: str, form: str) -> None:
    sheet = parse_sheet(SHEET.format(format=format_, form=form))
    scene = destination_scene(lettered(), sheet)
    files = {
        d.path: b"".join(bytes(p) for p in d.make(lambda share: None))
        for d in deliver(scene, sheet)
        if d.kind != "texture"
    }
    assert list(files) == [p for p, kind in planned_files(lettered(), sheet) if kind != "texture"]
    if format_ == "stl":
        assert next(iter(files.values())).startswith(b"solid Customs\n")


@pytest.mark.parametrize(
    ("format_", "form", "said"),
    [
        ("stl", "decimals = 4", "decimals"),
        ("obj", "decimals = 99", "decimals"),
        ("glb", "text = true", "quantised, compression"),
        ("glb", 'compression = "zip"', "meshopt"),
        ("dae", "text = true", "one form"),
    ],
)
def test_a_form_the_format_does_not_have_is_refused_with_its_place(
    format_: str, form: str, said: str
) -> None:
    with pytest.raises(SheetError, match=said) as problem:
        parse_sheet(SHEET.format(format=format_, form=form), "plain.toml")
    assert "model.form" in problem.value.where
