"""Panels: sections with open rows first and open, the rest folded to a line, nothing open below the edge."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from customs.ledger.row import requirements
from customs_desktop.desk import DESKS, DeskPanel
from customs_desktop.widgets.fold import Fold
from tests.desktop.conftest import Rig


def arranged(rig: Rig, desk: str) -> DeskPanel:
    """The panel of a desk, open, with all that waits done."""
    rig.window.open_desk(desk)
    panel = rig.window.panel(desk)
    rig.settle()
    rig.wait(lambda: not panel._soon.isActive())
    rig.qtbot.wait(30)
    return panel


def shown(panel: DeskPanel) -> list[Fold]:
    """Its sections from the top down."""
    return sorted((f for f in panel.folds if f.isVisible()), key=lambda f: f.y())


def opened(panel: DeskPanel) -> list[str]:
    return [f.title for f in shown(panel) if f.open]


@pytest.mark.parametrize(
    "size", [pytest.param((1280, 800), marks=pytest.mark.breadth(1000)), (1024, 700), (2560, 1440)]
)
@pytest.mark.goods("watering_stork", "seed_cart", "mosaic_floor", "potting_bench", "lamplighter")
def test_nothing_that_is_open_lies_below_the_edge(demo: Rig, size: tuple[int, int]) -> None:
    w = demo.window
    w.resize(*size)
    for desk in DESKS.all():
        # On the smallest window all goods, on the others two of them.
        for asset in demo.session.state.goods[: None if size == (1024, 700) else 2]:
            demo.session.select(asset.id)
            panel = arranged(demo, desk)
            folds = shown(panel)
            if not folds or not panel.isEnabled():
                continue
            open_ = [f for f in folds if f.open]
            bottom = max(f.mapTo(panel, f.rect().bottomLeft()).y() for f in open_)
            assert len(open_) == 1 or bottom <= panel.viewport().height(), (desk, asset.id, opened(panel))  # type: ignore[union-attr]
            if size != (1024, 700):
                assert bottom <= panel.viewport().height(), (desk, asset.id, opened(panel))  # type: ignore[union-attr]


@pytest.mark.goods("mosaic_floor", "potting_bench")
def test_what_is_open_in_the_ledger_stands_first(demo: Rig) -> None:
    demo.session.select("potting_bench")
    panel = arranged(demo, "surface")
    first = shown(panel)[0]
    assert first.title == "FINDING TEXTURES" and first.open and first.head.mark == "held"
    folded = [f for f in shown(panel) if not f.open]
    assert folded and all(f.head.height() == f.height() for f in folded), "one line each"
    assert all(f.head.state for f in folded), "that says its state"
    assert "held" in first.head.accessibleName() and "folded" in folded[0].head.accessibleName()
    demo.session.select("mosaic_floor")
    panel = arranged(demo, "surface")
    assert shown(panel)[0].title == "MATERIAL" and shown(panel)[0].head.mark == "query"
    assert [f.title for f in panel.folds if f.head.mark] == ["MATERIAL"]


@pytest.mark.goods("lamplighter")
def test_a_person_opens_and_folds(demo: Rig) -> None:
    panel = arranged(demo, "motion")
    assert opened(panel)[0] == "DONOR"
    weights = next(f for f in panel.folds if f.title == "WEIGHTS")
    demo.window.panel("motion").pick_joint("head")
    demo.wait(lambda: weights.head.state == "head")
    QTest.mouseClick(weights.head, Qt.MouseButton.LeftButton)
    demo.qtbot.wait(30)
    assert "WEIGHTS" in opened(panel), "what is asked for is open, and what does not fit beside it is folded"
    assert weights.mapTo(panel, weights.rect().bottomLeft()).y() <= panel.viewport().height()  # type: ignore[union-attr]
    weights.head.setFocus()
    QTest.keyClick(weights.head, Qt.Key.Key_Space)
    assert not weights.open
    demo.session.set_step("weights", limit=3)
    panel = arranged(demo, "motion")
    assert not weights.open, "what a person folded stays so"
    panel.unfold("LIMITS")
    demo.window.panel("motion").clips.influences.setFocus()
    demo.session.set_step("weights", limit=2)
    panel = arranged(demo, "motion")
    assert "LIMITS" in opened(panel), "nobody is thrown out of what they are typing in"


def test_every_section_is_about_requirements_there_are(rig: Rig) -> None:
    known = requirements()
    for desk in DESKS.all():
        panel = rig.window.panel(desk)
        assert panel.folds, desk
        for fold in panel.folds:
            assert fold.rules <= set(known), (desk, fold.title, fold.rules - set(known))
            assert all(known[r].desk in (desk, "dispatch") for r in fold.rules), (desk, fold.title)
