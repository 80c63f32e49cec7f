"""What the desk Motion works on: the evaluated asset, its takes, the player, the picked joint."""

from __future__ import annotations

from customs.scene.model import Clip
from customs.work.motion import Takes
from customs.work.requests.evaluate import Evaluated
from customs_desktop.office import Office
from customs_desktop.player import Player
from customs_desktop.views.rig_overlay import RigOverlay
from customs_desktop.views.twin import TwinView


class Bench:
    """Shared by the desk's panel and its tools; `open` while it is the open desk."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        self.session, self.twin = session, twin
        self.open = False
        self.player, self.overlay = Player(), RigOverlay()
        self.takes: Takes | None = None
        self.take_number = 0

    @property
    def result(self) -> Evaluated | None:
        """The evaluated asset, when it could be read."""
        result = self.session.result
        return result if result is not None and result.taken is not None and result.passed else None

    @property
    def take(self) -> Clip | None:
        """The take on the band."""
        clips = self.takes.clips if self.takes is not None else ()
        return clips[min(self.take_number, len(clips) - 1)] if clips else None
