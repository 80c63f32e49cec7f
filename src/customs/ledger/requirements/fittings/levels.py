"""Levels of detail: as many as the sheet asks for, each coarser than the one before, the last with a distance."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from typing import Any

from customs.geometry.triangles import triangles_of
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, Verdict, register, remedy, said
from customs.ledger.shapes import shown
from customs.scene.model import Mesh
from customs.sheet.fittings import LevelRules
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.levels
    if rules.form == "none":
        yield from _not_taken(rule, case)
        return
    if rules.least < 2 and not any(m.levels or m.reach for m in shown(case.after)):
        return
    bad = [(m, found) for m in shown(case.after) if (found := _wrong(m, rules))]
    fix = _fix(case, rules)
    note = "Levels are made onto the vertices the mesh has; how far each strays is said once they are made."
    if fix is None:
        note = "It has no coarser version that keeps its seams, borders and shape."
    for mesh, (why, verdict) in bad:
        yield rule.row(
            "–", _asked(rules), said(_counts(mesh), why), verdict,
            subject=str(mesh.key), subject_name=mesh.name, remedy=fix, place=Place(mesh.key, "mesh"), note=note,
        )  # fmt: skip
    if not bad:
        most = max((len(m.levels) + 1 for m in shown(case.after)), default=0)
        yield rule.row("–", _asked(rules), said(most, many(most, "level")), "cleared")


def _not_taken(rule: Requirement, case: Case) -> Iterator[Row]:
    """Levels are not lost without a word."""
    most = max((len(m.levels) + 1 for m in shown(case.after)), default=0)
    if most > 1:
        yield rule.row(
            "–", "none", said(most, many(most, "level")), "query",
            remedy=remedy("lods", "Leave levels out", False, ratios=(), triangles=(), errors=()),
            note="This destination has no levels: only the finest is delivered.",
        )  # fmt: skip


def _asked(rules: LevelRules) -> str:
    count = f"{rules.least}" if rules.least == rules.most else f"{rules.least} to {rules.most}"
    return f"{count} levels, each ≤ {rules.ratio:.0%} of the one before"


def _counts(mesh: Mesh) -> tuple[int, ...]:
    return tuple(sum(len(triangles_of(p)) for p in m.primitives) for m in (mesh, *mesh.levels))


def _fix(case: Case, rules: LevelRules) -> Remedy | None:
    """Levels as the sheet asks for them; a plan makes them where nobody has said which. None where that is what was done."""
    wanted = max(rules.least, 2) - 1
    ratios = tuple(round(min(rules.ratio * 0.9, 0.45) ** (k + 1), 4) for k in range(wanted))
    stops = [dict(at.stop.values) for at in case.passed if at.stop.step == "lods"]
    wished: dict[str, Any] = {"ratios": ratios, "last": rules.last}
    if stops:
        wished |= {"triangles": (), "errors": (), "distances": ()}
        now = {k: tuple(v) if isinstance(v := stops[-1].get(k, ()), list) else v for k in wished}
        if now == wished:
            return None
    return remedy("lods", f"Make {many(wanted, 'level')}", rules.least > 1 and not stops, **wished)


def _wrong(mesh: Mesh, rules: LevelRules) -> tuple[str, Verdict] | None:
    """What is wrong with a mesh's levels, and how badly."""
    counts = _counts(mesh)
    if not counts[0]:
        return None
    if not rules.least <= len(counts) <= rules.most:
        # Too few cost speed and break nothing; some things have no coarser version that is still their shape.
        few = len(counts) < rules.least
        return f"{many(len(counts), 'level')}: {_list(counts)}", "query" if few else "held"
    thick = [k for k, (a, b) in enumerate(itertools.pairwise(counts), 1) if b > rules.ratio * a + 1]
    if thick:
        return f"level {thick[0]} has {counts[thick[0]]:,} of {counts[thick[0] - 1]:,} triangles", "query"
    if len(mesh.reach) != len(counts) or any(b <= a for a, b in itertools.pairwise(mesh.reach)):
        return "distances that are missing or do not grow", "held"
    return None


def _list(counts: tuple[int, ...]) -> str:
    return " · ".join(f"{n:,}" for n in counts)


register(Requirement("levels", "Levels of detail", "fittings", _judge, step="lods"))
