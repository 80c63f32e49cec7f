"""Extensions and properties we do not understand: kept in extras, and said."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register

NOTES = {
    "texture without a core image": "its texture is missing",
}
"""What is lost with an extension, by its name."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    strange = case.received.unknown
    if not strange:
        yield rule.row("0 unknown", "understood", "0 unknown", "cleared")
    for name in strange:
        note = NOTES.get(name, "")
        note = f"Not read yet: {note}" if note else "Not understood"
        note += ". It is kept as it is in extras, and is without effect at the destination."
        yield rule.row(
            name, "understood", "kept in extras", "query", subject=name, subject_name=name, note=note
        )


register(Requirement("extensions", "Extensions", "intake", _judge))
