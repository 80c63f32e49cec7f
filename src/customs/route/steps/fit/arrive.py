"""Arrive: from raw numbers into the working frame. Always the first stop."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, NoReturn

import numpy as np
from pydantic import Field

from customs.conventions.axes import between, quarter_turns, turn_matrix
from customs.conventions.convert import convert
from customs.conventions.turn import turn_roots
from customs.errors import CustomsError, StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.convention import WORKING, Axis, Convention, Front, Hand, Up
from customs.scene.folding import row_worlds
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.scene.transforms import LEAST, MOST
from customs.scene.tree import world_matrices


class Arrive(Settings):
    """What the asset's numbers mean. Nothing set means: as the file says."""

    up: Axis | None = Field(default=None, description="axis that points up in the file")
    faces: Axis | None = Field(default=None, description="axis the asset faces along in the file")
    hand: Hand | None = Field(default=None, description="handedness of the file")
    metres_per_unit: float | None = Field(
        default=None, gt=0, le=1e6, description="metres one file unit is long"
    )
    front: Front | None = Field(default=None, description="winding of front faces as the eye sees them")
    v: Up | None = Field(default=None, description="direction of growing V in the file")
    green: Up | None = Field(default=None, description="green direction of normal maps")
    turn: tuple[float, float, float] = Field(
        default=(0.0, 0.0, 0.0), description="extra turn, degrees about X, Y, Z"
    )
    scale: float = Field(default=1.0, gt=0, le=1e9, description="extra scale, a factor")
    suffixes: dict[str, tuple[str, ...]] = Field(
        default={}, description="parts of texture names that tell a role"
    )
    stated: Literal["", "person", "origin"] = Field(default="", description="who says so")


def arriving(scene: Scene, settings: Arrive) -> Convention:
    """The convention the asset is taken to be in."""
    own = scene.convention
    fields = ("up", "faces", "hand", "metres_per_unit", "front", "v", "green")
    chosen = {k: v for k in fields if (v := getattr(settings, k)) is not None}
    if settings.stated:
        chosen["stated"] = settings.stated
    return replace(own, **chosen)


def _apply(scene: Scene, settings: Arrive, resources: Content, job: Job) -> Outcome:
    source = arriving(scene, settings)
    try:
        p, k = between(source, WORKING)
    except CustomsError as problem:
        raise StepError(problem.found, problem.expected, problem.todo, where="Arrive") from None
    quarter = quarter_turns(settings.turn)
    p = (quarter if quarter is not None else np.eye(3)) @ p
    out = convert(
        scene, p, k * settings.scale, turn_over=source.front != WORKING.front, flip_v=source.v != WORKING.v
    )
    out = replace(out, convention=replace(WORKING, stated=source.stated, green=source.green))
    if settings.suffixes:
        out = replace(out, suffixes=settings.suffixes)
    if quarter is None:
        out = turn_roots(out, turn_matrix(settings.turn))
    _bearable(out)
    return Outcome(*_without_specks(out))


def _without_specks(scene: Scene) -> tuple[Scene, tuple[Remark, ...]]:
    """Scales too small for any vertex to hold are 0 to every destination, and said to be."""
    small = {n.key: n for n in scene.nodes if ((np.abs(n.scale) < LEAST) & (np.asarray(n.scale) != 0)).any()}
    nodes = tuple(
        replace(n, scale=np.where(np.abs(n.scale) < LEAST, 0.0, n.scale)) if n.key in small else n
        for n in scene.nodes
    )
    remarks = tuple(
        Remark(f"scale {np.abs(n.scale).min():.3g} is taken as 0: what it holds is hidden", k)
        for k, n in small.items()
    )
    return (replace(scene, nodes=nodes), remarks) if small else (scene, ())


def _bearable(scene: Scene) -> None:
    """Raises StepError where a node stands so far away, or is so large, that no vertex can hold it."""
    for n, world in enumerate(world_matrices(scene)):
        if not np.abs(world).max() < MOST:
            _too_far(scene.nodes[n].name, float(np.abs(world).max()))

    rows = row_worlds(scene)
    far = ~(np.abs(rows).max(axis=(1, 2), initial=0.0) < MOST)
    if far.any():
        k = int(far.argmax())
        _too_far(scene.placements.names[k], float(np.abs(rows[k]).max()))


def _too_far(name: str, size: float) -> NoReturn:
    found, expected = (
        f"{name} is {size:.3g} m large or far away",
        f"less than {MOST:.0g} m, which is what vertices can hold",
    )
    raise StepError(found, expected, "Scale it where it was made, and export it again.", where="Arrive")


def _summary(settings: Arrive) -> str:
    if settings.up is None and settings.metres_per_unit is None:
        return "as the file says"
    unit = {0.01: "cm", 0.0254: "in", 1.0: "m", 0.001: "mm", 0.3048: "ft"}.get(
        settings.metres_per_unit or 1.0, "units"
    )
    return f"{unit}, {(settings.up or '+Y')[1]} up → m, Y up"


register(
    Step(
        id="arrive",
        name="Arrive",
        desk="fit",
        order=0,
        about="Brings the file's raw numbers into metres, Y up, facing +Z.",
        settings=Arrive,
        apply=_apply,
        summary=_summary,
        fixed=True,
        placements=True,
    )
)
