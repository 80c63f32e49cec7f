"""Keys of a sheet with meaning and bounds, and single keys changed in its text."""

from __future__ import annotations

import tomllib

import pytest

from customs.sheet.load import load_sheet, shipped_texts
from customs.sheet.meanings import MEANINGS
from customs.sheet.schema import sheet_keys, to_toml, value_in, with_key

TEXT = 'version = 1\nid = "x"\ntitle = "x"\n\n[mesh]\nwelded = true # as it is\n\n[textures]\nformats = [\n  "png",\n]\nmips = true\n\n[[pictures]]\nname = "icon"\n'


def test_every_key_has_a_meaning_and_no_meaning_is_left_over() -> None:
    paths = {k.path for k in sheet_keys()}
    assert paths == set(MEANINGS) and all(k.meaning and k.takes for k in sheet_keys())
    edge = next(k for k in sheet_keys() if k.path == "textures.max_edge")
    assert (
        edge.takes == "a whole number, at least 1, at most 16384"
        and edge.unit == "px"
        and edge.default == "4096"
    )


@pytest.mark.parametrize("id_", list(shipped_texts()))
def test_values_are_written_as_toml_reads_them(id_: str) -> None:
    """Against Python's tomllib: every value of every sheet comes back as it was."""
    sheet = load_sheet(id_)
    for key in sheet_keys():
        written = value_in(sheet, key.path)
        if written and "table" not in key.takes:
            value: object = sheet
            for part in key.path.split("."):
                value = getattr(value, part)
            read = tomllib.loads(f"x = {written}")["x"]
            assert to_toml(read) == written, key.path


@pytest.mark.parametrize(
    ("path", "value", "line"),
    [
        ("mesh.welded", "false", "welded = false # as it is"), ("textures.formats", '["tga", "png"]', 'formats = ["tga", "png"]\nmips = true'), ("mesh.max_vertices", "12", "max_vertices = 12"),
        ("axes.up", '"+Z"', '[axes]\nup = "+Z"'), ("edition", "3", 'title = "x"\nedition = 3'), ("names.lower", "true", "[names]\nlower = true"),
    ],
)  # fmt: skip
def test_one_key_is_set_and_all_else_stays(path: str, value: str, line: str) -> None:
    new = with_key(TEXT, path, value)
    assert line in new and with_key(new, path, value) == new
    kept = [
        x
        for x in TEXT.splitlines()
        if path.rpartition(".")[2] not in x and '"png",' not in x and x not in ("]", "")
    ]
    assert all(x in new.splitlines() for x in kept)
    there = tomllib.loads(new)
    for part in path.split("."):
        there = there[part]
    assert to_toml(there) == value
    gone = tomllib.loads(with_key(new, path, ""))
    for part in path.split("."):
        gone = gone.get(part, {}) if isinstance(gone, dict) else {}
    assert gone == {}
