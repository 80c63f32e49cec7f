"""The name a package goes into the kit by is nobody else's there, nor one that is hard to tell from another."""

from __future__ import annotations

import posixpath
from collections.abc import Iterator

from customs.ledger.names import name_values
from customs.ledger.row import Case, Requirement, Row, register, remedy
from customs.words import look


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    kit, sheet, name = case.about.kit, case.sheet, case.delivering.name
    if kit is None or not sheet.kit.place or sheet.kit.replaces:
        return
    target = sheet.kit.target(name)
    twins = {look(n): n for n in kit.names}
    folded = {n.casefold(): n for n in kit.names}
    other = folded.get(target.casefold()) or twins.get(look(target))
    if other is None:
        yield rule.row(f"{len(kit.names)} names", "free", name, "cleared")
        return
    number = 2
    while look(sheet.kit.target(f"{name}_{number}")) in twins:
        number += 1
    fix = remedy(
        "rename", f"Call it {name}_{number}", False, **(name_values(sheet) | {"asset": f"{{name}}_{number}"})
    )
    taken = other.casefold() == target.casefold()
    same = (
        "is there already" if other == target else f"looks like {posixpath.basename(other)}, which is there"
    )
    yield rule.row(
        f"{len(kit.names)} names",
        "free",
        f"{name}, {'taken' if taken else 'looks taken'}",
        "held" if taken else "query",
        note=f"In the kit {target} {same}.",
        remedy=fix,
    )


register(Requirement("kit-name", "Name in the kit", "dispatch", _judge, step="rename"))
