"""Light units: numbers of lights that came along as candela and lux, with a range."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from customs.grounds.light import EFFICACY, in_standard, reach_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.held import map_held
from customs.scene.model import Held, Light, Remark, Scene
from customs.scene.settings import Settings
from customs.words import many


class LightUnits(Settings):
    """The unit the numbers are in."""

    unit: Literal["lm", "cd", "lx", "W", "plain"] = Field(
        default="plain", description="unit of the numbers as they came"
    )
    efficacy: float = Field(default=EFFICACY, gt=0, le=683, description="lumens a watt stands for")
    plain: float = Field(
        default=100.0, gt=0, le=1e6, description="candela, or lux, one of no unit stands for"
    )
    least: float = Field(default=0.1, gt=0, le=1e4, description="lux at which a light without a range ends")


def _apply(scene: Scene, settings: LightUnits, resources: Content, job: Job) -> Outcome:
    def change(thing: Held) -> Held:
        if not isinstance(thing, Light):
            return thing
        value = in_standard(thing, settings.unit, settings.efficacy, settings.plain)
        known = thing.kind == "directional" or (thing.range is not None and thing.range > 0)
        return replace(
            thing, intensity=value, range=thing.range if known else reach_of(value, settings.least)
        )

    if not scene.lights:
        return Outcome(scene)
    assumed = {"W": f", {settings.efficacy:g} lm a watt", "plain": f", 1 taken for {settings.plain:g} cd"}
    text = f"{many(len(scene.lights), 'light')} read as {settings.unit}{assumed.get(settings.unit, '')}, now cd and lx"
    return Outcome(replace(scene, nodes=map_held(scene.nodes, change)), (Remark(text),))


register(
    Step(
        id="light-units",
        name="Light units",
        desk="grounds",
        order=9,
        about="Reads lights whose numbers are lumens, watts or of no unit as candela and lux, and gives them a range.",
        settings=LightUnits,
        apply=_apply,
        summary=lambda s: s.unit,
        placements=True,
    )
)
