"""An item of several texts with the fields of its form: written, read by other people's parsers, every mistake named by landing."""

from __future__ import annotations

import configparser
import io
import json
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from customs.demo.kits import write_config_kit
from customs.landing.land import land
from customs.work.asset import Request, Result, run
from customs.work.lookup import find_origin, find_sheet
from customs.work.requests.withdraw import run_withdraw
from tests.conftest import good, once
from tests.kit.test_journal import now
from tests.landing.test_rules import exchange, exchange_file, refusals
from tests.work.test_cli import call

FORM = (
    ("title", 'The "old" fern stand'), ("region", "palm house"), ("decades", "1880s, 1890s"), ("cost", "12"), ("use", "gardeners, visitors"),
    ("tint", "#3f7f6a"), ("contact", "keeper@glasshouse.example"), ("licence", "CC0-1.0"),
)  # fmt: skip


def configured(asset: str, goods: dict[str, Path], out: Path, kit: Path | None, form: Any = FORM) -> Result:
    path = goods[asset]
    return run(
        Request(path, path.parent, find_sheet("config-text-kit"), find_origin(good(asset).origin), (), out, form=form, kit=kit)
    )  # fmt: skip


def test_an_item_of_six_files_goes_into_its_kit_and_out_again(goods: dict[str, Path], tmp_path: Path) -> None:
    kit = write_config_kit(tmp_path / "kit")
    before = now(kit)
    result = configured("hedgehog", goods, tmp_path / "out", kit)
    assert result.folder is not None, result.error
    names = {p.name for p in result.folder.iterdir()} - {"docket.json", "docket.html"}
    assert names == {
        "hedgehog.glb",
        "hedgehog_numbers.json",
        "hedgehog_thumbnail.jpg",
        "item.txt",
        "words.ini",
        "rights.ini",
    }
    assert {p.name for p in (kit / "items/hedgehog").iterdir()} == names
    with Image.open(kit / "items/hedgehog/hedgehog_thumbnail.jpg") as picture:
        assert picture.size == (240, 180) and picture.format == "JPEG"
    text = (kit / "items/hedgehog/item.txt").read_text("utf-8")
    assert (
        '\ttitle "The \\"old\\" fern stand"\n' in text
        and "decades ( 1880 1890 )" in text
        and "\tcost 12\n" in text
    )
    assert text.count("{") == text.count("}") == 2 and "until 10000" in text
    words = configparser.ConfigParser()
    words.read(kit / "items/hedgehog/words.ini")
    assert dict(words["hedgehog"]) == {"title": 'The "old" fern stand', "users": "gardeners, visitors"}
    listed = (kit / "data/items.txt").read_bytes()
    assert b'    include "items/hedgehog/item.txt"\n}' in listed and "caf\u00e9".encode("latin-1") in listed
    page = (result.folder / "docket.html").read_text("utf-8")
    assert "1880, 1890" in page and "palm house" in page
    body = json.loads((result.folder / "docket.json").read_text("utf-8"))
    assert body["form"]["decades"] == [1880, 1890] and body["form"]["cost"] == 12
    assert land(result.folder, find_sheet, kit=kit).accepted
    run_withdraw(result.folder, kit)
    assert now(kit) == before


def _in_package(folder: Path, name: str, old: bytes, new: bytes) -> None:
    data = (folder / name).read_bytes()
    assert old in data
    exchange_file(folder, name, data.replace(old, new, 1))


CONFIG_MISTAKES: dict[str, tuple[Callable[[Path], object], str]] = {
    "a bracket dropped": (lambda p: _in_package(p, "item.txt", b"\n}", b"\n"), "item.txt: cannot be read as bracketed: the bracket { has no other half"),
    "a quote lost": (lambda p: _in_package(p, "item.txt", b'region "', b"region "), "item.txt: cannot be read as bracketed: a quote is not closed"),
    "another bracket": (lambda p: _in_package(p, "item.txt", b"1890 )", b"1890 }"), "cannot be read as bracketed"),
    "a model that is not there": (lambda p: _in_package(p, "item.txt", b'model "hedgehog.glb"', b'model "hedgehog2.glb"'), "names hedgehog2.glb, which is not in the package"),
    "a model in capitals": (lambda p: _in_package(p, "item.txt", b'model "hedgehog.glb"', b'model "Hedgehog.glb"'), "names Hedgehog.glb, which is not in the package"),
    "a picture that is not there": (lambda p: _in_package(p, "item.txt", b"_thumbnail.jpg", b"_thumb.jpg"), "names hedgehog_thumb.jpg"),
    "words twice": (lambda p: _in_package(p, "words.ini", b"users =", b"title ="), "words.ini: cannot be read as ini"),
    "words without their section": (lambda p: _in_package(p, "words.ini", b"[hedgehog]", b"[hedgehog"), "words.ini: cannot be read as ini"),
    "words in another encoding": (lambda p: _in_package(p, "words.ini", b"fern", b"f\xe9rn"), "words.ini: cannot be read as ini"),
    "the form empty": (lambda p: exchange(p, lambda b: b["form"].pop("title")), "the field Title of the form is empty"),
    "the form gone": (lambda p: exchange(p, lambda b: b.pop("form")), "has no form"),
    "a region that is none": (lambda p: exchange(p, lambda b: b["form"].update(region="moon")), "Region of the form takes one of"),
    "a decade that is none": (lambda p: exchange(p, lambda b: b["form"].update(decades=[1885])), "Decades of the form takes"),
    "the licence empty": (lambda p: exchange(p, lambda b: b["form"].update(licence="")), "Licence of the form takes"),
    "the document gone": (lambda p: exchange(p, lambda b: b.update(files=[f for f in b["files"] if f["path"] != "item.txt"])), "item.txt: the document is not there"),
    "the thumbnail another size": (lambda p: exchange_file(p, "hedgehog_thumbnail.jpg", _jpeg(180, 240)), "180 \u00d7 240"),
}  # fmt: skip


def _jpeg(width: int, height: int) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (width, height), (90, 120, 100)).save(out, "JPEG")
    return out.getvalue()


@pytest.mark.parametrize("mistake", CONFIG_MISTAKES)
def test_every_mistake_in_the_item_is_named(
    mistake: str, goods: dict[str, Path], tmp_path: Path, tmp_path_factory: Any
) -> None:
    made = once(tmp_path_factory, "config-item", lambda folder: configured("hedgehog", goods, folder, None))
    package = Path(shutil.copytree(made / "hedgehog", tmp_path / "hedgehog"))
    assert land(package, find_sheet).accepted
    plant, told = CONFIG_MISTAKES[mistake]
    plant(package)
    assert told in refusals(land(package, find_sheet)), refusals(land(package, find_sheet))


def test_a_form_on_the_command_line(goods: dict[str, Path], tmp_path: Path) -> None:
    words = ("port", goods["hedgehog"], "--to", "config-text-kit", "--out", tmp_path / "o")
    code, text = call(*words)
    assert code == 1 and "Fill it in on the desk Fittings" in " ".join(text.split())
    for wrong, told in (
        ("title", "takes FIELD=VALUE"),
        ("mood=good", "form field mood"),
        ("decades=1885", "1885 is none"),
    ):
        code, text = call(*words, "--form", wrong)
        assert code == 2 and told in " ".join(text.split())
    code, _ = call(*words, *(w for k, v in FORM for w in ("--form", f"{k}={v}")))
    assert code == 0 and (tmp_path / "o/hedgehog/item.txt").is_file()
