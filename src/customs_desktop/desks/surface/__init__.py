"""The desk Surface; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "surface", "Surface", "swatch-book", 30, heights=Desk.PAGES, first=1,
    panel=lambda office, twin: later("customs_desktop.desks.surface.panel").SurfacePanel(office),
))  # fmt: skip
