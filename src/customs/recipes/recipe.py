"""A recipe: which goods it is for, where they come from, what a person decided about them, and what single ones keep of their own."""

from __future__ import annotations

import fnmatch
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Literal, NamedTuple

from pydantic import Field, ValidationError, model_validator

from customs.conventions.origin import explain, read_toml
from customs.errors import SheetError, StepError
from customs.route.route import Route, Stop
from customs.route.step import get_step, make_settings
from customs.sheet.part import Part
from customs.sheet.schema import bare, to_toml

VERSION = 1
Range = tuple[int, int]


COUNTED = ("meshes", "materials", "joints", "clips", "triangles")


class Goods(Part):
    """What a recipe looks at: names of files (patterns with * and ?), formats, kinds (rigged, prop, level), and how many meshes, materials,
    joints, clips and triangles there are, each from … to. What is not said holds for all.
    """

    names: tuple[str, ...] = ()
    formats: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    meshes: Range | None = None
    materials: Range | None = None
    joints: Range | None = None
    clips: Range | None = None
    triangles: Range | None = None

    @model_validator(mode="after")
    def _ranges(self) -> Goods:
        for name in COUNTED:
            said = getattr(self, name)
            if said is not None and not 0 <= said[0] <= said[1]:
                raise ValueError(f"{name}: from … to, as [1, 40]")
        return self

    def named(self, stem: str) -> bool:
        """True where the name of a file, without its ending, is one of those looked at."""
        return not self.names or any(fnmatch.fnmatchcase(stem.lower(), n.lower()) for n in self.names)

    def why_not(self, stem: str, look: Mapping[str, Any]) -> str:
        """Why an asset is none of these, "" where it is one; `look` are its format, kind and counts by name."""
        if not self.named(stem):
            return f"its name is none of {', '.join(self.names)}"
        for name, said in (("format", self.formats), ("kind", self.kinds)):
            if said and look[name] not in said:
                return f"its {name} is {look[name]}, none of {', '.join(said)}"
        for name in COUNTED:
            said = getattr(self, name)
            if said is not None and not said[0] <= int(look[name]) <= said[1]:
                return f"{look[name]:,} {name}, {said[0]:,} to {said[1]:,} are looked for"
        return ""


EVERY = Goods()


class Decided(Part):
    """A stop: its step, its settings, whether it is on."""

    step: str
    on: bool = True
    settings: dict[str, Any] = Field(default_factory=dict)

    @model_validator(mode="after")
    def _known(self) -> Decided:
        try:
            make_settings(get_step(self.step), self.settings)
        except StepError as problem:
            where = f" {problem.where}" if problem.where else ""
            raise ValueError(f"{self.step}{where}: {problem.found}; expected {problem.expected}") from None
        return self

    @classmethod
    def of(cls, stop: Stop) -> Decided:
        """From a stop of a route; what is the step's default is not said."""
        step = get_step(stop.step)
        usual, mine = step.settings().said(), stop.settings.said()
        said = {k: v for k, v in mine.items() if k not in usual or usual[k] != v}
        return cls(step=stop.step, on=stop.on, settings=plain_tables(said))


def plain_tables(value: Any) -> Any:
    """Tables and lists as TOML has them."""
    if isinstance(value, Mapping):
        return {str(k): plain_tables(v) for k, v in value.items()}
    return [plain_tables(v) for v in value] if isinstance(value, list | tuple) else value


class Rights(Part):
    """The rights slip, where it is not what the files themselves say; "" for that."""

    author: str = ""
    licence: str = ""
    use: Literal["", "deliver", "private", "study"] = ""


UNSAID = Rights()


class Beside(Part):
    """What goes with goods besides their stops: fields of the form, rights, the file of a donor, files for names that models say. Files are
    paths from the recipe's own folder.
    """

    form: dict[str, str] = Field(default_factory=dict)
    rights: Rights = UNSAID
    donor: str = ""
    given: dict[str, str] = Field(default_factory=dict)

    def tables(self) -> list[tuple[str, dict[str, str]]]:
        """Its tables that say something, by their names."""
        said = (
            ("form", self.form),
            ("rights", self.rights.model_dump(exclude_defaults=True)),
            ("given", self.given),
        )
        return [(name, dict(sorted(table.items()))) for name, table in said if table]


class Difference(Beside):
    """What goods of some names keep of their own: stops besides, or instead of those of the same step; steps they do without; what goes
    with them.
    """

    names: tuple[str, ...] = Field(min_length=1)
    stops: tuple[Decided, ...] = ()
    without: tuple[str, ...] = ()

    def lines(self) -> list[str]:
        """As TOML, to stand behind all else of a recipe."""
        out = ["", "[[differences]]", f"names = {to_toml(list(self.names))}"]
        out += [f"without = {to_toml(list(self.without))}"] if self.without else []
        out += [f"donor = {to_toml(self.donor)}"] if self.donor else []
        out += [f"{name} = {to_toml(table)}" for name, table in self.tables()]
        for stop in self.stops:
            out += _stop_lines("differences.stops", stop)
        return out


class Own(NamedTuple):
    """What a recipe says of one file."""

    stops: tuple[Decided, ...]
    beside: Beside


class Recipe(Beside):
    """All of it. `sheet` is an id or a file, `origin` an id or a file, "" for what the files say."""

    recipe: int = VERSION
    name: str = Field(min_length=1)
    sheet: str = Field(min_length=1)
    origin: str = ""
    about: str = ""
    goods: Goods = EVERY
    stops: tuple[Decided, ...] = ()
    differences: tuple[Difference, ...] = ()

    def own(self, stem: str) -> Own:
        """For a file of that name, without its ending. What it keeps of its own goes to its step's place among the recipe's stops; where it
        does without all of them it stays in the order it is listed in.
        """
        stops, beside = (
            self.stops,
            Beside(form=self.form, rights=self.rights, donor=self.donor, given=self.given),
        )
        for d in self.differences:
            if Goods(names=d.names).named(stem):
                mine = {s.step for s in d.stops} | set(d.without)
                stops = placed([s for s in stops if s.step not in mine], d.stops)
                beside = over(beside, d)
        return Own(stops, beside)

    def text(self) -> str:
        """As TOML a person can read and compare: what is not said is left out, in an order that stays."""
        head = {"recipe": self.recipe, "name": self.name, "sheet": self.sheet}
        head |= {k: v for k, v in (("origin", self.origin), ("about", self.about)) if v}
        out = [f"{k} = {to_toml(v)}" for k, v in head.items()]
        goods = self.goods.model_dump(exclude_defaults=True)
        out += [f"donor = {to_toml(self.donor)}"] if self.donor else []
        if goods:
            out += ["", "[goods]", *(f"{k} = {to_toml(v)}" for k, v in goods.items())]
        for name, table in self.tables():
            out += ["", f"[{name}]", *(f"{bare(k)} = {to_toml(v)}" for k, v in table.items())]
        for stop in self.stops:
            out += _stop_lines("stops", stop)
        for d in self.differences:
            out += d.lines()
        return "\n".join(out) + "\n"


def over(beside: Beside, more: Beside) -> Beside:
    """What goes with goods, with what others say of it over it."""
    rights = beside.rights.model_dump() | more.rights.model_dump(exclude_defaults=True)
    return Beside(
        form=beside.form | more.form,
        rights=Rights(**rights),
        donor=more.donor or beside.donor,
        given=beside.given | more.given,
    )


def placed(stops: Sequence[Decided], more: Sequence[Decided]) -> tuple[Decided, ...]:
    """Stops with `more`, each before the first of `stops` whose step comes later."""
    if not stops:
        return tuple(more)
    out = list(stops)
    for stop in more:
        order = get_step(stop.step).order
        at = next((k for k, s in enumerate(out) if get_step(s.step).order > order), len(out))
        out.insert(at, stop)
    return tuple(out)


def _stop_lines(table: str, stop: Decided) -> list[str]:
    out = ["", f"[[{table}]]", f"step = {to_toml(stop.step)}"]
    out += [] if stop.on else ["on = false"]
    out += [f"settings.{k} = {to_toml(v)}" for k, v in sorted(stop.settings.items())]
    return out


def route_with(base: Route, stops: Sequence[Decided]) -> Route:
    """A route that arrives, with stops as a person decided them, in their order."""
    out = list(base.stops)
    for stop in stops:
        if stop.step == "arrive":
            out[0] = out[0].with_values(**stop.settings)
            continue
        route = Route(tuple(out))
        made = Stop(route.new_id(stop.step), stop.step, on=stop.on, by="person").with_values(**stop.settings)
        out.append(made)
    return Route(tuple(out))


def parse_recipe(tables: dict[str, object], file: str | Path = "") -> Recipe:
    """A recipe from TOML tables. Raises SheetError, which says where."""
    version = tables.get("recipe", VERSION)
    if isinstance(version, int) and version > VERSION:
        raise SheetError(
            f"a recipe of version {version}",
            f"version {VERSION} at most",
            "Run it with a newer Customs.",
            file,
            "recipe",
        )
    try:
        return Recipe.model_validate(tables)
    except ValidationError as problem:
        raise explain(problem, file, Recipe) from None


def read_recipe(path: Path) -> Recipe:
    """A recipe from its file. Raises SheetError."""
    return parse_recipe(read_toml(path), path)
