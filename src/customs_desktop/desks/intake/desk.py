"""Registers the desk Intake."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.intake.panel import IntakePanel

register(
    Desk("intake", "Intake", "package-open", 10, lambda office, twin: IntakePanel(office), Desk.PAGES, 1)
)
