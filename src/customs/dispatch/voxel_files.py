"""Cells as files of a package beside the model: their middles as points, and the grid itself."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.dispatch.deliver import Deliverable, Tick, in_numbers
from customs.errors import WriteError
from customs.formats.ply import write_ply
from customs.formats.registry import Parts, WriteOptions, get_format
from customs.scene.arrays import frozen
from customs.scene.model import Primitive, Scene
from customs.scene.voxels import Voxels
from customs.sheet.model import Sheet
from customs.surface.colour import to_linear
from customs.voxels.grid_file import grid_bytes
from customs.voxels.shown import voxels_in

POINTS, GRID = "voxel points", "voxel grid"


def voxel_files(scene: Scene, sheet: Sheet) -> tuple[Deliverable, ...]:
    """Points and grid of an asset in the working frame, those the sheet asks for."""
    rules = sheet.voxels
    points, grid = rules.points_place(scene.name), rules.grid_place(scene.name)
    out = []
    if points:
        out.append(Deliverable(points, POINTS, lambda tick: _points(scene, sheet, tick), scene.name))
    if grid:
        axes = sheet.axes.convention("down")
        out.append(
            Deliverable(
                grid, GRID, lambda tick: [grid_bytes(_there(scene, grid), scene.name, axes)], scene.name
            )
        )
    return tuple(out)


def _there(scene: Scene, path: str) -> Voxels:
    found = voxels_in(scene)
    if found is None:
        raise WriteError(
            "the asset is not made of cells", "cells as the step Voxels makes them", "Put Voxels last in the route.", path
        )  # fmt: skip
    return found


def _points(scene: Scene, sheet: Sheet, tick: Tick) -> Parts:
    voxels = _there(scene, scene.name)
    at, colour = voxels.filled()
    tick(0.3)
    linear = to_linear(voxels.palette.astype(np.float32) / 255)[colour]
    shown = scene.meshes[0].primitives[0]
    prim = Primitive(
        shown.key,
        frozen(voxels.centres(at)),
        mode="points",
        colours=(frozen(np.c_[linear, np.ones(len(linear), np.float32)]),),
    )
    alone = replace(
        scene, meshes=(replace(scene.meshes[0], primitives=(prim,)),), materials=(), images=(), voxels=None
    )
    form = get_format("ply")
    written = write_ply(in_numbers(alone, sheet), WriteOptions(scene.name, settings=form.settings()))
    return written[".ply"]
