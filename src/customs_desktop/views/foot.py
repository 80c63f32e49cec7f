"""The strip at the foot of the window: what runs, how far it is, how long it still takes, and what waits."""

from __future__ import annotations

import time

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QScrollArea, QVBoxLayout, QWidget

from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import button, empty, label
from customs_desktop.worker import Task

BEAT = 200
"""Milliseconds between two looks."""
SHORT = 0.4
"""Seconds below which work is done before anybody could read of it."""
ROWS = 12
"""Lines of the list: what waits after them is counted."""


class FootStrip(QWidget):
    """Always there, so that nothing moves when work begins."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(span(26))
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedSize(120, 8)
        self.text = label("", "soft", -0.5)
        self.stop = button("Cancel", self._cancel, "flat")
        self.waits = button("", self._list, "flat")
        self.waits.setToolTip("Everything that runs and waits")
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 0, 10, 0)
        line.setSpacing(10)
        line.addWidget(self.bar)
        line.addWidget(self.text, 1)
        line.addWidget(self.waits)
        line.addWidget(self.stop)
        self.list = WorkList(session, self)
        self._timer = QTimer(self)
        self._timer.setInterval(BEAT)
        self._timer.timeout.connect(self.refresh)
        session.worker.moved.connect(self._moved)
        self.refresh()

    def shown_task(self) -> Task | None:
        """What is told of: of what runs and is worth telling of, the one that began first."""
        now = time.monotonic()
        return next((t for t in self.session.worker.running() if t.title and now - t.began > SHORT), None)

    def refresh(self) -> None:
        """Say how things stand."""
        worker, task = self.session.worker, self.shown_task()
        if worker.waiting == 0:
            self._timer.stop()
        others = max(worker.waiting - 1, 0)
        for widget in (self.bar, self.stop):
            widget.setVisible(task is not None)
        self.waits.setVisible(task is not None and others > 0)
        self.text.setText(told(task) if task is not None else "Nothing is running.")
        if task is not None:
            self.bar.setValue(int(task.share * 1000))
            self.stop.setEnabled(not task.stopped)
            self.waits.setText(f"{others:,} more ▴")
        if self.list.isVisible():
            self.list.refresh()

    def _moved(self) -> None:
        if not self._timer.isActive():
            self._timer.start()

    def _cancel(self) -> None:
        task = self.shown_task()
        if task is not None:
            self.session.cancel(task)
            self.refresh()

    def _list(self) -> None:
        self.list.refresh()
        corner = self.mapToGlobal(QPoint(self.width(), 0))
        self.list.move(corner.x() - self.list.width() - 8, corner.y() - self.list.height() - 4)
        self.list.show()


class WorkList(QFrame):
    """Everything that runs and waits, each with its own Cancel."""

    def __init__(self, session: Office, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.session = session
        self.setObjectName("list")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(span(380))
        self.setAccessibleName("What runs and waits")
        self.tasks: list[Task] = []
        self.lines: list[tuple[QWidget, QWidget]] = []
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        inside = QWidget()
        self.box = QVBoxLayout(inside)
        self.box.setContentsMargins(10, 8, 10, 8)
        self.box.setSpacing(2)
        area.setWidget(inside)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(area)

    def refresh(self) -> None:
        """Show the list as it is: made anew only when other tasks stand in it."""
        worker = self.session.worker
        running = [t for t in worker.running() if t.title]
        waiting = [t for t in worker.in_line() if t.title]
        tasks = [*running, *waiting[:ROWS]]
        if not self.box.count() or [t.number for t in tasks] != [t.number for t in self.tasks]:
            self.tasks = tasks
            self._fill(len(waiting) - ROWS)
        for task, (text, stop) in zip(self.tasks, self.lines):
            text.setText(told(task) if task.began else f"{task.title}: waits")  # type: ignore[attr-defined]
            stop.setEnabled(not task.stopped)

    def _fill(self, more: int) -> None:
        empty(self.box)
        self.lines = []
        for task in self.tasks:
            line = QWidget()
            box = QHBoxLayout(line)
            box.setContentsMargins(0, 0, 0, 0)
            text, stop = label("", "", -0.5), button("Cancel", lambda t=task: self._cancel(t), "flat")
            box.addWidget(text, 1)
            box.addWidget(stop)
            self.box.addWidget(line)
            self.lines.append((text, stop))
        if more > 0:
            self.box.addWidget(label(f"and {more:,} more", "soft", -0.5))
        if not self.tasks:
            self.box.addWidget(label("Nothing runs and nothing waits.", "soft", -0.5))
        self.box.addStretch(1)
        self.setFixedHeight(span(24) + span(27) * min(max(self.box.count() - 1, 1), ROWS))

    def _cancel(self, task: Task) -> None:
        self.session.cancel(task)
        self.refresh()


def told(task: Task) -> str:
    """A running task in words: what it does, how far it is, how long still."""
    parts = [task.title, task.text, f"{task.share * 100:.0f} %" if task.share > 0 else ""]
    left = seconds_left(task.share, time.monotonic() - task.began)
    if task.stopped:
        parts.append("stops as soon as it can")
    elif left is not None:
        parts.append(f"about {_length(left)} left")
    return "  ·  ".join(p for p in parts if p)


def seconds_left(share: float, passed: float) -> float | None:
    """How long work still takes that has come to `share` of 1 after `passed` seconds, at the same pace; None
    while that is not to be told.
    """
    if passed < 1.5 or not 0.05 < share < 1.0:
        return None
    return passed * (1.0 - share) / share


def _length(seconds: float) -> str:
    if seconds < 90:
        return f"{max(round(seconds), 1)} s"
    return f"{round(seconds / 60)} min"
