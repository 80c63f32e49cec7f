"""The desk Grounds; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "grounds", "Grounds", "trees", 47, heights=Desk.PAGES, first=1,
    panel=lambda office, twin: later("customs_desktop.desks.grounds.panel").GroundsPanel(office, twin),
    commands=(
        ("The picked kind alone", lambda p: p.kinds.solo(), "Alt+O"),
        ("Hide what is picked", lambda p: p.looking.hide_picked(), ""),
        ("Only what is picked", lambda p: p.looking.only_picked(), ""),
        ("Show everything", lambda p: p.looking.all_again(), ""),
    ),
))  # fmt: skip
