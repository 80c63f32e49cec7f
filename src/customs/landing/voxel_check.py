"""Cells of a package: the grid, the points and the mesh tell of the same ones, and of no more than the sheet takes."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from pydantic import ValidationError

from customs.errors import CustomsError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.triangles import triangles_of
from customs.landing.docket_check import bytes_of
from customs.landing.log import Log
from customs.later import later
from customs.scene.model import Scene
from customs.sheet.model import Sheet
from customs.surface.colour import to_srgb
from customs.voxels.grid_file import GridFile
from customs.words import many

ndimage = later("scipy.ndimage")
CLOSE = 1e-3
"""Of a cell, by which places may differ: files have single precision."""
Grid = tuple[GridFile, npt.NDArray[np.uint32]]


def check_voxels(
    main: Scene, sheet: Sheet, files: Mapping[str, Path], folder: Path, asset: str, log: Log
) -> None:
    """Grid and points, where the sheet asks for them, held against the mesh (destination numbers)."""
    rules = sheet.voxels
    found = _grid(files, rules.grid_place(asset), asset, sheet, log) if rules.grid_place(asset) else None
    if found is None:
        return
    grid, cells = found
    path = rules.grid_place(asset)
    log.check(
        max(grid.size) <= rules.side, path, f"{max(grid.size)} cells along a side, {rules.side} are taken"
    )
    log.check(
        len(grid.palette) <= rules.colours, path, f"{len(grid.palette)} colours, {rules.colours} are taken"
    )
    own = {c.lower() for c in rules.palette}
    strange = sorted(set(grid.palette) - own) if own else []
    log.check(not strange, path, f"{many(len(strange), 'colour')} not known here: {', '.join(strange[:5])}")
    counted = np.bincount(cells.reshape(-1), minlength=len(grid.palette) + 1)[1:]
    log.check(tuple(counted.tolist()) == grid.counts, path, "its counts are not those of its cells")
    by = "texture" if main.images else "vertices"
    log.check(by == rules.colour_by, path, f"the mesh is coloured by {by}, {rules.colour_by} is read")
    _mesh(main, grid, cells, path, log)
    if points := rules.points_place(asset):
        _points(files, points, folder, grid, cells, log)
    log.note("counts", path, f"{many(int(counted.sum()), 'cell')} of {many(len(grid.palette), 'colour')}")


def _grid(files: Mapping[str, Path], path: str, asset: str, sheet: Sheet, log: Log) -> Grid | None:
    try:
        grid = GridFile.model_validate_json(bytes_of(files, path))
        cells = grid.cells()
    except FileNotFoundError:
        log.refuse(path, "the grid of cells is not there")
        return None
    except ValidationError as problem:
        first = problem.errors()[0]
        log.refuse(path, f"{'.'.join(map(str, first['loc'])) or 'the file'}: {first['msg']}")
        return None
    except (ValueError, MemoryError) as problem:
        log.refuse(path, f"cannot be read as cells: {problem}")
        return None
    log.check(grid.asset == asset, path, f"it is of {grid.asset!r}")
    axes = sheet.axes
    same = (grid.up, grid.faces, grid.hand, grid.metres_per_unit) == (
        axes.up,
        axes.faces,
        axes.hand,
        axes.metres_per_unit,
    )
    log.check(
        same, path, f"is {grid.up} up, faces {grid.faces}, {grid.hand}-handed: {sheet.ticket()} is read"
    )
    return grid, cells


def _mesh(main: Scene, grid: GridFile, cells: npt.NDArray[np.uint32], path: str, log: Log) -> None:
    """The mesh shows every side that is seen, once, and lies where the cells lie."""
    prims = [p for m in main.meshes for p in m.primitives]
    if not prims:
        log.refuse(path, "there is no mesh that shows its cells")
        return
    places = np.concatenate([np.asarray(p.positions, np.float64) for p in prims])
    at = np.argwhere(cells > 0)
    if not len(at):
        log.refuse(path, "there is no cell")
        return
    low, high = grid.low + at.min(axis=0) * grid.cell, grid.low + (at.max(axis=0) + 1) * grid.cell
    off = max(np.abs(places.min(axis=0) - low).max(), np.abs(places.max(axis=0) - high).max())
    log.check(off <= CLOSE * max(grid.size) * grid.cell, path, f"the mesh lies {off:.4g} beside its cells")
    area = sum(_area(p.positions, triangles_of(p)) for p in prims) / grid.cell**2
    sides = _sides(cells)
    log.check(
        abs(area - sides) <= CLOSE * sides,
        path,
        f"the mesh shows {area:,.1f} sides of cells, {sides:,} are seen",
    )


def _area(places: npt.NDArray[Any], faces: npt.NDArray[Any]) -> float:
    a, b, c = (np.asarray(places, np.float64)[faces[:, k]] for k in range(3))
    return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)


def _sides(cells: npt.NDArray[np.uint32]) -> int:
    """Sides of cells that are seen: what no way leads to from outside counts as filled."""
    pieces, _ = ndimage.label(np.pad(cells == 0, 1, constant_values=True))
    full = pieces != pieces[0, 0, 0]
    return sum(int(np.count_nonzero(full != np.roll(full, 1, axis))) for axis in range(3))


def _points(
    files: Mapping[str, Path],
    path: str,
    folder: Path,
    grid: GridFile,
    cells: npt.NDArray[np.uint32],
    log: Log,
) -> None:
    if path not in files:
        log.refuse(path, "the points are not there")
        return
    try:
        scene = read_scene(Source(files[path], folder))
    except CustomsError as problem:
        log.refuse(path, str(problem))
        return
    prims = [p for m in scene.meshes for p in m.primitives]
    count = sum(len(p.positions) for p in prims)
    if count != np.count_nonzero(cells):
        log.refuse(path, f"{many(count, 'point')}, {np.count_nonzero(cells):,} cells")
        return
    places = (np.concatenate([p.positions for p in prims]).astype(np.float64) - grid.low) / grid.cell - 0.5
    at = np.round(places).astype(np.int64)
    inside = ((at >= 0) & (at < cells.shape)).all()
    off = float(np.abs(places - at).max(initial=0.0))
    good = inside and off <= 0.05 and len(np.unique(np.ravel_multi_index(tuple(at.T), cells.shape))) == count
    if not good:
        log.refuse(path, "its points are not the middles of the cells")
        return
    palette = np.array([[int(c[k : k + 2], 16) for k in (1, 3, 5)] for c in grid.palette], np.int64)
    wanted = palette[cells[tuple(at.T)].astype(np.int64) - 1]
    has = all(p.colours for p in prims)
    tones = np.concatenate([p.colours[0][:, :3] for p in prims]) if has else np.zeros((0, 3))
    same = has and bool((np.abs(np.round(to_srgb(tones) * 255) - wanted) <= 1).all())
    log.check(same, path, "its colours are not those of the cells")
