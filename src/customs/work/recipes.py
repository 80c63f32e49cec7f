"""Recipes from goods of a shipment, and what a recipe asks of each of many files."""

from __future__ import annotations

import re
from collections.abc import Sequence
from glob import escape
from pathlib import Path

from customs.errors import CustomsError, UsageError
from customs.intake.scan import Model
from customs.planning.plan import fresh_route
from customs.recipes.recipe import Decided, Difference, Recipe
from customs.route.route import Stop
from customs.scene.selection import names_in
from customs.shipment.state import Asset
from customs.work.asset import Request
from customs.work.batch import package_folders
from customs.work.judged import own_stops
from customs.work.lookup import find_origin, find_sheet

KEY = re.compile(r"[0-9a-f]{12}:[a-z]+:\d+")


def recipe_of(goods: Sequence[Asset], sheet: str, name: str) -> tuple[Recipe, tuple[str, ...]]:
    """(what persons decided about goods, for goods like them; what could not go along, in words). What all of them have is the recipe's own, the
    rest are differences by the names of their files. Raises CustomsError.
    """
    if not goods:
        raise UsageError("no goods to make a recipe of")
    left, each = list[str](), list[list[Decided]]()
    origins = {a.origin for a in goods}
    origin = origins.pop() if len(origins) == 1 else ""
    usual = fresh_route(find_origin(origin)).stops
    for asset in goods:
        mine = list[Decided]()
        for stop in own_stops(asset.stops):
            if stop in usual:
                continue
            if why := bound(stop):
                left.append(f"{asset.name}: {stop.step}, {why}")
                continue
            mine.append(Decided.of(stop))
        each.append(mine)
    common = [s for s in each[0] if all(s in mine for mine in each)]
    recipe = Recipe(name=name, sheet=sheet, origin=origin, stops=tuple(common))
    found = [d for a, mine in zip(goods, each) if (d := _difference(recipe, _stem(a), mine)) is not None]
    return recipe.model_copy(update={"differences": tuple(found)}), tuple(left)


def _difference(recipe: Recipe, stem: str, mine: Sequence[Decided]) -> Difference | None:
    """What an asset whose stops are `mine` keeps besides the recipe's; all of them where several of a step, or another order, leave no other
    way to say it.
    """
    if list(recipe.stops) == list(mine):
        return None
    names = (escape(stem.lower()),)
    rest = Difference(names=names, stops=tuple(s for s in mine if s not in recipe.stops))
    if recipe.model_copy(update={"differences": (rest,)}).own(stem)[0] == tuple(mine):
        return rest
    return Difference(
        names=names, stops=tuple(mine), without=tuple(dict.fromkeys(s.step for s in recipe.stops))
    )


def bound(stop: Stop) -> str:
    """Why a stop belongs to one asset alone, "" where it does not: it names its parts, or what was chosen on it by hand."""
    if any(True for _ in names_in(tuple(v for _, v in stop.values))):
        return "what was chosen by hand stays with it"
    return "it names parts of that file" if KEY.search(repr(stop.values)) else ""


def _stem(asset: Asset) -> str:
    return Path(asset.source).stem


def requests_of(
    recipe: Recipe,
    entries: Sequence[Model],
    out: Path,
    kit: Path | None = None,
    replace_existing: bool = False,
) -> list[Request]:
    """What the recipe asks of each file: those whose names it does not look at are left out. Raises UsageError where it fits none, and
    for a sheet or an origin that is not there.
    """
    try:
        sheet, origin = find_sheet(recipe.sheet), find_origin(recipe.origin)
    except CustomsError as problem:
        raise UsageError(f"{recipe.name}: {problem}") from None
    mine = [e for e in entries if recipe.goods.named(e.path.stem)]
    if not mine:
        raise UsageError(f"{recipe.name} looks at {', '.join(recipe.goods.names)}: no such file is there")
    made = []
    for entry, folder in zip(mine, package_folders(mine)):
        stops, form = recipe.own(entry.path.stem)
        made.append(
            Request(
                entry.path, entry.root, sheet, origin, out=out, replace_existing=replace_existing, kit=kit, folder=folder,
                form=tuple(form.items()), stops=stops, goods=recipe.goods,
            )
        )  # fmt: skip
    return made
