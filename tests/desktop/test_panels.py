"""Panels of desks are made when they are first asked for: one that comes late shows what one shows that was there from the beginning."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QAbstractButton, QLabel, QLineEdit, QTableView, QWidget

import customs_desktop
from customs.shipment.copies import save_copy
from customs_desktop.desk import DESKS
from customs_desktop.ready import SOON
from tests.assets import cube, saved, scene_of
from tests.desktop.conftest import Rig


def words(widget: QWidget) -> Iterator[str]:
    """All that stands in a widget, states of what can be pressed with it."""
    for w in [widget, *widget.findChildren(QWidget)]:
        if not w.isVisibleTo(widget):
            continue
        if isinstance(w, QLabel | QLineEdit):
            yield w.text()
        elif isinstance(w, QAbstractButton):
            yield f"{w.text()} {w.isEnabled()} {w.isCheckable() and w.isChecked()}"
        elif isinstance(w, QTableView) and (m := w.model()) is not None:
            for k in range(m.rowCount()):
                yield " | ".join(str(m.index(k, c).data()) for c in range(m.columnCount()))


def shown(rig: Rig) -> dict[str, list[str]]:
    """What every desk shows, its pages with it."""
    out = {}
    for id_ in DESKS.all():
        rig.window.open_desk(id_)
        rig.settle()
        panel = rig.window.panel(id_)
        for name, page in panel.pages():
            rig.window.deck.open(name)
            rig.settle()
            out[f"{id_}, {name}"] = list(words(page))
        out[id_] = list(words(panel))
    return out


@pytest.fixture
def other(rig: Rig) -> Iterator[Rig]:
    """A second window, whose desks are all there before anything is opened."""
    made = Rig(rig.qtbot)
    for id_ in DESKS.all():
        made.window.panel(id_)
    yield made
    made.window.close()


def test_what_comes_late_shows_the_same(small: Rig, other: Rig, tmp_path: Path) -> None:
    assert small.session.shipment is not None and list(small.window.panels.there) == ["fit"]
    save_copy(small.session.shipment, tmp_path / "copy" / "small.customs")
    late = shown(small)
    other.session.open(tmp_path / "copy" / "small.customs")
    other.settle()
    other.session.select("block")
    other.settle()
    early = shown(other)
    for place, told in late.items():
        assert told == early[place], place


def test_what_is_dropped_and_pressed_reaches_desks_that_are_not_there_yet(rig: Rig, tmp_path: Path) -> None:
    assert list(rig.window.panels.there) == ["fit"]
    folder = tmp_path / "heap"
    for name in ("pot", "lid"):
        saved(scene_of(cube(1.0)), folder / f"{name}.glb")
    rig.window.shipments.drop([folder])
    assert "intake" in rig.window.panels.there
    rig.wait(lambda: len(rig.session.state.goods) == 2)
    rig.window.menus.actions["Show everything"].trigger()
    assert "grounds" in rig.window.panels.there


def test_those_nobody_asked_for_are_made_in_between(rig: Rig) -> None:
    rig.get_ready()
    assert set(rig.window.panels.there) == set(DESKS.all())
    assert rig.window.desk == "fit" and rig.window.panels.currentWidget() is rig.window.panel("fit")
    assert rig.window.panels.width() >= rig.window.panels.needed_width()


def test_whatever_is_asked_for_later_is_imported_before() -> None:
    files = Path(customs_desktop.__file__).parent.rglob("*.py")
    asked = {
        name
        for file in files
        for name in re.findall(r'later\("(customs(?:_desktop)?\.[\w.]+)"\)', file.read_text("utf-8"))
    }
    assert {
        name for name in asked if not name.startswith(("customs.demo.", "customs_desktop.desks."))
    } == set(SOON)
