"""The version the source says it was made for is the one the destination expects."""

from __future__ import annotations

import fnmatch
from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.patterns import search


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    stamp = case.sheet.stamp
    if not stamp.pattern:
        return
    said, name = "", ""
    for name, text in case.about.stamps.items():
        if any(fnmatch.fnmatch(name.lower(), n.lower()) for n in stamp.files) and (
            said := search(stamp.pattern, text)
        ):
            break
    if said == stamp.expected:
        yield rule.row(said, stamp.expected, said, "cleared")
    elif not said:
        note = f"None of {', '.join(stamp.files)} beside the source, or above it, says a version."
        yield rule.row("not said", stamp.expected, "not said", "query", note=note)
    else:
        known = stamp.differs.get(said, "What differs is not known.")
        yield rule.row(said, stamp.expected, said, "query", note=f"{name} says {said}. {known}")


register(Requirement("version-stamp", "Version of the source", "intake", _judge))
