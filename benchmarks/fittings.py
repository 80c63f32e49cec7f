"""Fittings at size: an order of collapses for a million triangles, the slider after it, a least box of a million points, an icon.

.venv/bin/python benchmarks/fittings.py [--write docs/benchmarks-fittings.md]
"""

from __future__ import annotations

import argparse
import os
import time
from pathlib import Path

os.environ.setdefault("LP_NUM_THREADS", str(max(1, (os.cpu_count() or 2) - 1)))

import numpy as np
import trimesh
from scipy.spatial import ConvexHull
from tables import told, took

from customs.changes.coarser import coarser_of
from customs.geometry.bodies import least_box
from customs.picture.icon import drawn
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Mesh, MorphTarget, Node, Primitive, Scene
from customs.scene.wishes import PictureWish
from customs.work.fittings import Coarsening


def torus(triangles: int) -> Scene:
    """A closed ring of about so many triangles with normals, a UV seam, weights of eight joints and a morph target."""
    rows = int(np.sqrt(triangles / 4))
    u, v = np.meshgrid(np.linspace(0, 1, 2 * rows + 1), np.linspace(0, 1, rows + 1), indexing="ij")
    a, b = 2 * np.pi * (u % 1), 2 * np.pi * (v % 1)
    normals = np.stack([np.cos(b) * np.cos(a), np.sin(b), np.cos(b) * np.sin(a)], -1).reshape(-1, 3)
    points = normals * 0.3 + np.stack([np.cos(a), 0.05 * np.sin(5 * a), np.sin(a)], -1).reshape(-1, 3)
    at = np.arange(u.size).reshape(u.shape)
    p, q, r, s = at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]
    faces = np.concatenate([np.stack([p, r, q], -1).reshape(-1, 3), np.stack([p, s, r], -1).reshape(-1, 3)])
    ring = u.reshape(-1) * 8
    joints = np.stack([ring % 8, (ring + 1) % 8], -1).astype(np.uint16)
    weights = np.stack([1 - ring % 1, ring % 1], -1).astype(np.float32)
    wide = lambda x: np.concatenate([x, np.zeros_like(x)], axis=1)  # noqa: E731
    prim = Primitive(
        Key("ring", "primitive", 0), frozen(points.astype(np.float32)), indices=frozen(faces.reshape(-1), np.uint32),
        normals=frozen(normals.astype(np.float32)), texcoords=(frozen(np.stack([u * 6, v * 2], -1).reshape(-1, 2).astype(np.float32)),),
        joints=frozen(wide(joints), np.uint16), weights=frozen(wide(weights)),
        targets=(MorphTarget(positions=frozen((normals * np.sin(5 * a.reshape(-1, 1)) * 0.05).astype(np.float32))),),
    )  # fmt: skip
    mesh, node = Mesh(Key("ring", "mesh", 0), "ring", (prim,)), Node(Key("ring", "node", 0), "ring", mesh=0)
    return Scene("ring", "ring", (node,), (0,), (mesh,))


def simplified(mesh: Mesh, least: int) -> float:
    """Seconds until a tenth of a mesh's triangles is there, from an order down to `least`."""
    began = time.perf_counter()
    found = coarser_of(mesh, least=least)
    assert found is not None
    found.parts_after(found.order.steps_for(100_000))
    return time.perf_counter() - began


def main() -> None:
    """Print the table, and write it where asked."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--write", type=Path)
    asked = parser.parse_args()
    coarser_of(torus(2_000).meshes[0])
    scene = torus(1_000_000)
    prim = scene.meshes[0].primitives[0]
    flat = prim.indices
    assert (
        flat is not None and prim.normals is not None and prim.joints is not None and prim.weights is not None
    )
    arrays = (
        prim.positions,
        prim.normals,
        prim.texcoords[0],
        prim.joints,
        prim.weights,
        prim.targets[0].positions,
    )
    gather = took(lambda: [x.take(flat, axis=0) for x in arrays if x is not None])
    to_tenth, whole = (simplified(scene.meshes[0], least) for least in (100_000, 0))
    slider = Coarsening(scene)
    counts = iter(np.linspace(900_000, 20_000, 9).astype(int).tolist())
    live = took(lambda: slider.at(next(counts)), 9)
    cloud = np.random.default_rng(1).normal(size=(1_000_000, 3)) * [1, 2, 0.5]
    hull, box = took(lambda: ConvexHull(cloud), 3), took(lambda: least_box(cloud), 3)
    basin = trimesh.creation.uv_sphere(count=[224, 448])
    bowl = Primitive(Key("b", "primitive", 0), frozen(basin.vertices.astype(np.float32)), indices=frozen(basin.faces.reshape(-1), np.uint32), normals=frozen(basin.vertex_normals.astype(np.float32)))  # fmt: skip
    shown = Scene(
        "b", "b", (Node(Key("b", "node", 0), "b", mesh=0),), (0,), (Mesh(Key("b", "mesh", 0), "b", (bowl,)),)
    )
    drawn(shown, PictureWish(), 128, 128)
    icon = took(lambda: drawn(shown, PictureWish(), 128, 128), 3)
    rows = [
        ("all vertex arrays of a million triangles taken at their corners (numpy)", f"{gather:.3f} s", ""),
        ("1,000,000 triangles to 100,000", f"{to_tenth:.2f} s, {to_tenth / gather:.1f} ×", "≤ 25 ×"),
        (
            "the same with the order down to nothing, for the slider",
            f"{whole:.2f} s, {whole / gather:.1f} ×",
            "",
        ),
        ("the slider after that", f"{1 / live:.1f} results a second", "≥ 8"),
        ("least box of a million points", f"{box:.2f} s, {box / hull:.2f} × its hull (Qhull)", "≤ 2 ×"),
        ("icon 128 × 128 of 200,000 triangles, software driver", f"{icon:.2f} s", "< 0.3 s"),
    ]
    told("Fittings", "Made by `benchmarks/fittings.py`.", ("what", "measured", "goal"), rows, asked.write)


if __name__ == "__main__":
    main()
