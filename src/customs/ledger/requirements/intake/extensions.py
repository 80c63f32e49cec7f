"""Extensions and properties we do not understand: kept in extras, and said."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register
from customs.scene.prune import prune
from customs.scene.strangers import going, strangers

NOTES = {
    "texture without a core image": "its texture is missing",
}
"""What is lost with an extension, by its name."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    strange = case.received.unknown
    if not strange:
        yield rule.row("0 unknown", "understood", "0 unknown", "cleared")
    known = strangers(case.received)
    goes = going(prune(case.delivering)) if known and "layers" in case.format.carries else ()
    for name in strange:
        has, note = "kept in extras", f"Not read yet: {NOTES[name]}" if name in NOTES else "Not understood"
        if name in goes:
            has, note = "kept as it is", f"{note}. It goes back where it stood, as it is."
        elif " of " in name:
            # What is said of a part that the scene has no place for.
            has, note = "left out", f"{note}. There is no place to keep it."
        elif name in known:
            has, note = (
                "left out",
                f"{note}. What it may point to has another number now, or the format has no place for it.",
            )
        else:
            note += ". It is kept as it is in extras, and is without effect at the destination."
        yield rule.row(name, "understood", has, "query", subject=name, subject_name=name, note=note)


register(Requirement("extensions", "Extensions", "intake", _judge))
