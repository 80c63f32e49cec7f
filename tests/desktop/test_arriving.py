"""What is dropped: its row at once, its picture as soon as it is read, its plan after that; one decision."""

from __future__ import annotations

import threading
from dataclasses import replace
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest

from customs.planning import plan as planner
from customs_desktop import jobs, plans
from tests.assets import saved
from tests.desktop.conftest import Rig
from tests.motion.rigs import bar


class Gate:
    """Lets a function of another thread through when it is told to."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, module: ModuleType, name: str) -> None:
        self.open, self.reached, real = threading.Event(), threading.Event(), getattr(module, name)

        def wait(*words: Any, **more: Any) -> Any:
            self.reached.set()
            assert self.open.wait(30)
            return real(*words, **more)

        monkeypatch.setattr(module, name, wait)


def names(rig: Rig) -> list[str]:
    """What the list of goods shows."""
    model = rig.window.goods.model
    return [str(model.data(model.index(k))) for k in range(model.rowCount())]


def dropped(rig: Rig, tmp_path: Path) -> Path:
    rig.session.open(tmp_path / "new.customs", create=True)
    return saved(replace(bar(), name="bar"), tmp_path / "goods" / "long_bar.glb")


def test_a_row_at_once_then_a_picture_then_a_plan(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    reading, planning = Gate(monkeypatch, jobs, "take_in"), Gate(monkeypatch, planner, "judge")
    path = dropped(rig, tmp_path)
    s, w = rig.session, rig.window
    s.jobs.take_in([path], None)
    assert names(rig) == ["Long bar"] and not w.goods.empty.isVisible() and s.state.goods == ()
    rig.wait(reading.reached.is_set)
    assert names(rig) == ["Long bar"] and s.current == ""
    reading.open.set()
    rig.wait(planning.reached.is_set)
    rig.wait(lambda: "right" in w.twin.pictures and s.result is not None)
    assert [a.id for a in s.state.goods] == ["long_bar"] and rig.steps() == ["arrive"], "seen, not planned"
    assert not s.result.judged and w.goods.model.verdict(s.asset) == "", "nor judged"  # type: ignore[union-attr]
    assert names(rig) == ["Long bar"]
    planning.open.set()
    rig.settle()
    rig.wait(lambda: len(rig.steps()) > 1)
    s.undo()
    assert s.state.goods == () and names(rig) == [], "its plan is undone with it"
    s.redo()
    rig.settle()
    assert len(rig.steps()) > 1


def test_what_a_person_decides_meanwhile_is_planned_with(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    planning = Gate(monkeypatch, plans, "run_plan")
    path = dropped(rig, tmp_path)
    s = rig.session
    s.jobs.take_in([path], None)
    rig.wait(planning.reached.is_set)
    s.set_step("scale", factor=3.0)
    planning.open.set()
    rig.settle()
    rig.wait(lambda: len(rig.steps()) > 2)
    stop = s.asset.route.of_step("scale")  # type: ignore[union-attr]
    assert stop is not None and stop.by == "person" and dict(stop.values)["factor"] == 3.0
    s.undo()
    assert rig.steps() == ["arrive", "scale"], "a plan after another decision is a decision of its own"


def test_another_destination_chosen_meanwhile_is_planned_for(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    planning = Gate(monkeypatch, plans, "run_plan")
    path = dropped(rig, tmp_path)
    s = rig.session
    s.jobs.take_in([path], None)
    rig.wait(planning.reached.is_set)
    s.set_sheet("one-mesh-kit")
    planning.open.set()
    rig.settle()
    rig.wait(lambda: len(rig.steps()) > 1)
    assert "static" in rig.steps(), "what only the other destination asks for"
    labels = []
    while label := s.shipment.undo():  # type: ignore[union-attr]
        labels.append(label)
    assert labels == ["Destination One-mesh kit", "Take in Long bar"], "each with its plan"


def test_what_cannot_be_taken_leaves_no_row_that_waits(rig: Rig, tmp_path: Path) -> None:
    dropped(rig, tmp_path)
    s = rig.session
    s.jobs.take_in([tmp_path / "not_there.glb"], None)
    assert names(rig) == ["Not there"]
    rig.wait(lambda: s.worker.waiting == 0)
    rig.wait(lambda: names(rig) == [] and s.coming == {})
