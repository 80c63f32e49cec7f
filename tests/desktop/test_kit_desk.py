"""The desk Dispatch in the real window: a kit folder chosen, a document read as it will be, dispatched, landed there, withdrawn."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from customs_desktop.desks.dispatch.panel import DispatchPanel
from customs_desktop.desks.landing.panel import LandingPanel
from customs_desktop.widgets.basics import show_choice
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
    assert now(kit) == before and "As before in the kit" in demo.said[-1][0]


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


@pytest.mark.goods("hedgehog")
def test_a_number_is_taken_names_are_changed_and_every_mistake_is_tried(demo: Rig, tmp_path: Path) -> None:
    w, s = demo.window, demo.session
    s.select("hedgehog")
    s.set_sheet("numbered-item-kit")
    demo.settle()
    assert s.kit is not None
    kit = Path(shutil.copytree(s.kit, tmp_path / "kit"))
    s.edit("Kit folder", lambda state: replace(state, kits={**state.kits, "numbered-item-kit": str(kit)}))
    demo.settle()
    before = now(kit)
    w.open_desk("fittings")
    w.deck.open("Form")
    form = w.panel("fittings").form  # type: ignore[attr-defined]
    for field, text in (("title", "Winding hedgehog"), ("maker", "12")):
        form.inputs[field].setText(text)
        form.inputs[field].editingFinished.emit()
        demo.settle()
    number = form.inputs["number"]
    number.line.setText("7")
    number.line.editingFinished.emit()
    demo.wait(lambda: "3 is free" in form.hints["number"].text())
    demo.wait(lambda: number.free.text() == "Take 3")
    number.free.click()
    demo.settle()
    assert s.asset is not None and s.asset.form["number"] == 3
    like = form.inputs["like"]
    demo.wait(lambda: like.count() == 2)
    like.setCurrentIndex(like.findText("brass_trowel"))
    like.activated.emit(1)
    demo.settle()
    assert s.result is not None and s.result.ledger.verdict != "held"
    assert all(m.name.startswith("i12003_") for m in s.result.passed[-1].scene.materials), (
        "planned with the number"
    )
    w.open_desk("dispatch")
    panel = w.panel("dispatch")
    assert isinstance(panel, DispatchPanel)
    w.deck.open("Names")
    names = panel.names
    names.find.setText("brass")
    assert 0 < names.table.rowCount() < len(names.rows)
    names.find.setText("")
    show_choice(names.kind, "clip")
    names._chosen()
    names.pattern.setText("{moon}")
    names._try()
    demo.wait(lambda: "tokens" in names.told.text())
    show_choice(names.kind, "node")
    names._chosen()
    names.pattern.setText("{name}_{place}")
    names._try()
    demo.wait(lambda: names.tried)
    assert any(v.endswith("_1") for v in names.tried.values())
    names.take.click()
    demo.settle()
    assert any(n.name.endswith("_1") for n in s.result.passed[-1].scene.nodes)
    s.undo()
    demo.settle()
    w.deck.open("Docket")
    demo.wait(lambda: "As it will be" in panel.docket.page.toPlainText())
    assert (
        "Winding hedgehog" in panel.docket.page.toPlainText()
        and "+\titem hedgehog" in panel.docket.page.toPlainText()
    )
    w.deck.open("Package")
    demo.wait(lambda: "items/12003_hedgehog" in panel.package.total.text())
    assert now(kit) == before
    s.jobs.dispatch(["hedgehog"], tmp_path / "out")
    demo.wait(lambda: "hedgehog" in s.logs)
    demo.settle()
    assert s.logs["hedgehog"].accepted and (kit / "items/12003_hedgehog/hedgehog.glb").is_file()
    w.deck.open("Docket")
    demo.wait(lambda: "12003" in panel.docket.page.toPlainText() and "Written" in panel.docket.told.text())
    panel.docket.print_to(tmp_path / "docket.pdf")
    assert (tmp_path / "docket.pdf").read_bytes()[:5] == b"%PDF-" and (
        tmp_path / "docket.pdf"
    ).stat().st_size > 5000
    w.open_desk("landing")
    landing = w.panel("landing")
    assert isinstance(landing, LandingPanel)
    landing.try_all.click()
    demo.wait(lambda: landing.mistakes.caught)
    answers = landing.mistakes.answers
    assert "not caught" not in answers.values() and landing.mistakes.caught > 20, answers
    shop = tmp_path / "shop.log"
    shop.write_text(
        "refused items/12003_hedgehog/hedgehog.glb: a texture too large\nloaded other.glb\n", "utf-8"
    )
    landing.read_log(shop)
    demo.wait(lambda: "1 line about this package, 1 about others" in landing.said.text())
    assert landing.word.text() == "Refused" and landing.mistakes.caught > 20
    shown = landing.log_page.table
    assert "Missing textures" in shown.item(shown.rowCount() - 1, 4).text()  # type: ignore[union-attr]
    s.jobs.withdraw("hedgehog")
    demo.settle()
    demo.wait(lambda: now(kit) == before)
