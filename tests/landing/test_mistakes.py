"""Mistakes of every kind in packages and kits of every sheet that has one: each is named by landing, with its file and its cause."""

from __future__ import annotations

from pathlib import Path

import pytest

from customs.demo.kits import KITS
from customs.errors import WriteError
from customs.landing import mistakes, mistakes_levels, mistakes_voxels
from customs.landing.land import land
from customs.landing.mistakes import MISTAKES, plant, telling, tried
from customs.work.lookup import find_sheet
from tests.conftest import once
from tests.dispatch.kits import into_kit, new_kit
from tests.kit.test_journal import now

GLB = "pane_wall.glb"
NUMBERED, MIRROR, CONFIG, ATTACHED = (
    "numbered-item-kit",
    "mirror-bundle-kit",
    "config-text-kit",
    "attachment-kit",
)
EVERYWHERE = {
    "name": f"{GLB}: nodes the docket names are not found", "number": "docket.json: was changed after it was written", "count": f"{GLB}: the docket says",
    "cut": f"{GLB}: differs from what was dispatched", "byte": "differs from what was dispatched: size or hash", "gone": "the docket names it and it is not there",
    "case": f"{GLB}: the docket names it and it is not there", "box": f"{GLB}: its box is not the docket's", "texture": "names it and it is not there",
    "document": "the document is not there", "kit-changed": "differs from what was dispatched: its hash does not fit", "kit-gone": "was dispatched into the kit and is not there",
}  # fmt: skip
OWN = {
    ATTACHED: {
        "bracket": "data/attachments.xml: cannot be read as xml", "quote": "data/attachments.xml: cannot be read as xml", "encoding": "data/attachments.xml: cannot be read as xml",
        "reference": "data/attachments.xml: names props/pane_wall.zipx, which is not in the kit", "look-alike": "pane_wall.zip only looks like it (U+0440)",
        "twice": "data/attachments.xml: fern_pot stands twice at //thing/@name", "kit-cut": "props/pane_wall.zip: cannot be opened as zip",
    },
    CONFIG: {
        "form": "docket.json: the field Title of the form is empty", "picture": "pane_wall_thumbnail.jpg: is 239 × 180, 240 × 180 is read", "bracket": "item.txt: cannot be read as bracketed: the bracket { has no other half",
        "quote": "item.txt: cannot be read as bracketed: a quote is not closed", "encoding": "item.txt: cannot be read as bracketed", "reference": "item.txt: names pane_wall.glbx, which is not in the package",
        "look-alike": f"{GLB} only looks like it (U+0430)", "twice": "items/fern_stand/item.txt stands twice", "kit-cut": "items/pane_wall: item.txt in it differs from the package",
    },
    NUMBERED: {
        "form": "docket.json: the field Title of the form is empty", "picture": "pane_wall_icon.png: is 127 × 128", "bracket": "item.ini: cannot be read as ini", "quote": "data/items.txt: cannot be read as bracketed: a quote is not closed",
        "encoding": "item.ini: cannot be read as ini", "reference": "item.ini: names pane_wall.glbx, which is not in the package", "look-alike": "only looks like it (U+0430)", "named": "item.ini: names i12010_plinth_stonex, which is not in the model as a material",
        "own-number": "item.ini: says the number 12011, the asset has 12010", "version": "item.ini: is for version 5, 4 is expected", "twice": "data/items.txt: 12007 stands twice", "kit-cut": "item.ini in it differs from the package",
        "kit-version": "data/version.txt: the kit is of version 49, 4 is expected", "number-twice": "items: the number 12010 (Item number) stands 2 times",
    },
    MIRROR: {
        "bracket": "pack.json: cannot be read as json", "quote": "pack.json: cannot be read as json", "encoding": "pack.json: cannot be read as json", "reference": "pack.json: names models/props/glass/pane_wall.glbx, which is not in the package",
        "look-alike": f"{GLB} only looks like it (U+0430)", "named": "which is not in the model as a node", "order": "pack.json: the numbers at /parts/*/order are 1, 2, 1; 1 to 3 are read, each once",
        "kit-cut": "packs/pane_wall.zip: cannot be opened as zip", "index-stale": "packs/index.json: does not list a_newcomer.zip: it was not made anew", "index-hash": "packs/index.json: says another hash of hedgehog.zip than it has",
    },
}  # fmt: skip
"""What landing says of each kind, in the package or kit of each sheet."""
TABLE = [(sheet, kind, told) for sheet in OWN for kind, told in {**EVERYWHERE, **OWN[sheet]}.items()]


@pytest.fixture(scope="session")
def standing(goods: dict[str, Path], tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The pane wall in each kit, and its packages."""

    def made(folder: Path) -> None:
        for sheet in KITS:
            kit = new_kit(sheet, folder / "kits" / sheet)
            result = into_kit("pane_wall", sheet, goods, folder / sheet, kit, replace=True)
            assert result.accepted, result.error

    return Path(once(tmp_path_factory, "pane-wall-in-kits", made))


def test_there_are_sixty_and_every_kind_is_among_them() -> None:
    assert len(TABLE) >= 60 and {kind for _, kind, _ in TABLE} >= {m.id for m in MISTAKES} - {
        "index-path"
    } - {m.id for m in (*mistakes_levels.MISTAKES, *mistakes_voxels.MISTAKES)}


@pytest.mark.parametrize(("sheet", "kind", "told"), TABLE)
def test_every_mistake_is_named(sheet: str, kind: str, told: str, standing: Path) -> None:
    lines = tried(standing / sheet / "pane_wall", kind, find_sheet(sheet), standing / "kits" / sheet)
    assert lines, f"{kind} is not caught"
    assert told in "; ".join(f"{x.file}: {x.text}" for x in lines)
    assert telling(lines) in lines


def test_nothing_of_a_kind_is_said_and_the_kit_stays(standing: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    package, kit, sheet = (
        standing / ATTACHED / "pane_wall",
        standing / "kits" / ATTACHED,
        find_sheet(ATTACHED),
    )
    before = now(kit)
    assert [
        tried(package, k, sheet, kit)
        for k in ("form", "picture", "order", "version", "index-stale", "number-twice")
    ] == [None] * 6
    assert tried(package, "kit-gone", sheet, None) is None and tried(package, "cut", sheet, None)
    assert now(kit) == before and land(package, find_sheet, kit=kit).accepted
    monkeypatch.setattr(mistakes, "LARGEST", 10)
    with pytest.raises(WriteError, match="can be copied"):
        tried(package, "cut", sheet, kit)


def test_an_index_path_that_leads_elsewhere(goods: dict[str, Path], tmp_path: Path) -> None:
    """A sheet that lists posts by index path in a document of the package."""
    from customs.sheet.model import Sheet

    body = find_sheet(ATTACHED).model_dump()
    body["documents"] = [
        {"path": "posts.json", "syntax": "json", "new": '{"posts": [{% for p in posts %}"{{ p.index_path }}"{% endfor %}]}', "references": [{"at": "/posts/*", "names": "index-path"}]}
    ]  # fmt: skip
    from customs.work.asset import Request, run
    from customs.work.lookup import find_origin
    from tests.dispatch.kits import POST

    sheet, path = Sheet.model_validate(body), goods["pane_wall"]
    result = run(Request(path, path.parent, sheet, find_origin("metre-yup"), (POST,), tmp_path))
    assert result.folder is not None, result.error
    lines = tried(result.folder, "index-path", sheet, None)
    assert lines and any("leads to no node" in x.text or "which is no post" in x.text for x in lines), lines
    assert not plant(result.folder, "order", sheet)
