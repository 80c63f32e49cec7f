"""Speed as ratios measured in one run, against floors and named libraries on the same files.

    .venv/bin/python benchmarks/run.py [--write docs/benchmarks.md]

Medians of five after one warm-up; a floor is a file read, a raw write, a memcpy or a gather of the same
bytes.
"""

from __future__ import annotations

import argparse
import importlib.metadata
import os
import platform
import statistics
import subprocess
import sys
import sysconfig
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import trimesh

from customs.conventions.convert import convert
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.geometry.normals import corner_normals, smooth_normals
from customs.geometry.shells import shells
from customs.geometry.sides import turned_inward
from customs.geometry.tangents import vertex_tangents
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.ledger.ledger import judge
from customs.planning.plan import fresh_route
from customs.route.route import evaluate
from customs.scene.arrays import frozen
from customs.scene.kept import forget_all
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Scene
from customs.work.lookup import find_sheet

ROUNDS = 5


@dataclass
class Line:
    """One measurement: ours against a floor or a library."""

    work: str
    against: str
    ours: float
    theirs: float
    goal: str

    def row(self) -> str:
        """A row of the table."""
        ratio = self.ours / self.theirs
        shown = f"{ratio:.2f} × floor" if self.against.startswith("floor") else f"{1 / ratio:.1f} × as fast"
        return f"| {self.work} | {self.ours * 1000:.0f} ms | {self.against} {self.theirs * 1000:.0f} ms | {shown} | {self.goal} |"


def median(work: Callable[[], object]) -> float:
    """Seconds, median of ROUNDS after one warm-up."""
    work()
    times = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def in_turn(*works: Callable[[], object], rounds: int = 31) -> tuple[float, ...]:
    """Seconds of each, medians of rounds in which all take their turn: a slow spell of the machine falls on
    all of them.
    """
    times: list[list[float]] = [[] for _ in works]
    for k in range(rounds + 1):
        for work, mine in zip(works, times):
            start = time.perf_counter()
            work()
            if k:
                mine.append(time.perf_counter() - start)
    return tuple(statistics.median(t) for t in times)


def blob(vertices: int) -> Scene:
    """A wavy ball of about that many vertices with normals and UVs."""
    columns = int(np.sqrt(vertices * 2))
    rows = vertices // columns
    v, u = np.meshgrid(
        np.linspace(0.01, np.pi - 0.01, rows), np.linspace(0, 2 * np.pi, columns), indexing="ij"
    )
    r = 1 + 0.1 * np.sin(7 * u) * np.sin(5 * v)
    points = frozen(
        np.stack([r * np.sin(v) * np.cos(u), r * np.cos(v), r * np.sin(v) * np.sin(u)], axis=2).reshape(-1, 3)
    )
    i, j = np.meshgrid(np.arange(rows - 1), np.arange(columns - 1), indexing="ij")
    a = (i * columns + j).reshape(-1)
    faces = np.concatenate(
        [np.stack([a, a + 1, a + columns], 1), np.stack([a + 1, a + columns + 1, a + columns], 1)]
    )
    indices = frozen(faces.reshape(-1), np.uint32)
    uvs = frozen(np.stack([u, v], axis=2).reshape(-1, 2) / np.pi)
    prim = Primitive(
        Key("b" * 12, "primitive", 0), points, indices=indices, texcoords=(uvs,),
        normals=frozen(smooth_normals(points, indices.reshape(-1, 3))),
    )  # fmt: skip
    mesh = Mesh(Key("b" * 12, "mesh", 0), "blob", (prim,))
    return Scene(
        "blob", "b" * 12, (Node(Key("b" * 12, "node", 0), "blob", mesh=0),), (0,), (mesh,), format="glb"
    )


def write(scene: Scene, path: Path) -> None:
    """Write a scene to `path`."""
    entry = get_format(path.suffix.lstrip("."))
    assert entry.write is not None
    for ending, parts in entry.write(scene, WriteOptions(path.stem)).items():
        with path.with_suffix(ending).open("wb") as out:
            out.writelines(parts)


def raw_write(data: bytes, path: Path) -> None:
    """The floor of writing."""
    with path.open("wb") as out:
        out.write(data)


def assimp(path: Path) -> Callable[[], object]:
    """Reading with assimp's own program (its start, a few milliseconds, is in it)."""
    program = str(Path(sysconfig.get_path("scripts")) / "assimp")
    return lambda: subprocess.run([program, "info", str(path), "--raw"], capture_output=True, check=True)


def files(scene: Scene, label: str, folder: Path, goal: str) -> list[Line]:
    """GLB read and write of one size."""
    glb = folder / f"{label}.glb"
    write(scene, glb)
    data = glb.read_bytes()
    read = median(lambda: read_scene(Source(glb)))
    writing = median(lambda: write(scene, folder / "out.glb"))
    judge_mesh = trimesh.load(glb, process=False, force="mesh")
    return [
        Line(f"GLB read, {label} vertices", "floor: file read", read, median(glb.read_bytes), goal),
        Line(
            f"GLB read, {label} vertices",
            "trimesh",
            read,
            median(lambda: trimesh.load(glb, process=False)),
            "≥ 10 × trimesh",
        ),
        Line(f"GLB read, {label} vertices", "assimp", read, median(assimp(glb)), ""),
        Line(
            f"GLB write, {label} vertices",
            "floor: raw write",
            writing,
            median(lambda: raw_write(data, folder / "raw")),
            "≤ 2 × floor",
        ),
        Line(
            f"GLB write, {label} vertices",
            "trimesh",
            writing,
            median(lambda: judge_mesh.export(folder / "t.glb")),
            "≥ 10 × trimesh",
        ),
    ]


def obj(scene: Scene, label: str, folder: Path) -> list[Line]:
    """OBJ read of one size."""
    path = folder / f"{label}.obj"
    write(scene, path)
    ours = median(lambda: read_scene(Source(path)))
    return [
        Line(
            f"OBJ read, {label} vertices",
            "trimesh",
            ours,
            median(lambda: trimesh.load(path, process=False)),
            "≥ 8 × trimesh",
        ),
        Line(f"OBJ read, {label} vertices", "assimp", ours, median(assimp(path)), "≥ 3 × assimp with join"),
    ]


def kernels(folder: Path) -> Line:
    """Compiling all kernels into an empty cache, against starting Python with the compiler alone."""

    def cold() -> None:
        with tempfile.TemporaryDirectory(dir=folder) as place:
            env = os.environ | {"CUSTOMS_CACHE": place}
            subprocess.run(
                [sys.executable, "-m", "customs.kernels"], env=env, capture_output=True, check=True
            )

    def bare() -> None:
        subprocess.run([sys.executable, "-c", "import numba"], check=True)

    return Line("Kernels compiled, once", "floor: python -c 'import numba'", once(cold), once(bare), "")


def once(work: Callable[[], object]) -> float:
    """Seconds of one go."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def numbers(scene: Scene) -> list[Line]:
    """Change of convention, normals, tangents."""
    prim = scene.meshes[0].primitives[0]
    faces = triangles_of(prim)
    p = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
    bare = replace(
        scene, meshes=(replace(scene.meshes[0], primitives=(replace(prim, normals=None, texcoords=()),)),)
    )
    copy = median(lambda: prim.positions.copy())
    gather = median(lambda: prim.positions.take(faces.reshape(-1), axis=0))
    change = median(lambda: convert(bare, p, 0.01))
    normals = median(lambda: smooth_normals(prim.positions, faces))
    assert prim.normals is not None

    def everything() -> None:
        turned = convert(scene, p, 0.01).meshes[0].primitives[0]
        made = smooth_normals(turned.positions, faces)
        vertex_tangents(turned.positions, made, turned.texcoords[0], faces)

    def theirs() -> object:
        mesh = trimesh.Trimesh(prim.positions, faces, process=False)
        return mesh.vertex_normals

    matrix = np.eye(4)
    matrix[:3, :3] = p * 0.01
    judge_mesh = trimesh.Trimesh(prim.positions, faces, process=False)
    return [
        Line("Convention, 1M vertices", "floor: memcpy", change, copy, "≤ 6 × floor"),
        Line(
            "Convention, 1M vertices",
            "trimesh",
            change,
            median(lambda: judge_mesh.copy().apply_transform(matrix)),
            "",
        ),
        Line("Normals, 2M triangles", "floor: gather", normals, gather, "≤ 4 × floor"),
        Line("Normals, 2M triangles", "trimesh", normals, median(theirs), "≥ 8 × trimesh"),
        Line("Convention, normals, tangents", "floor: gather", median(everything), gather, "≤ 14 × floor"),
        *faces_and_corners(prim.positions, faces, gather),
    ]


def faces_and_corners(points: npt.NDArray[Any], faces: npt.NDArray[Any], gather: float) -> list[Line]:
    """Compiled loops over two million triangles, each with nothing remembered."""
    sort = median(lambda: np.sort(faces.reshape(-1)))
    place = groups_of_rows(points)[faces]

    def by_angle() -> None:
        forget_all()
        corner_normals(points, faces, 40.0)

    def inside_out() -> None:
        forget_all()
        turned_inward(points, faces)

    angle, parts, wholly = median(by_angle), median(lambda: shells(place)), median(inside_out)
    return [
        Line("Normals smooth by angle, 2M triangles", "floor: gather", angle, gather, "≤ 12 × floor"),
        Line("Parts and winding, 2M triangles", "floor: sort of corners", parts, sort, "≤ 5 × floor"),
        Line("Faces turned inward, 2M triangles", "floor: sort of corners", wholly, sort, ""),
    ]


def ledger(scene: Scene) -> list[Line]:
    """Every requirement on a million vertices, nothing remembered, against one sort of its corners."""
    sheet = find_sheet("metre-yup-pbr")
    passed = evaluate(scene, "d", fresh_route(None))
    faces = triangles_of(scene.meshes[0].primitives[0])

    def all_of_it() -> None:
        forget_all()
        judge(scene, passed, sheet)

    return [
        Line(
            "Ledger, 1M vertices",
            "floor: sort of corners",
            median(all_of_it),
            median(lambda: np.sort(faces.reshape(-1))),
            "≤ 12 × floor",
        )
    ]


def command(*words: str) -> Callable[[], object]:
    """The command line, process start and all."""
    return lambda: subprocess.run([sys.executable, "-m", "customs", *words], capture_output=True, check=False)


def starting() -> list[Line]:
    """How long it takes to start, against starting Python with numpy alone."""
    bare = median(lambda: subprocess.run([sys.executable, "-c", "import numpy"], check=True))
    return [
        Line(f"customs {word}", "python -c 'import numpy'", median(command(word)), bare, "≤ 2.5 ×")
        for word in ("--help", "sheets")
    ]


def port(scene: Scene, large: Scene, folder: Path) -> list[Line]:
    """The whole command, process start and all, against what others take for the same file: assimp's
    conversion of it, and trimesh's load, normals and export of a large one without normals.
    """
    path, bare = folder / "port.glb", folder / "bare.glb"
    write(scene, path)
    mesh = large.meshes[0]
    prim = replace(mesh.primitives[0], normals=None, tangents=None)
    write(replace(large, meshes=(replace(mesh, primitives=(prim,)),)), bare)
    program = str(Path(sysconfig.get_path("scripts")) / "assimp")
    to = ("--to", "metre-yup-pbr", "--out", str(folder / "ported"), "--replace", "--json")
    ours, ours_large = command("port", str(path), *to), command("port", str(bare), *to)

    def load_and_export() -> None:
        made = trimesh.load(bare, process=False, force="mesh")
        assert len(made.vertex_normals) == len(prim.positions)
        made.export(folder / "t.glb")

    def theirs() -> None:
        subprocess.run(
            [program, "export", str(path), str(folder / "theirs.glb"), "-fglb2"],
            capture_output=True,
            check=True,
        )

    small, great = median(ours), median(ours_large)
    return [
        Line("customs port, 100k vertices, whole command", "assimp export", small, median(theirs), "≤ 1.5 s"),
        Line(
            "customs port, 1M vertices, whole command", "trimesh", great, median(load_and_export), "≤ 1.3 ×"
        ),
        *starting(),
    ]


def table(lines: list[Line]) -> str:
    """The report, with versions."""
    versions = ", ".join(
        f"{n} {importlib.metadata.version(n)}"
        for n in ("numpy", "scipy", "trimesh", "cmeel-assimp", "pillow")
    )
    head = [
        "# Benchmarks",
        "",
        f"Made by `benchmarks/run.py` on {os.cpu_count()} cores, Python {platform.python_version()}, {versions}.",
        f"Medians of {ROUNDS} after one warm-up, in one run; the machine is small and noisy (about 30 %), so read the ratios.",
        "",
        "| work | ours | against | ratio | goal |",
        "|---|---|---|---|---|",
    ]
    return "\n".join([*head, *(line.row() for line in lines)]) + "\n"


def main() -> None:
    """Measure and print, and write where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    parser.add_argument("--only", choices=["files", "obj", "numbers", "ledger", "port"])
    options = parser.parse_args()
    small, half, large = blob(100_000), blob(500_000), blob(1_000_000)
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        parts: dict[str, Callable[[], list[Line]]] = {
            "files": lambda: (
                files(small, "100k", folder, "≤ 4 × floor") + files(large, "1M", folder, "≤ 2.5 × floor")
            ),
            "obj": lambda: [*obj(small, "100k", folder), *obj(half, "500k", folder), kernels(folder)],
            "numbers": lambda: numbers(large),
            "ledger": lambda: ledger(large),
            "port": lambda: port(small, large, folder),
        }
        lines = [line for name, part in parts.items() if options.only in (None, name) for line in part()]
    text = table(lines)
    print(text)
    if options.write:
        options.write.write_text(text, "utf-8")


if __name__ == "__main__":
    main()
