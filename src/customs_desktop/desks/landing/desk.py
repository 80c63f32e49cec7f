"""Registers the desk Landing."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.landing.panel import LandingPanel

register(Desk("landing", "Landing", "plane-landing", 60, LandingPanel, first=1))
