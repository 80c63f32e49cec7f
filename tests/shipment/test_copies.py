"""Copies of shipments, one file to hand on, and the history of decisions."""

from __future__ import annotations

import os
import sqlite3
import zipfile
from collections.abc import Iterator
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest

from customs.errors import Cancelled, ShipmentError
from customs.job import Job
from customs.shipment.copies import FILE, pack, save_copy, unpack
from customs.shipment.file import Shipment
from customs.shipment.state import State
from customs.work.goods import take_in
from customs.work.shipments import (
    duplicated,
    forget_recent,
    goods_text,
    is_packed,
    keep_recent,
    pack_up,
    recent,
    renamed,
    unpack_here,
)
from tests.assets import cube, saved, scene_of


@pytest.fixture
def shipment(tmp_path: Path) -> Iterator[Shipment]:
    """Two pots, taken in one after the other."""
    made = Shipment.create(tmp_path / "here" / "ours.customs")
    for k in (1, 2):
        path = saved(replace(scene_of(cube(k)), name=f"pot_{k}"), tmp_path / "goods" / f"pot_{k}.glb")
        asset = take_in(path, path.parent, made.store, f"pot_{k}", None)
        made.edit(f"Take in {asset.name}", lambda s, a=asset: s.with_asset(a))
    yield made
    made.close()


def files(folder: Path) -> dict[str, bytes]:
    return {
        p.relative_to(folder).as_posix(): p.read_bytes() for p in sorted(folder.rglob("*")) if p.is_file()
    }


def test_a_copy_is_the_same_shipment_with_its_sources(shipment: Shipment, tmp_path: Path) -> None:
    target = tmp_path / "there" / "copy.customs"
    save_copy(shipment, target)
    shipment.edit("Rename", lambda s: renamed(s, "pot_1", "Another"))
    copy = Shipment(target)
    assert [a.name for a in copy.state.goods] == ["Pot 1", "Pot 2"] and copy.undo() == "Take in Pot 2"
    assert files(copy.store) == files(shipment.store)
    copy.close()
    with pytest.raises(ShipmentError, match="there is something of that name"):
        save_copy(shipment, target)
    (tmp_path / "third.store").mkdir()
    with pytest.raises(ShipmentError, match="free name"):
        save_copy(shipment, tmp_path / "third.customs")
    assert not [p for p in (tmp_path / "there").iterdir() if "copying" in p.name]


def test_cancelled_or_without_room_nothing_is_left(shipment: Shipment, tmp_path: Path) -> None:
    stop = Job(cancelled=lambda: True)
    for run in (
        lambda: save_copy(shipment, tmp_path / "a" / "x.customs", stop),
        lambda: pack(shipment, tmp_path / "a" / "x.customs.zip", {}, stop),
    ):
        with pytest.raises(Cancelled):
            run()
        assert files(tmp_path / "a") == {}
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(ShipmentError, match="cannot be written"):
        save_copy(shipment, tmp_path / "file" / "x.customs")


def test_one_file_holds_all_and_comes_out_the_same(
    shipment: Shipment, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("CUSTOMS_HOME", str(tmp_path / "home"))
    sheets = tmp_path / "home" / "config" / "sheets"
    sheets.mkdir(parents=True)
    text = 'version = 1\nextends = "metre-yup-pbr"\nid = "fern-house"\ntitle = "Fern house"\nedition = 1\n'
    (sheets / "fern-house.toml").write_text(text)
    shipment.edit("Destination", lambda s: replace(s, sheet="fern-house"))
    packed = tmp_path / "ours.customs.zip"
    assert pack_up(shipment, packed) == packed.stat().st_size and is_packed(packed)
    # The standard library's own test of the archive: every file by its CRC (PKWARE APPNOTE 4.4.7).
    with zipfile.ZipFile(packed) as archive:
        assert archive.testzip() is None and "sheets/fern-house.toml" in archive.namelist()
    (sheets / "fern-house.toml").unlink()
    came, told = unpack_here(packed, tmp_path / "else" / "ours.customs")
    assert came.sheets == {"fern-house": text} and "fern-house" in told and came.lost == ""
    assert (sheets / "fern-house.toml").read_text() == text
    other = Shipment(tmp_path / "else" / "ours.customs")
    assert other.state == shipment.state and files(other.store) == files(shipment.store)
    other.close()
    # Another sheet of that name is a person's own: it stays, and is said.
    (sheets / "fern-house.toml").write_text(text.replace("Fern house", "Mine"))
    _, told = unpack_here(packed, tmp_path / "again.customs")
    assert "another sheet" in told and "Mine" in (sheets / "fern-house.toml").read_text()


@pytest.mark.parametrize(
    ("name", "why"),
    [
        ("../up.txt", "has no place"), ("store/../../up.txt", "has no place"), ("/abs", "has no place"), ("store//x", "has no place"),
        ("sheets/a/b.toml", "has no place"), ("sheets/..toml.exe", "has no place"), ("more.txt", "has no place"), ("store/a\\..\\b", "has no place"),
    ],
)  # fmt: skip
def test_a_hostile_file_writes_nothing(shipment: Shipment, tmp_path: Path, name: str, why: str) -> None:
    packed, place = tmp_path / "bad.customs.zip", tmp_path / "in" / "bad.customs"
    pack(shipment, packed, {})
    with zipfile.ZipFile(packed, "a") as archive:
        archive.writestr(name, b"x")
    before = files(tmp_path)
    with pytest.raises(ShipmentError, match=why):
        unpack(packed, place)
    assert files(tmp_path) == before


def test_what_is_no_such_file_says_so(shipment: Shipment, tmp_path: Path) -> None:
    packed, place = tmp_path / "x.customs.zip", tmp_path / "in" / "x.customs"
    pack(shipment, packed, {})
    whole = packed.read_bytes()
    packed.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(ShipmentError, match="no shipment in one file"):
        unpack(packed, place)
    at = whole.rindex(FILE.encode())
    packed.write_bytes(whole[:at] + b"\0" + whole[at + 1 :])
    with pytest.raises(ShipmentError, match=f"no {FILE}"):
        unpack(packed, place)
    # A byte in the middle of a source: its CRC tells.
    packed.write_bytes(whole)
    with zipfile.ZipFile(packed) as archive:
        at = next(m for m in archive.infolist() if m.filename.endswith(".glb")).header_offset
    packed.write_bytes(whole[: at + 200] + bytes([whole[at + 200] ^ 0xFF]) + whole[at + 201 :])
    with pytest.raises(ShipmentError, match="no shipment in one file"):
        unpack(packed, place)
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr(FILE, b"no shipment")
    with pytest.raises(ShipmentError, match="is no shipment"):
        unpack(packed, place)
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("store/a", b"")
    with pytest.raises(ShipmentError, match=f"no {FILE}"):
        unpack(packed, place)
    with pytest.raises(ShipmentError, match=r"gone.*no shipment in one file \(No such file"):
        unpack(tmp_path / "gone.customs.zip", place)
    assert not place.exists() and not place.with_suffix(".store").exists()
    # A link in an archive is no file of ours.
    link = zipfile.ZipInfo("store/link")
    link.external_attr = 0o120777 << 16
    packed.write_bytes(whole)
    with zipfile.ZipFile(packed, "a") as archive:
        archive.writestr(link, "/etc/passwd")
    with pytest.raises(ShipmentError, match="has no place"):
        unpack(packed, place)


def test_a_newer_one_is_told_before_anything_has_its_name(shipment: Shipment, tmp_path: Path) -> None:
    save_copy(shipment, tmp_path / "new.customs")
    db = sqlite3.connect(tmp_path / "new.customs")
    db.execute("PRAGMA user_version=99")
    db.commit()
    db.close()
    with zipfile.ZipFile(tmp_path / "new.customs.zip", "w") as archive:
        archive.write(tmp_path / "new.customs", FILE)
    with pytest.raises(ShipmentError, match="newer Customs"):
        unpack(tmp_path / "new.customs.zip", tmp_path / "out.customs")
    assert not (tmp_path / "out.customs").exists()


def test_the_history_is_a_list_to_go_along(shipment: Shipment) -> None:
    shipment.edit("Rename", lambda s: renamed(s, "pot_1", "Tall pot"))
    assert shipment.undo() == "Rename"
    shipment.edit("Without", lambda s: s.without("pot_2"))
    told = shipment.decisions()
    assert [d.label for d in told] == ["New shipment", "Take in Pot 1", "Take in Pot 2", "Rename", "Without"]
    assert [d.on_line for d in told] == [True, True, True, False, True] and told[-1].here
    assert [len(shipment.history.changed(d)) for d in told] == [0, 1, 1, 1, 0]
    asset = shipment.state.goods[0]
    assert shipment.keep_pictures([(asset, b"drawn")]) and not shipment.keep_pictures([(asset, b"drawn")])
    assert shipment.history.picture(shipment.history.changed(told[1])[0]) == b"drawn"
    assert shipment.history.picture(shipment.history.changed(told[3])[0]) is None
    shipment.go(told[3])
    assert shipment.state.goods[0].name == "Tall pot" and len(shipment.state.goods) == 2
    shipment.go(told[0])
    assert shipment.state == State() and shipment.can_redo() == "Take in Pot 1"
    path = shipment.path
    shipment.close()
    with closing(Shipment(path)) as again:
        assert again.decisions()[0].here, "where it stood is kept"


def test_goods_are_renamed_duplicated_and_told_as_text(shipment: Shipment) -> None:
    state, new = duplicated(shipment.state, ["pot_1", "pot_2"])
    again, newer = duplicated(state, ["pot_1"])
    assert [a.id for a in again.goods] == ["pot_1", "pot_1_3", "pot_1_2", "pot_2", "pot_2_2"]
    assert new == ("pot_1_2", "pot_2_2") and newer == ("pot_1_3",)
    assert [a.name for a in again.goods] == ["Pot 1", "Pot 1 3", "Pot 1 2", "Pot 2", "Pot 2 2"]
    assert replace(again.goods[1], id="pot_1", name="Pot 1") == state.goods[0]
    assert renamed(state, "pot_1", "  Tall \n pot ").goods[0].name == "Tall pot"
    for bad in ("", "   ", "x" * 121):
        with pytest.raises(ShipmentError, match="no name"):
            renamed(state, "pot_1", bad)
    text = goods_text([(state.goods[0], "held"), (replace(state.goods[1], name="a\tb\nc"), "")])
    rows = [line.split("\t") for line in text.splitlines()]
    assert [len(r) for r in rows] == [7, 7, 7] and rows[1][:3] == ["Pot 1", "prop · 1 mesh", "held"], rows
    assert rows[2][0] == "a b c" and rows[2][2] == "not judged yet"


def test_recent_shipments_are_those_that_are_there(
    shipment: Shipment, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("CUSTOMS_HOME", str(tmp_path / "home"))
    assert recent() == []
    for k in range(15):
        (tmp_path / f"{k}.customs").touch()
        keep_recent(tmp_path / f"{k}.customs")
    keep_recent(shipment.path)
    assert recent()[:2] == [shipment.path, tmp_path / "14.customs"] and len(recent()) == 12
    (tmp_path / "14.customs").unlink()
    keep_recent(shipment.path)
    assert recent()[:2] == [shipment.path, tmp_path / "13.customs"]
    for broken in ("{", "3", '{"a": 1}', "[3, null]"):
        (tmp_path / "home" / "config" / "recent.json").write_text(broken)
        assert recent() == []
    forget_recent()
    assert recent() == []
    if os.geteuid():
        (tmp_path / "home" / "config").chmod(0o500)
        keep_recent(shipment.path)
