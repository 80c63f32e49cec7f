"""The plot: every cell under the asset given to an area, none beside it, left and right alike where the sheet asks."""

from __future__ import annotations

from collections.abc import Iterator

from customs.changes.plot import Footprint, Plotted, footprint_of, plotted, proposed
from customs.ledger.row import Case, Remedy, Requirement, Row, Verdict, register, remedy, said
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
    text, verdict = _verdict(found, rules)
    counts = ", ".join(f"{rules.areas[a]} {n}" for a, n in found.counts.items())
    yield rule.row(
        "–", _asked(rules), said(tuple(found.counts.values()), text or counts), verdict,
        note=counts if text else "", remedy=fix if verdict != "cleared" else None,
    )  # fmt: skip


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


def _verdict(found: Plotted, rules: PlotRules) -> tuple[str, Verdict]:
    """What is wrong, the worst first, and how bad it is."""
    few = [rules.areas[a] for a, n in rules.least.items() if found.counts[a] < n]
    if found.strange:
        return f"areas {', '.join(found.strange)} are not known there", "held"
    if found.outside:
        return f"{many(found.outside, 'cell')} outside the footprint", "held"
    if few:
        return f"too few cells of {', '.join(few)}", "held"
    if found.left_over:
        return f"{many(found.left_over, 'cell')} given to nobody", "query"
    if rules.symmetric and found.uneven:
        return f"{many(found.uneven, 'cell')} unlike on the other side", "query"
    return "", "cleared"


register(Requirement("plot", "Plot", "fittings", _judge, step="plot"))
