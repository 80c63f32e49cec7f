"""The desk Grounds: whole levels, in bulk."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from customs_desktop.desk import DeskPanel
from customs_desktop.desks.grounds.kinds_page import KindsPage
from customs_desktop.desks.grounds.lists_page import ListsPage
from customs_desktop.desks.grounds.looking import Looking
from customs_desktop.desks.grounds.materials_page import MaterialsPage
from customs_desktop.desks.grounds.modules import ModuleTools
from customs_desktop.desks.grounds.parts import PartTools
from customs_desktop.desks.grounds.placements_page import PlacementsPage
from customs_desktop.desks.grounds.plan_page import PlanPage
from customs_desktop.desks.grounds.regions import RegionTools
from customs_desktop.desks.grounds.sections import GoingAbout, LightTools, Missing, SizeTools
from customs_desktop.desks.grounds.storeys import StoreyRuler, Storeys, StoreyTools
from customs_desktop.office import Office
from customs_desktop.views.twin import TwinView


class GroundsPanel(DeskPanel):
    """Turns what a person does into settings of stops, and shows what the core answers."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__("Grounds", "levels, in bulk")
        self.session, self.twin = session, twin
        self.looking = Looking(session, twin)
        self.kinds, self.placements = KindsPage(session, self.looking), PlacementsPage(session, self.looking)
        self.materials, self.lists = MaterialsPage(session), ListsPage(session)
        self.missing, self.light = Missing(session, self.looking), LightTools(session, self.looking, twin)
        self.sizes, self.going = SizeTools(session, self.looking), GoingAbout(self.looking)
        self.storeys = Storeys(session, self.looking, twin)
        self.ruler, self.cutting = StoreyRuler(self.storeys, twin), StoreyTools(self.storeys)
        self.plan, self.modules = PlanPage(self.storeys), ModuleTools(session, self.looking)
        self.regions = RegionTools(session, self.looking, twin)
        self.parts = PartTools(session, self.looking)
        for title, part, rules in (
            ("MISSING NAMES", self.missing, ("stand-ins",)),
            ("LIGHT", self.light, ("level-light", "light-unit")),
            ("STOREYS AND PLAN", self.cutting, ()),
            ("MODULES", self.modules, ("modules",)),
            ("REGIONS", self.regions, ("regions",)),
            ("PARTS", self.parts, ()),
            ("SIZE", self.sizes, ("level-scale",)),
            ("GOING ABOUT", self.going, ()),
        ):
            self.section(title, part.said, rules)
            self.add(part)
        self.finish()
        self.looking.found.connect(self.arrange_soon)
        for signal in (self.storeys.found, self.storeys.cut_changed):
            signal.connect(self.arrange_soon)
        session.selected.connect(lambda _: self.going.stop())
        self.follow(session.changed, session.selected, session.seen, session.picked, session.opened)

    def pages(self) -> list[tuple[str, QWidget]]:
        return [
            ("Kinds", self.kinds),
            ("Placements", self.placements),
            ("Materials", self.materials),
            ("Plan", self.plan),
            ("Lists", self.lists),
        ]

    def refresh(self, *_: object) -> None:
        """Take over the selected asset and the picked stop."""
        self.looking.refresh()
        self.materials.refresh()
        self.kinds.refresh()
        self.storeys.refresh()
        self.regions.refresh()
        self.parts.refresh()

    def opened(self) -> None:
        self.looking.open = True
        self.refresh()
        self.looking.show()
        self.light.refresh()
        self.storeys.found.emit()

    def left(self) -> None:
        self.looking.open = False
        self.going.stop()
        self.ruler.hide()
        self.regions.stop_choosing()
        self.twin.set_overlay(None)
        self.twin.keep_free(0)
        self.twin.veil, self.twin.lit, self.twin.cut, self.twin.marks = None, None, None, {}
        self.twin.ask()
