"""Answers at once: verdicts of the time before, the picked asset first, each as it comes, the strip at the foot."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from customs.errors import Cancelled, LimitError
from customs.job import Job
from customs.ledger.ledger import Ledger
from customs.memory import Watch
from customs_desktop import looks, painter, plans
from customs_desktop.views.foot import seconds_left, told
from customs_desktop.worker import Task, Worker, explain
from tests.desktop.conftest import Rig


def verdicts(rig: Rig) -> dict[str, str]:
    """What the list of goods shows, by id."""
    model = rig.window.goods.model
    return {a.id: model.verdict(a) for a in rig.session.state.goods}


def held_up(monkeypatch: pytest.MonkeyPatch, module: Any, name: str) -> threading.Event:
    """A function of another thread does nothing until the event that comes back is set."""
    gate, real = threading.Event(), getattr(module, name)

    def wait(*words: Any, **more: Any) -> Any:
        assert gate.wait(60)
        return real(*words, **more)

    monkeypatch.setattr(module, name, wait)
    return gate


@pytest.mark.goods("watering_stork", "seed_cart", "fern_bed", "mosaic_floor")
def test_opened_again_all_verdicts_are_there_at_once(demo: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    s = demo.session
    path, before = s.shipment.path, verdicts(demo)  # type: ignore[union-attr]
    rows = {id_: r.ledger for id_, r in s.results.items()}
    assert len(before) == 4 and all(before.values())
    gate = held_up(monkeypatch, looks, "run_evaluate")
    s.open(path)
    assert "open already" in demo.said[-1][0] and s.shipment.writable  # type: ignore[union-attr]
    s.open(path.with_name("another.customs"), create=True)
    s.open(path)
    assert set(verdicts(demo).values()) == {""}, "nothing is claimed before the answers are found"
    demo.wait(lambda: verdicts(demo) == before)
    assert {id_: r.ledger for id_, r in s.results.items()} == rows
    demo.window.open_desk("dispatch")
    assert s.result is not None and s.result.judged and not s.result.passed
    s.jobs.dispatch(["fern_bed"], path.parent / "out")
    assert "still being looked at" in demo.said[-1][0], "nothing leaves that has not been looked at"
    gate.set()
    demo.settle()
    demo.wait(lambda: all(r.passed for r in s.results.values()))
    assert all(r.recalled for r in s.results.values()), "looked at, and not judged again"


@pytest.mark.goods("watering_stork", "seed_cart", "fern_bed", "mosaic_floor")
def test_another_destination_shows_the_picked_asset_first_and_each_as_it_comes(
    demo: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    s = demo.session
    s.select("fern_bed")
    was = {a.id: a.stops for a in s.state.goods}
    came: list[str] = []
    s.evaluated.connect(lambda id_: came.append(id_) if s.results[id_].judged else None)
    gate = held_up(monkeypatch, plans, "run_plan")
    s.set_sheet("twin-format-kit")
    assert set(verdicts(demo).values()) == {""}, "verdicts by another sheet are none by this one"
    gate.set()
    demo.settle()
    assert came[0] == "fern_bed" and set(came) == set(was)
    assert any(a.stops != was[a.id] for a in s.state.goods)
    judged: list[object] = []

    def judge(*words: object, **_: object) -> Ledger:
        judged.append(words)
        raise AssertionError("judged again")

    monkeypatch.setattr("customs.planning.plan.judge", judge)
    monkeypatch.setattr("customs.work.requests.evaluate.judge", judge)
    s.undo()
    demo.settle()
    assert {a.id: a.stops for a in s.state.goods} == was, "one decision with all its routes"
    s.set_sheet("twin-format-kit")
    demo.settle()
    assert not judged and all(r.recalled for r in s.results.values()), "gone back to: nothing is asked twice"


@pytest.mark.parametrize("way", ["undone", "planned by hand"])
def test_what_waits_for_a_plan_is_looked_at_however_that_ends(
    small: Rig, monkeypatch: pytest.MonkeyPatch, way: str
) -> None:
    s = small.session
    gate = held_up(monkeypatch, plans, "run_plan")
    s.set_sheet("twin-format-kit")
    small.wait(lambda: s.worker.running())
    if way == "undone":
        s.undo()
    else:
        # It takes the place of those that wait.
        s.plans.plan([a.id for a in s.state.goods])
    gate.set()
    small.settle()
    assert not any(s.looks.is_left(a.id) for a in s.state.goods)
    for asset in s.state.goods:
        s.select(asset.id)
        s.set_step("scale", factor=2.5)
    small.settle()


def test_a_look_that_was_cancelled_is_made_when_it_is_selected_again(
    small: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    s = small.session
    gate, real = held_up(monkeypatch, looks, "run_evaluate"), looks.run_evaluate

    def stopping(asked: Any, cache: Any, taken: Any, job: Job, early: Any) -> Any:
        out = real(asked, cache, taken, job, early)
        job.check()
        return out

    monkeypatch.setattr(looks, "run_evaluate", stopping)
    s.set_step("scale", factor=2.0)
    small.wait(lambda: any(t.title.startswith("Looking") for t in s.worker.running()))
    s.cancel()
    gate.set()
    small.wait(lambda: any("Cancelled" in text for text, _ in small.said))
    assert s.result is None or not s.result.judged or s.result.asset is not s.asset
    s.select("bar")
    s.select("block")
    small.settle()
    assert s.result is not None and s.result.judged and s.result.asset is s.asset


def test_the_foot_says_what_runs_and_its_cancel_works(small: Rig, qtbot: QtBot) -> None:
    foot, worker = small.window.foot, small.session.worker
    small.wait(lambda: worker.waiting == 0 and not foot.stop.isVisible())
    assert foot.isVisible() and foot.text.text() == "Nothing is running." and not foot.stop.isVisible()
    height, gate, ended = foot.height(), threading.Event(), []

    def long(job: Job) -> None:
        job.progress(0.25, "second of eight beds")
        while not gate.is_set():
            job.check()
            gate.wait(0.01)

    for k in range(20):
        worker.submit(Task(2, title=f"Watering bed {k}", run=long, failed=ended.append))
    small.wait(lambda: foot.stop.isVisible())
    assert "Watering bed 0" in foot.text.text() and "second of eight beds" in foot.text.text()
    assert "25 %" in foot.text.text() and "19 more" in foot.waits.text() and foot.bar.value() == 250
    small.wait(lambda: "left" in foot.text.text())
    assert foot.height() == height, "nothing moves when work begins"
    qtbot.mouseClick(foot.waits, Qt.MouseButton.LeftButton)
    assert foot.list.isVisible() and len(foot.list.tasks) == 13
    assert small.window.rect().contains(
        foot.list.rect().translated(small.window.mapFromGlobal(foot.list.pos()))
    )
    # One that waits is let go from the list, then the one that runs from the strip.
    foot.list.lines[3][1].click()
    foot.list.hide()
    foot.stop.click()
    small.wait(lambda: ended)
    assert isinstance(ended[0], Cancelled)
    gate.set()
    small.wait(lambda: worker.waiting == 0 and not foot.stop.isVisible())
    assert len(ended) == 2 and foot.text.text() == "Nothing is running."


def test_work_that_takes_too_much_memory_is_ended_and_the_next_goes_on(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    worker, ended, done = Worker(), [], []
    monkeypatch.setattr("customs_desktop.worker.Watch", lambda: Watch(most=1, began=-(4 << 30)))
    worker.submit(Task(0, run=lambda job: job.check(), failed=ended.append))
    qtbot.waitUntil(lambda: bool(ended))
    assert isinstance(ended[0], LimitError) and "recipe" in explain(ended[0])
    monkeypatch.undo()
    worker.submit(Task(0, run=lambda job: job.check(), done=done.append))
    qtbot.waitUntil(lambda: bool(done))
    worker.close()


def test_what_is_in_order_stays_in_order_and_what_is_apart_runs_beside(qtbot: QtBot) -> None:
    worker, order, done = Worker(), [], []
    inside, most = [0], [0]
    met, lock = threading.Barrier(2), threading.Lock()

    def alone(k: int) -> int:
        with lock:
            inside[0] += 1
            most[0] = max(most[0], inside[0])
            order.append(k)
        with lock:
            inside[0] -= 1
        return k

    def beside(_: Job) -> None:
        met.wait(30)

    try:
        worker.submit(Task(1, run=beside, done=lambda _: done.append("in order")))
        worker.submit(Task(9, run=beside, apart=True, done=lambda _: done.append("apart")))
        for k in range(30):
            worker.submit(Task(2, run=lambda job, k=k: alone(k)))
        qtbot.waitUntil(lambda: worker.waiting == 0, timeout=60_000)
        assert sorted(done) == ["apart", "in order"] and order == list(range(30)) and most[0] == 1
    finally:
        worker.close()


def test_what_is_picked_gets_a_head_start(qtbot: QtBot) -> None:
    worker, order, gate = Worker(), [], threading.Event()

    def picked(_: Job) -> None:
        order.append("picked")
        gate.wait(0.3)
        order.append("picked done")

    try:
        worker.submit(Task(4, run=picked, apart=True))
        qtbot.waitUntil(lambda: order == ["picked"], timeout=30_000)
        worker.submit(Task(6, run=lambda job: order.append("another"), apart=True))
        worker.submit(Task(9, run=lambda job: order.append("in its order")))
        qtbot.waitUntil(lambda: worker.waiting == 0, timeout=60_000)
        assert order == ["picked", "in its order", "picked done", "another"], (
            "only what runs beside is held back"
        )
        gate.clear()
        order.clear()
        worker.submit(Task(4, run=lambda job: gate.wait(30), apart=True))
        worker.submit(Task(6, run=lambda job: (order.append("another"), gate.set()), apart=True))
        qtbot.waitUntil(lambda: worker.waiting == 0, timeout=60_000)
        assert order == ["another"], "and not for long"
    finally:
        worker.close()


def test_nothing_is_drawn_twice_and_no_picture_stands_under_another_name(
    small: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    s, w = small.session, small.window
    small.wait(lambda: set(w.twin.pictures) == {"left", "right"} and s.painter.idle)
    asked: list[str] = []
    for name in ("ask", "ask_thumbnail"):
        real = getattr(s.painter, name)
        monkeypatch.setattr(
            s.painter, name, lambda slot, *more, real=real: (asked.append(slot), real(slot, *more))
        )
    for _ in range(3):
        s.evaluated.emit(s.current)
        s.changed.emit()
    assert asked == []
    s.select("bar")
    small.wait(lambda: set(w.twin.pictures) == {"left", "right"} and s.painter.idle)
    gate = held_up(monkeypatch, painter, "_draw")
    s.select("block")
    small.wait(lambda: w.twin.pictures == {})
    gate.set()
    small.wait(lambda: set(w.twin.pictures) == {"left", "right"})
    asked.clear()
    w.twin.turn(yaw=10)
    small.wait(lambda: "view right" in asked)
    asked.clear()
    w.set_paper("evening")
    assert {"view left", "view right", f"thumb {s.current}"} <= set(asked), "another paper, other pictures"


def test_time_left_is_told_when_it_can_be() -> None:
    assert seconds_left(0.25, 10.0) == 30.0
    assert (
        seconds_left(0.0, 10.0) is None and seconds_left(0.5, 0.2) is None and seconds_left(1.0, 9.0) is None
    )
    task = Task(1, title="Planning Fern bed", share=0.5, text="Judging", began=1e-9)
    assert told(task).startswith("Planning Fern bed  ·  Judging  ·  50 %  ·  about")
    task.stopped = True
    assert told(task).endswith("stops as soon as it can")


def test_a_shipment_that_cannot_be_kept_keeps_its_destination(small: Rig, tmp_path: Path) -> None:
    s = small.session
    was = s.sheet.id
    s.shipment.writable = False  # type: ignore[union-attr]
    s.set_sheet("twin-format-kit")
    assert s.sheet.id == was == s.state.sheet and "reading only" in small.said[-1][0]
    small.settle()


def test_what_is_planned_for_another_destination_ends(small: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    s, real, ended = small.session, plans.run_plan, list[str]()

    def never(request: Any, cache: Any, taken: Any, job: Job, told: Any) -> Any:
        if request.asked.sheet.id != "twin-format-kit":
            return real(request, cache, taken, job, told)
        try:
            while True:
                job.check()
                threading.Event().wait(0.01)
        except Cancelled:
            ended.append(request.asked.asset.id)
            raise

    monkeypatch.setattr(plans, "run_plan", never)
    s.set_sheet("twin-format-kit")
    small.wait(lambda: any(t.key == "plan block" for t in s.worker.running()))
    before = len(small.said)
    s.set_sheet("one-mesh-kit")
    small.settle()
    assert "block" in ended and s.state.sheet == "one-mesh-kit" and all(r.judged for r in s.results.values())
    assert not [text for text, _ in small.said[before:] if "Cancel" in text]
