"""The thread that draws. Wishes are frozen; pictures come back as signals: where one takes long and shows what has not
been drawn yet, a sketch with fewer triangles comes first.
"""

from __future__ import annotations

import os
import threading
import time
from dataclasses import replace
from typing import TYPE_CHECKING, Any, NamedTuple

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from customs.errors import ToolError
from customs.job import Job
from customs.later import later
from customs.picture.camera import Orbit
from customs.picture.look import Look, Shot
from customs.scene.model import Scene
from customs_desktop.worker import give_way

if TYPE_CHECKING:
    from customs.picture.renderer import Renderer

# Imported by the thread that draws, while the window is already there.
renderers, picks = later("customs.picture.renderer"), later("customs.picture.pick")
thumbnails = later("customs.picture.thumbnail")

MOST_ASKED, MOST_DRAWN = 0.25, 3.0
"""Seconds in which a picture is asked for after there is something to draw, and in which it mostly is drawn."""
BREATH = 0.03
"""Seconds a small picture waits for larger ones."""


class Under(NamedTuple):
    """A place of a picture that is asked about."""

    shot: Shot
    x: int
    y: int


class Painter(QObject):
    """The thread that owns the graphics context. A newer request for a slot supersedes the one that waits."""

    painted = pyqtSignal(str, object, object)
    met = pyqtSignal(str, object, object)
    absent = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._wish: dict[str, tuple[Shot | Under | tuple[Scene, int], object]] = {}
        self._order: list[str] = []
        self._ready = threading.Condition()
        self._stop = False
        self._drawing, self._drawn = False, 0
        self.problem = ""
        self._thread = threading.Thread(target=self._loop, name="painter", daemon=True)

    def begin(self) -> None:
        """Get ready for the first picture: not while the window is being built, which it would hold up."""
        if self._thread.ident is None and not self._stop:
            self._thread.start()

    @property
    def idle(self) -> bool:
        """True when nothing waits and nothing is being drawn."""
        with self._ready:
            return not self._order and not self._drawing

    def ask(self, slot: str, shot: Shot, tag: object = None) -> None:
        """A picture for `slot`; `painted` answers with the slot, a QImage and `tag`, after a sketch where there is
        one.
        """
        self._put(slot, (shot, tag), True)

    def ask_under(self, slot: str, shot: Shot, x: int, y: int, tag: object = None) -> None:
        """What `shot` shows at a pixel; `met` answers with the slot, what was found or None, and `tag`."""
        self._put(slot, (Under(shot, x, y), tag), True)

    def ask_thumbnail(self, slot: str, scene: Scene, size: int, tag: object = None) -> None:
        """A small picture, when nothing larger waits."""
        self._put(slot, ((scene, size), tag), False)

    def let_draw(self, job: Job) -> None:
        """Wait, on any thread but the window's, until something has been drawn; not for long where nothing is asked
        for. Raises Cancelled.
        """
        with self._ready:
            before, began = self._drawn, time.monotonic()
            while self._drawn == before and not self._stop and not self.problem:
                job.check()
                spent = time.monotonic() - began
                if spent > (MOST_DRAWN if self._drawing or self._order else MOST_ASKED):
                    return
                self._ready.wait(0.02)

    def close(self) -> None:
        """Stop and wait."""
        with self._ready:
            self._stop = True
            self._ready.notify()
        if self._thread.ident is not None:
            self._thread.join(20)

    def _put(self, slot: str, wish: tuple[Any, object], soon: bool) -> None:
        self.begin()
        with self._ready:
            # A newer wish takes the place of the older one in the line: while all halves play, each gets its
            # turn.
            if slot not in self._wish:
                small = next(
                    (k for k, s in enumerate(self._order) if s.startswith("thumb")), len(self._order)
                )
                self._order.insert(small if soon and not slot.startswith("thumb") else len(self._order), slot)
            self._wish[slot] = wish
            self._ready.notify()

    def _still_wanted(self, slot: str, wish: Shot, tag: object) -> None:
        """After its sketch the picture itself, in its turn; a newer wish stays."""
        with self._ready:
            if slot not in self._wish:
                self._put(slot, (wish, tag), True)

    def _loop(self) -> None:
        give_way()
        # A software driver would take every core; the interface needs one.
        os.environ.setdefault("LP_NUM_THREADS", str(max(1, (os.cpu_count() or 2) - 1)))
        try:
            renderer = renderers.Renderer()
        except ToolError as problem:
            self.problem = str(problem)
            self.absent.emit(str(problem))
            return
        # Drivers compile shaders at the first draw: that is done while files are still being read.
        renderer.render(Shot(Scene("", ""), Orbit(), 64, 64, Look(figure=0.0)))
        while True:
            with self._ready:
                self._drawn += self._drawing
                self._drawing = False
                while not self._order and not self._stop:
                    self._ready.wait()
                if not self._stop and self._order[0].startswith("thumb"):
                    # Whoever wants a small picture mostly wants a large one a moment later, which goes first.
                    self._ready.wait(BREATH)
                if self._stop:
                    renderer.release()
                    return
                slot = self._order.pop(0)
                wish, tag = self._wish.pop(slot)
                self._drawing = True
            try:
                if isinstance(wish, Under):
                    self.met.emit(slot, picks.pick(renderer, *wish), tag)
                elif isinstance(wish, Shot) and renderer.takes_long(wish):
                    sketch = replace(wish, look=replace(wish.look, sketched=True))
                    self.painted.emit(slot, _draw(renderer, sketch), tag)
                    self._still_wanted(slot, wish, tag)
                else:
                    self.painted.emit(slot, _draw(renderer, wish), tag)
            except Exception as problem:  # noqa: BLE001 (one bad picture must not end the thread)
                self.absent.emit(f"This could not be drawn ({problem}).")


def _draw(renderer: Renderer, wish: Shot | tuple[Scene, int]) -> QImage:
    pixels = renderer.render(wish) if isinstance(wish, Shot) else thumbnails.thumbnail(renderer, *wish)
    height, width = pixels.shape[:2]
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_RGBA8888).copy()
