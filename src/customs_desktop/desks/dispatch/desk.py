"""Registers the desk Dispatch."""

from __future__ import annotations

from customs_desktop.desk import Desk, register
from customs_desktop.desks.dispatch.panel import DispatchPanel

register(Desk("dispatch", "Dispatch", "stamp", 50, lambda office, twin: DispatchPanel(office), first=1))
