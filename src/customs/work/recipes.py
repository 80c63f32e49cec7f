"""Recipes from goods of a shipment, and what a recipe asks of each of many files."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from glob import escape
from pathlib import Path
from typing import Any

from customs.changes.donor import Donor
from customs.conventions.origin import Origin
from customs.errors import CustomsError, UsageError
from customs.intake.scan import Model
from customs.parts import part_file, put
from customs.planning.plan import fresh_route
from customs.recipes.recipe import UNSAID, Beside, Decided, Difference, Recipe, Rights, read_recipe
from customs.route.route import Stop
from customs.scene.selection import names_in
from customs.shipment.state import Asset
from customs.words import many
from customs.work.asset import Request
from customs.work.batch import package_folders
from customs.work.donors import FOLDER as DONORS
from customs.work.donors import read_donor
from customs.work.judged import own_stops
from customs.work.lookup import find_origin, find_sheet

KEY = re.compile(r"[0-9a-f]{12}:[a-z]+:\d+")


def recipe_of(
    goods: Sequence[Asset], sheet: str, name: str, store: Path | None = None
) -> tuple[Recipe, tuple[str, ...]]:
    """(what persons decided about goods, for goods like them; what could not go along, in words). What all of them have is the recipe's own, the
    rest are differences by the names of their files; donors are those kept in `store`. Raises CustomsError.
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
        if asset.waivers:
            left.append(
                f"{asset.name}: {many(len(asset.waivers), 'waiver')}, given for what was measured on it"
            )
    common = [s for s in each[0] if all(s in mine for mine in each)]
    beside = [_beside(a, store) for a in goods]
    shared = _shared(beside)
    recipe = Recipe(name=name, sheet=sheet, origin=origin, stops=tuple(common), **shared.model_dump())
    found = []
    for asset, mine, own in zip(goods, each, beside):
        stops, rest = _difference(recipe, _stem(asset), mine), _besides(own, shared)
        if stops is not None or rest != Beside():
            base = stops or Difference(names=(escape(_stem(asset).lower()),))
            found.append(base.model_copy(update=dict(rest)))
    return recipe.model_copy(update={"differences": tuple(found)}), tuple(left)


def _beside(asset: Asset, store: Path | None) -> Beside:
    """What goes with an asset besides its stops."""
    use = asset.use if asset.use in ("deliver", "private", "study") else ""
    donor = str(store / DONORS / f"{asset.donor}.glb") if asset.donor and store is not None else ""
    form = {k: str(v) for k, v in asset.form.items() if v is not None}
    rights = Rights(author=asset.author, licence=asset.licence, use=use)
    return Beside(form=form, rights=rights, donor=donor, given=dict(asset.given))


def _shared(each: Sequence[Beside]) -> Beside:
    """What is the same of all."""
    first = each[0]
    form = {k: v for k, v in first.form.items() if all(b.form.get(k) == v for b in each)}
    given = {k: v for k, v in first.given.items() if all(b.given.get(k) == v for b in each)}
    rights = first.rights if all(b.rights == first.rights for b in each) else UNSAID
    donor = first.donor if all(b.donor == first.donor for b in each) else ""
    return Beside(form=form, rights=rights, donor=donor, given=given)


def _besides(own: Beside, shared: Beside) -> Beside:
    """What one has that not all have."""
    return Beside(
        form={k: v for k, v in own.form.items() if k not in shared.form},
        rights=own.rights if own.rights != shared.rights else UNSAID,
        donor=own.donor if own.donor != shared.donor else "",
        given={k: v for k, v in own.given.items() if k not in shared.given},
    )


def decision(stems: Sequence[str], stop: Decided) -> Difference:
    """One more decision: for files of these names, or for all the recipe's goods where there are none."""
    return Difference(names=tuple(escape(s.lower()) for s in dict.fromkeys(stems)) or ("*",), stops=(stop,))


def add_decision(path: Path, more: Difference) -> Recipe:
    """The recipe in a file with one more decision at its end; all that stands there stays as it is. Raises SheetError, OSError."""
    read_recipe(path)
    text = path.read_text("utf-8")
    added = text.rstrip("\n") + "\n" + "\n".join(more.lines()) + "\n"
    with part_file(path) as part:
        part.write_text(added, "utf-8")
        recipe = read_recipe(part)
        put(part, path)
    return recipe


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
    return bound_values(dict(stop.values))


def bound_values(values: Mapping[str, Any]) -> str:
    """The same of a stop's values."""
    if any(True for _ in names_in(tuple(values.values()))):
        return "what was chosen by hand stays with it"
    return "it names parts of that file" if KEY.search(repr(values)) else ""


def _stem(asset: Asset) -> str:
    return Path(asset.source).stem


def requests_of(
    recipe: Recipe,
    entries: Sequence[Model],
    out: Path,
    kit: Path | None = None,
    replace_existing: bool = False,
    base: Path | None = None,
) -> list[Request]:
    """What the recipe asks of each file: those whose names it does not look at are left out; `base` is the recipe's own folder. Raises
    UsageError where it fits none, and for a sheet, an origin or a donor that is not there.
    """
    try:
        sheet, origin = find_sheet(recipe.sheet), find_origin(recipe.origin)
    except CustomsError as problem:
        raise UsageError(f"{recipe.name}: {problem}") from None
    mine = [e for e in entries if recipe.goods.named(e.path.stem)]
    if not mine:
        raise UsageError(f"{recipe.name} looks at {', '.join(recipe.goods.names)}: no such file is there")
    made, base, donors = [], base or Path(), dict[str, Donor]()
    for entry, folder in zip(mine, package_folders(mine)):
        stops, beside = recipe.own(entry.path.stem)
        given = {k: str(base / v) for k, v in beside.given.items()}
        made.append(
            Request(
                entry.path, entry.root, sheet, origin, out=out, replace_existing=replace_existing, kit=kit, folder=folder,
                form=tuple(beside.form.items()), stops=stops, goods=recipe.goods, given=given, rights=beside.rights,
                donor=_donor(beside.donor, base, donors, origin, recipe),
            )
        )  # fmt: skip
    return made


def _donor(
    name: str, base: Path, known: dict[str, Donor], origin: Origin | None, recipe: Recipe
) -> Donor | None:
    """The donor in a file, read once. Raises UsageError."""
    if name and name not in known:
        path = base / name
        try:
            # A shipment's own copy is in the working frame.
            known[name] = read_donor(path, None if path.parent.name == DONORS else origin)
        except CustomsError as problem:
            raise UsageError(f"{recipe.name}: donor {problem}") from None
    return known.get(name)
