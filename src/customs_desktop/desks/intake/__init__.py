"""The desk Intake; its panel is imported when it is first opened."""

from __future__ import annotations

from customs.later import later
from customs_desktop.desk import Desk, register

register(Desk(
    "intake", "Intake", "package-open", 10, heights=Desk.PAGES, first=1,
    panel=lambda office, twin: later("customs_desktop.desks.intake.panel").IntakePanel(office),
    takes=lambda p, paths: p.bring(paths),
    commands=(
        ("Choose or let go", lambda p: p.work.toggle(p.page.selected()), ""),
        ("Next model of the heap", lambda p: p.page.step(1, "model"), "Alt+Down"),
        ("Previous model of the heap", lambda p: p.page.step(-1, "model"), "Alt+Up"),
        ("Next texture of the heap", lambda p: p.page.step(1, "texture"), "Alt+PgDown"),
        ("Previous texture of the heap", lambda p: p.page.step(-1, "texture"), "Alt+PgUp"),
        ("Next clip of the file", lambda p: p.preview.next_clip(1), "Alt+Shift+Right"),
        ("Previous clip of the file", lambda p: p.preview.next_clip(-1), "Alt+Shift+Left"),
    ),
))  # fmt: skip
