"""A log the destination itself wrote: its lines about a package are put beside the file and the row they concern."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest

from customs.errors import ReadError
from customs.landing.destination_log import read_destination_log
from customs.landing.land import land
from customs.landing.log import Log
from customs.work.lookup import find_sheet
from tests.conftest import once
from tests.dispatch.kits import into_kit, new_kit
from tests.work.test_cli import call

SHEET = "numbered-item-kit"
SHOP = """loaded items/12007_fern_lamp
refused items/12010_hedgehog/hedgehog.glb: a texture of 2048 pixels
odd ITEMS\\12010_HEDGEHOG\\hedgehog_icon.png: no frame
refused i12010_brass: one side only
refused 12010_hedgehog: the number is given twice
refused items/12008_brass_trowel/brass_trowel.glb: cut off
nobody knows what this line is about the hedgehog
loaded data/items.txt
"""


@pytest.fixture
def package(goods: dict[str, Path], tmp_path: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = once(
        tmp_path_factory,
        "logged",
        lambda f: into_kit("hedgehog", SHEET, goods, f / "out", new_kit(SHEET, f / "kit")),
    )
    return Path(shutil.copytree(made / "out" / "hedgehog", tmp_path / "hedgehog"))


def test_lines_find_their_file_and_row(package: Path, tmp_path: Path) -> None:
    path, log = tmp_path / "shop.log", Log(package)
    path.write_text(SHOP, "utf-8")
    assert read_destination_log(path, package, find_sheet(SHEET), log) == 3
    told = [(x.file, x.level, x.row) for x in log.lines]
    assert told == [
        ("hedgehog.glb", "refusal", "texture-missing"),
        ("hedgehog_icon.png", "remark", ""),
        ("hedgehog.glb", "refusal", ""),
        ("items/12010_hedgehog", "refusal", "number-free"),
        ("data/items.txt", "note", ""),
    ]
    assert all(x.verb == "said" and "shop.log, line" in x.text for x in log.lines) and not log.accepted
    assert "a texture of 2048 pixels (shop.log, line 2)" in log.lines[0].text


@pytest.mark.parametrize("codec", ["utf-8-sig", "utf-16"])
def test_logs_of_other_encodings_and_endless_lines(codec: str, package: Path, tmp_path: Path) -> None:
    path, log = tmp_path / "shop.log", Log(package)
    path.write_bytes((SHOP.replace("\n", "\r\n") + "x" * 2_000_000).encode(codec))
    read_destination_log(path, package, find_sheet(SHEET), log)
    assert len(log.lines) == 5
    raw, log = tmp_path / "raw.log", Log(package)
    raw.write_bytes(b"\xff\x00odd hedgehog.glb: \x1b[31m\xfe\nodd hedgehog.glb: \x1b[31mred\n")
    read_destination_log(raw, package, find_sheet(SHEET), log)
    assert log.lines and all("\x1b" not in x.text for x in log.lines)


def test_what_cannot_be_read_is_said(package: Path, tmp_path: Path) -> None:
    for path, sheet, told in (
        (tmp_path / "none.log", SHEET, "cannot be read"), (tmp_path, SHEET, "cannot be read"), (tmp_path / "x.log", "attachment-kit", "says of no log"),
    ):  # fmt: skip
        with pytest.raises(ReadError, match=told):
            read_destination_log(path, package, find_sheet(sheet), Log(package))
    (tmp_path / "x.log").write_text("loaded x")
    (package / "docket.json").write_text("[]")
    with pytest.raises(ReadError, match="docket cannot be read"):
        read_destination_log(tmp_path / "x.log", package, find_sheet(SHEET), Log(package))


def test_on_the_command_line(package: Path, tmp_path: Path) -> None:
    path = tmp_path / "shop.log"
    path.write_text("loaded hedgehog.glb\n", "utf-8")
    assert land(package, find_sheet).accepted
    code, text = call("land", package, "--log", path, "--json")
    lines = json.loads(text)[0]["lines"]
    assert code == 0 and lines[-1]["verb"] == "said" and lines[-1]["file"] == "hedgehog.glb"
    path.write_text(SHOP, "utf-8")
    code, text = call("land", package, "--log", path)
    assert code == 1 and "→ number-free" in text
    assert call("land", package, "--log", tmp_path / "none")[0] == 2
