"""Sources on disk, watched: one that changes is looked at again at once."""

from __future__ import annotations

import os
import threading
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from customs.intake.through import outer
from customs.later import later
from customs.words import many
from customs_desktop.looks import Looks
from customs_desktop.session import Session
from customs_desktop.worker import Task

Goods = tuple[tuple[str, tuple[str, ...]], ...]
observers = later("watchdog.observers")
QUIET_MS = 400
"""A file that is being written is looked at when nothing has come for so long."""
MOST = 1_000
"""Folders that are watched: systems allow only so many."""


class Watch(QObject):
    """Tells `looks` of assets whose own files have changed."""

    touched = pyqtSignal(str)

    def __init__(self, session: Session, looks: Looks) -> None:
        super().__init__()
        self.session, self.looks = session, looks
        self._observer: Any = None
        self._folders: dict[str, Any] = {}
        self._of: dict[str, set[str]] = {}
        self._due: set[str] = set()
        self._goods: object = None
        self._lock = threading.Lock()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(QUIET_MS)
        self._soon.timeout.connect(self._tell)
        self.touched.connect(self._touched)
        for signal in (session.changed, session.opened):
            signal.connect(self._follow)

    def _follow(self, *_: object) -> None:
        goods = tuple((a.id, a.files) for a in self.session.state.goods)
        if goods == self._goods:
            return
        self._goods = goods
        # Disks may be slow, and systems take their time to watch many folders.
        self.session.worker.submit(
            Task(
                4,
                key="watch",
                run=lambda job: self._watch(goods),
                done=lambda answer: self._watching(goods, answer),
                failed=self.session.fail,
                apart=True,
            )
        )

    def _watch(self, goods: Goods) -> tuple[dict[str, set[str]], list[str]]:
        """(assets by the files of the disk they hang on, what cannot be watched and why); by no two threads at once."""
        of: dict[str, set[str]] = {}
        for id_, files in goods:
            for file in files:
                of.setdefault(_on_disk(file), set()).add(id_)
        wanted = dict.fromkeys(f for f in sorted({os.path.dirname(f) for f in of}) if os.path.isdir(f))
        with self._lock:
            if goods is not self._goods:
                return of, []
            for folder in [f for f in self._folders if f not in wanted]:
                self._observer.unschedule(self._folders.pop(folder))
            said = [self._begin(f) for f in list(wanted)[:MOST] if f not in self._folders]
        return of, [s for s in said if s]

    def _watching(self, goods: Goods, answer: tuple[dict[str, set[str]], list[str]]) -> None:
        if goods is not self._goods:
            return
        self._of, said = answer
        if said:
            more = f" and {many(len(said) - 1, 'other folder')}" if len(said) > 1 else ""
            self.session.said.emit(f"{said[0]}{more}: F5 looks again.", "query")

    def _begin(self, folder: str) -> str:
        """Why a folder cannot be watched, or nothing."""
        if self._observer is None:
            self._observer = observers.Observer()
            self._observer.start()
        try:
            self._folders[folder] = self._observer.schedule(_Ear(self), folder, recursive=False)
        except OSError as problem:
            # Not noticed at once, then; it still is at the next look.
            return f"{folder} cannot be watched ({problem.strerror})"
        return ""

    def _touched(self, path: str) -> None:
        if path in self._of:
            self._due.add(path)
            self._soon.start()

    def _tell(self) -> None:
        ids = {id_ for path in self._due for id_ in self._of.get(path, ())}
        self._due.clear()
        self.looks.again(ids)

    def close(self) -> None:
        """Watch nothing any more."""
        with self._lock:
            if self._observer is not None:
                self._observer.stop()
                self._observer.join(5)
                self._observer = None


def _on_disk(file: str) -> str:
    """The file of the disk that a place is, or is in."""
    archive = None if os.path.exists(file) else outer(Path(file))
    return str(archive) if archive is not None else file


class _Ear:
    """What the observer's thread calls."""

    def __init__(self, watch: Watch) -> None:
        self._watch = watch

    def dispatch(self, event: Any) -> None:
        """One event: only what changes bytes or names counts."""
        if event.event_type in ("modified", "created", "deleted", "moved", "closed"):
            for path in (event.src_path, getattr(event, "dest_path", "")):
                if path:
                    self._watch.touched.emit(os.fsdecode(path))
