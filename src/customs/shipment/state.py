"""Immutable shipment states, as plain JSON."""

from __future__ import annotations

import itertools
import operator
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from customs.ledger.waiver import Waiver
from customs.route.route import Route, Stop
from customs.scene.floor_plan import NO_PLAN, FloorPlan
from customs.scene.notes import Note
from customs.scene.renumber import Numbering, Renumbering


@dataclass(frozen=True)
class Asset:
    """One asset: where it came from, what is kept of it, its route and what a person decided.

    `model` is the path of the model file inside the store; `source` the person's own file. `extra` holds keys
    a newer program wrote, which are kept. `donor` is the digest of the donor whose skeleton or clips it may
    take over. `prefix` is that of its Keys, fixed when it was first taken ("": the model file's own);
    `numbering` of one that was taken again after a change. `given` are files a person chose for names the model
    says and that are not beside it; `stamps` are texts that lay near it and say what it was made for;
    `paired` are files whose clips go along; `archives` are those its files
    lie in, and what each was known by; `notes` are what a person measured; `form` the fields a person filled in; `plan` is what was
    decided about its floor plan.
    """

    id: str
    name: str
    model: str
    source: str
    digest: str
    files: tuple[str, ...] = ()
    kind: str = ""
    origin: str = ""
    stops: tuple[Stop, ...] = ()
    waivers: Mapping[str, Waiver] = field(default_factory=dict)
    author: str = ""
    licence: str = ""
    use: str = ""
    absent: tuple[str, ...] = ()
    donor: str = ""
    donor_name: str = ""
    prefix: str = ""
    numbering: Numbering = field(default_factory=dict)
    given: Mapping[str, str] = field(default_factory=dict)
    stamps: Mapping[str, str] = field(default_factory=dict)
    paired: tuple[str, ...] = ()
    archives: Mapping[str, str] = field(default_factory=dict)
    notes: tuple[Note, ...] = ()
    form: Mapping[str, Any] = field(default_factory=dict)
    plan: FloorPlan = NO_PLAN
    extra: Mapping[str, Any] = field(default_factory=dict)

    @property
    def route(self) -> Route:
        """Its route."""
        return Route(self.stops)

    def as_dict(self) -> dict[str, Any]:
        """For the file."""
        return {
            **self.extra,
            "id": self.id,
            "name": self.name,
            "model": self.model,
            "source": self.source,
            "digest": self.digest,
            "files": list(self.files),
            "kind": self.kind,
            "origin": self.origin,
            "stops": [s.as_dict() for s in self.stops],
            "waivers": {k: w.as_dict() for k, w in self.waivers.items()},
            "author": self.author,
            "licence": self.licence,
            "use": self.use,
            "absent": list(self.absent),
            "donor": self.donor,
            "donor_name": self.donor_name,
            "prefix": self.prefix,
            "numbering": {k: n.as_list() for k, n in self.numbering.items()},
            **({"given": dict(self.given)} if self.given else {}),
            **({"stamps": dict(self.stamps)} if self.stamps else {}),
            **({"paired": list(self.paired)} if self.paired else {}),
            **({"archives": dict(self.archives)} if self.archives else {}),
            **({"notes": [n.as_dict() for n in self.notes]} if self.notes else {}),
            **({"form": dict(self.form)} if self.form else {}),
            **(
                {}
                if self.plan.said_nothing
                else {"plan": self.plan.model_dump(mode="json", exclude_defaults=True)}
            ),
        }

    @classmethod
    def from_dict(cls, table: Mapping[str, Any]) -> Asset:
        """From the file."""
        plain = (
            "id",
            "name",
            "model",
            "source",
            "digest",
            "kind",
            "origin",
            "author",
            "licence",
            "use",
            "donor",
            "donor_name",
            "prefix",
        )
        known = {
            *plain,
            "files",
            "stops",
            "waivers",
            "absent",
            "numbering",
            "given",
            "stamps",
            "paired",
            "archives",
            "notes",
            "form",
            "plan",
        }
        return cls(
            **{k: str(table.get(k, "")) for k in plain},
            files=tuple(table.get("files", ())),
            stops=tuple(Stop.from_dict(s) for s in table.get("stops", ())),
            waivers={k: Waiver.from_dict(w) for k, w in table.get("waivers", {}).items()},
            absent=tuple(table.get("absent", ())),
            numbering={k: Renumbering.from_list(n) for k, n in table.get("numbering", {}).items()},
            given={str(k): str(v) for k, v in table.get("given", {}).items()},
            stamps={str(k): str(v) for k, v in table.get("stamps", {}).items()},
            paired=tuple(map(str, table.get("paired", ()))),
            notes=tuple(Note.from_dict(n) for n in table.get("notes", ())),
            form=dict(table.get("form", {})),
            plan=FloorPlan.model_validate(table.get("plan", {})),
            archives={str(k): str(v) for k, v in table.get("archives", {}).items()},
            extra={k: v for k, v in table.items() if k not in known},
        )


@dataclass(frozen=True)
class State:
    """A whole shipment at one moment. `origins` are those kept with it; `sheet_text` pins a sheet of a
    person's own, `kits` are the destinations' own folders by sheet.
    """

    sheet: str = "metre-yup-pbr"
    sheet_digest: str = ""
    goods: tuple[Asset, ...] = ()
    origins: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    last_origin: str = ""
    out: str = ""
    kits: Mapping[str, str] = field(default_factory=dict)
    extra: Mapping[str, Any] = field(default_factory=dict)

    def asset(self, id_: str) -> Asset | None:
        """The asset with that id."""
        return next((a for a in self.goods if a.id == id_), None)

    def with_asset(self, asset: Asset) -> State:
        """With one asset replaced, or added at the end."""
        if self.asset(asset.id) is None:
            return replace(self, goods=(*self.goods, asset))
        return replace(self, goods=tuple(asset if a.id == asset.id else a for a in self.goods))

    def without(self, *ids: str) -> State:
        """With some assets gone."""
        gone = set(ids)
        return replace(self, goods=tuple(a for a in self.goods if a.id not in gone))

    def free_id(self, stem: str) -> str:
        """An asset id nobody has."""
        taken, number, out = {a.id for a in self.goods}, 1, stem
        while out in taken:
            number += 1
            out = f"{stem}_{number}"
        return out

    def as_dict(self, goods: list[str] | None = None) -> dict[str, Any]:
        """For the file; `goods` are what stands there for the assets, else they are told whole."""
        return {
            **self.extra,
            "sheet": self.sheet,
            "sheet_digest": self.sheet_digest,
            "goods": goods if goods is not None else [a.as_dict() for a in self.goods],
            "origins": {k: dict(v) for k, v in self.origins.items()},
            "last_origin": self.last_origin,
            "out": self.out,
            "kits": dict(self.kits),
        }

    @classmethod
    def from_dict(cls, table: Mapping[str, Any], unpacked: Callable[[Any], Asset] = Asset.from_dict) -> State:
        """From the file; `unpacked` makes an asset of what stands there for it."""
        known = {"sheet", "sheet_digest", "goods", "origins", "last_origin", "out", "kits"}
        return cls(
            sheet=table.get("sheet", "metre-yup-pbr"),
            sheet_digest=table.get("sheet_digest", ""),
            goods=tuple(unpacked(a) for a in table.get("goods", ())),
            origins=table.get("origins", {}),
            last_origin=table.get("last_origin", ""),
            out=table.get("out", ""),
            kits=dict(table.get("kits", {})),
            extra={k: v for k, v in table.items() if k not in known},
        )


def changed_places(now: Sequence[Asset], before: Sequence[Asset]) -> list[int]:
    """Where goods hold another asset than before, and where there were none: a decision asks that of all of
    them, and nearly all are the very same.
    """
    other = list(itertools.compress(itertools.count(), map(operator.is_not, now, before)))
    return [*other, *range(len(before), len(now))]
