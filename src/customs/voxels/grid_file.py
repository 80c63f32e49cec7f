"""The grid of cells as JSON: its schema is `grid.schema.json`, made from the classes here."""

from __future__ import annotations

import json
from typing import Annotated, Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from customs.conventions.axes import between
from customs.scene.convention import WORKING, Axis, Convention, Hand
from customs.scene.voxels import Voxels
from customs.voxels.faces import runs_along
from customs.voxels.fill import MOST

Whole = Annotated[int, Field(ge=0, strict=True)]
Side = Annotated[int, Field(ge=1, le=MOST, strict=True)]
Colour = Annotated[str, Field(pattern="^#[0-9a-f]{6}$")]
Triple = tuple[float, float, float]
Place = Annotated[int, Field(ge=0, lt=MOST, strict=True)]
Run = tuple[Place, Place, Place, Side, Annotated[int, Field(ge=0, lt=100_000, strict=True)]]


class GridFile(BaseModel):
    """Cells of an asset in the destination's axes and unit.

    `cell` is the edge of a cell, `low` the least corner of the grid, `size` its cells along X, Y and Z. `runs` are rows of cells of one colour
    along Z, each [x, y, z of the first, how many, place in `palette`] counted from 0; what no run holds is empty. `palette` is sRGB,
    `counts` how many cells each of its colours has.
    """

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, frozen=True)

    voxels: Literal[1] = 1
    asset: str
    up: Axis
    faces: Axis
    hand: Hand
    metres_per_unit: float = Field(gt=0)
    cell: float = Field(gt=0)
    low: Triple
    size: tuple[Side, Side, Side]
    palette: tuple[Colour, ...]
    counts: tuple[Whole, ...]
    runs: tuple[Run, ...]

    def cells(self) -> npt.NDArray[np.uint32]:
        """(X, Y, Z) as of `Voxels`. Raises ValueError where runs leave the grid, lie on one another or name no colour of the palette."""
        rows = np.array(self.runs, np.int64).reshape(-1, 5)
        x, y, z, count, colour = rows.T
        size = np.array(self.size)
        if (rows[:, :2] >= size[:2]).any() or (z + count > size[2]).any() or not count.all():
            raise ValueError("a run leaves the grid, or has no cell")
        if (colour >= len(self.palette)).any():
            raise ValueError("a run of a colour that is not in the palette")
        first = np.ravel_multi_index((x, y, z), self.size)
        at = np.repeat(first - (np.cumsum(count) - count), count) + np.arange(int(count.sum()))
        out = np.zeros(int(np.prod(size)), np.uint32)
        out[at] = np.repeat(colour + 1, count)
        if np.count_nonzero(out) != len(at):
            raise ValueError("two runs hold the same cell")
        return out.reshape(self.size)


def grid_bytes(voxels: Voxels, name: str, target: Convention) -> bytes:
    """The file of an asset's cells (working frame) in the numbers of `target`."""
    p, k = between(WORKING, target)
    order, signs = np.abs(p).argmax(axis=1), np.sign(p.sum(axis=1))
    cells = np.flip(voxels.cells.transpose(order), tuple(a for a in range(3) if signs[a] < 0))
    ends = np.stack([voxels.low, voxels.low + np.array(voxels.cells.shape) * voxels.cell]) @ p.T * k
    layer, row, begin, end, colour = runs_along(cells)
    body = {
        "voxels": 1, "asset": name, "up": target.up, "faces": target.faces, "hand": target.hand, "metres_per_unit": target.metres_per_unit,
        "cell": voxels.cell * k, "low": ends.min(axis=0).tolist(), "size": cells.shape,
        "palette": [f"#{bytes(c).hex()}" for c in voxels.palette], "counts": voxels.counts().tolist(),
        "runs": np.stack([layer, row, begin, end - begin, colour - 1], axis=1).tolist(),
    }  # fmt: skip
    return json.dumps(body, ensure_ascii=False, separators=(",", ":")).encode()
