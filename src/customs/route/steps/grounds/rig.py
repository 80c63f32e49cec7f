"""Light: a level without a light gets a sun, an opposite fill and a sky."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.grounds.light import PICTURE, Rig, rig_nodes
from customs.job import Job
from customs.motion.posing.bounds import world_bounds
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import made_key
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many


class RigLight(Settings):
    """Where the sun stands, how bright it all is, which of the three lights there are."""

    azimuth: float = Field(
        default=-30.0, ge=-360, le=360, description="degrees from +Z towards +X the sun stands at"
    )
    elevation: float = Field(default=50.0, ge=1, le=90, description="degrees the sun stands high")
    brightness: float = Field(default=PICTURE, gt=0, le=1e6, description="lux of all of it")
    sun: bool = Field(default=True, description="the sun")
    fill: bool = Field(default=True, description="a fill from the other side, turned by 180°")
    sky: bool = Field(default=True, description="a sky from straight above")

    def rig(self) -> Rig:
        """As a rig."""
        return Rig(self.azimuth, self.elevation, self.brightness, self.sun, self.fill, self.sky)


def _apply(scene: Scene, settings: RigLight, resources: Content, job: Job) -> Outcome:
    box = world_bounds(scene)
    height = float(box[1][1]) + 2.0 if box is not None else 10.0
    made = rig_nodes(settings.rig(), scene.digest, 0, max(height, 2.0))
    if not made:
        return Outcome(scene)
    key = scene.meshes[0].key if scene.meshes else made[0].key
    nodes = tuple(
        replace(
            n,
            key=made_key(replace(key, kind="node"), "rig", n.name),
            holds=tuple(replace(h, key=made_key(replace(key, kind="light"), "rig", n.name)) for h in n.holds),
        )
        for n in made
    )
    first = len(scene.nodes)
    out = replace(
        scene, nodes=(*scene.nodes, *nodes), roots=(*scene.roots, *range(first, first + len(nodes)))
    )
    return Outcome(out, (Remark(f"{many(len(nodes), 'light')} set, {settings.brightness:,.0f} lx together"),))


def _summary(settings: RigLight) -> str:
    return ", ".join(n for n in ("sun", "fill", "sky") if getattr(settings, n)) or "none"


register(
    Step(
        id="rig",
        name="Light",
        desk="grounds",
        order=108,
        phase="form",
        about="Gives a level a sun, a fill from the other side and a sky.",
        settings=RigLight,
        apply=_apply,
        summary=_summary,
        placements=True,
    )
)
