"""The page Band: playing, the time band, what is known of the picked clip."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from customs_desktop.desks.motion.band import Band
from customs_desktop.player import Player
from customs_desktop.style.theme import span, wear
from customs_desktop.widgets.basics import NameLabel, NumberField, combo, label, tool

SPEEDS = (("0.1", "× 0.1"), ("0.25", "× 0.25"), ("0.5", "× 0.5"), ("1", "× 1.0"), ("2", "× 2.0"))


class BandPage(QWidget):
    """Emits `find` when clips are to be found, `rate` when frames are to be counted at another rate, `take`
    with the number of another take."""

    find = pyqtSignal()
    rate = pyqtSignal(float)
    take = pyqtSignal(int)

    def __init__(self, player: Player) -> None:
        super().__init__()
        self.player = player
        self.band = Band()
        self.first = tool("skip-back", "To the beginning", lambda: player.seek(0.0))
        self.back = tool("step-back", "One frame back", lambda: player.step(-1))
        self.play = tool("play", "Play or pause (space)", player.toggle)
        self.on = tool("step-forward", "One frame on", lambda: player.step(1))
        self.loop = tool("repeat", "Play round and round", self._loop, True)
        self.loop.setChecked(True)
        self.speed = combo(SPEEDS, "Speed", self._speed)
        self.speed.setFixedWidth(span(72))
        self.speed.setCurrentIndex(3)
        self.takes = combo((), "Take", lambda i: self.take.emit(int(i)))
        self.takes.setFixedWidth(span(96))
        self.takes.hide()
        self.per_second = NumberField(1, 1000, 2, "Frames a second")
        self.per_second.setFixedWidth(span(58))
        self.per_second.entered.connect(self.rate)
        # At a narrow window the words give way, not the controls.
        self.where = NameLabel()
        self.where.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.facts = NameLabel(0, 400, "soft")
        line = QHBoxLayout()
        line.setContentsMargins(10, 3, 12, 3)
        line.setSpacing(4)
        for item in (
            self.first,
            self.back,
            self.play,
            self.on,
            self.loop,
            self.speed,
            self.takes,
            self.per_second,
        ):
            line.addWidget(item)
        line.addWidget(label("/s", "soft"))
        line.addWidget(
            tool("scan", "Find clips: cut the take at its rests, or where a pose comes again", self.find.emit)
        )
        line.addWidget(self.where, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(line)
        box.addWidget(self.band, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 3, 12, 4)
        foot.addWidget(self.facts, 1)
        box.addLayout(foot)
        player.state.connect(self._state)

    def sizeHint(self) -> QSize:
        return QSize(700, 230)

    def _loop(self) -> None:
        self.player.loop = self.loop.isChecked()

    def _speed(self, text: str) -> None:
        self.player.speed = float(text)

    def _state(self) -> None:
        wear(self.play, "pause" if self.player.playing else "play")
