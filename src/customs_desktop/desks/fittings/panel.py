"""The desk Fittings: what a kit asks around the mesh."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from customs_desktop.desk import DeskPanel
from customs_desktop.desks.fittings.form_page import FormPage
from customs_desktop.desks.fittings.levels_page import LevelsPage
from customs_desktop.desks.fittings.pictures_page import PicturesPage
from customs_desktop.desks.fittings.plot_page import PlotPage
from customs_desktop.desks.fittings.posts_page import PostsPage
from customs_desktop.desks.fittings.sections import LevelTools, ShapeTools
from customs_desktop.desks.fittings.shapes_page import ShapesPage
from customs_desktop.office import Office
from customs_desktop.views.shape_overlay import ShapeOverlay
from customs_desktop.views.twin import TwinView


class FittingsPanel(DeskPanel):
    """Turns what a person does into settings of stops, and shows what the core answers."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__("Fittings", "what the kit asks around the mesh")
        self.session, self.twin = session, twin
        self.overlay = ShapeOverlay()
        self.shapes, self.levels = ShapesPage(session, twin, self.overlay), LevelsPage(session, twin)
        self.posts, self.pictures = PostsPage(session, twin), PicturesPage(session, twin, self.overlay)
        self.plot, self.form = PlotPage(session, twin), FormPage(session)
        self.shape_tools, self.level_tools = ShapeTools(session), LevelTools(session)
        self.section("SHAPES", self.shape_tools.said, ("shapes",))
        self.add(self.shape_tools)
        self.section("LODS", self.level_tools.said, ("levels", "came-levels"))
        self.add(self.level_tools)
        self.finish()
        self.follow(session.changed, session.selected, session.seen, session.picked, session.opened)

    def pages(self) -> list[tuple[str, QWidget]]:
        return [
            ("Shapes", self.shapes),
            ("LODs", self.levels),
            ("Plot", self.plot),
            ("Posts", self.posts),
            ("Pictures", self.pictures),
            ("Form", self.form),
        ]

    def refresh(self, *_: object) -> None:
        """Take over the selected asset and the picked stop."""
        self.shape_tools.refresh()
        self.level_tools.refresh()
        self.shapes.refresh()
        self.levels.refresh()
        self.posts.refresh()
        self.pictures.refresh()
        self.plot.refresh()
        self.form.refresh()

    def opened(self) -> None:
        self.shapes.open = self.levels.open = self.pictures.open = self.plot.open = True
        self.posts.opened()
        self.twin.set_overlay(self.overlay)
        self.refresh()

    def left(self) -> None:
        self.pictures.open = self.plot.open = False
        self.pictures.let_go()
        self.shapes.left()
        self.levels.left()
        self.posts.left()
        self.twin.marks = {}
        self.twin.set_overlay(None)
