"""What hands wait for on a large asset: a lasso, growing, taking hold, a soft move drawn while it is dragged.

.venv/bin/python benchmarks/by_hand.py [--write docs/benchmarks-by-hand.md]
"""

from __future__ import annotations

import argparse
import os
import statistics
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("LP_NUM_THREADS", str(max(1, (os.cpu_count() or 2) - 1)))

import numpy as np
import trimesh
from tables import told

from customs.changes.soft import Pull
from customs.picture.camera import Orbit, framing
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Scene
from customs.work.by_hand import Chooser, SoftHold

TIMES = 12


def ball(triangles: int) -> Scene:
    """A ball of about that many triangles with normals and UVs."""
    rows = int(np.sqrt(triangles / 8))
    made = trimesh.creation.uv_sphere(count=[rows, rows * 2])
    uv = made.vertices[:, :2] * 0.5 + 0.5
    prim = Primitive(
        Key("ball", "primitive", 0), frozen(made.vertices), indices=frozen(made.faces.reshape(-1), np.uint32),
        normals=frozen(made.vertex_normals), texcoords=(frozen(uv),),
    )  # fmt: skip
    mesh, node = Mesh(Key("ball", "mesh", 0), "ball", (prim,)), Node(Key("ball", "node", 0), "ball", mesh=0)
    return Scene("ball", "ball", (node,), (0,), (mesh,))


def took(action: Callable[[int], object], times: int = TIMES) -> float:
    """Median seconds of an action given how often it was done before."""
    out = []
    for k in range(times):
        began = time.perf_counter()
        action(k)
        out.append(time.perf_counter() - began)
    return statistics.median(out)


def main() -> None:
    """Print the table, and write it where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    scene = ball(200_000)
    low, high = np.array([-1.0] * 3), np.array([1.0] * 3)
    orbit, size = framing(low, high, 0.85, Orbit()), (346, 404)
    turn = np.linspace(0, 2 * np.pi, 120, endpoint=False)
    ring = np.stack([173 + 90 * np.cos(turn), 150 + 70 * np.sin(turn)], axis=1)
    began = time.perf_counter()
    chooser = Chooser(scene)
    first = time.perf_counter() - began
    chooser.lasso(orbit, size, ring)
    rows = [
        ("triangles", f"{len(chooser.mask):,}", ""),
        ("the asset made ready for choosing, once", f"{first:.3f} s", ""),
        ("a lasso of 120 points", f"{took(lambda _: chooser.lasso(orbit, size, ring)):.3f} s", "< 0.2 s"),
        ("its count, area and marks", f"{took(lambda _: (chooser.words(), chooser.hanging(), chooser.marks())):.3f} s", ""),
        ("a ring more", f"{took(lambda _: chooser.grow(1), 4):.3f} s", ""),
    ]  # fmt: skip
    chooser.beside((0, 0.97, 0), (0, 1, 0))
    began = time.perf_counter()
    hold = SoftHold(chooser, chooser.mask, 0.3, False)
    rows.append(
        ("taking hold of a spot, what follows it 0.3 m along", f"{time.perf_counter() - began:.3f} s", "")
    )
    renderer = Renderer()

    def drawn(k: int) -> None:
        moved = hold.at(Pull((0.0, 0.01 * k, 0.0), reach=0.3))
        renderer.render(Shot(moved, orbit, int(size[0] * 0.6), int(size[1] * 0.6), Look(smooth=False)))

    drawn(0)
    rows.append(("a soft move drawn, software driver", f"{1 / took(drawn):.1f} a second", "≥ 12"))
    about = "Made by `benchmarks/by_hand.py`, on one core of the machine for pictures."
    told("By hand", about, ("what", "measured", "goal"), rows, asked.write)


if __name__ == "__main__":
    main()
