"""The form of an asset as a person fills it in: what other goods of the shipment say is offered."""

from __future__ import annotations

from typing import Any

from customs.ledger.kit_facts import KitFacts, free_number
from customs.sheet.form import FieldRules, problem_of
from customs.sheet.known import written_number
from customs.sheet.model import Sheet
from customs.shipment.state import Asset, State


def remembered(state: State, asset: Asset, sheet: Sheet) -> tuple[dict[str, Any], str]:
    """(values for fields that are empty yet, the asset they are of): from goods of the same origin first, the last ones first."""
    others = [a for a in state.goods if a.id != asset.id and a.form]
    others.sort(key=lambda a: (a.origin == asset.origin, state.goods.index(a)), reverse=True)
    for other in others:
        values = {
            f.id: other.form[f.id]
            for f in sheet.form
            if not f.taken
            and f.id in other.form
            and f.id not in asset.form
            and not problem_of(f, other.form[f.id])
        }
        if values:
            return values, other.name
    return {}, ""


def proposed(state: State, asset: Asset, sheet: Sheet, facts: KitFacts, field: FieldRules) -> int | None:
    """The least number of a field that nobody has: not the kit, not other goods of the shipment. None where there is none, or a number
    that stands in front of it is not filled in.
    """
    others = {written_number(sheet, field, a.form) for a in state.goods if a.id != asset.id}
    taken = facts.taken.get(field.id, frozenset()) | {int(n) for n in others if n}
    return free_number(sheet, field, asset.form, taken)
