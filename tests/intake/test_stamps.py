"""What a source says it was made for, against what a sheet expects; and what lies twice in a heap."""

from __future__ import annotations

import hashlib
from pathlib import Path

import pytest

from customs.errors import SheetError
from customs.formats.tree import Folder
from customs.intake.duplicates import duplicates
from customs.intake.heap import Heap
from customs.intake.stamps import stamps_of
from customs.ledger.row import About, Case, requirements
from customs.patterns import search
from customs.sheet.load import parse_sheet
from customs.sheet.model import Sheet, Stamp
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.assets import cube, saved, scene_of
from tests.intake.made import seven_of, tar_of, zip_of

STAMP = Stamp(
    pattern=r"stores ([0-9]+\.[0-9]+)", expected="3.2", differs={"3.1": "Its joints are numbered from one."}
)


@pytest.fixture(autouse=True)
def _own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("customs.intake.spill.spill_folder", lambda: tmp_path / "cache")


def sheet_with(stamp: Stamp) -> Sheet:
    return find_sheet("metre-yup-pbr").model_copy(update={"stamp": stamp})


@pytest.mark.parametrize(
    ("texts", "verdict", "received", "words"),
    [
        ({"version.txt": "stores 3.2\n"}, "cleared", "3.2", ""),
        (
            {"version.txt": "stores 3.1\n"},
            "query",
            "3.1",
            "version.txt says 3.1. Its joints are numbered from one.",
        ),
        ({"run.log": "opening\nstores 2.9 ready"}, "query", "2.9", "What differs is not known"),
        ({"notes.txt": "stores 3.2"}, "query", "not said", "says a version"),
        ({}, "query", "not said", "says a version"),
        ({"version.txt": "nothing", "Manifest.JSON": '{"made": "stores 3.2"}'}, "cleared", "3.2", ""),
    ],
)
def test_versions_are_read_by_the_sheets_pattern_and_compared(
    texts: dict[str, str], verdict: str, received: str, words: str
) -> None:
    scene, rule = scene_of(cube()), requirements()["version-stamp"]
    rows = list(rule.judge(rule, Case(scene, scene, scene, sheet_with(STAMP), About(stamps=texts), [])))
    assert [(r.verdict, r.received, r.required) for r in rows] == [(verdict, received, "3.2")]
    assert words in rows[0].note
    assert not list(rule.judge(rule, Case(scene, scene, scene, sheet_with(Stamp()), About(stamps=texts), [])))


def test_texts_beside_a_model_and_above_it_are_kept_the_nearest_first(tmp_path: Path) -> None:
    path = saved(scene_of(cube()), tmp_path / "a" / "b" / "crate.glb")
    (tmp_path / "a" / "b" / "VERSION").write_text("stores 3.1")
    (tmp_path / "a" / "version.txt").write_text("stores 3.2")
    (tmp_path / "a" / "VERSION").write_text("farther")
    (tmp_path / "a" / "manifest.bin").write_bytes(b"\0\1\2")
    (tmp_path / "version.md").write_text("out of the tree")
    (tmp_path / "a" / "big.log").write_text("x" * 9000)
    found = stamps_of(Folder(tmp_path / "a"), path)
    assert list(found) == ["VERSION", "big.log", "version.txt"] and found["VERSION"] == "stores 3.1"
    assert len(found["big.log"]) == 4000
    result = run(Request(path, tmp_path / "a", sheet_with(replace_files(STAMP))))
    row = next(r for r in result.ledger.rows if r.requirement == "version-stamp")
    assert row.received == "3.1" and row.verdict == "query"


def replace_files(stamp: Stamp) -> Stamp:
    return stamp.model_copy(update={"files": ("VERSION", "version*")})


def test_a_stamp_in_a_sheet_is_checked() -> None:
    plain = 'version = 1\nid = "a"\ntitle = "A"\n'
    for body, words in (
        ('pattern = "stores ("\nexpected = "1"', "pattern"),
        ('pattern = "stores"', "go together"),
        ('expected = "1"', "go together"),
    ):
        with pytest.raises(SheetError, match=words):
            parse_sheet(f"{plain}[stamp]\n{body}\n", Path("a.toml"))
    assert search("a(b*)c", "xabbc") == "bb" and search("b+", "abb") == "bb" and search("z", "abb") == ""


@pytest.mark.parametrize("make", [zip_of, tar_of, seven_of])
def test_duplicates_are_those_of_equal_digests(make, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    (tmp_path / "in").mkdir()
    files = {"a.txt": b"one", "b.txt": b"two", "c/a.txt": b"one", "d.txt": b"six", "e.txt": b"", "f.txt": b""}
    for name in ("a.txt", "g.txt"):
        (tmp_path / "in" / name).write_bytes(files.get(name, b"seven"))
    make(tmp_path / "in" / "x.pak", files)
    heap = Heap()
    heap.add(tmp_path / "in")
    found = duplicates(heap)
    plain = [e for e in heap.entries if e.kind != "archive" and e.size]
    digests = [hashlib.sha256(heap.read(e.place, 99) or b"").hexdigest() for e in plain]
    wanted = {e.place for k, e in enumerate(plain) if digests[k] in digests[:k]}
    assert set(found) == wanted and len(wanted) == 2
    assert set(found.values()) == {str(tmp_path / "in" / "a.txt")}
    # Nothing was unpacked to the disk for it.
    heap2 = Heap()
    heap2.add(tmp_path / "in" / "x.pak")
    assert set(duplicates(heap2)) == {f"{tmp_path}/in/x.pak/c/a.txt"}


def test_what_cannot_be_read_is_no_duplicate(tmp_path: Path) -> None:
    path = zip_of(tmp_path / "a.zip", {"a.txt": b"one" * 90, "b.txt": b"one" * 90})
    data = bytearray(path.read_bytes())
    data[40] ^= 0xFF
    path.write_bytes(data)
    heap = Heap()
    heap.add(path)
    assert duplicates(heap) == {}
