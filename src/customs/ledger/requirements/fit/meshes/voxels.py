"""Assets made of unit cells, where the destination takes nothing else."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from customs.ledger.row import Case, Remedy, Requirement, Row, register, remedy, said
from customs.scene.voxels import Voxels
from customs.sheet.voxels import VoxelRules
from customs.voxels.palette import parsed
from customs.voxels.shown import voxels_in
from customs.words import many


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules = case.sheet.voxels
    if rules.form == "none":
        return
    found = voxels_in(case.delivering)
    if found is None:
        changed = case.delivering.voxels is not None
        note = "A stop after Voxels changed what they made." if changed else ""
        yield rule.row("a mesh", _asked(rules), "a mesh", "held", note=note, remedy=_fix(rules, None))
        return
    side, colours = max(found.cells.shape), len(found.palette)
    shape = " × ".join(map(str, found.cells.shape))
    yield rule.row(
        "a mesh", said(rules.side, f"{rules.side} cells along a side at most"), said(side, f"{many(found.count, 'cell')} in {shape}"),
        "held" if side > rules.side else "cleared", subject="side", subject_name="side", badness=side,
        remedy=_fix(rules, found) if side > rules.side else None,
    )  # fmt: skip
    strange = _strange(found, rules)
    bad = colours > rules.colours or strange > 0
    told = f"{many(colours, 'colour')}" + (f", {strange} of them not the destination's" if strange else "")
    yield rule.row(
        "textures", said(rules.colours, _colours(rules)), said(colours, told), "held" if bad else "cleared", subject="colours",
        subject_name="colours", badness=colours + strange, remedy=_fix(rules, found) if bad else None,
    )  # fmt: skip
    by = "texture" if case.delivering.images else "vertices"
    yield rule.row(
        "textures", f"colours by {rules.colour_by}", f"colours by {by}", "cleared" if by == rules.colour_by else "held", subject="coloured",
        subject_name="where colours are", remedy=_fix(rules, found) if by != rules.colour_by else None,
    )  # fmt: skip
    yield from _thin(rule, case, found)


def _thin(rule: Requirement, case: Case, found: Voxels) -> Iterator[Row]:
    if not len(found.thin):
        return
    gone = not (found.cells[tuple(found.thin.T)] > 0).any()
    count = many(len(found.thin), "cell")
    yield rule.row(
        f"{count} of parts thinner than a cell", "kept", "dropped" if gone else "kept", "query" if gone else "cleared", subject="thin",
        subject_name="thin parts", note="What is thinner than a cell is missing." if gone else "",
        remedy=remedy("voxels", "Keep thin parts", False, thin="keep") if gone else None,
    )  # fmt: skip


def _strange(found: Voxels, rules: VoxelRules) -> int:
    """Colours that are not the destination's, where it has its own."""
    if not rules.palette:
        return 0
    own = {bytes(c) for c in np.asarray(parsed(rules.palette))}
    return sum(bytes(c) not in own for c in found.palette)


def _asked(rules: VoxelRules) -> str:
    return f"unit cells, {rules.side} along a side at most, {_colours(rules)}"


def _colours(rules: VoxelRules) -> str:
    return (
        f"the destination's {many(len(rules.palette), 'colour')}"
        if rules.palette
        else f"{many(rules.colours, 'colour')} at most"
    )


def _fix(rules: VoxelRules, found: Voxels | None) -> Remedy | None:
    values: dict[str, Any] = {
        "side": rules.side,
        "colours": rules.colours,
        "palette": rules.palette,
        "colour_by": rules.colour_by,
    }
    if found is not None and max(found.cells.shape) <= rules.side:
        values.pop("side")
    return remedy("voxels", f"Make {rules.side} cells along its longest side", **values)


register(Requirement("voxels", "Voxels", "fit", _judge, step="voxels"))
