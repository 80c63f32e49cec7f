"""A level of many placements of few meshes: what each pass over it costs, and whole ports of it.

.venv/bin/python benchmarks/level.py [--places 100000] [--meshes 300] [--write docs/benchmarks-level.md]
"""

from __future__ import annotations

import argparse
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import trimesh

from customs.conventions.convert import change_convention
from customs.demo.shapes import box, joined, lathe
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.geometry.counts import counts
from customs.geometry.normals import corner_normals
from customs.ledger.facts import scene_facts
from customs.ledger.ledger import judge
from customs.motion.posing.bounds import world_bounds
from customs.planning.plan import fresh_route
from customs.route.route import evaluate
from customs.scene.arrays import frozen
from customs.scene.convention import Convention
from customs.scene.folding import row_worlds
from customs.scene.key import Key
from customs.scene.model import Material, Mesh, Node, Primitive, Scene
from customs.scene.placements import NOTHING, table
from customs.scene.prune import prune
from customs.scene.transforms import compose
from customs.scene.tree import world_matrices
from customs.work.lookup import find_sheet

DIGEST = "0123456789ab"
ROOMS = 50


def piece(rng: np.random.Generator, number: int) -> Mesh:
    """A planter: a box and a turned pot, corner by corner, with UVs."""
    shape = joined(
        [
            box(*rng.uniform(0.2, 1, 3)).moved(0, 0.5, 0),
            lathe([(0.05, 0), (0.3, 0.1), (0.2, rng.uniform(0.3, 1))], 8),
        ]
    )
    faces = shape.faces.astype(np.uint32)
    flat = faces.reshape(-1)
    points = frozen(shape.points[flat])
    prim = Primitive(
        Key(DIGEST, "primitive", number), points, indices=frozen(np.arange(len(flat)), np.uint32),
        normals=frozen(corner_normals(frozen(shape.points), faces, 40.0).reshape(-1, 3)), texcoords=(frozen(points[:, :2] * 0.5),),
        material=number % 12,
    )  # fmt: skip
    return Mesh(Key(DIGEST, "mesh", number), f"planter_{number:03d}", (prim,))


def level(places: int, meshes: int) -> Scene:
    """Rooms in rows, planters in rooms; turned about the upright, each of a size of its own."""
    rng = np.random.default_rng(1)
    rooms = [
        Node(
            Key(DIGEST, "node", 1 + k),
            f"room_{k:02d}",
            translation=np.array([k % 10 * 200.0, 0, k // 10 * 200.0]),
        )
        for k in range(ROOMS)
    ]
    hall = Node(Key(DIGEST, "node", 0), "hall", tuple(range(1, ROOMS + 1)))
    angle, size = rng.uniform(0, 2 * np.pi, places), rng.uniform(0.5, 2, places)
    at = np.stack([rng.uniform(-90, 90, places), np.zeros(places), rng.uniform(-90, 90, places)], axis=1)
    turns = np.stack([0 * angle, np.sin(angle / 2), 0 * angle, np.cos(angle / 2)], axis=1)
    rows = table(
        rng.integers(0, meshes, places), compose(at, turns, np.repeat(size[:, None], 3, axis=1)), 1 + np.arange(places) % ROOMS,
        ROOMS + 1 + np.arange(places), tuple(f"place_{k:06d}" for k in range(places)),
    )  # fmt: skip
    materials = tuple(Material(Key(DIGEST, "material", k), f"glaze_{k:02d}", base_colour=(k / 12, 0.5, 0.4, 1.0), metallic=0.0)
                      for k in range(12))  # fmt: skip
    return Scene(
        "level",
        DIGEST,
        (hall, *rooms),
        (0,),
        tuple(piece(rng, k) for k in range(meshes)),
        materials,
        placements=rows,
    )


def of_parts(scene: Scene) -> Scene:
    """The level with its planters in pairs, each pair under a row of its own that shows nothing and stands
    where the first did.
    """
    rows, third = scene.placements, len(scene.placements) // 3
    pair, upper = np.arange(2 * third) // 2, np.arange(third)
    own = np.tile(np.eye(4)[:3], (2 * third, 1, 1))
    own[:, 0, 3] = np.tile([-0.5, 0.5], third)
    parts = table(
        np.concatenate([np.full(third, NOTHING), rows.of[: 2 * third]]), np.concatenate([rows.matrices[:third], own]),
        np.concatenate([rows.parents[:third], np.full(2 * third, -1)]), rows.ordinals[: 3 * third], rows.names[: 3 * third],
        np.concatenate([np.full(third, -1), upper[pair]]),
    )  # fmt: skip
    # All pairs show the same two, or each would be a thing of its own.
    first = np.arange(third) % (len(scene.meshes) // 2) * 2
    return replace(
        scene, placements=parts.showing(lambda shown: np.stack([first, first + 1], axis=1).reshape(-1))
    )


def timed(work: Callable[[], object]) -> float:
    """Seconds of the quickest of three."""
    out = []
    for _ in range(3):
        began = time.perf_counter()
        work()
        out.append(time.perf_counter() - began)
    return min(out)


def passes(path: Path) -> list[tuple[str, float, str]]:
    """(what, seconds, goal) of every pass over the level."""
    scene, sheet = read_scene(Source(path)), find_sheet("metre-yup-pbr")

    def again() -> Scene:
        return replace(scene, placements=replace(scene.placements))

    def judged() -> float:
        fresh = again()
        passed = evaluate(fresh, DIGEST, fresh_route(None))
        began = time.perf_counter()
        judge(fresh, passed, sheet)
        return time.perf_counter() - began

    return [
        ("read", timed(lambda: read_scene(Source(path))), ""),
        ("world matrices", timed(lambda: (world_matrices(s := again()), row_worlds(s))), "≤ 0.3 s"),
        ("bounds", timed(lambda: world_bounds(again())), "≤ 0.3 s"),
        (
            "other axes and unit",
            timed(lambda: change_convention(again(), Convention("+Z", "-Y", metres_per_unit=0.01))),
            "≤ 0.3 s",
        ),
        ("prune", timed(lambda: prune(again())), "≤ 0.3 s"),
        ("counts", timed(lambda: counts(again())), "≤ 0.3 s"),
        (
            "facts: triangles, vertices",
            timed(lambda: (scene_facts(s := again()).triangles, scene_facts(s).vertices)),
            "",
        ),
        ("all requirements", min(judged() for _ in range(3)), "< 5 s"),
        ("trimesh reads the file", timed(lambda: trimesh.load(path, process=False)), "for comparison"),
    ]


def port(path: Path, sheet: str, out: Path) -> tuple[str, float, str]:
    """A whole port by the command line."""
    began = time.perf_counter()
    done = subprocess.run([sys.executable, "-m", "customs", "port", str(path), "--to", sheet, "--out", str(out), "--replace"],
                          capture_output=True, text=True)  # fmt: skip
    took = time.perf_counter() - began
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1e6
    said = (
        "landed and accepted" if "accepted" in done.stdout else "held" if "held" in done.stdout else "failed"
    )
    return f"customs port to {sheet}: {said}, {most:.2f} GB at most", took, "< 60 s, < 2 GB"


def measured(scene: Scene, path: Path) -> list[str]:
    """The table of a level."""
    write = get_format("glb").write
    assert write is not None
    path.write_bytes(b"".join(bytes(p) for p in write(scene, WriteOptions(path.stem))[".glb"]))
    rows = passes(path) + [
        port(path, sheet, path.parent / "out") for sheet in ("metre-yup-pbr", "one-mesh-kit")
    ]
    return [
        "| pass | seconds | goal |",
        "|---|---|---|",
        *(f"| {what} | {took:.2f} | {goal} |" for what, took, goal in rows),
    ]


def main() -> None:
    """Measure and print the table."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--places", type=int, default=100_000)
    parser.add_argument("--meshes", type=int, default=300)
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="customs-level-") as name:
        whole = level(asked.places, asked.meshes)
        lines = [f"{asked.places:,} placements of {asked.meshes} meshes; the quickest of three.", ""]
        lines += measured(whole, Path(name) / "level.glb")
        lines += ["", "The same as things of two parts each, that hang under a row of their own:", ""]
        lines += measured(of_parts(whole), Path(name) / "parts.glb")
    print("\n".join(lines))
    if asked.write is not None:
        asked.write.write_text("# A level\n\nMade by `benchmarks/level.py`.\n\n" + "\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
