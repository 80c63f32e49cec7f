"""The desk Landing; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "landing", "Landing", "plane-landing", 60, first=1, plays=True,
    panel=lambda office, twin: later("customs_desktop.desks.landing.panel").LandingPanel(office, twin),
))  # fmt: skip
