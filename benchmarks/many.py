"""Many at once: a run on one core and on two, a run with nothing changed, a cluster's share of it; voxels beside trimesh's containment and
distances.

.venv/bin/python benchmarks/many.py [--goods 200] [--write docs/benchmarks-many.md]
"""

from __future__ import annotations

import argparse
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from idle import nothing
from tables import told

from customs.demo.hundreds import write_hundreds
from customs.geometry.closest import Surface
from customs.intake.scan import model_files
from customs.later import later
from customs.recipes.recipe import read_recipe
from customs.runs.children import Limits
from customs.runs.cluster import Remote
from customs.runs.run import Run
from customs.voxels.fill import frame_of, inside
from customs.voxels.shell import shell
from customs.work.asset import Request
from customs.work.recipes import requests_of

# Each asset's process imports this very file.
trimesh = later("trimesh")
Row = tuple[str, str, str]
SIDE, SAMPLE, SHELL_SAMPLE = 260, 2_000, 1_000
"""Cells along a side; middles that trimesh is asked about, its time reckoned up to all of them."""
SMALL = 60


def asked(folder: Path, out: Path) -> list[Request]:
    """Small props as GLB."""
    goods = [m for m in model_files([folder]) if m.path.parent.name not in ("broken", "shelf")]
    return requests_of(read_recipe(folder / "hundreds.toml"), goods, out)


def timed(made: Run) -> float:
    began = time.perf_counter()
    states = [t.row.state for t in made.results()]
    assert set(states) == {"done"}, states
    return time.perf_counter() - began


def runs(folder: Path, count: int) -> list[Row]:
    write_hundreds(folder / "goods", count)
    # What is loaded once for all runs is loaded before either.
    timed(Run(asked(folder / "goods", folder / "warm")[:4], folder / "warm", workers=2))
    took = {
        n: timed(Run(asked(folder / "goods", folder / f"out_{n}"), folder / f"out_{n}", workers=n))
        for n in (1, 2)
    }
    command = [sys.executable, "-m", "customs", "run", str(folder / "goods" / "hundreds.toml"), *map(str, sorted(p for p in (folder / "goods").iterdir() if p.is_dir() and p.name not in ("broken", "shelf"))),
               "--out", str(folder / "out_2")]  # fmt: skip
    again = []
    for _ in range(3):
        began = time.perf_counter()
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
        again.append(time.perf_counter() - began)
    return [
        (
            f"{count} small props, one process at a time {took[1]:.1f} s, two",
            f"{took[2]:.1f} s, {took[1] / took[2]:.2f} times as fast",
            "1.8",
        ),
        (f"the same run of {count} again, nothing changed (a new process)", f"{min(again):.2f} s", "2 s"),
    ]


def cluster(folder: Path) -> Row:
    """The median of three runs on this machine and of three on a local cluster, in turn."""
    requests = asked(folder / "goods", folder / "none")[:SMALL]
    limits, here, there = Limits(60.0), list[float](), list[float]()
    for k in range(3):
        here.append(timed(Run(requests, folder / f"here_{k}", limits, 2, nothing)))
        out = folder / f"there_{k}"
        out.mkdir()
        remote = Remote("local", limits, requests, out, 2, nothing)
        # Workers load what they need with their first assets.
        for request in requests[:4]:
            remote.start(request)
        while remote.running:
            list(remote.ended())
        there.append(timed(Run(requests, out, limits, 2 * remote.slots, nothing, remote)))
    usual, far = (statistics.median(each) / len(requests) * 1000 for each in (here, there))
    return (
        f"{SMALL} assets that take no time on two workers, {usual:.0f} ms each here",
        f"{far:.0f} ms each on a local cluster, {far - usual:+.1f} ms",
        "+20 ms",
    )


def voxels() -> list[Row]:
    mesh = trimesh.creation.torus(1.0, 0.35, major_sections=240, minor_sections=121)
    points, faces = np.asarray(mesh.vertices, float), np.asarray(mesh.faces)
    frame = frame_of(points, SIDE)
    inside(points, faces, frame)
    began = time.perf_counter()
    solid = inside(points, faces, frame)
    own = time.perf_counter() - began
    rng = np.random.default_rng(1)
    every = np.argwhere(np.ones(frame.shape, bool))
    some = every[rng.choice(len(every), SAMPLE, replace=False)]
    began = time.perf_counter()
    theirs = mesh.contains(frame.low + (some + 0.5) * frame.cell)
    whole = (time.perf_counter() - began) * len(every) / SAMPLE
    assert np.array_equal(theirs, solid[tuple(some.T)]), "the same cells"
    thickness, surface = 3 * frame.cell, Surface(points, faces)
    began = time.perf_counter()
    hollow = shell(solid, frame, surface, thickness)
    own_shell = time.perf_counter() - began
    filled = np.argwhere(solid)
    few = filled[rng.choice(len(filled), SHELL_SAMPLE, replace=False)]
    began = time.perf_counter()
    far = trimesh.proximity.closest_point(mesh, frame.low + (few + 0.5) * frame.cell)[1]
    shell_whole = (time.perf_counter() - began) * len(filled) / len(few)
    assert np.array_equal(far <= thickness, hollow[tuple(few.T)]), "the same shell"
    size = " × ".join(map(str, frame.shape))
    return [
        (
            f"{len(faces):,} triangles solid in {size}, trimesh {whole:.0f} s (from {SAMPLE:,} middles, all alike)",
            f"{own:.2f} s, {whole / own:,.0f} times as fast",
            "30",
        ),
        (
            f"the same as a shell, trimesh {shell_whole:.0f} s besides (from {len(few):,} middles, all alike)",
            f"{own_shell:.2f} s, {shell_whole / own_shell:,.0f} times as fast",
            "30",
        ),
    ]


def main() -> None:
    said = argparse.ArgumentParser(description=__doc__)
    said.add_argument("--goods", type=int, default=200)
    said.add_argument("--write", type=Path)
    given = said.parse_args()
    with tempfile.TemporaryDirectory(prefix="customs-many-") as name:
        folder = Path(name)
        rows = [*voxels(), *runs(folder, given.goods), cluster(folder)]
    told("Many at once", "`benchmarks/many.py`: two cores.", ("what", "measured", "goal"), rows, given.write)


if __name__ == "__main__":
    main()
