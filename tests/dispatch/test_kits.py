"""Every demo asset into the kit of every sheet that has one and out again; numbers, versions, names, mirrored folders, the index, and
what is written a second time.
"""

from __future__ import annotations

import gzip
import hashlib
import json
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import fastjsonschema
import pytest

import customs.dispatch
from customs.demo.kits import KITS
from customs.dispatch import dispatch as dispatching
from customs.dispatch.index import index_of
from customs.errors import SheetError, WriteError
from customs.kit.changes import OURS, Wanted
from customs.kit.hashes import KEPT, listed_files
from customs.kit.journal import held
from customs.landing.land import land
from customs.ledger.kit_facts import free_number
from customs.sheet.documents import IndexRules
from customs.sheet.known import known_of, mirrored, number_of
from customs.sheet.load import parse_sheet
from customs.sheet.model import Sheet
from customs.shipment.state import Asset, State
from customs.work.asset import Request, run
from customs.work.forms import proposed
from customs.work.kit_facts import kit_facts
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.withdraw import run_withdraw
from tests.dispatch.kits import form_for, into_kit, new_kit
from tests.kit.test_journal import now
from tests.landing.test_rules import refusals
from tests.work.test_cli import call

NUMBERED, MIRROR = "numbered-item-kit", "mirror-bundle-kit"
SCHEMA = fastjsonschema.compile(
    json.loads((Path(customs.dispatch.__file__).parent / "docket.schema.json").read_text("utf-8"))
)
HELD = {"seed_cart", "spring_basin", "potting_bench"}
"""Held by every one of these sheets: a texture is missing, a mesh is too large (see the reviewed table)."""


@pytest.mark.parametrize("sheet", KITS)
def test_each_demo_asset_goes_into_its_kit_and_out_again(
    sheet: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    kit = new_kit(sheet, tmp_path / "kit")
    before, folders = now(kit), []
    # Every good into one of the kits.
    for k, asset in enumerate([a for i, a in enumerate(goods) if i % len(KITS) == list(KITS).index(sheet)]):
        result = into_kit(asset, sheet, goods, tmp_path / "out", kit, 10 + k, replace=True)
        assert (result.folder is None) == (asset in HELD), (asset, result.error)
        if result.folder is not None:
            folders.append(result.folder)
    for folder in folders:
        log = land(folder, find_sheet, kit=kit)
        assert log.accepted, refusals(log)
        SCHEMA(json.loads((folder / "docket.json").read_text("utf-8")))
    for folder in reversed(folders):
        run_withdraw(folder, kit)
    assert now(kit) == before and not (kit / OURS).exists()


def test_a_new_item_is_made_after_one_that_is_there(goods: dict[str, Path], tmp_path: Path) -> None:
    kit = new_kit(NUMBERED, tmp_path / "kit")
    text = (kit / "data/items.txt").read_text("utf-8")
    result = into_kit("hedgehog", NUMBERED, goods, tmp_path / "out", kit, title='A "wound" hedgehog')
    assert result.folder is not None, result.error
    new = (kit / "data/items.txt").read_text("utf-8")
    block = new[new.index("\titem hedgehog") : new.index("\titem brass_trowel")]
    assert new.replace(block, "") == text, "all else stays byte for byte"
    assert "number 12010" in block and 'title "A \\"wound\\" hedgehog"' in block and "fern" not in block
    assert (
        'model "items/12010_hedgehog/hedgehog.glb"' in block and "weight 3.5    // in watering cans" in block
    )
    folder = kit / "items/12010_hedgehog"
    assert (
        gzip.decompress((folder / "hedgehog_numbers.json.gz").read_bytes())
        == (result.folder / "hedgehog_numbers.json").read_bytes()
    )
    body = json.loads((result.folder / "docket.json").read_text("utf-8"))
    assert body["known"]["number"] == "12010"
    for kind in ("nodes", "meshes", "materials", "images"):
        assert all(n.startswith("i12010_") for n in body["names"][kind]), kind


@pytest.mark.parametrize(
    ("number", "told"),
    [(7, "12007, taken"), (1, "12001, taken"), (2, "12002, taken"), (9, "12009, taken"), (3, "")],
)
def test_numbers_are_read_from_folders_documents_and_lists(
    number: int, told: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    kit = new_kit(NUMBERED, tmp_path / "kit")
    result = into_kit("hedgehog", NUMBERED, goods, tmp_path / "out", kit, number)
    row = next(r for r in result.ledger.rows if r.requirement == "number-free")
    assert row.delivering == (told or "12003") and (row.verdict == "held") == bool(told)
    assert (result.folder is None) == bool(told)
    if told:
        assert "3 is free" in row.note or number != 7


def test_the_next_free_number_knows_the_kit_and_the_shipment(tmp_path: Path) -> None:
    kit, sheet = new_kit(NUMBERED, tmp_path / "kit"), find_sheet(NUMBERED)
    field = next(f for f in sheet.form if f.id == "number")
    facts = kit_facts(sheet, kit, "x.glb")
    assert facts.taken["number"] == {12001, 12002, 12007, 12008, 12009} and facts.version == "4"
    assert facts.existing["like"] == ("fern_lamp", "brass_trowel") and not facts.problems
    assert free_number(sheet, field, {"maker": 12}, facts.taken["number"]) == 3
    assert free_number(sheet, field, {"maker": 13}, facts.taken["number"]) == 1
    assert free_number(sheet, field, {}, facts.taken["number"]) is None, "nobody said the maker's number"
    assert free_number(sheet, field, {"maker": 12}, set(range(12000, 13000))) is None
    mine = Asset("a", "a", "a.glb", "/x/a.glb", "d", form={"maker": 12})
    other = replace(mine, id="b", form={"maker": 12, "number": 3})
    assert proposed(State(goods=(mine, other)), mine, sheet, facts, field) == 4
    (kit / "data/items.txt").write_text("items {", "utf-8")
    broken = kit_facts(sheet, kit, "x.glb")
    assert "is not closed" in broken.problems["number"], "a change is seen at once"


def test_a_number_that_is_taken_meanwhile_stops_the_dispatch(
    goods: dict[str, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Judged before, taken since: the kit is looked at once more when nobody else is at it."""
    from customs.work.requests import dispatch as requests

    kit = new_kit(NUMBERED, tmp_path / "kit")
    real = requests.recover

    def meanwhile(place: Path, placed: Any) -> Any:
        (kit / "items/12010_somebody").mkdir()
        return real(place, placed)

    monkeypatch.setattr(requests, "recover", meanwhile)
    result = into_kit("hedgehog", NUMBERED, goods, tmp_path / "out", kit)
    assert (
        result.folder is None
        and "12010, taken" in str(result.error)
        and "Nothing was written" in str(result.error)
    )


def test_another_version_of_the_kit_is_held(goods: dict[str, Path], tmp_path: Path) -> None:
    kit = new_kit(NUMBERED, tmp_path / "kit")
    for text, told in (
        ("edition 5", "says 5"),
        ("no word of it", "says no version"),
        (None, "cannot be read"),
    ):
        if text is None:
            (kit / "data/version.txt").unlink()
        else:
            (kit / "data/version.txt").write_text(text, "utf-8")
        result = into_kit("hedgehog", NUMBERED, goods, tmp_path / "out", kit)
        row = next(r for r in result.ledger.rows if r.requirement == "kit-version")
        assert row.verdict == "held" and told in row.note and result.folder is None


def test_names_that_are_taken_or_look_so(goods: dict[str, Path], tmp_path: Path) -> None:
    kit = new_kit("attachment-kit", tmp_path / "kit")
    for name, verdict, told in (
        ("Hedgehog.zip", "held", "looks like"),
        ("h\u0435dgehog.zip", "query", "looks like"),
        ("hedgehog.zip", "held", "is there already"),
    ):
        (kit / "props" / name).write_bytes(b"somebody's")
        result = into_kit("hedgehog", "attachment-kit", goods, tmp_path / "out", kit)
        row = next(r for r in result.ledger.rows if r.requirement == "kit-name")
        assert row.verdict == verdict and told in row.note and row.remedy is not None, name
        assert not row.remedy.sure and row.remedy.label == "Call it hedgehog_2"
        (kit / "props" / name).unlink()
        if result.folder is not None:
            run_withdraw(result.folder, kit)
    missing = into_kit(
        "hedgehog", NUMBERED, goods, tmp_path / "o", new_kit(NUMBERED, tmp_path / "n"), like="fern_lump"
    )
    row = next(r for r in missing.ledger.rows if r.requirement == "made-after")
    assert row.verdict == "held" and "fern_lamp is nearest" in row.note


def test_mirrored_folders_and_what_is_replaced(goods: dict[str, Path], tmp_path: Path) -> None:
    kit = new_kit(MIRROR, tmp_path / "kit")
    before = now(kit)
    first = into_kit("hedgehog", MIRROR, goods, tmp_path / "out", kit)
    assert (
        first.folder is None
        and "packs/hedgehog.zip is there already" in str(first.error)
        and now(kit) == before
    )
    result = into_kit("hedgehog", MIRROR, goods, tmp_path / "out", kit, replace=True)
    assert result.folder is not None, result.error
    with zipfile.ZipFile(kit / "packs/hedgehog.zip") as archive:
        names = set(archive.namelist())
    assert "models/props/glass/hedgehog.glb" in names and not any(n.startswith("source") for n in names)
    body = json.loads((result.folder / "docket.json").read_text("utf-8"))
    named = {f["path"]: (f["before"], f["after"]) for f in body["kit"]["files"]}
    assert named["packs/hedgehog.zip"][0] == hashlib.sha256(before["packs/hedgehog.zip"] or b"").hexdigest()
    source = goods["hedgehog"]
    assert (result.folder / "source" / source.name).read_bytes() == source.read_bytes(), (
        "the editable source goes along"
    )
    rows = json.loads((kit / "packs/index.json").read_text("utf-8"))["files"]
    for row in rows:
        data = (kit / "packs" / row["path"]).read_bytes()
        assert (row["size"], row["sha256"]) == (len(data), hashlib.sha256(data).hexdigest())
    assert {r["path"] for r in rows} == {"hedgehog.zip", "pane_wall.zip", "sundial.zip"}
    run_withdraw(result.folder, kit)
    assert now(kit) == before


def test_folders_come_from_the_source_s_own_path() -> None:
    sheet = find_sheet(MIRROR)
    assert mirrored(sheet, {}, "/dump/Models/props/glass/pane.glb") == "props/glass"
    assert mirrored(sheet, {}, "/models/old/models/pane.glb") == "", "the nearest one counts"
    assert (
        mirrored(sheet, {}, "/dump/pane.glb") is None
        and mirrored(sheet, {"mirror": "/a/b/"}, "/dump/pane.glb") == "a/b"
    )
    assert known_of(sheet, {}, "/models/x/a{b}.glb").original == "a_b_"
    numbered = find_sheet(NUMBERED)
    assert (
        number_of(numbered, {"maker": 12, "number": 7}) == "12007"
        and number_of(numbered, {"number": 7}) == ""
    )


def test_a_source_from_no_such_folder_is_held(goods: dict[str, Path], tmp_path: Path) -> None:
    path = goods["pane_wall"]
    for mirror, told in (
        ("", "No folder above its source is called models"),
        ("con/x", "con"),
        ("a/../b", ".."),
    ):
        form = (("mirror", mirror),) if mirror else ()
        result = run(
            Request(path, path.parent, find_sheet(MIRROR), find_origin("metre-yup"), (), tmp_path, form=form)
        )
        row = next(r for r in result.ledger.rows if r.requirement == "mirrored-path")
        assert row.verdict == "held" and told in row.note and result.folder is None


def test_a_second_dispatch_writes_nothing(goods: dict[str, Path], tmp_path: Path) -> None:
    kit = new_kit(MIRROR, tmp_path / "kit")
    out = tmp_path / "out"

    def stamps() -> dict[Path, tuple[int, int]]:
        return {
            p: (p.stat().st_mtime_ns, p.stat().st_ino)
            for f in (out, kit)
            for p in f.rglob("*")
            # What a kit remembers of hashes is written once files lay still: by the clock, then or now.
            if p.name not in ("lock", KEPT, OURS)
        }

    assert into_kit("hedgehog", MIRROR, goods, out, kit, replace=True).accepted
    # Another asset after it: its journal is not the last, the index has gone on.
    assert into_kit("pane_wall", MIRROR, goods, out, kit, replace=True).accepted
    before = stamps()
    again = into_kit("hedgehog", MIRROR, goods, out, kit)
    assert again.accepted and again.folder == out / "hedgehog"
    assert stamps() == before
    for spoil in (
        lambda: (kit / "packs/hedgehog.zip").write_bytes(b"x"), lambda: (out / "hedgehog/pack.json").write_text("{}"),
        lambda: (kit / "packs/index.json").write_text("{}"), lambda: (out / "hedgehog/more.txt").write_text("x"),
    ):  # fmt: skip
        assert into_kit("hedgehog", MIRROR, goods, out, kit, replace=True).accepted
        spoil()
        assert not into_kit("hedgehog", MIRROR, goods, out, kit).accepted, (
            "it is not as it was: somebody has to say so"
        )
        (out / "hedgehog/more.txt").unlink(missing_ok=True)


def test_an_index_is_made_anew_and_reads_only_what_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kit = tmp_path / "kit"
    for k in range(30):
        place = kit / "packs" / f"{k % 3}" / f"p{k}.zip"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(f"pack {k}".encode())
    (kit / "packs/readme.txt").write_text("not a pack")
    rules = IndexRules(path="packs/index.sums", folder="packs", files=("*.zip",), form="sums")
    monkeypatch.setattr("customs.kit.hashes.SETTLED", -(10**9))
    with held(kit):
        data = index_of(
            rules,
            kit,
            [Wanted("packs/new.zip", b"new"), Wanted("packs/0/p0.zip", None), Wanted("else/x.zip", b"")],
        )
        (kit / OURS / "d1").mkdir()
    lines = dict(line.split("  ")[::-1] for line in data.decode().splitlines())
    assert (
        len(lines) == 30
        and "0/p0.zip" not in lines
        and lines["new.zip"] == hashlib.sha256(b"new").hexdigest()
    )
    reads: list[Path] = []
    monkeypatch.setattr("customs.kit.hashes.open_regular", lambda p: reads.append(p) or p.open("rb"))
    with held(kit):
        listed_files(kit, "packs", ("*.zip",))
        assert reads == [], "nothing has changed"
        (kit / "packs/1/p1.zip").write_bytes(b"pack!")
        assert [r.size for r in listed_files(kit, "packs", ("*.zip",)) if r.path == "1/p1.zip"] == [
            5
        ] and len(reads) == 1


def test_a_bundle_beside_the_files_and_room_on_the_disk(
    goods: dict[str, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    body = find_sheet("one-mesh-kit").model_dump()
    body["layout"]["bundle"] = "zip"
    sheet, path = Sheet.model_validate(body), goods["pane_wall"]
    results = [
        run(Request(path, path.parent, sheet, find_origin("metre-yup"), (), tmp_path / n)) for n in "ab"
    ]
    folders = [r.folder for r in results if r.folder is not None]
    assert len(folders) == 2, results[0].error
    bundles = [f / "pane_wall.zip" for f in folders]
    assert bundles[0].read_bytes() == bundles[1].read_bytes(), "the time of the dispatch is not in it"
    with zipfile.ZipFile(bundles[0]) as archive:
        assert {n: archive.read(n) for n in archive.namelist()} == {
            p.relative_to(folders[0]).as_posix(): p.read_bytes()
            for p in folders[0].rglob("*")
            if p.is_file() and p.name not in ("pane_wall.zip", "docket.json", "docket.html")
        }
    with zipfile.ZipFile(bundles[0], "a") as archive:
        archive.writestr("more.txt", b"")
    assert "holds more.txt" in refusals(land(folders[0], lambda name: sheet))
    full = type("Usage", (), {"free": 1000})
    monkeypatch.setattr(dispatching.shutil, "disk_usage", lambda p: full)
    late = run(Request(path, path.parent, sheet, find_origin("metre-yup"), (), tmp_path / "c"))
    assert "do not fit on the disk" in str(late.error) and not (tmp_path / "c").exists()


def test_the_command_line_takes_the_next_free_number(goods: dict[str, Path], tmp_path: Path) -> None:
    kit = new_kit(NUMBERED, tmp_path / "kit")
    words = [w for k, v in form_for(NUMBERED) if k != "number" for w in ("--form", f"{k}={v}")]
    names = [goods[a] for a in ("hedgehog", "pane_wall")]
    code, text = call(
        "port",
        *names,
        "--to",
        NUMBERED,
        "--out",
        tmp_path / "o",
        "--kit",
        kit,
        *words,
        "--form",
        "number=next",
        "--from",
        "metre-yup",
    )
    assert code == 0, text
    assert {p.name for p in (kit / "items").iterdir()} >= {"12003_hedgehog", "12004_pane_wall"}
    code, text = call(
        "port", names[0], "--to", NUMBERED, "--out", tmp_path / "p", *words, "--form", "number=next"
    )
    assert code == 2 and "--kit" in text


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('[kit.index]\npath = "../x"', "inside the kit"), ('[kit.version]\nfile = "v"\npattern = "("\nexpected = "1"', "regular expression"), ('[kit]\nplace = "{moon}"', "tokens"),
        ('[[form]]\nid = "n"\ntitle = "N"\nkind = "id"\nafter = "m"', "no field m"), ('[[form]]\nid = "n"\ntitle = "N"\nkind = "id"\ntaken = [{look = "document", path = "x"}]', "at"),
        ('[[log]]\npattern = "(?P<moon>x)"', "groups file and text"), ('[names]\nlater = "x"', "index"),
    ],
)  # fmt: skip
def test_a_sheet_says_where_it_is_wrong(text: str, told: str) -> None:
    with pytest.raises(SheetError, match=told):
        parse_sheet(f'version = 1\nid = "x"\ntitle = "x"\n{text}\n')


def test_a_kit_that_cannot_be_written_stays_as_it_is(
    goods: dict[str, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The disk is full when the index is written down: package and kit are as they were."""
    kit = new_kit(MIRROR, tmp_path / "kit")
    before = now(kit)
    from customs.kit import journal

    def full(path: Path, data: bytes) -> None:
        raise OSError(28, "No space left on device", str(path))

    monkeypatch.setattr(journal, "_write", full)
    result = into_kit("hedgehog", MIRROR, goods, tmp_path / "out", kit, replace=True)
    assert isinstance(result.error, WriteError) and "No space left" in str(result.error)
    assert now(kit) == before and not (tmp_path / "out/hedgehog").exists()


def test_a_source_in_an_archive_goes_along_too(goods: dict[str, Path], tmp_path: Path) -> None:
    packed = tmp_path / "heap.zip"
    with zipfile.ZipFile(packed, "w") as archive:
        archive.write(goods["pane_wall"], "models/props/pane_wall.glb")
    inner = packed / "models" / "props" / "pane_wall.glb"
    result = run(Request(inner, packed, find_sheet(MIRROR), find_origin("metre-yup"), (), tmp_path / "o"))
    assert result.folder is not None, result.error
    assert (result.folder / "source/pane_wall.glb").read_bytes() == goods["pane_wall"].read_bytes()
    body = json.loads((result.folder / "docket.json").read_text("utf-8"))
    assert body["known"]["mirror"] == "props", "told by the path inside the archive"
