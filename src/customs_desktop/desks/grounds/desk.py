"""Registers the desk Grounds."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.grounds.panel import GroundsPanel

register(Desk("grounds", "Grounds", "trees", 47, GroundsPanel, Desk.PAGES, 1))
