"""The desk Fit; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "fit", "Fit", "ruler", 20,
    panel=lambda office, twin: later("customs_desktop.desks.fit.panel").FitPanel(office, twin),
))  # fmt: skip
