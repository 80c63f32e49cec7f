"""Registers the desk Fit."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.fit.panel import FitPanel

register(Desk("fit", "Fit", "ruler", 20, FitPanel))
