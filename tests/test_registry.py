"""A new format, texture format, step, requirement, sheet or desk is one new file or folder: found by its
registry, and gone again.
"""

from __future__ import annotations

import importlib
import sys
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

from customs.formats.registry import FORMATS, recognise
from customs.ledger.row import REQUIREMENTS
from customs.registry import Registry
from customs.route.step import STEPS
from customs.sheet.load import copy_text
from customs.surface.files.base import FORMATS as TEXTURE_FORMATS
from customs.work.lookup import find_sheet, read_sheets
from customs.work.places import sheets_folder
from customs_desktop.desk import DESKS
from customs_desktop.office import Office
from customs_desktop.window import MainWindow

TOYS: dict[str, tuple[Registry[Any], str]] = {
    "toy-format": (FORMATS, """
from customs.formats.registry import get_format, register
from dataclasses import replace
register(replace(get_format("ply"), id="toy-format", title="Toy", endings=(".toy",), looks_like=lambda head: head[:3] == b"TOY"))
"""),
    "toy-texture": (TEXTURE_FORMATS, """
from customs.surface.files.base import register, texture_format
from dataclasses import replace
register(replace(texture_format("png"), id="toy-texture", endings=(".toyt",), looks_like=lambda data: data[:4] == b"TOYT"))
"""),
    "toy-step": (STEPS, """
from customs.route.step import Outcome, Step, register
from customs.scene.settings import Settings
register(Step("toy-step", "Toy", "fit", 4321, "Does nothing.", Settings, lambda scene, settings, content, job: Outcome(scene)))
"""),
    "toy-rule": (REQUIREMENTS, """
from customs.ledger.row import Requirement, register
register(Requirement("toy-rule", "Toy", "fit", lambda rule, case: iter(())))
"""),
    "toy-desk": (DESKS, """
from PyQt6.QtWidgets import QLabel
from customs_desktop.desk import Desk, DeskPanel, register
class Toy(DeskPanel):
    seen = ()
    def pages(self):
        return [("Toys", QLabel("toys"))]
    def opened(self):
        self.seen = (*self.seen, "opened")
    def left(self):
        self.seen = (*self.seen, "left")
register(Desk("toy-desk", "Toys", "ruler", 99, lambda office, twin: Toy("Toys", "all of them"), (400, 300), 1))
"""),
}  # fmt: skip


@pytest.fixture
def toy(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[tuple[Registry[Any], str]]:
    """A toy's file in a folder that joins its package for a while."""
    registry, text = TOYS[request.param]
    package = importlib.import_module(registry.package)
    name = request.param.replace("-", "_")
    if registry is DESKS:
        (tmp_path / name).mkdir()
        (tmp_path / name / "__init__.py").write_text(text)
    else:
        (tmp_path / f"{name}.py").write_text(text)
    registry.all()
    package.__path__.append(str(tmp_path))
    yield registry, request.param
    package.__path__.remove(str(tmp_path))
    sys.modules.pop(f"{registry.package}.{name}", None)
    if registry.get(request.param) is not None:
        registry.drop(request.param)


@pytest.mark.parametrize("toy", TOYS, indirect=True)
def test_one_file_is_found_and_gone_again(toy: tuple[Registry[Any], str]) -> None:
    registry, id_ = toy
    entry = registry.all()[id_]
    assert registry[id_] is entry and registry.get(id_) is entry
    with pytest.raises(ValueError, match=id_):
        registry.add(entry)
    if id_ == "toy-format":
        assert (
            recognise(Path("a.glb"), b"TOY and more") is entry and recognise(Path("a.toy"), b"\1\2") is entry
        )
    registry.drop(id_)
    assert id_ not in registry.all() and registry.get(id_) is None
    with pytest.raises(KeyError):
        registry[id_]


@pytest.mark.parametrize("toy", ["toy-desk"], indirect=True)
def test_the_window_has_a_new_desk(toy: object, qtbot: Any) -> None:
    window = MainWindow(Office())
    qtbot.addWidget(window)
    window.open_desk("toy-desk")
    assert window.desks.buttons["toy-desk"].isChecked() and [n for n, _ in window.deck.pages] == [
        "Ledger",
        "Toys",
    ]
    window.menus.actions["Desk Fit"].trigger()
    window.menus.actions["Desk Toys"].trigger()
    assert (
        window.panel("toy-desk").seen == ("opened", "left", "opened") and window.deck.bar.currentIndex() == 1
    )
    window.close()


def test_a_sheet_is_one_file() -> None:
    path = sheets_folder() / "toy-kit.toml"
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(copy_text("metre-yup-pbr", "toy-kit", "Toy kit"))
    assert find_sheet("toy-kit").title == "Toy kit" and "toy-kit" in read_sheets()[0]
    path.unlink()
    assert "toy-kit" not in read_sheets()[0]


def test_whoever_asks_while_it_loads_gets_all_of_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    package = tmp_path / "slow_things"
    package.mkdir()
    (package / "__init__.py").write_text(
        "from customs.registry import Registry\nTHINGS = Registry('the things', 'slow_things')\n"
    )
    for k in range(4):
        # The last asks for what came before it, as it may.
        ask = "assert len(THINGS.all()) == 3\n" if k == 3 else ""
        (package / f"thing{k}.py").write_text(
            "import time\nfrom types import SimpleNamespace\nfrom slow_things import THINGS\ntime.sleep(0.05)\n"
            f"{ask}THINGS.add(SimpleNamespace(id='thing{k}'))\n"
        )
    monkeypatch.syspath_prepend(str(tmp_path))
    things = importlib.import_module("slow_things").THINGS
    with ThreadPoolExecutor(6) as threads:
        found = list(
            threads.map(lambda k: sorted(things.all()) if k % 2 else things.get("thing3").id, range(6))
        )
    assert found == ["thing3", ["thing0", "thing1", "thing2", "thing3"]] * 3


def test_one_that_cannot_be_loaded_is_told_each_time(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    package = tmp_path / "broken_things"
    package.mkdir()
    (package / "__init__.py").write_text(
        "from customs.registry import Registry\nTHINGS = Registry('the things', 'broken_things')\n"
    )
    (package / "a.py").write_text(
        "from types import SimpleNamespace\nfrom broken_things import THINGS\nTHINGS.add(SimpleNamespace(id='a'))\n"
    )
    (package / "b.py").write_text("raise RuntimeError('half a thing')\n")
    monkeypatch.syspath_prepend(str(tmp_path))
    things = importlib.import_module("broken_things").THINGS
    for _ in range(2):
        with pytest.raises(RuntimeError, match="half a thing"):
            things.all()


def test_who_asks_for_one_waits_for_that_one_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    package = tmp_path / "many_things"
    (package / "deep").mkdir(parents=True)
    (package / "__init__.py").write_text(
        "from customs.registry import Registry\nTHINGS = Registry('the things', 'many_things', deep=True)\n"
    )
    text = "from types import SimpleNamespace\nfrom many_things import THINGS\nTHINGS.add(SimpleNamespace(id='{}'))\n"
    (package / "deep" / "__init__.py").touch()
    # The first asks for another and for all on its way; one is not called as its module is.
    (package / "deep" / "a_thing.py").write_text(
        "from many_things import THINGS\nassert THINGS.get('b').id == 'b'\nassert 'other' in THINGS.all()\n"
        + text.format("a-thing")
    )
    (package / "b.py").write_text(text.format("b"))
    (package / "c.py").write_text(text.format("other"))
    monkeypatch.syspath_prepend(str(tmp_path))
    things = importlib.import_module("many_things").THINGS
    assert things["b"].id == "b" and "many_things.c" not in sys.modules
    assert things.get("a-thing").id == "a-thing" and sorted(things.all()) == ["a-thing", "b", "other"]
    assert things.get("none") is None and things.get("deep") is None
    with pytest.raises(KeyError):
        things["none"]
