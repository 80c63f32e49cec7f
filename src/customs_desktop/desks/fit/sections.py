"""The sections of the desk Fit that work in the view, and what they do as the desk is opened and left."""

from __future__ import annotations

from customs_desktop.desks.fit.by_hand import ChooseTools, CutTools, SoftTools
from customs_desktop.desks.fit.joining import JoinTools
from customs_desktop.desks.fit.measure import MeasureTools
from customs_desktop.desks.fit.voxels import VoxelTools
from customs_desktop.office import Office
from customs_desktop.views.handwork import Handwork
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.panel import Panel


class ByHand:
    """All of them share one choice of faces."""

    def __init__(self, panel: Panel, session: Office, twin: TwinView) -> None:
        self.work = Handwork(session, twin)
        self.choose, self.cut, self.soft = ChooseTools(self.work), CutTools(self.work), SoftTools(self.work)
        self.joining, self.measuring = JoinTools(self.work), MeasureTools(self.work)
        self.voxels = VoxelTools(self.work)
        self.voxel_fold = panel.section("VOXELS", self.voxels.said, ("voxels",))
        panel.add(self.voxels)
        self.voxels.resized.connect(panel.arrange_soon)
        for title, tools in (
            ("BY HAND", self.choose), ("CUT", self.cut), ("SOFT MOVE", self.soft),
            ("FROM OTHER GOODS", self.joining), ("MEASURE", self.measuring),
        ):  # fmt: skip
            panel.section(title, tools.said)
            panel.add(tools)
        self.work.changed.connect(panel.arrange_soon)
        session.seen.connect(self._shown_anew)
        session.picked.connect(self._shown_anew)

    def refresh(self) -> None:
        """What other goods there are, and what was measured."""
        self.joining.refresh()
        self.measuring.refresh()
        self.voxel_fold.setVisible(self.voxels.wanted)
        self.voxels.refresh()

    def _shown_anew(self, *_: object) -> None:
        """What is chosen and held is on what was shown before."""
        if self.work.open:
            if self.soft.hold is not None:
                self.soft.let_go()
            self.work.show()

    def opened(self) -> None:
        """Choosing goes by the right half from here on."""
        self.work.open = True
        self.measuring.refresh()

    def left(self) -> None:
        """Nothing is held, nothing marked, nothing beside."""
        self.soft.let_go()
        self.choose.let_go()
        self.work.open = False
        self.measuring.let_go()
        self.joining.beside()
        self.voxels.let_go()
        self.work.show()
