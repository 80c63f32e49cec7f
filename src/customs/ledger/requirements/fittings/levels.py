"""Levels of detail: as many as the sheet asks for, each coarser than the one before, the last with a distance."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from customs.geometry.triangles import triangles_of
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, Verdict, register, remedy, said
from customs.ledger.shapes import shown
from customs.scene.model import Mesh
from customs.sheet.fittings import LevelRules
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.levels
    if rules.form == "none" or (rules.least < 2 and not any(m.levels or m.reach for m in shown(case.after))):
        return
    bad = [(m, found) for m in shown(case.after) if (found := _wrong(m, rules))]
    for mesh, (why, verdict, fix) in bad:
        yield rule.row(
            "–", _asked(rules), said(_counts(mesh), why), verdict,
            subject=str(mesh.key), subject_name=mesh.name, remedy=fix, place=Place(mesh.key, "mesh"),
            note="Levels are made onto the vertices the mesh has; how far each strays is said once they are made.",
        )  # fmt: skip
    if not bad:
        most = max((len(m.levels) + 1 for m in shown(case.after)), default=0)
        yield rule.row("–", _asked(rules), said(most, many(most, "level")), "cleared")


def _asked(rules: LevelRules) -> str:
    count = f"{rules.least}" if rules.least == rules.most else f"{rules.least} to {rules.most}"
    return f"{count} levels, each ≤ {rules.ratio:.0%} of the one before"


def _counts(mesh: Mesh) -> tuple[int, ...]:
    return tuple(sum(len(triangles_of(p)) for p in m.primitives) for m in (mesh, *mesh.levels))


def _wrong(mesh: Mesh, rules: LevelRules) -> tuple[str, Verdict, Remedy | None] | None:
    """What is wrong with a mesh's levels, how badly, and what would mend it."""
    counts = _counts(mesh)
    if not counts[0]:
        return None
    wanted = max(rules.least, 2) - 1
    ratios = tuple(round(min(rules.ratio * 0.9, 0.45) ** (k + 1), 4) for k in range(wanted))
    fix = remedy(
        "lods", f"Make {many(wanted, 'level')}", sure=rules.least > 1, ratios=ratios, last=rules.last
    )
    if not rules.least <= len(counts) <= rules.most:
        # Too few cost speed and break nothing; some things have no coarser version that is still their shape.
        few = len(counts) < rules.least
        return f"{many(len(counts), 'level')}: {_list(counts)}", "query" if few else "held", fix
    thick = [k for k, (a, b) in enumerate(itertools.pairwise(counts), 1) if b > rules.ratio * a + 1]
    if thick:
        text = f"level {thick[0]} has {counts[thick[0]]:,} of {counts[thick[0] - 1]:,} triangles"
        return text, "query", fix
    if len(mesh.reach) != len(counts) or any(b <= a for a, b in itertools.pairwise(mesh.reach)):
        return "distances that are missing or do not grow", "held", fix
    return None


def _list(counts: tuple[int, ...]) -> str:
    return " · ".join(f"{n:,}" for n in counts)


register(Requirement("levels", "Levels of detail", "fittings", _judge, step="lods"))
