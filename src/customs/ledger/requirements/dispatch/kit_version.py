"""The kit is of the version the sheet was written for."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    asked, kit = case.sheet.kit.version, case.about.kit
    if asked is None or kit is None:
        return
    if problem := kit.problems.get("version", ""):
        yield rule.row("–", asked.expected, "not said", "held", note=f"Its version cannot be read: {problem}")
    elif not kit.version:
        note = f"{asked.file} says no version."
        yield rule.row("–", asked.expected, "not said", "held", note=note)
    elif kit.version != asked.expected:
        note = f"{asked.file} says {kit.version}: choose the kit's folder of version {asked.expected}, or change the sheet."
        yield rule.row(kit.version, asked.expected, kit.version, "held", note=note)
    else:
        yield rule.row(kit.version, asked.expected, kit.version, "cleared")


register(Requirement("kit-version", "Version of the kit", "dispatch", _judge))
