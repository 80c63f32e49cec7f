"""A level from straight above, cut at a height, tile by tile, so that a picture may be as large as it likes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.errors import LimitError
from customs.floorplan.compose import Sheet
from customs.floorplan.files import INCH
from customs.floorplan.frame import Frame
from customs.grounds.things import things_of
from customs.job import Job
from customs.picture.camera import Above
from customs.picture.icon import aside
from customs.picture.look import Look, Shot, Veil, lit_by
from customs.scene.floor_plan import FloorPlan
from customs.scene.key import Key
from customs.scene.model import Scene

Pixels = npt.NDArray[np.uint8]
TILE = 2000
UNDER = 0.05
"""Metres that are drawn below what is looked at, so that what lies in its lowest plane is."""
LARGEST, MOST_PIXELS = 30_000, 250_000_000
"""Pixels of the longest edge, and of the whole."""


def veil_without(scene: Scene, hidden: Iterable[str]) -> Veil | None:
    """The scene without the things of some Keys."""
    wanted: set[int] = set()
    keys = set(hidden)
    for text in keys:
        try:
            key = Key.parse(text)
        except ValueError:
            continue
        if key.kind == "node" and key.digest == scene.digest and not key.path:
            wanted.add(key.ordinal)
    rows = np.isin(scene.placements.ordinals, np.fromiter(wanted, np.int64, len(wanted)))
    nodes = frozenset(n for n, node in enumerate(scene.nodes) if str(node.key) in keys)
    if not rows.any() and not nodes:
        return None
    return Veil(rows, np.zeros(len(rows), bool), nodes)


def shots(
    scene: Scene, frame: Frame, width: int, height: int, brightness: float, veil: Veil | None
) -> Iterator[tuple[int, int, Shot]]:
    """(left, top, the shot) of every tile of a picture, all of one size. Raises LimitError."""
    if max(width, height) > LARGEST or width * height > MOST_PIXELS:
        raise LimitError(
            f"a picture of {width:,} × {height:,} pixels",
            f"at most {LARGEST:,} an edge and {MOST_PIXELS:,} in all",
            "Ask for fewer pixels.",
        )
    metres, edge = frame.high / height, min(TILE, max(width, height))
    towards, strengths = lit_by("even", (0.0, 1.0, 0.0))
    lit = towards, tuple(brightness * s for s in strengths)
    right, up = Above(yaw=frame.turn).sides()
    # Down to the ground: what is cut open is seen to be solid by the back of its lower end.
    reach = max((frame.cut - min(frame.bottom, _lowest(scene))) / 2 + UNDER, 1e-3)
    level = frame.cut - reach
    for top in range(0, height, edge):
        for left in range(0, width, edge):
            across = (left + edge / 2) * metres - frame.wide / 2
            along = frame.high / 2 - (top + edge / 2) * metres
            at = np.array([frame.middle[0], level, frame.middle[1]]) + right * across + up * along
            orbit = Above(
                target=(float(at[0]), level, float(at[2])), distance=reach, yaw=frame.turn, span=edge * metres
            )
            look = Look(grid=False, transparent=True)
            seen = Shot(scene, orbit, edge, edge, look, lit=lit, veil=veil, cut=frame.cut)  # type: ignore[arg-type]
            yield left, top, replace(seen, below=frame.bottom - UNDER)


def _lowest(scene: Scene) -> float:
    """Metres of the lowest thing that is shown."""
    low = things_of(scene).low[:, 1]
    return float(low[np.isfinite(low)].min(initial=np.inf))


def drawn(scene: Scene, frame: Frame, width: int, height: int, brightness: float = 1.0, veil: Veil | None = None, job: Job | None = None) -> Pixels:  # fmt: skip
    """(height, width, 4) the picture, clear where nothing is. Raises LimitError, Cancelled, ToolError where there is no OpenGL."""
    job = job or Job()
    out = np.zeros((height, width, 4), np.uint8)
    every = list(shots(scene, frame, width, height, brightness, veil))
    for k, (left, top, shot) in enumerate(every):
        job.check()
        job.progress(k / len(every), "Drawing the plan")
        tile = aside(lambda renderer, shot=shot: renderer.render(shot))  # type: ignore[misc]
        part = out[top : top + len(tile), left : left + len(tile)]
        part[:] = tile[: part.shape[0], : part.shape[1]]
    return out


def drawn_page(scene: Scene, plan: FloorPlan, page: Sheet, dots: float, job: Job | None = None) -> Pixels:
    """The picture (H, W, 4) of a page of a building (`grounds.storeys.building`) at `dots` an inch of paper. Raises as `drawn`."""
    width, height = (max(1, round(mm / INCH * dots)) for mm in page.page.picture[2:])
    veil = veil_without(scene, plan.hidden)
    return drawn(scene, page.frame, width, height, plan.brightness, veil, job)
