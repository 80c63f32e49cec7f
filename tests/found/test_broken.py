"""Files that ended the program, or came out as an exception of Python's own: refused in one line, or ported
where they must be.
"""

from __future__ import annotations

import tarfile
from pathlib import Path

import pytest

from customs.intake.scan import model_files
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.sheets import some_sheets

REFUSED = {
    "bvh155.bvh": "line 14: a second CHANNELS", "chan.bvh": "line 10: a second CHANNELS", "comma": "line 1: v 0,0",
    "dup.ply": "line 5: a second property x", "hugelist.ply": "element face: 1 stated", "ibm0": "/skins/0/inverseBindMatrices",
    "nul.obj": "line 1: v 5", "ply15.ply": "no end_header", "ply76.ply": "no end_header", "ply82.ply": "no end_header",
}  # fmt: skip
"""What the one line says."""
HELD = {
    "bigint.gltf": ("has-geometry", "nothing in this asset"), "vlist.ply": ("has-geometry", "points or lines"),
    "huge": ("step", "what vertices can hold"), "longuri.glb": ("texture-missing", "not there"),
}  # fmt: skip
"""Read, and held by a row: there is nothing in it, it is 10²⁰⁰ m large, its texture has a name no file system
takes.
"""
PORTED = ("bodyscale0", "hipscale0", "jointscale0", "rootscale0", "surr", "surr2", "tiny")
"""Hidden by a scale of 0, named with half a character, far too small: these are nobody's error."""


@pytest.fixture(scope="module")
def goods(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("broken")
    with tarfile.open(Path(__file__).parent / "broken.tar.xz") as packed:
        packed.extractall(folder, filter="data")
    return folder


def model(goods: Path, name: str) -> Path:
    """The model, where the name is its folder's."""
    return model_files([goods / name])[0].path


def test_every_file_is_in_the_table(goods: Path) -> None:
    assert {p.name for p in goods.iterdir()} == {*REFUSED, *HELD, *PORTED}


@pytest.mark.parametrize("name", REFUSED)
def test_it_is_refused_in_one_line(name: str, goods: Path, tmp_path: Path) -> None:
    path = model(goods, name)
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path / "out"))
    said = str(result.error)
    assert REFUSED[name] in said and path.name in said and "\n" not in said and "unforeseen" not in said
    assert result.error is not None and result.error.todo and not (tmp_path / "out").exists()


@pytest.mark.parametrize("name", HELD)
def test_it_is_held_and_said_why(name: str, goods: Path, tmp_path: Path) -> None:
    path = model(goods, name)
    for sheet in some_sheets(name):
        result = run(Request(path, path.parent, find_sheet(sheet), out=tmp_path / "out"))
        requirement, words = HELD[name]
        rows = [r for r in result.ledger.open() if r.requirement == requirement]
        assert result.error is None and rows and any(words in r.note for r in rows), [
            r.requirement for r in result.ledger.open()
        ]


@pytest.mark.parametrize("name", PORTED)
def test_it_is_ported(name: str, goods: Path, tmp_path: Path) -> None:
    path = model(goods, name)
    landed = set()
    for sheet in some_sheets(name):
        result = run(Request(path, path.parent, find_sheet(sheet), out=tmp_path / sheet))
        assert result.error is None, (sheet, result.error)
        if result.folder is not None:
            assert result.accepted
            landed.add(sheet)
    assert "metre-yup-pbr" in landed
