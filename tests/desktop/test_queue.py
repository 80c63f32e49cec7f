"""The page Queue in the real window: a recipe run on files, paused, put first, cancelled, gone on with; one decision for many; by hand."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog

from customs.recipes.recipe import read_recipe
from customs.runs.rows import ENDED
from customs_desktop import queue_page
from tests.assets import cube, saved, scene_of
from tests.desktop.conftest import Rig


@pytest.fixture
def queued(rig: Rig, tmp_path: Path) -> Rig:
    """The page on a recipe and five pots: two of them are a hundred times too large, one file is cut."""
    for k, size in enumerate((1.0, 1.0, 178.0, 178.0)):
        saved(replace(scene_of(cube(size)), name=f"pot_{k}"), tmp_path / "goods" / f"pot_{k}.glb")
    (tmp_path / "goods" / "pot_cut.glb").write_bytes(b"glTF\x02\0\0\0half")
    recipe = tmp_path / "pots.toml"
    recipe.write_text('# ours\nname = "Pots"\nsheet = "metre-yup-pbr"\n', "utf-8")
    rig.window.guests.show_queue()
    page = rig.window.guests.queue
    page.open_recipe(recipe)
    assert page.out.text() == str(tmp_path / "pots") and not page.go.isEnabled()
    page._add_goods([str(tmp_path / "goods")])
    page.out.setText(str(tmp_path / "out"))
    return rig


def ran(rig: Rig) -> None:
    """Until the run has ended, and the page shows it."""
    page = rig.window.guests.queue
    rig.wait(lambda: not rig.session.running.goes)
    rig.wait(lambda: not page._soon.isActive())
    page.refresh()


def test_a_run_its_report_and_one_decision_for_many(queued: Rig, tmp_path: Path) -> None:
    rig, page, running = queued, queued.window.guests.queue, queued.session.running
    page.go.click()
    assert running.goes and not page.go.isEnabled()
    ran(rig)
    assert running.counts() == {"done": 4, "failed": 1}
    assert json.loads((tmp_path / "out" / "run.json").read_text("utf-8"))["counts"] == running.counts()
    assert page.groups.itemText(page.groups.findData("person")) == "For a person: 1"
    page.groups.setCurrentIndex(page.groups.findData("person"))
    page._group("person")
    assert [Path(p).name for p in page.model.paths] == ["pot_cut.glb"]
    said = page.model.data(page.model.index(0, 2))
    assert "expected" in str(said) and "process" not in str(said)
    # What clears most is first of what only asks; picking it shows its goods alone.
    page._group("all")
    row = next(k for k, d in enumerate(page._found) if d["requirement"] == "size-plausible")
    page.decisions.selectRow(row)
    assert {Path(p).stem for p in page.model.paths} == {"pot_2", "pot_3"} and page.these.isEnabled()
    page.replace.setChecked(True)
    page.start()
    ran(rig)
    page.decisions.selectRow(row)
    page.these.click()
    ran(rig)
    text = (tmp_path / "pots.toml").read_text("utf-8")
    recipe = read_recipe(tmp_path / "pots.toml")
    assert text.startswith("# ours\n") and recipe.differences[0].names == ("pot_2", "pot_3")
    assert [s.step for s in recipe.differences[0].stops] == ["scale"]
    assert not any(d["requirement"] == "size-plausible" for d in running.decisions())
    high = [
        json.loads((tmp_path / "out" / f"pot_{k}" / "docket.json").read_text("utf-8"))["box"]["high"][1]
        for k in range(4)
    ]
    assert high[0] == high[1] and high[2] == high[3] and max(high) < 10, (
        "both were made anew at their right size"
    )


def test_paused_first_cancelled_and_gone_on_with(queued: Rig, tmp_path: Path) -> None:
    rig, page, running = queued, queued.window.guests.queue, queued.session.running
    page.start()
    page.pause.click()
    rig.wait(lambda: running.rows and not running.doing)
    assert page.pause.text() == "Paused" and running.goes
    rig.wait(lambda: not page._soon.isActive())
    page.refresh()
    waiting = [p for p in page.model.paths if running.state(p) == "waiting"]
    assert waiting
    page.table.selectRow(page.model.paths.index(waiting[-1]))
    assert page.first.isEnabled() and page._picked() == waiting[-1:]
    page.first.click()
    rig.wait(lambda: not running._first)
    page.stop.click()
    rig.wait(lambda: not running.goes)
    assert any("the rest waits" in text for text, _ in rig.said)
    before = {p for p in running.rows if running.rows[p].state in ENDED}
    page.start()
    ran(rig)
    assert running.counts() == {"done": 4, "failed": 1} and before <= set(running.rows)


def test_by_hand_and_what_cannot_be_run(queued: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    rig, page, running, s = queued, queued.window.guests.queue, queued.session.running, queued.session
    page.inputs.setText(str(tmp_path / "nowhere"))
    page.start()
    assert not running.goes and "is not there" in rig.said[-1][0]
    page.inputs.setText(str(tmp_path / "goods"))
    (tmp_path / "pots.toml").write_text("name = ", "utf-8")
    page.start()
    rig.wait(lambda: not running.goes)
    assert "pots.toml" in rig.said[-1][0] and rig.said[-1][1] == "held"
    (tmp_path / "pots.toml").write_text(
        'name = "Pots"\nsheet = "metre-yup-pbr"\n[goods]\nnames = ["pot_1"]\n', "utf-8"
    )
    page.start()
    ran(rig)
    assert running.counts() == {"done": 1}
    # By hand: into the shipment; and what is decided there is a recipe again.
    s.open(tmp_path / "box.customs", create=True)
    page.table.selectRow(0)
    page.take.click()
    rig.wait(lambda: len(s.state.goods) == 1)
    rig.settle()
    s.set_step("scale", factor=2.0)
    rig.settle()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "again"), ""))
    page.keep_recipe()
    assert [x.step for x in read_recipe(tmp_path / "again.toml").stops] == ["scale"]
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "again.toml"), ""))
    page.run_recipe()
    assert page.recipe.text() == str(tmp_path / "again.toml")
    opened: list[str] = []
    monkeypatch.setattr(queue_page.QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    page._open_report()
    assert opened == [str(tmp_path / "out" / "run.html")]
    # Closed it is a page no more; a run that goes on would go on.
    rig.window.deck.let_go(page)
    assert "Queue" not in [n for n, _ in rig.window.deck.pages]
