"""Registers the desk Surface."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.surface.panel import SurfacePanel

register(
    Desk("surface", "Surface", "swatch-book", 30, lambda office, twin: SurfacePanel(office), Desk.PAGES, 1)
)
