"""What another pattern would make of the names of an asset, before it is one of its route."""

from __future__ import annotations

from collections.abc import Sequence

from customs.errors import StepError
from customs.job import Job
from customs.ledger.names import KINDS, name_values
from customs.route.route import At, Route
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.prune import prune
from customs.sheet.model import Sheet

STEP = "rename"


def pattern_of(route: Route, kind: str) -> str:
    """The pattern of the stop Names for a kind of elements (asset, node, mesh, …); names as they are where there is none."""
    stop = route.of_step(STEP)
    plain = "{asset}" if kind == "asset" else "{name}"
    return str(getattr(stop.settings, kind, plain)) if stop is not None and kind else plain


def names_by(passed: Sequence[At], sheet: Sheet, kind: str, pattern: str) -> dict[str, str] | str:
    """Names by Key (the asset's by "asset") as they would be, or what is wrong with the pattern."""
    step = get_step(STEP)
    at = next((k for k, a in enumerate(passed) if a.stop.step == STEP), None)
    before = passed[at - 1].scene if at else passed[-1].scene
    values = passed[at].stop.settings.said() if at is not None else name_values(sheet)
    try:
        settings = make_settings(step, {**values, kind: pattern})
    except StepError as problem:
        return f"{problem.found}: {problem.expected}"
    scene = prune(step.apply(before, settings, NOTHING, Job()).scene)
    out = {str(item.key): str(item.name) for _, attribute in KINDS for item in getattr(scene, attribute)}
    return {**out, "asset": scene.name}
