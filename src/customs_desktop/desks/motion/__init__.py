"""The desk Motion; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "motion", "Motion", "footprints", 40, heights=Desk.PAGES, first=1, plays=True,
    panel=lambda office, twin: later("customs_desktop.desks.motion.panel").MotionPanel(office, twin),
    commands=(
        ("Choose a donor …", lambda p: p.choose_donor(), ""),
    ),
))  # fmt: skip
