"""A donor is at hand where the sheet asks for one."""

from __future__ import annotations

from collections.abc import Iterator

from customs.ledger.row import Case, Requirement, Row, register, said


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    if not case.sheet.rig.donor:
        return
    donor = case.about.donor
    yield rule.row(
        "–",
        "a donor",
        said(donor.name, donor.name) if donor else "none",
        "cleared" if donor else "held",
        note=""
        if donor
        else "The destination animates its own skeleton: choose one of its assets as donor (Motion, or --donor FILE).",
    )


register(Requirement("donor-known", "Donor", "motion", _judge))
