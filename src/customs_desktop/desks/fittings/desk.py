"""Registers the desk Fittings."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.fittings.panel import FittingsPanel

register(Desk("fittings", "Fittings", "puzzle", 45, FittingsPanel, Desk.PAGES, 1))
