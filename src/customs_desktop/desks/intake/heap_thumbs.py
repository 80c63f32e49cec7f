"""Small pictures in the rows of the heap: made in the background, for what is on screen."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QObject, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap

from customs.intake.heap import Entry
from customs.job import Job
from customs.scene.model import Scene
from customs_desktop.desks.intake.heap_page import HeapPage
from customs_desktop.desks.intake.preview import Shown, channel_image
from customs_desktop.desks.intake.work import HeapWork
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.worker import Task

SLOT = "thumb-heap "
SIZE, DRAWN = 22, 48
"""Pixels of a picture in a row, and as it is drawn."""
SOON_MS, MOST = 250, 40
LARGEST = 64 << 20
"""Bytes of a file that is not read for the sake of a small picture."""


class HeapThumbs(QObject):
    """Asks for pictures of the rows that are seen, and gives them to the model."""

    come = pyqtSignal(object)

    def __init__(self, session: Office, work: HeapWork, page: HeapPage) -> None:
        super().__init__(page)
        self.session, self.work, self.page = session, work, page
        self._asked: set[str] = set()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._ask)
        for view in (page.view, page.table):
            bar = view.verticalScrollBar()
            assert bar is not None
            bar.valueChanged.connect(self._later)
        page.view.expanded.connect(self._later)
        page.model.modelReset.connect(self._later)
        work.listed.connect(self._forget)
        self.come.connect(self._come)
        session.painter.painted.connect(self._painted)

    def _later(self, *_: object) -> None:
        self._soon.start()

    def _forget(self, fresh: bool) -> None:
        if not self.work.browsed.entries:
            self._asked.clear()
            self.page.model.pictures.clear()
        self._later()

    def seen(self) -> list[Entry]:
        """Models and textures in the rows that are seen, without a picture as yet."""
        model = self.page.model
        view = self.page.table if model.flat else self.page.view
        port, out = view.viewport(), list[Entry]()
        if port is None or not view.isVisible():
            return out
        step = span(SIZE)
        for y in range(2, port.height(), step):
            node = model.node(view.indexAt(QPoint(40, y)))
            entry = model.browsed.entries[node] if node >= 0 else None
            fits = entry is not None and entry.size <= LARGEST and not entry.problem
            if fits and entry is not None and (entry.takeable or entry.kind == "texture"):
                if entry.place not in self._asked and entry not in out:
                    out.append(entry)
        return out[:MOST]

    def _ask(self) -> None:
        entries = self.seen()
        if not entries or self.session.painter.problem:
            return
        self._asked |= {e.place for e in entries}
        heap, names, given = self.work.heap, self.work.names, dict(self.work.given)

        def run(job: Job) -> None:
            for number, entry in enumerate(entries):
                job.check()
                job.progress(number / len(entries), entry.path.name)
                self.come.emit(self.work.looked_at(heap, entry, names, given, job))

        def failed(problem: Exception) -> None:
            # What was not reached is asked for again when it is next seen.
            self._asked -= {e.place for e in entries} - set(self.page.model.pictures)

        self.session.worker.submit(Task(3, title="Small pictures", run=run, failed=failed, apart=True))

    def _come(self, shown: Shown) -> None:
        if shown.scene is not None:
            self._draw(shown.place, shown.scene)
        elif shown.pixels is not None:
            self._give(shown.place, channel_image(_smaller(shown.pixels), "rgb"))

    def _draw(self, place: str, scene: Scene) -> None:
        self.session.painter.ask_thumbnail(SLOT + place, scene, DRAWN, place)

    def _painted(self, slot: str, image: QImage, tag: Any) -> None:
        if slot.startswith(SLOT):
            self._give(str(tag), image)

    def _give(self, place: str, image: QImage) -> None:
        size = span(SIZE)
        keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        self.page.model.show_picture(place, QPixmap.fromImage(image).scaled(size, size, keep, smooth))


def _smaller(pixels: npt.NDArray[np.uint8]) -> npt.NDArray[np.uint8]:
    step = max(1, max(pixels.shape[:2]) // (2 * DRAWN))
    return np.ascontiguousarray(pixels[::step, ::step])
