"""The rights slip: study-only goods never leave, a licence is known where the sheet asks for one; of what joined the
asset too.
"""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.joined import joined
from customs.ledger.row import Case, Requirement, Row, register

USES = {"deliver": "deliver", "private": "private use", "study": "study only", "": "not said"}


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    about, wanted = case.about, case.sheet.rights.licence_required
    has = about.licence or case.received.copyright or USES[about.use]
    studied = case.sheet.grounds.form == "study"
    needed = "licence known" if wanted else "may be studied" if studied else "may be delivered"
    if about.use == "study" and not studied:
        note = "These goods may be looked at, measured and drawn, and never dispatched."
        yield rule.row("study only", needed, "study only", "held", note=note)
    elif wanted and not (about.licence or case.received.copyright):
        yield rule.row(has, needed, has, "held", note="Fill in the rights slip on the desk Intake.")
    else:
        yield rule.row(has, needed, has, "cleared")
    for other in joined(case.passed):
        theirs, named = (
            other.licence or USES.get(other.use, other.use),
            {"subject": other.name, "subject_name": other.name},
        )
        if other.use == "study" and not studied:
            note = (
                "What is for study only may not go out as a part of something else. Take it out of the route."
            )
            yield rule.row("study only", needed, "study only", "held", note=note, **named)
        elif wanted and not other.licence:
            yield rule.row(
                theirs, needed, theirs, "held", note="Fill in its rights slip, and take it anew.", **named
            )
        else:
            yield rule.row(theirs, needed, theirs, "cleared", **named)


register(Requirement("rights", "Rights slip", "intake", _judge))
