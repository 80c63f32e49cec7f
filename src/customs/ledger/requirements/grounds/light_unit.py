"""Lights whose numbers have no known unit."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.grounds import asked
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.words import many

KNOWN = frozenset({"glb", "gltf", "level"})
"""Formats whose lights are candela and lux (KHR_lights_punctual)."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not asked(case) or not case.arrived.lights or case.arrived.format in KNOWN:
        return
    title = case.arrived.format.upper() or "its format"
    if any(at.stop.step == "light-units" for at in case.passed):
        yield rule.row("no unit", "cd and lx", "cd and lx", "cleared")
        return
    yield rule.row(
        "no unit", "cd and lx", said("none", many(len(case.delivering.lights), "light") + " of no unit"), "query",
        note=f"{title} does not say in what unit a light is strong: 1 is taken for 100 cd unless you know better.",
        remedy=remedy("light-units", "Read as of no unit", unit="plain"),
    )  # fmt: skip


register(Requirement("light-unit", "Unit of lights", "grounds", _judge, step="light-units"))
