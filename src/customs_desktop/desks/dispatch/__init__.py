"""The desk Dispatch; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "dispatch", "Dispatch", "stamp", 50, first=1,
    panel=lambda office, twin: later("customs_desktop.desks.dispatch.panel").DispatchPanel(office),
    commands=(
        ("Dispatch this one", lambda p: p.dispatch_one(), "Ctrl+D"),
        ("Dispatch all that are cleared", lambda p: p.dispatch_all(), "Ctrl+Shift+Return"),
        ("Stop what is running", lambda p: p.session.cancel(), "Ctrl+."),
    ),
))  # fmt: skip
