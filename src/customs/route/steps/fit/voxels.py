"""Voxels: the asset as unit cells, solid or hollow, of as few colours as asked for."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator

from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.posing.bounds import world_bounds
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings
from customs.voxels.fill import MOST
from customs.voxels.made import Wanted, voxels_of
from customs.voxels.palette import parsed
from customs.voxels.shown import as_mesh
from customs.words import many


class Voxels(Settings):
    """How many cells, filled how, coloured how."""

    side: int = Field(default=260, ge=2, le=MOST, description="cells along the longest side")
    fill: Literal["solid", "shell"] = Field(default="solid", description="solid, or a shell")
    thickness: float = Field(
        default=0.0, ge=0, le=1e4, description="metres a shell is thick, 0 for two cells"
    )
    colours: int = Field(default=256, ge=1, le=100_000, description="colours at most")
    palette: tuple[str, ...] = Field(
        default=(), description="the destination's own colours as #rrggbb, instead of chosen ones"
    )
    colour_by: Literal["vertices", "texture"] = Field(
        default="vertices", description="colours of vertices, or a texture of the palette"
    )
    dither: bool = Field(default=False, description="mix colours by dots")
    thin: Literal["keep", "drop"] = Field(
        default="keep", description="parts thinner than a cell are kept, or dropped"
    )

    @field_validator("palette")
    @classmethod
    def _colours(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        parsed(value)
        return value


def _apply(scene: Scene, settings: Voxels, resources: Content, job: Job) -> Outcome:
    if not any(len(triangles_of(p)) for m in scene.meshes for p in m.primitives):
        return Outcome(scene)
    palette = parsed(settings.palette) if settings.palette else None
    thickness = 0.0
    if settings.fill == "shell":
        thickness = settings.thickness or 2 * _cell(scene, settings.side)
    wanted = Wanted(settings.side, thickness, settings.colours, palette, settings.dither, settings.thin)
    found = voxels_of(scene, wanted, job)
    shape = " × ".join(map(str, found.cells.shape))
    said = [
        Remark(
            f"{many(found.count, 'cell')} of {found.cell * 1000:.2f} mm in {shape}, {many(len(found.palette), 'colour')}",
            values={"cells": found.count, "voxel_colours": len(found.palette)},
        )
    ]
    if len(found.thin):
        kept = "kept" if settings.thin == "keep" else "dropped"
        said.append(
            Remark(
                f"{many(len(found.thin), 'cell')} of parts thinner than a cell {kept}",
                values={"thin": len(found.thin)},
            )
        )
    return Outcome(as_mesh(scene, found, settings.colour_by), tuple(said))


def _cell(scene: Scene, side: int) -> float:
    """Metres of a cell."""
    box = world_bounds(scene)
    return float((box[1] - box[0]).max()) / side if box is not None else 0.0


register(
    Step(
        id="voxels",
        name="Voxels",
        desk="fit",
        order=112,
        phase="form",
        about="Makes unit cells of the asset, solid or as a shell, coloured from its textures with as few colours as asked for.",
        settings=Voxels,
        apply=_apply,
        summary=lambda s: f"{s.side} · {s.fill}",
        placements=True,
        remakes=True,
    )
)
