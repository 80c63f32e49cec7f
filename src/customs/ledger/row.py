"""Rows, verdicts, remedies and the case they are judged on."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from customs.changes.donor import Donor
from customs.errors import StepError
from customs.formats.registry import Format, get_format
from customs.ledger.facts import SceneFacts, scene_facts
from customs.ledger.kit_facts import KitFacts
from customs.registry import Registry
from customs.route.route import At
from customs.route.step import Content, get_step, make_settings
from customs.scene.key import Key
from customs.scene.model import Scene
from customs.scene.notes import Note
from customs.scene.settings import Settings
from customs.sheet.model import Sheet

Verdict = Literal["cleared", "query", "held"]
Values = Mapping[str, Any]
RANK: Mapping[str, int] = {"cleared": 0, "query": 1, "held": 2}


@dataclass(frozen=True)
class Place:
    """Where in the asset: an element, and ranges (start, stop) of its faces or vertices."""

    key: Key
    kind: Literal["node", "mesh", "primitive", "material", "image", "skin", "clip"]
    ranges: tuple[tuple[int, int], ...] = ()


class Said(str):
    """What was measured as a person reads it, with its value."""

    value: Any

    def __new__(cls, value: Any, text: str) -> Said:
        """`text`, which says `value`."""
        out = super().__new__(cls, text)
        out.value = value
        return out


def said(value: Any, text: str) -> Said:
    """`text` for a person, `value` (a number, a name, or a tuple of them) for waivers and comparisons."""
    return Said(value.item() if isinstance(value, np.generic) else value, text)


def value_of(shown: object) -> Any:
    """The value in what a row shows; None for words that only name a state."""
    if isinstance(shown, Said):
        return shown.value
    return shown if isinstance(shown, int | float) else None


@dataclass(frozen=True)
class Remedy:
    """The step that would clear a row, ready with its settings. `sure` ones a plan takes alone."""

    step: str
    settings: Settings
    label: str
    sure: bool = True

    @property
    def values(self) -> Values:
        """What the settings say."""
        return self.settings.said()


def remedy(step: str, label: str, sure: bool = True, **values: Any) -> Remedy | None:
    """A Remedy with `values` as settings; None where they lie beyond what the step takes. Raises StepError
    for a field it does not have.
    """
    try:
        return Remedy(step, make_settings(get_step(step), values), label, sure)
    except StepError:
        if set(values) <= set(get_step(step).settings.model_fields):
            return None
        raise


@dataclass(frozen=True)
class Row:
    """One subject judged by one requirement.

    `values` are what was measured, as data: numbers, names, states; a waiver is good for them. `badness` is
    how far the row is from cleared by a measure of its own, less being better, where there is one.
    `received`, `required`, `delivering` and `note` are what a person reads.
    """

    requirement: str
    title: str
    desk: str
    received: str
    required: str
    delivering: str
    verdict: Verdict
    subject: str = ""
    subject_name: str = ""
    note: str = ""
    remedy: Remedy | None = None
    place: Place | None = None
    done_at: str = ""
    waived: str = ""
    values: Values = field(default_factory=dict)
    badness: float | None = None

    @property
    def id(self) -> str:
        """Requirement and subject."""
        return f"{self.requirement}/{self.subject}"

    @property
    def wording(self) -> str:
        """What waivers of the first edition remember: the words of a row. They are read once and keep
        `values` from then on.
        """
        return f"{self.required} | {self.delivering}"

    def as_dict(self) -> dict[str, Any]:
        """For `--json` and the docket."""
        names = ("requirement", "title", "desk", "subject", "subject_name", "received", "required", "delivering",
                 "verdict", "note", "waived")  # fmt: skip
        return {n: getattr(self, n) for n in names} | {"remedy": self.remedy.label if self.remedy else None}


@dataclass(frozen=True)
class About:
    """What is known of an asset besides its scene: rights, absent files, a source that changed, the
    destination's donor, the vertices a person chose, texts that say what version it was made for, the fields of its form, what the destination's
    own folder says, the path it came from.
    """

    author: str = ""
    licence: str = ""
    use: Literal["deliver", "private", "study", ""] = ""
    source_changed: str = ""
    absent: tuple[str, ...] = ()
    donor: Donor | None = None
    selections: Content = field(default_factory=dict, compare=False)
    stamps: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[Note, ...] = field(default=(), compare=False)
    form: Mapping[str, Any] = field(default_factory=dict)
    kit: KitFacts | None = None
    source: str = ""

    @property
    def resources(self) -> Content:
        """What steps may ask for by digest."""
        return (
            {**self.selections, self.donor.digest: self.donor.data}
            if self.donor is not None
            else self.selections
        )


@dataclass(frozen=True, eq=False)
class Case:
    """Everything a requirement may look at. `received` has raw numbers, `arrived` and `delivering` are in
    metres.

    `passed` are the stops up to `delivering`, with what they remarked.
    """

    received: Scene
    arrived: Scene
    delivering: Scene
    sheet: Sheet
    about: About = field(default_factory=About)
    passed: Sequence[At] = ()

    @property
    def before(self) -> SceneFacts:
        """Facts of the asset as it arrived."""
        return scene_facts(self.arrived)

    @property
    def after(self) -> SceneFacts:
        """Facts of the asset as it is delivered."""
        return scene_facts(self.delivering)

    @property
    def format(self) -> Format:
        """The model format the sheet asks for."""
        return get_format(self.sheet.model.format)


@dataclass(frozen=True)
class Requirement:
    """One rule: `judge` gives a row per subject, or none when the sheet does not ask."""

    id: str
    title: str
    desk: str
    judge: Callable[[Requirement, Case], Iterable[Row]]
    step: str = ""

    @property
    def about(self) -> str:
        """What it asks, in a sentence: what the module that judges it says of itself."""
        return " ".join((sys.modules[self.judge.__module__].__doc__ or "").split())

    def row(
        self, received: object, required: object, delivering: object, verdict: Verdict, **more: Any
    ) -> Row:
        """A row of this requirement. Its values are those of `required` and `delivering`, and `values` where
        more are given.
        """
        found = {"required": value_of(required), "delivering": value_of(delivering)}
        values = {k: v for k, v in found.items() if v is not None} | dict(more.pop("values", {}))
        return Row(
            self.id,
            self.title,
            self.desk,
            str(received),
            str(required),
            str(delivering),
            verdict,
            values=values,
            **more,
        )


DESK_ORDER = ("intake", "fit", "surface", "motion", "fittings", "grounds", "dispatch")
REQUIREMENTS = Registry[Requirement](
    "the requirements", "customs.ledger.requirements", lambda r: (DESK_ORDER.index(r.desk), r.id), deep=True
)
register = REQUIREMENTS.add


def requirements() -> dict[str, Requirement]:
    """All requirements by id, in the order of the desks."""
    return REQUIREMENTS.all()
