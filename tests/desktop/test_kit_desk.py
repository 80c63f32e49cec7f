"""The desk Dispatch in the real window: a kit folder chosen, a document read as it will be, dispatched, landed there, withdrawn."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from customs_desktop.desks.dispatch.panel import DispatchPanel
from customs_desktop.desks.landing.panel import LandingPanel
from tests.desktop.conftest import Rig
from tests.kit.test_journal import now


@pytest.mark.goods("hedgehog")
def test_a_difference_is_read_dispatched_landed_and_withdrawn(demo: Rig, tmp_path: Path) -> None:
    w, s = demo.window, demo.session
    s.select("hedgehog")
    w.open_desk("dispatch")
    panel = w.panel("dispatch")
    assert isinstance(panel, DispatchPanel)
    assert not panel.kit_fold.isVisible(), "this destination has none"
    w.deck.open("Documents")
    assert "no documents" in panel.documents.told.text()
    s.set_sheet("attachment-kit")
    demo.settle()
    assert s.kit is not None and s.kit.is_dir() and panel.kit_fold.isVisible()
    # A copy: others look at the demo's own.
    kit = Path(shutil.copytree(s.kit, tmp_path / "kit"))
    panel.kit.folder.setText(str(kit))
    panel.kit.folder.editingFinished.emit()
    demo.settle()
    before = now(kit)
    page = panel.documents
    demo.wait(lambda: page.previews)
    assert page.choice.currentText() == "data/attachments.xml" and "2 lines new, 0 gone" in page.told.text()
    rows = [[page.table.item(r, c).text() for c in range(5)] for r in range(page.table.rowCount())]  # type: ignore[union-attr]
    new = next(r for r in rows if r[0] == "+")
    assert new[2] == "" and 'name="hedgehog" file="props/hedgehog.zip"' in new[4] and new[3]
    assert now(kit) == before and not panel.kit.back.isVisible()
    s.jobs.dispatch(["hedgehog"], tmp_path / "out")
    demo.settle()
    demo.wait(lambda: "hedgehog" in s.logs and panel.kit.back.isVisible())
    assert s.logs["hedgehog"].accepted and any(
        "props/hedgehog.zip" in x.file for x in s.logs["hedgehog"].lines
    )
    demo.wait(lambda: "already" in page.told.text())
    w.open_desk("landing")
    landing = w.panel("landing")
    assert isinstance(landing, LandingPanel) and landing.word.text() == "Accepted"
    w.open_desk("dispatch")
    s.set_sheet("config-text-kit")
    demo.settle()
    assert s.kit is not None and not panel.kit.back.isVisible(), "it stands in another destination's kit"
    s.set_sheet("attachment-kit")
    demo.settle()
    panel.kit.back.click()
    demo.settle()
    demo.wait(lambda: not panel.kit.back.isVisible())
    assert now(kit) == before and "as they were" in demo.said[-1][0]


@pytest.mark.goods("hedgehog")
def test_a_folder_that_is_no_kit_is_said_beside_it(demo: Rig, tmp_path: Path) -> None:
    w, s = demo.window, demo.session
    s.select("hedgehog")
    s.set_sheet("attachment-kit")
    demo.settle()
    w.open_desk("dispatch")
    panel = w.panel("dispatch")
    assert isinstance(panel, DispatchPanel)
    w.deck.open("Documents")
    first = panel.kit.folder.text()
    panel.kit.folder.setText(str(tmp_path))
    panel.kit.folder.editingFinished.emit()
    demo.settle()
    demo.wait(lambda: "cannot be read" in panel.documents.told.text())
    s.jobs.dispatch(["hedgehog"], tmp_path / "out")
    demo.settle()
    demo.wait(lambda: any("cannot be read" in text for text, _ in demo.said))
    assert not list(tmp_path.iterdir()) or not (tmp_path / "out" / "hedgehog").exists()
    panel.kit.folder.setText("")
    panel.kit.folder.editingFinished.emit()
    demo.settle()
    assert s.kit is None and "only the package" in panel.kit.about.text()
    demo.wait(lambda: "Choose the kit folder" in panel.documents.told.text())
    for _ in range(2):
        s.undo()
        demo.settle()
    demo.wait(lambda: panel.kit.folder.text() == first)
