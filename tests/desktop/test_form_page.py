"""The page Form in the real window: fields checked as they are typed, kept with the asset, taken over from others, undone."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLineEdit

from customs_desktop.desks.fittings.form_page import FormPage, Several
from customs_desktop.desks.fittings.panel import FittingsPanel
from tests.desktop.conftest import Rig


def opened(demo: Rig, id_: str) -> FormPage:
    demo.session.set_sheet("config-text-kit")
    demo.session.select(id_)
    demo.settle()
    demo.window.open_desk("fittings")
    demo.window.deck.open("Form")
    panel = demo.window.panel("fittings")
    assert isinstance(panel, FittingsPanel)
    demo.wait(lambda: panel.form.inputs)
    return panel.form


def typed(page: FormPage, field: str, text: str) -> None:
    line = page.inputs[field]
    assert isinstance(line, QLineEdit)
    line.setFocus()
    line.clear()
    QTest.keyClicks(line, text)
    QTest.keyClick(line, Qt.Key.Key_Return)


@pytest.mark.goods("hedgehog", "house_warden")
def test_a_form_is_filled_in_checked_taken_over_and_undone(demo: Rig) -> None:
    page, s = opened(demo, "hedgehog"), demo.session
    assert (
        "Still to fill in: Title, Region, Decades, Licence." in page.told.text() and not page.over.isVisible()
    )
    held = [r.subject for r in s.result.ledger.open() if r.requirement == "form"]  # type: ignore[union-attr]
    assert held == ["title", "region", "decades", "licence"]
    typed(page, "title", "Hedgehog")
    typed(page, "decades", "1885")
    assert "1885 is none" in page.hints["decades"].text() and page.hints["decades"].property("role") == "held"
    demo.settle()
    assert s.asset is not None and dict(s.asset.form) == {"title": "Hedgehog"}
    typed(page, "decades", "1880s, 1890s")
    assert page.hints["decades"].text() == ""
    typed(page, "licence", "CC0-1.0")
    region, users = page.inputs["region"], page.inputs["use"]
    assert isinstance(region, QComboBox) and isinstance(users, Several)
    region.setCurrentIndex(region.findData("palm house"))
    region.activated.emit(region.currentIndex())
    users.boxes["visitors"].click()
    demo.settle()
    assert (
        s.asset is not None
        and s.asset.form["decades"] == [1880, 1890]
        and s.asset.form["use"] == ["visitors"]
    )
    assert not [r for r in s.result.ledger.open() if r.requirement == "form"]  # type: ignore[union-attr]
    assert "filled in" in page.told.text()
    s.select("house_warden")
    demo.settle()
    assert (page.over.isVisible() and page.over.text() == "As Hedgehog") or page.over.text().startswith("As ")
    line = page.inputs["title"]
    assert isinstance(line, QLineEdit)
    demo.window.setFocus()
    page.over.click()
    demo.settle()
    assert s.asset is not None and s.asset.form["region"] == "palm house" and not page.over.isVisible()
    s.undo()
    demo.settle()
    assert s.asset is not None and not s.asset.form and page.over.isVisible()
    s.set_sheet("one-mesh-kit")
    demo.settle()
    assert page.told.text() == "This destination has no form." and not page.inputs
