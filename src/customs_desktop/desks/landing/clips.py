"""Clips of a landed package, played as the destination would play them."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from customs.motion.curves.track import frame_rate
from customs_desktop.office import Office
from customs_desktop.player import Player, Stretch
from customs_desktop.style.theme import wear
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import combo, label, row, tool


class LandedClips(QWidget):
    """A clip to choose and a player for it; not there where nothing landed has clips."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__()
        self.session, self.twin = session, twin
        self.open, self.any = False, False
        self.player = Player()
        self.choice = combo((), "Landed clip", lambda _: self._take_up())
        self.play = tool("play", "Play or pause", self.player.toggle)
        self.back = tool("step-back", "One frame back", lambda: self.player.step(-1))
        self.on = tool("step-forward", "One frame on", lambda: self.player.step(1))
        self.where = label("", "soft", -0.5)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(row(self.choice, self.back, self.play, self.on))
        box.addWidget(self.where)
        self.player.moved.connect(self._moved)
        self.player.state.connect(lambda: wear(self.play, "pause" if self.player.playing else "play"))
        self.refresh()

    def set_open(self, on: bool) -> None:
        """Playing belongs to the open desk."""
        self.open = on
        if on:
            self._take_up()
        elif self.player.playing:
            self.player.pause()

    def refresh(self) -> None:
        """List the clips of the selected asset's landed package."""
        scene = self.session.landed_scenes.get(self.session.current)
        names = [clip.name for clip in scene.clips] if scene is not None else []
        if names != [self.choice.itemText(i) for i in range(self.choice.count())]:
            self.choice.clear()
            for i, name in enumerate(names):
                self.choice.addItem(name, str(i))
        self.any = bool(names)
        self._take_up()

    def choose(self, number: int) -> None:
        """Take up another clip."""
        self.choice.setCurrentIndex(number)
        self._take_up()

    def _take_up(self) -> None:
        scene = self.session.landed_scenes.get(self.session.current)
        if scene is None or not 0 <= self.choice.currentIndex() < len(scene.clips):
            self.player.show(None, 30.0)
            return
        clip = scene.clips[self.choice.currentIndex()]
        self.player.show(Stretch(clip.name, 0.0, clip.seconds, clip.name), frame_rate(clip))

    def _moved(self) -> None:
        if not self.open:
            return
        stretch, player = self.player.stretch, self.player
        if stretch is None:
            self.twin.show_poses({}, False)
            return
        frame, last = round(player.seconds * player.rate), round(player.length * player.rate)
        self.where.setText(
            f"{frame} of {last} · {player.seconds:.2f} of {player.length:.2f} s · {player.rate:g} frames/s"
        )
        # Before anything is played the package stands as it was bound, as everything else on this desk
        # measures it.
        resting = not player.playing and player.seconds == 0.0
        self.twin.show_poses(
            {} if resting else {"right": (self.choice.currentIndex(), player.seconds)}, player.playing
        )
