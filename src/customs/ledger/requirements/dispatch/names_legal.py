"""Names hold only what the destination can read."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from customs.changes.donor import donor_nodes
from customs.changes.naming import Naming
from customs.files import why_no_part
from customs.ledger.names import KINDS, file_kinds, name_fix, named
from customs.ledger.row import Case, Place, Requirement, Row, register, said
from customs.sheet.model import Names


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    n = case.sheet.names
    kept_back = frozenset(r.lower() for r in n.reserved)
    plain = Naming(n.allowed, n.lower, n.max_length, n.unique, reserved=kept_back)
    rules = {kind: replace(plain, files=kind in file_kinds(case.sheet)) for kind, _ in KINDS}
    firm = {n.key for n in donor_nodes(case.delivering)}
    bad = [
        (kind, item)
        for kind, item in named(case.delivering, "once")
        if item.key not in firm
        and (not rules[kind].fits(item.name) or (n.lower and item.name != item.name.lower()))
    ]
    before = sum(not rules[kind].fits(item.name) for kind, item in named(case.arrived, "once"))
    # One for all: there may be thousands.
    fix = name_fix(case.sheet) if bad else None
    for kind, item in bad:
        yield rule.row(
            item.name,
            "legal name",
            said(item.name, item.name),
            "held",
            subject=str(item.key),
            subject_name=item.name,
            note=_why(item.name, n),
            remedy=fix,
            place=Place(item.key, kind),
        )
    if why := why_no_part(case.delivering.name):
        note = f"The package is a folder of this name, which {why}."
        name = case.delivering.name
        yield rule.row(
            name,
            "legal name",
            name,
            "held",
            subject="asset",
            subject_name=name,
            note=note,
            remedy=name_fix(case.sheet),
        )
    elif not bad:
        yield rule.row(f"{before} illegal", "legal names", "0 illegal", "cleared")


def _why(name: str, rules: Names) -> str:
    if name.lower() in (r.lower() for r in rules.reserved):
        return f"The destination keeps the name {name} for itself."
    return f"Names there match {rules.allowed} and have at most {rules.max_length} characters."


register(Requirement("names-legal", "Names", "dispatch", _judge, step="rename"))
