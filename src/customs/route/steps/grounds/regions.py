"""Region: another level joins this one, opening on opening or by numbers, and what both have is cut away."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field, field_validator

from customs.changes.snapshot import snapshot_of
from customs.grounds.openings import EXACT, Eight, Opening, differ, joining
from customs.grounds.overlaps import Cut, cut_away
from customs.grounds.regions import delivered_apart, with_region
from customs.job import Job
from customs.later import later
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.words import many

rotations = later("scipy.spatial.transform")
Three = tuple[float, float, float]


class Region(Settings):
    """What joins, by which openings, where it goes."""

    part: str = Field(default="", description="the snapshot of what joins: its digest")
    name: str = Field(default="", description="the level it is of")
    source: str = Field(default="", description="that level in the shipment, and the state it was in")
    author: str = Field(default="", description="who made it")
    licence: str = Field(default="", description="its licence")
    use: Literal["deliver", "private", "study", ""] = Field(default="", description="what is allowed")
    own: Eight | tuple[()] = Field(
        default=(),
        description="opening of this level: sill (x, y, z in metres), way out (x, y, z), width, height in metres",
    )
    theirs: Eight | tuple[()] = Field(
        default=(), description="opening of the level that joins, in its own numbers"
    )
    move: Three = Field(default=(0.0, 0.0, 0.0), description="metres moved besides")
    turn: float = Field(default=0.0, description="degrees turned besides, about up")
    overlap: Literal["cut", "keep"] = Field(default="cut", description="what both have is cut away, or kept")
    apart: bool = Field(default=False, description="delivered as a list of its own, where lists are taken")

    @field_validator("own", "theirs")
    @classmethod
    def _leading_out(cls, value: Any) -> Any:
        if value:
            Opening.of(value)
        return value


def place_of(settings: Region) -> np.ndarray:
    """(4, 4) where the region goes: opening on opening where both are given, turned about there, then moved."""
    base, pivot = np.eye(4), np.zeros(3)
    if settings.own and settings.theirs:
        own = Opening.of(settings.own)
        base, pivot = joining(own, Opening.of(settings.theirs)), own.sill
    out = np.eye(4)
    out[:3, :3] = rotations.Rotation.from_euler("Y", settings.turn, degrees=True).as_matrix()
    out[:3, 3] = pivot - out[:3, :3] @ pivot + settings.move
    return np.asarray(out @ base, np.float64)


def _apply(scene: Scene, settings: Region, resources: Content, job: Job) -> Outcome:
    if not settings.part:
        return Outcome(scene)
    other = snapshot_of(settings.part, settings.name or "another level", resources)
    job.check()
    job.progress(0.2, "Joining")
    out, number = with_region(scene, other, place_of(settings), settings.name or "region")
    remarks = [Remark(f"{settings.name} joined", values={"region": settings.name})]
    opening = Opening.of(settings.own) if settings.own else None
    if opening is not None and settings.theirs:
        remarks += _unlike(opening, Opening.of(settings.theirs), settings.name)
    job.progress(0.4, "Overlaps")
    kept, cut = cut_away(out, number, opening, job)
    if settings.overlap == "cut":
        out = kept
    remarks += _told(cut, settings)
    if settings.apart:
        out = delivered_apart(out, number, settings.name)
    return Outcome(out, tuple(remarks))


def _unlike(own: Opening, theirs: Opening, name: str) -> list[Remark]:
    wide, high = differ(own, theirs)
    if max(wide, high) <= EXACT:
        return []
    text = f"the openings differ: {own.text()} here, {theirs.text()} at {name}"
    return [Remark(text, values={"opening_off": round(max(wide, high), 6)})]


def _told(cut: Cut, settings: Region) -> list[Remark]:
    if not cut.anything:
        return []
    said = [
        f"{many(n, 'face')} {what}"
        for n, what in ((cut.own, "of this level inside it"), (cut.theirs, "of it inside this level"), (cut.doubled, "lying on others"))
        if n
    ]  # fmt: skip
    faces = ", ".join(said)
    if settings.overlap == "cut":
        return [Remark(f"{settings.name}: cut away {faces}; {many(cut.things, 'thing')} as a whole")]
    return [
        Remark(f"{settings.name} overlaps: {faces}", values={"overlaps": cut.own + cut.theirs + cut.doubled})
    ]


register(
    Step(
        id="regions",
        name="Region",
        desk="grounds",
        order=18,
        about="Another level joins this one, opening on opening or by numbers; what both have is cut away.",
        settings=Region,
        apply=_apply,
        summary=lambda s: s.name[:18],
        plural=True,
        placements=True,
    )
)
