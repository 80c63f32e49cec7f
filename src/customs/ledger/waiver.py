"""Waivers: a person's reasoned acceptance of a query, good for the values that were measured."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from customs.ledger.row import Row
from customs.route.keys import in_new_names, old_names, speaks_old
from customs.scene.model import Scene

ALIKE = 1e-6
"""Share by which a measured number may differ and still be the same: another machine adds up in another
order.
"""


@dataclass(frozen=True)
class Waiver:
    """Why, and the values it is good for, as plain JSON. `wording` is what the first edition kept instead:
    the words of a row.
    """

    reason: str
    values: Mapping[str, Any] | None
    wording: str = ""

    def covers(self, row: Row) -> bool:
        """True while the row says what it said when it was waived."""
        if self.values is None:
            return self.wording == row.wording
        return alike(dict(self.values), plain(row.values))

    def as_dict(self) -> dict[str, Any]:
        """For the shipment."""
        if self.values is None:
            return {"reason": self.reason, "measured": self.wording}
        return {"reason": self.reason, "values": dict(self.values)}

    @classmethod
    def from_dict(cls, table: Mapping[str, Any]) -> Waiver:
        """From the shipment, of this edition or the first."""
        return cls(str(table["reason"]), table.get("values"), str(table.get("measured", "")))


def waiver(row: Row, reason: str) -> Waiver:
    """A waiver of a row as it stands."""
    return Waiver(reason, plain(row.values))


def spoken(waivers: Mapping[str, Waiver], scene: Scene) -> Mapping[str, Waiver]:
    """Waivers whose subjects and values have the Keys of today; the same object when they have already.
    `scene` is what is judged.
    """
    if not any(speaks_old(k) or speaks_old(w.values) for k, w in waivers.items()):
        return waivers
    names, out = old_names(scene), dict[str, Waiver]()
    for id_, w in waivers.items():
        requirement, _, subject = id_.partition("/")
        out[f"{requirement}/{names.get(subject, subject)}"] = replace(w, values=in_new_names(w.values, names))
    return out


def brought_up(waivers: Mapping[str, Waiver], rows: Iterable[Row]) -> Mapping[str, Waiver]:
    """Waivers that remember words and cover a row remember its values from now on; the same object when there
    are none.
    """
    old = {k for k, w in waivers.items() if w.values is None}
    found = {r.id: waiver(r, waivers[r.id].reason) for r in rows if r.id in old and r.waived} if old else {}
    return {**waivers, **found} if found else waivers


def plain(values: Mapping[str, Any]) -> dict[str, Any]:
    """Values as JSON gives them back."""
    out: dict[str, Any] = json.loads(json.dumps(dict(values), default=str))
    return out


def alike(a: Any, b: Any) -> bool:
    """True for the same JSON values, numbers within ALIKE."""
    if isinstance(a, bool) or isinstance(b, bool):
        return a is b
    if isinstance(a, int | float) and isinstance(b, int | float):
        return math.isclose(a, b, rel_tol=ALIKE, abs_tol=ALIKE)
    if isinstance(a, dict) and isinstance(b, dict):
        return a.keys() == b.keys() and all(alike(v, b[k]) for k, v in a.items())
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(alike(x, y) for x, y in zip(a, b))
    return bool(a == b)
