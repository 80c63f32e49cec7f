"""The form of an asset as a person fills it in: what other goods of the shipment say is offered."""

from __future__ import annotations

from typing import Any

from customs.sheet.form import problem_of
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
            if f.id in other.form and f.id not in asset.form and not problem_of(f, other.form[f.id])
        }
        if values:
            return values, other.name
    return {}, ""
