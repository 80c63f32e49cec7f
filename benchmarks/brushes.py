"""Brush levels of 1,000 and 20,000 brushes, beside Qhull on the same solids; a floor plan of the level of 100,000 placements; the cut
handle.

.venv/bin/python benchmarks/brushes.py [--folder FOLDER] [--write docs/benchmarks-brushes.md]
"""

from __future__ import annotations

import argparse
import tempfile
import time
from pathlib import Path

import numpy as np
from scipy.spatial import HalfspaceIntersection
from tables import told

from customs.changes.snapshot import make_snapshot, snapshot_of
from customs.conventions.convert import change_convention
from customs.demo.court_brushes import INCH, brush
from customs.demo.estate import write_estate
from customs.floorplan.compose import sheets
from customs.floorplan.picture import drawn
from customs.formats.brushes.read import planes_of
from customs.formats.brushes.text import parse
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.solids import solids
from customs.grounds.heights import heights_of
from customs.grounds.openings import Opening
from customs.grounds.overlaps import cut_away
from customs.grounds.regions import with_region
from customs.grounds.storeys import building, storeys_of
from customs.grounds.things import things_of
from customs.levels.mapping import OWN
from customs.picture.camera import framing
from customs.picture.icon import aside
from customs.picture.look import Look, Shot
from customs.scene.convention import WORKING
from customs.scene.floor_plan import FloorPlan
from customs.work.levels import composed

Row = tuple[str, str, str]


def level_text(count: int) -> str:
    """Boxes on a grid of 16 inches, many of them touching, of 60 textures."""
    rng = np.random.default_rng(count)
    low = rng.integers(0, 300, (count, 3)) * 16 * INCH
    size = rng.choice([16, 32, 64, 128], (count, 3)) * INCH
    rows = (brush((a, a + b), f"wall_{k % 60}") for k, (a, b) in enumerate(zip(low, size)))
    return '{\n"classname" "world"\n' + "".join(rows) + "}\n"


def brushes(folder: Path, count: int, goal: str) -> list[Row]:
    path = folder / f"{count}.map"
    path.write_text(level_text(count), "utf-8")
    read_scene(Source(path))
    began = time.perf_counter()
    scene = read_scene(Source(path))
    whole = time.perf_counter() - began
    triangles = sum(len(p.indices) // 3 for m in scene.meshes for p in m.primitives if p.indices is not None)
    text = parse(path.read_text("utf-8"))
    normals, far, _ = planes_of(text)
    starts = np.searchsorted(text.brush, np.arange(count + 1))
    planes = np.concatenate([normals, far[:, None]], axis=1)
    began = time.perf_counter()
    found = solids(planes, starts)
    own = time.perf_counter() - began
    middles = np.add.reduceat(found.points, np.searchsorted(found.plane, starts[:-1]) * 4) / 24
    began = time.perf_counter()
    for k in range(count):
        rows = planes[starts[k] : starts[k + 1]]
        HalfspaceIntersection(np.c_[rows[:, :3], -rows[:, 3]], middles[k])
    theirs = time.perf_counter() - began
    return [
        (f"{count:,} brushes read, tight ({triangles:,} triangles)", f"{whole:.2f} s", goal),
        (
            f"{count:,} solids; by Qhull (scipy) one by one {theirs:.2f} s",
            f"{own:.2f} s, {theirs / own:.1f} times as fast",
            "",
        ),
    ]


def plans(folder: Path) -> list[Row]:
    listed, library = write_estate(folder)
    level = composed([listed], OWN, [library])
    raw = level.scene()
    scene = change_convention(raw, WORKING, raw.convention)
    began = time.perf_counter()
    heights_of(building(scene))
    storeys_of(scene)
    storeys = time.perf_counter() - began
    sheet = sheets(scene, FloorPlan(scale=500), "estate", False)[0]
    began = time.perf_counter()
    drawn(building(scene), sheet.frame, 4000, 4000)
    picture = time.perf_counter() - began
    things = sheet.frame
    orbit = framing((-60, 0, -60), (60, 10, 60), 750 / 450)

    def moving(renderer: object) -> float:
        took = []
        for k in range(30):
            shot = Shot(scene, orbit, 450, 270, Look(smooth=False), cut=things.bottom + 0.2 * k)
            began = time.perf_counter()
            renderer.render(shot)  # type: ignore[attr-defined]
            took.append(time.perf_counter() - began)
        return float(np.median(took[10:]))

    seconds = aside(moving)
    return [
        ("storeys of 100,000 placements", f"{storeys:.1f} s", ""),
        ("floor plan of them, 4,000 × 4,000", f"{picture:.1f} s", "20 s"),
        ("the cut follows the hand", f"{1 / seconds:.1f} times a second", "8"),
    ]


def regions(folder: Path) -> list[Row]:
    """A level of 100,000 placements joined to itself along a seam of 600 m, 5 m of it in both."""
    raw = composed([write_estate(folder)[0]], OWN, [write_estate(folder)[1]]).scene()
    level = change_convention(raw, WORKING, raw.convention)
    began = time.perf_counter()
    name, data, _ = make_snapshot(level, level=True)
    other = snapshot_of(name, "estate", {name: data})
    kept = time.perf_counter() - began
    things = things_of(level)
    low, high = np.nanmin(things.low, axis=0), np.nanmax(things.high, axis=0)
    place = np.eye(4)
    place[0, 3] = high[0] - low[0] - 5
    opening = Opening(
        np.array([high[0] - 2.5, low[1], (low[2] + high[2]) / 2]), np.array([1.0, 0, 0]), 2.0, 3.0
    )
    began = time.perf_counter()
    both, number = with_region(level, other, place, "estate")
    joined = time.perf_counter() - began
    began = time.perf_counter()
    _, cut = cut_away(both, number, opening)
    return [
        ("a region of 100,000 placements kept as it was", f"{kept:.1f} s", ""),
        ("and joined to as many", f"{joined:.2f} s", ""),
        (
            f"{cut.own + cut.theirs + cut.doubled:,} faces in both found and cut away",
            f"{time.perf_counter() - began:.1f} s",
            "",
        ),
    ]


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--folder", type=Path)
    parser.add_argument("--write", type=Path)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        rows = (
            brushes(Path(place), 1_000, "1 s")
            + brushes(Path(place), 20_000, "10 s")
            + plans(args.folder or Path(place) / "estate")
            + regions(args.folder or Path(place) / "estate")
        )
    told(
        "Brushes and plans",
        "`benchmarks/brushes.py`: boxes on a grid, many touching; drawn by software GL.",
        ("what", "measured", "goal"),
        rows,
        args.write,
    )


if __name__ == "__main__":
    main()
