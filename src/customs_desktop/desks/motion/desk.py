"""Registers the desk Motion."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.motion.panel import MotionPanel

register(Desk("motion", "Motion", "footprints", 40, MotionPanel, Desk.PAGES, 1))
