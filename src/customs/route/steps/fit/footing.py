"""Footing: where on the asset the origin is."""

from __future__ import annotations

from pydantic import Field

from customs.changes.footing import footing_point
from customs.changes.settling import settle
from customs.changes.unsettled import unsettled
from customs.conventions.origin import Footing
from customs.conventions.turn import move_roots
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings


class FootingSettings(Settings):
    """The kind of footing, and the point for kind `point` (metres)."""

    kind: Footing = Field(default="base-centre", description="where the origin goes")
    point: tuple[float, float, float] = Field(default=(0.0, 0.0, 0.0), description="metres, for kind point")


def _apply(scene: Scene, settings: FootingSettings, resources: Content, job: Job) -> Outcome:
    at = footing_point(scene, settings.kind, settings.point)
    if at is None or not at.any():
        return Outcome(scene)
    text = f"moved by {' '.join(f'{-v:.4g}' for v in at)} m"
    settled = not unsettled(scene)
    out = move_roots(scene, -at)
    # What had no transform of its own must not get one here: the move goes into vertices and joints too.
    return Outcome(settle(out)[0] if settled else out, (Remark(text),))


register(
    Step(
        id="footing",
        name="Footing",
        desk="fit",
        order=48,
        about="Puts the origin at the middle of the base, of the box or of the mass, or at a point.",
        settings=FootingSettings,
        apply=_apply,
        summary=lambda s: s.kind.replace("-", " "),
        placements=True,
    )
)
