"""The playhead: one time that moves both halves of the twin view."""

from __future__ import annotations

import time
from dataclasses import dataclass

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

FRAME_MS = 33
"""A picture is asked for this often; one that is not drawn yet is let go for the next, so playing never
waits.
"""


@dataclass(frozen=True)
class Stretch:
    """What is played: `start` to `end` (seconds) of a take, and the delivered clip it became (name), if
    any.
    """

    name: str
    start: float
    end: float
    take: str


class Player(QObject):
    """Plays a stretch. `moved` tells that the time has changed, `state` that playing began or stopped."""

    moved = pyqtSignal()
    state = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.stretch: Stretch | None = None
        self.seconds = 0.0
        self.rate = 30.0
        self.speed = 1.0
        self.loop = True
        self._last = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(FRAME_MS)
        self._timer.timeout.connect(self._tick)

    @property
    def playing(self) -> bool:
        """True while time runs."""
        return self._timer.isActive()

    @property
    def length(self) -> float:
        """Seconds of what is played."""
        return max(self.stretch.end - self.stretch.start, 0.0) if self.stretch else 0.0

    def show(self, stretch: Stretch | None, rate: float) -> None:
        """Take up another stretch; the time is kept inside it."""
        self.stretch, self.rate = stretch, max(rate, 1.0)
        self.seconds = min(self.seconds, self.length)
        if stretch is None and self.playing:
            self.pause()
        self.moved.emit()

    def play(self) -> None:
        """Let time run, from the beginning when it stands at the end."""
        if self.stretch is None or self.length <= 0:
            return
        if self.seconds >= self.length - 1e-6:
            self.seconds = 0.0
        self._last = time.perf_counter()
        self._timer.start()
        self.state.emit()

    def pause(self) -> None:
        """Stop time."""
        self._timer.stop()
        self.state.emit()
        self.moved.emit()

    def toggle(self) -> None:
        """Play or pause."""
        self.pause() if self.playing else self.play()

    def seek(self, seconds: float) -> None:
        """Go to a time in the stretch."""
        self.seconds = min(max(seconds, 0.0), self.length)
        self._last = time.perf_counter()
        self.moved.emit()

    def step(self, frames: int) -> None:
        """Go on by whole frames."""
        if self.playing:
            self.pause()
        self.seek((round(self.seconds * self.rate) + frames) / self.rate)

    def _tick(self) -> None:
        now = time.perf_counter()
        self.seconds += (now - self._last) * self.speed
        self._last = now
        if self.seconds >= self.length:
            if self.loop and self.length > 0:
                self.seconds %= self.length
            else:
                self.seconds = self.length
                self.pause()
                return
        self.moved.emit()
