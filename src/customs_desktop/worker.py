"""Threads that work: one that takes things in their order, and others beside it for what does not mind.
Answers come back on the interface thread.
"""

from __future__ import annotations

import contextlib
import heapq
import itertools
import os
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from customs.errors import Cancelled, CustomsError
from customs.job import Job
from customs.kernels.cores import cores
from customs.memory import Watch
from customs.preferences import preferences

_numbers = itertools.count()
HEAD_START = 1.5
"""Seconds in which what is picked is not slowed down by the rest."""


@dataclass(order=True)
class Task:
    """A piece of work. A newer task with the same `key` supersedes it while it waits. Lower `rank` goes
    first. One that is `apart` may run beside any other; the rest run one after another.

    `title`, `share` of 1, `text` and `began` (seconds, monotonic; 0 while it waits) say how far it is.
    """

    rank: int
    number: int = field(default_factory=lambda: next(_numbers))
    key: str = field(default="", compare=False)
    run: Callable[[Job], Any] = field(default=lambda job: None, compare=False)
    done: Callable[[Any], None] = field(default=lambda result: None, compare=False)
    failed: Callable[[Exception], None] = field(default=lambda problem: None, compare=False)
    title: str = field(default="", compare=False)
    apart: bool = field(default=False, compare=False)
    share: float = field(default=0.0, compare=False)
    text: str = field(default="", compare=False)
    began: float = field(default=0.0, compare=False)
    stopped: bool = field(default=False, compare=False)


class Worker(QObject):
    """One thread runs tasks in their order, so that a decision waits for no look; as many as there are cores run
    what is apart. `done` and `failed` are called on the interface thread.
    """

    finished = pyqtSignal(object, object)
    broke = pyqtSignal(object, object)
    progressed = pyqtSignal(str, float, str)
    moved = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._ready = threading.Condition()
        self._line: list[Task] = []
        self._beside: list[Task] = []
        self._running: list[Task] = []
        self._newest: dict[str, int] = {}
        self._closed = False
        self.waiting = 0
        self.finished.connect(self._finish)
        self.broke.connect(self._break)
        self._threads = [
            threading.Thread(target=self._loop, args=(line,), name=f"worker {k}", daemon=True)
            for k, line in enumerate(
                [self._line, *[self._beside] * min(preferences().side or cores(), cores())]
            )
        ]
        for thread in self._threads:
            thread.start()

    def submit(self, task: Task) -> None:
        """Put a task in line."""
        self.waiting += 1
        with self._ready:
            if task.key:
                self._newest[task.key] = task.number
            heapq.heappush(self._beside if task.apart else self._line, task)
            self._ready.notify_all()
        self.moved.emit()

    def hasten(self, key: str, rank: int) -> None:
        """Let what waits under `key` go before others."""
        with self._ready:
            for line in (self._line, self._beside):
                for task in [t for t in line if t.key == key and t.rank > rank]:
                    task.rank = rank
                    heapq.heapify(line)

    def running(self) -> list[Task]:
        """What runs now, what began first first."""
        with self._ready:
            return list(self._running)

    def in_line(self) -> list[Task]:
        """What waits, in the order it will be taken."""
        with self._ready:
            return sorted(t for t in (*self._line, *self._beside) if self._wanted(t))

    def cancel(self, task: Task | None = None) -> None:
        """Stop a task, or all that run now, as soon as they look. One that waits is not begun."""
        with self._ready:
            for each in [task] if task is not None else list(self._running):
                each.stopped = True

    def close(self) -> None:
        """Stop and wait. Answers that are still on their way are let go: whoever asked may be gone when they
        come.
        """
        with self._ready:
            self._closed = True
            for task in self._running:
                task.stopped = True
            self._ready.notify_all()
        for thread in self._threads:
            thread.join(20)

    # -- within

    def _loop(self, line: list[Task]) -> None:
        give_way()
        while (task := self._next(line)) is not None:
            try:
                if task.stopped:
                    raise Cancelled
                answer = task.run(self._job(task)) if self._wanted(task) else _SUPERSEDED
                signal, what = self.finished, answer
            except Exception as problem:  # noqa: BLE001 (the outermost boundary of a job)
                signal, what = self.broke, problem
            with self._ready:
                self._running.remove(task)
                self._ready.notify_all()
            signal.emit(task, what)

    def _next(self, line: list[Task]) -> Task | None:
        """The next task of a line; None when the worker closes."""
        with self._ready:
            while not self._closed:
                hold = self._hold(line[0]) if line else None
                if not line or hold:
                    self._ready.wait(hold)
                    continue
                task = heapq.heappop(line)
                task.began = time.monotonic()
                self._running.append(task)
                return task
        return None

    def _hold(self, task: Task) -> float:
        """Seconds for which a task that may run beside others is held back: what is more urgent and has just
        begun gets the machine to itself for a moment.
        """
        if not task.apart:
            return 0.0
        urgent = [t.began for t in self._running if t.apart and t.rank < task.rank]
        return max(max(urgent, default=0.0) + HEAD_START - time.monotonic(), 0.0)

    def _wanted(self, task: Task) -> bool:
        return not task.key or self._newest.get(task.key) == task.number

    def _job(self, task: Task) -> Job:
        def told(share: float, text: str) -> None:
            task.share, task.text = share, text
            self.progressed.emit(task.title, share, text)

        watch = Watch()

        def stopped() -> bool:
            watch.check()
            return task.stopped

        return Job(told, stopped)

    def _finish(self, task: Task, result: Any) -> None:
        self._count()
        if result is not _SUPERSEDED and not self._closed:
            task.done(result)

    def _break(self, task: Task, problem: Exception) -> None:
        self._count()
        if not self._closed:
            task.failed(problem)

    def _count(self) -> None:
        self.waiting -= 1
        if not self._closed:
            self.moved.emit()


_SUPERSEDED = object()


def give_way() -> None:
    """This thread, and those it starts, let the interface go first when there are not cores enough for
    all.
    """
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 10)


def explain(problem: Exception) -> str:
    """A failure in words for a person; never a traceback."""
    if isinstance(problem, Cancelled):
        return "Cancelled; nothing was left behind."
    if isinstance(problem, CustomsError):
        return str(problem)
    return f"Something unforeseen went wrong ({type(problem).__name__}: {problem}). Nothing was changed."
