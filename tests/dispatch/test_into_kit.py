"""Packages go into a made-up kit and out of it again: documents, bundle and journal together, read by other people's tools, and every
mistake named by landing.
"""

from __future__ import annotations

import difflib
import hashlib
import io
import json
import shutil
import subprocess
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import py7zr
import pytest
from lxml import etree

from customs.demo.kits import write_attachment_kit
from customs.dispatch.bundle import bundled
from customs.documents.templates import filled_in
from customs.errors import CustomsError, SheetError, WriteError
from customs.kit.changes import OURS, Wanted
from customs.kit.journal import held, journals, prepare, recover, withdraw
from customs.landing.grammars import PARSERS
from customs.landing.land import land
from customs.sheet.load import load_sheet, parse_sheet
from customs.work.asset import Request, Result, run
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.dispatch import is_placed
from customs.work.requests.withdraw import run_withdraw
from tests.conftest import good
from tests.kit.test_journal import now
from tests.landing.test_rules import refusals
from tests.work.test_cli import call

POST = 'posts.posts=[["hook", [0, 1, 0], [0, 0, 1], "", ""]]'
XML = "data/attachments.xml"


def sent(asset: str, goods: dict[str, Path], out: Path, kit: Path, replace: bool = False) -> Result:
    path = goods[asset]
    return run(
        Request(path, path.parent, find_sheet("attachment-kit"), find_origin(good(asset).origin), (POST,), out, replace, kit=kit)
    )  # fmt: skip


@pytest.fixture
def kit(tmp_path: Path) -> Path:
    return write_attachment_kit(tmp_path / "kit")


@pytest.fixture
def package(goods: dict[str, Path], tmp_path: Path, kit: Path) -> Path:
    result = sent("pane_wall", goods, tmp_path / "out", kit)
    assert result.folder is not None and result.accepted, result.error
    return result.folder


def test_goods_go_in_and_out_and_the_kit_is_as_it_was(
    goods: dict[str, Path], tmp_path: Path, kit: Path
) -> None:
    before, folders = now(kit), []
    for asset in ("hedgehog", "house_warden", "fern_bed"):
        result = sent(asset, goods, tmp_path / "out", kit)
        assert result.folder is not None, result.error
        folders.append(result.folder)
        assert land(result.folder, find_sheet, kit=kit).accepted
        with zipfile.ZipFile(kit / "props" / f"{asset}.zip") as archive:
            assert archive.namelist() == [f"{asset}.glb"] and archive.testzip() is None
            assert archive.read(f"{asset}.glb") == (result.folder / f"{asset}.glb").read_bytes()
    if shutil.which("unzip"):
        subprocess.run(["unzip", "-tq", kit / "props" / "hedgehog.zip"], check=True, capture_output=True)
    data = (kit / XML).read_bytes()
    root = etree.fromstring(data)
    assert [t.get("name") for t in root.iter("thing")] == [
        "fern_pot",
        "watering_can",
        "hedgehog",
        "house_warden",
        "fern_bed",
    ]
    body = json.loads((folders[0] / "docket.json").read_text("utf-8"))
    row = next(m for m in root.iter("thing") if m.get("name") == "hedgehog")
    assert row.get("triangles") == str(body["after"]["triangles"]) and row.find("post").get("name") == "hook"
    # Every line that was there is there as it was, its mark and its line ends too.
    was, new = (before[XML] or b"").split(b"\n"), data.split(b"\n")
    ops = difflib.SequenceMatcher(None, was, new, autojunk=False).get_opcodes()
    assert [op[0] for op in ops if op[0] != "equal"] == ["insert"]
    assert data.count(b"\r\n") == data.count(b"\n") and data[:3] == b"\xef\xbb\xbf"
    page = (folders[0] / "docket.html").read_text("utf-8")
    assert (
        "In the kit folder" in page
        and "+\t\t&lt;thing name=&#34;hedgehog&#34;" in page
        and "taken away" not in page
    )
    told = body["kit"]["documents"][0]
    assert told["path"] == XML and '+\t\t<thing name="hedgehog"' in told["difference"]
    for folder in reversed(folders):
        assert XML in run_withdraw(folder, kit)
    assert now(kit) == before and not (kit / OURS).exists()


def test_an_earlier_one_cannot_be_withdrawn_under_a_later_one(
    goods: dict[str, Path], tmp_path: Path, kit: Path, package: Path
) -> None:
    assert sent("house_warden", goods, tmp_path / "out", kit).accepted
    with pytest.raises(WriteError, match=r"data/attachments\.xml changed since"):
        run_withdraw(package, kit)


def test_a_second_time_it_is_replaced_only_where_somebody_says_so(
    goods: dict[str, Path], tmp_path: Path, kit: Path, package: Path
) -> None:
    before = now(kit)
    again = sent("pane_wall", goods, tmp_path / "out2", kit)
    assert again.folder is not None and len(journals(kit)) == 1, "nothing of the kit would change"
    bundle = kit / "props" / "pane_wall.zip"
    bundle.write_bytes(b"somebody's own")
    held_off = sent("pane_wall", goods, tmp_path / "out3", kit)
    assert (
        held_off.folder is None
        and "is there already" in str(held_off.error)
        and bundle.read_bytes() == b"somebody's own"
    )
    assert sent("pane_wall", goods, tmp_path / "out3", kit, True).accepted
    assert now(kit) == before and len(journals(kit)) == 2


def test_what_the_kit_has_not_is_said_and_nothing_written(goods: dict[str, Path], tmp_path: Path) -> None:
    empty = tmp_path / "empty"
    empty.mkdir()
    result = sent("pane_wall", goods, tmp_path / "out", empty)
    assert "data/attachments.xml cannot be read" in str(result.error) and not list(empty.iterdir())
    assert not (tmp_path / "out" / "pane_wall").exists()
    broken = write_attachment_kit(tmp_path / "broken")
    (broken / XML).write_bytes((broken / XML).read_bytes().replace(b"</things>", b""))
    before = now(broken)
    result = sent("pane_wall", goods, tmp_path / "out", broken)
    assert "mismatched tag" in str(result.error) and now(broken) == before
    assert not (tmp_path / "out" / "pane_wall").exists() and not (broken / OURS).exists()


def _facts(kit: Path, old: bytes, new: bytes) -> None:
    data = (kit / XML).read_bytes()
    assert old in data
    (kit / XML).write_bytes(data.replace(old, new))


def _zipped(kit: Path, change: Callable[[dict[str, bytes]], object]) -> None:
    place = kit / "props" / "pane_wall.zip"
    with zipfile.ZipFile(place) as archive:
        files = {n: archive.read(n) for n in archive.namelist()}
    change(files)
    place.write_bytes(bundled(files, "zip"))


MISTAKES: dict[str, tuple[Callable[[Path], object], str]] = {
    "the bundle gone": (lambda k: (k / "props/pane_wall.zip").unlink(), "props/pane_wall.zip: was dispatched into the kit and is not there"),
    "the bundle cut off": (lambda k: (k / "props/pane_wall.zip").write_bytes((k / "props/pane_wall.zip").read_bytes()[:99]), "cannot be opened as zip"),
    "the model in it another": (lambda k: _zipped(k, lambda f: f.update({"pane_wall.glb": b"glTF"})), "pane_wall.glb in it differs from the package"),
    "the model in it gone": (lambda k: _zipped(k, lambda f: f.pop("pane_wall.glb")), "pane_wall.glb in it is missing"),
    "the model in it renamed": (lambda k: _zipped(k, lambda f: f.update({"Pane_wall.glb": f.pop("pane_wall.glb")})), "holds Pane_wall.glb"),
    "something more in it": (lambda k: _zipped(k, lambda f: f.update({"more.txt": b""})), "holds more.txt"),
    "the bundle another's": (lambda k: shutil.copy(k / "props/fern_pot.zip", k / "props/pane_wall.zip"), "differs from what was dispatched"),
    "the document gone": (lambda k: (k / XML).unlink(), "data/attachments.xml: the document is not there"),
    "a bracket dropped": (lambda k: _facts(k, b"</things>", b"</things"), "cannot be read as xml"),
    "a quote lost": (lambda k: _facts(k, b'version="7"', b'version="7'), "cannot be read as xml"),
    "its end lost": (lambda k: (k / XML).write_bytes((k / XML).read_bytes()[:-20]), "cannot be read as xml"),
    "its encoding another": (lambda k: (k / XML).write_bytes((k / XML).read_bytes()[3:].replace(b"east", b"e\xff")), "cannot be read as xml"),
    "a name twice": (lambda k: _facts(k, b'name="fern_pot"', b'name="pane_wall"'), "pane_wall stands twice at //thing/@name"),
    "a reference to nothing": (lambda k: _facts(k, b"props/fern_pot.zip", b"props/fern.zip"), "names props/fern.zip, which is not in the kit"),
    "a reference out of the kit": (lambda k: _facts(k, b"props/fern_pot.zip", b"../out/pane_wall/pane_wall.glb"), "which is not in the kit"),
    "its own reference another": (lambda k: _facts(k, b'file="props/pane_wall.zip"', b'file="props/fern_pot.zip"'), "does not name props/pane_wall.zip"),
    "its own reference in capitals": (lambda k: _facts(k, b'file="props/pane_wall.zip"', b'file="props/Pane_wall.zip"'), "names props/Pane_wall.zip, which is not in the kit"),
    "what another names gone": (lambda k: (k / "props/watering_can.zip").unlink(), "names props/watering_can.zip, which is not in the kit"),
}  # fmt: skip


@pytest.mark.parametrize("mistake", MISTAKES)
def test_every_mistake_in_the_kit_is_named(mistake: str, kit: Path, package: Path) -> None:
    plant, told = MISTAKES[mistake]
    plant(kit)
    log = land(package, find_sheet, kit=kit)
    assert told in refusals(log), refusals(log)


def test_a_package_of_another_sheet_has_nothing_to_do_in_a_kit(
    goods: dict[str, Path], tmp_path: Path, kit: Path
) -> None:
    path = goods["pane_wall"]
    result = run(
        Request(
            path,
            path.parent,
            find_sheet("one-mesh-kit"),
            find_origin("metre-yup"),
            (),
            tmp_path / "o",
            kit=kit,
        )
    )
    assert "nothing to do in a kit folder" in str(result.error)
    plain = run(
        Request(path, path.parent, find_sheet("attachment-kit"), find_origin("metre-yup"), (), tmp_path / "o")
    )
    assert plain.folder is not None
    assert "says of no kit" in refusals(land(plain.folder, find_sheet, kit=kit))
    with pytest.raises(CustomsError, match="no dispatch into a kit"):
        run_withdraw(plain.folder, kit)


def test_what_landing_refuses_is_taken_out_of_the_kit_again(
    goods: dict[str, Path], tmp_path: Path, kit: Path
) -> None:
    """Something the document names is gone: the kit is as it was, and that is said."""
    (kit / "props" / "watering_can.zip").unlink()
    before = now(kit)
    result = sent("pane_wall", goods, tmp_path / "out", kit)
    assert "names props/watering_can.zip" in str(result.error) and "The kit is as it was" in str(result.error)
    assert now(kit) == before and not (kit / OURS).exists()


def test_what_a_kill_left_follows_its_package(kit: Path, package: Path) -> None:
    """Begun and not done: with its package in place it is finished, without it is rolled back."""
    journal = journals(kit)[0]
    assert is_placed(journal.about)
    new = (kit / XML).read_bytes()
    run_withdraw(package, kit)
    before = now(kit)
    for placed in (True, False):
        about: dict[str, Any] = dict(journal.about) | ({} if placed else {"digest": "another"})
        with held(kit):
            assert prepare(kit, "again", [Wanted(XML, new)], [XML], about) is not None
            recover(kit, is_placed)
        assert ((kit / XML).read_bytes() == new) is placed
        if placed:
            with held(kit):
                withdraw(kit, "again")
        assert now(kit) == before


@pytest.mark.parametrize("form", ["zip", "tar.gz", "7z"])
def test_bundles_are_the_same_bytes_and_read_by_others(form: str, tmp_path: Path) -> None:
    files = {"b/deep/x.txt": b"x" * 5000, "a.bin": bytes(range(256)), "ü.txt": b""}
    data = bundled(files, form)
    assert (
        hashlib.sha256(data).digest() == hashlib.sha256(bundled(dict(reversed(files.items())), form)).digest()
    )
    place = tmp_path / f"b.{form}"
    place.write_bytes(data)
    if form == "zip":
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            found = {n: archive.read(n) for n in archive.namelist()}
    elif form == "tar.gz":
        subprocess.run(["tar", "-xzf", place, "-C", tmp_path], check=True)
        with tarfile.open(place) as packed:
            assert all((m.mtime, m.uid, m.uname) == (0, 0, "") for m in packed)
        found = {n: (tmp_path / n).read_bytes() for n in files}
    else:
        with py7zr.SevenZipFile(place) as seven:
            seven.extractall(tmp_path / "s")
        found = {n: (tmp_path / "s" / n).read_bytes() for n in files}
    assert found == files
    with pytest.raises(ValueError, match="no bundle"):
        bundled(files, "rar")


@pytest.mark.parametrize(
    ("template", "told"),
    [
        ("{{ nothing }}", "nothing"), ("{{ asset.__class__.__mro__ }}", "unsafe|cannot be filled"), ("{% for x in range(10 ** 9) %}x{% endfor %}", "cannot be filled|'range'"),
        ("{{ 'x' * 10 ** 10 }}", "fails"), ("{{ 9 ** 999 }}", "fails"), ("{{ 'x' | center(10 ** 10) }}", "cannot be filled"), ("{% include '/etc/passwd' %}", "cannot be filled|fails"), ("{% for %}", "cannot be filled"), ("{{ 1 / 0 }}", "fails"),
        ("{% for a in many %}{% for b in many %}{{ 'xxxxxxxxxx' }}{% endfor %}{% endfor %}", "runs on"),
    ],
)  # fmt: skip
def test_templates_that_loop_climb_or_ask_for_what_is_not_there(template: str, told: str) -> None:
    with pytest.raises(SheetError, match=told):
        filled_in(template, {"asset": "a", "many": list(range(1000))}, "xml", "documents, x.xml")


def test_templates_escape_where_the_syntax_does() -> None:
    facts = {"asset": 'a "b" & <c>'}
    assert (
        etree.fromstring(filled_in('<t n="{{ asset }}">{{ asset }}</t>', facts, "xml", "x")).text
        == facts["asset"]
    )
    assert json.loads(filled_in("{{ asset | tojson }}", facts, "json", "x")) == facts["asset"]
    assert filled_in("{{ asset }}", facts, "ini", "x") == facts["asset"]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('path = "../x.xml"\nsyntax = "xml"\nedits = [{do = "set", at = "/a", text = "1"}]', "inside the kit"), ('path = "x.xml"\nsyntax = "xml"', "either edits"),
        ('path = "x.xml"\nsyntax = "yaml"\nnew = "x"', "syntax"), ('path = "x.xml"\nsyntax = "xml"\nedits = [{do = "burn", at = "/a"}]', "do"),
    ],
)  # fmt: skip
def test_a_sheet_says_where_its_documents_are_wrong(text: str, told: str) -> None:
    with pytest.raises(SheetError, match=told):
        parse_sheet(f'version = 1\nid = "x"\ntitle = "x"\n[[documents]]\n{text}\n')


def test_every_grammar_of_landing_refuses_what_is_broken() -> None:
    good_ones = {
        "xml": b"<a/>",
        "json": b'{"a": 1}',
        "ini": b"a = 1\n[s]\nb = 2\n",
        "bracketed": b'a { b "c{" } // {\n',
    }
    bad = {
        "xml": b"<a>",
        "json": b'{"a": 1, "a": 2}',
        "ini": b"[s]\nb = 1\nb = 2\n",
        "bracketed": b"a { b ( }",
    }
    for name, parse in PARSERS.items():
        parse(good_ones[name], "")
        with pytest.raises(Exception):  # noqa: B017 (each grammar has errors of its own)
            parse(bad[name], "")


def test_on_the_command_line(goods: dict[str, Path], tmp_path: Path, kit: Path) -> None:
    before = now(kit)
    words = ("port", goods["hedgehog"], "--to", "attachment-kit", "--out", tmp_path / "o", "--kit", kit)
    assert call(*words)[0] == 0
    package = tmp_path / "o" / "hedgehog"
    code, text = call("land", package, "--kit", kit, "--json")
    assert code == 0 and json.loads(text)[0]["accepted"]
    assert call("land", package, "--kit", tmp_path / "nowhere")[0] == 2
    code, text = call("withdraw", package, "--kit", kit, "--json")
    assert code == 0 and XML in json.loads(text)["withdrawn"] and now(kit) == before
    code, text = call("withdraw", package, "--kit", kit, "--json")
    assert code == 1 and "no dispatch" in json.loads(text)["error"]["found"]
    assert load_sheet("attachment-kit").goes_into_kit
