"""What requirements on levels have in common."""

from __future__ import annotations

from customs.grounds.things import is_level
from customs.ledger.row import Case


def asked(case: Case) -> bool:
    """True where the destination takes levels and this is one."""
    return case.sheet.grounds.form != "none" and is_level(case.arrived)
