"""Recipes made of shipments."""

from __future__ import annotations

from pathlib import Path

from customs.command.printing import MARKS, say
from customs.errors import CustomsError, UsageError
from customs.shipment.file import Shipment
from customs.words import many
from customs.work.recipes import recipe_of


def write(shipment: Path, out: Path, replace: bool) -> int:
    """A recipe of the goods of a shipment; 1 where something could not go along. Raises UsageError."""
    if not shipment.is_file():
        raise UsageError(f"{shipment}: there is no such shipment")
    if out.exists() and not replace:
        raise UsageError(f"{out}: there is a file already; --replace writes over it")
    try:
        opened = Shipment(shipment)
        try:
            state, store = opened.state, opened.store
        finally:
            opened.close()
        recipe, left = recipe_of(state.goods, state.sheet, shipment.stem, store)
    except CustomsError as problem:
        raise UsageError(str(problem)) from None
    try:
        out.write_text(recipe.text(), "utf-8")
    except OSError as problem:
        raise UsageError(f"{out}: cannot be written ({problem.strerror})") from None
    stops, own = len(recipe.stops), len(recipe.differences)
    say(f"{MARKS['cleared']} {out}: {many(stops, 'stop')} for all, {many(own, 'difference')}")
    for line in left:
        say(f"  {MARKS['query']} {line}")
    return 1 if left else 0
