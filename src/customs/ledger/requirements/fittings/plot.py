"""The plot: every cell under the asset given to an area, none beside it, left and right alike where the sheet asks."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.plot import Footprint, Plotted, footprint_of, plotted, proposed
from customs.ledger.row import Case, Remedy, Requirement, Row, Verdict, register, remedy
from customs.sheet.fittings import PlotRules
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules, wish = case.sheet.plot, case.delivering.wishes.plot
    if rules.form == "none":
        return
    ground = footprint_of(case.delivering, rules.cell)
    if ground is None:
        note = "Nothing here has a footprint of so many cells: it is empty, or too large for them."
        yield rule.row("–", f"cells of {rules.cell:g} m", "none", "query", note=note)
        return
    # A plan proposes one where nobody has drawn; what a person drew is theirs.
    fix = _fix(rules, ground, not any(at.stop.step == "plot" for at in case.passed))
    if wish is None or wish.cell != rules.cell:
        what = "none" if wish is None else f"cells of {wish.cell:g} m"
        yield rule.row(
            "–",
            _asked(rules),
            what,
            "held",
            remedy=fix,
            note=f"{many(int(ground.inside.sum()), 'cell')} lie under it.",
        )
        return
    found = plotted(wish.rows, ground, tuple(rules.areas))
    for subject, asked, told, verdict in _rows(found, rules):
        yield rule.row(
            "–", asked, told, verdict, subject=subject, subject_name=subject, remedy=fix if verdict != "cleared" else None,
        )  # fmt: skip


def _rows(found: Plotted, rules: PlotRules) -> Iterator[tuple[str, str, str, Verdict]]:
    """(what, what is asked, what there is, how bad that is): every area, the sides, the cells left over and outside."""
    for letter, name in rules.areas.items():
        least, count = rules.least.get(letter, 0), found.counts[letter]
        asked = f"at least {many(least, 'cell')}" if least else "any number"
        yield f"area {name}", asked, many(count, "cell"), "held" if count < least else "cleared"
    if rules.symmetric:
        yield (
            "both sides",
            "alike",
            many(found.uneven, "cell") + " unlike",
            "query" if found.uneven else "cleared",
        )
    yield "left over", "none", many(found.left_over, "cell"), "query" if found.left_over else "cleared"
    outside = many(found.outside, "cell") + (
        f", areas {', '.join(found.strange)} not known" if found.strange else ""
    )
    yield "outside", "none", outside, "held" if found.outside or found.strange else "cleared"


def _asked(rules: PlotRules) -> str:
    return f"{len(rules.areas)} areas, cells of {rules.cell:g} m"


def _fix(rules: PlotRules, ground: Footprint, sure: bool) -> Remedy | None:
    return remedy(
        "plot",
        "Propose a plot",
        sure,
        cell=rules.cell,
        rows=proposed(ground, tuple(rules.areas), rules.least),
    )


register(Requirement("plot", "Plot", "fittings", _judge, step="plot"))
