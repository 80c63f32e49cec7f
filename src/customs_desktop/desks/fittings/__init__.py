"""The desk Fittings; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "fittings", "Fittings", "puzzle", 45, heights=Desk.PAGES, first=1,
    panel=lambda office, twin: later("customs_desktop.desks.fittings.panel").FittingsPanel(office, twin),
))  # fmt: skip
