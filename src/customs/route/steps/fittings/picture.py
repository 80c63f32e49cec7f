"""Picture: how icons and thumbnails of the asset are taken."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field, field_validator

from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.settings import Settings
from customs.scene.wishes import Angle, Light, PictureWish


class Picture(Settings):
    """From where, on what; their sizes and formats are the destination's."""

    angle: Angle = Field(default="three-quarter", description="from where it is seen")
    turn: tuple[float, float] | None = Field(
        default=None, description="degrees of yaw and pitch; counts before the angle"
    )
    margin: float = Field(
        default=0.06, ge=0, le=0.45, description="share of the picture left free on every side"
    )
    backdrop: Literal["clear", "paper", "white", "dark"] = Field(
        default="clear", description="what is behind it; clear where the format can"
    )
    light: Light | None = Field(
        default=None, description="how it is lit; as the destination says where empty"
    )
    text: str = Field(default="", max_length=40, description="words in place of a picture")

    @field_validator("turn")
    @classmethod
    def _sound(cls, value: tuple[float, float] | None) -> tuple[float, float] | None:
        if value is not None and not (-360 <= value[0] <= 360 and -89 <= value[1] <= 89):
            raise ValueError("a yaw within 360 and a pitch within 89 degrees")
        return value


def _apply(scene: Scene, settings: Picture, resources: Content, job: Job) -> Outcome:
    wish = PictureWish(
        settings.angle, settings.turn, settings.margin, settings.backdrop, settings.text, settings.light
    )
    return Outcome(replace(scene, wishes=replace(scene.wishes, picture=wish)))


def _summary(s: Picture) -> str:
    if s.text:
        return f"“{s.text}”"[:18]
    return f"{s.turn[0]:g}°, {s.turn[1]:g}°" if s.turn is not None else s.angle


register(
    Step(
        id="picture",
        name="Picture",
        desk="fittings",
        order=106,
        about="How icons and thumbnails of the asset are taken: angle, margin, backdrop, or words in their place.",
        settings=Picture,
        apply=_apply,
        summary=_summary,
        phase="form",
        placements=True,
    )
)
