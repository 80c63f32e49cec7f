"""Work for hands: a second suit for the warden, an ivy with spikes, a rock that pokes through a wall, arms a hand too short."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.changes.primitives import drop_unused_vertices, with_faces
from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.figure import Build, figure
from customs.demo.people import WARDEN, WARDEN_NAMES, WARDEN_ORDER
from customs.demo.shapes import Shape, box, joined, sheet, tube
from customs.demo.textures import fern_leaf, noise, ramp, stone
from customs.formats.registry import WriteOptions, get_format
from customs.geometry.triangles import triangles_of
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Node, Primitive, Scene

WARDENS = Build(1.74, 0.84, 0.185, 0.56)
FROST = {"shirt": (176, 196, 204), "trousers": (120, 140, 150), "boots": (80, 90, 96), "apron": (214, 224, 228),
         "skin": (196, 150, 118), "hair": (84, 62, 44)}  # fmt: skip
THICK, ELBOW, HEM, COLLAR = 0.010, 0.36, 0.72, 1.434
"""How far the suit stands off the body, where its sleeves, its skirt and its collar end (metres)."""
SHORT = 0.09
"""By how much the arms are too short: the length of a hand, or so."""


def suit() -> Scene:
    """A frost suit on joints named and placed as the warden's, in another order."""
    made = figure("frost_suit", WARDENS, WARDEN_NAMES, WARDEN_ORDER[::-1], FROST, 0.04, "suit")
    (body,) = made.meshes[0].primitives
    assert body.normals is not None
    thick = replace(body, positions=frozen(body.positions + np.float32(THICK) * body.normals))
    return replace(made, meshes=(replace(made.meshes[0], primitives=(worn(thick),)),))


def covered(prim: Primitive) -> np.ndarray:
    """(F,) faces of a figure that lie between the suit's collar, elbows and hem."""
    centres = prim.positions[triangles_of(prim)].mean(axis=1)
    return (np.abs(centres[:, 0]) < ELBOW) & (centres[:, 1] > HEM) & (centres[:, 1] < COLLAR)


def worn(prim: Primitive) -> Primitive:
    """The part of a figure that a suit covers."""
    mine = covered(prim)
    return drop_unused_vertices(with_faces(prim, triangles_of(prim)[mine], mine))


def short_arms() -> Scene:
    """The warden's figure with arms a hand too short."""
    build = replace(WARDENS, arm_length=WARDENS.arm_length - SHORT)
    return figure("short_arms", build, WARDEN_NAMES, WARDEN_ORDER, WARDEN, 0.03)


def _plain(asset: str, parts: dict[str, tuple[Shape, int]], skins: list[tuple[str, np.ndarray]]) -> Scene:
    images = tuple(image(asset, k, name, pixels) for k, (name, pixels) in enumerate(skins))
    looks = tuple(
        material(asset, k, name, {"base_colour": k}, metallic=0.0, roughness=0.85)
        for k, (name, _) in enumerate(skins)
    )
    meshes = tuple(
        mesh(asset, k, name, [primitive(asset, k, s, m)]) for k, (name, (s, m)) in enumerate(parts.items())
    )
    nodes = tuple(Node(Key(digest_of(asset), "node", k), name, mesh=k) for k, name in enumerate(parts))
    return signed(Scene(asset, digest_of(asset), nodes, tuple(range(len(nodes))), meshes, looks, images))


def ivy() -> Scene:
    """A stem with leaves, and spikes that are to go."""
    turn = np.linspace(0, 4 * np.pi, 40)
    path = np.stack([0.09 * np.cos(turn), np.linspace(0, 1.2, 40), 0.09 * np.sin(turn)], axis=1)
    stem = tube(path.tolist(), np.linspace(0.02, 0.008, 40).tolist(), 10)
    leaves, spikes = list[Shape](), list[Shape]()
    for k in range(3, 38, 2):
        way = np.array([np.cos(turn[k]), 0.15, np.sin(turn[k])])
        leaf = sheet([(0.0, 0.01), (0.05, 0.05), (0.1, 0.045), (0.15, 0.004)], 0.6)
        leaves.append(leaf.turned(1, float(-np.degrees(turn[k]))).moved(*path[k]))
        tip = path[k - 1] + way * 0.11
        spikes.append(
            tube(
                [path[k - 1].tolist(), (path[k - 1] + way * 0.05).tolist(), tip.tolist()],
                (0.012, 0.007, 0.0005),
                6,
            )
        )
    bark = ramp(noise((128, 128), 9, 41), [(58, 44, 32), (92, 72, 50)])
    parts = {"ivy": (joined([stem, *spikes]), 0), "leaves": (joined(leaves), 1)}
    return _plain("spiked_ivy", parts, [("ivy_bark", bark), ("ivy_leaf", fern_leaf(128, 43))])


def wall() -> Scene:
    """A wall of the rockery, and a rock that comes out on its other side."""
    rows, columns = 18, 36
    v, u = np.meshgrid(np.linspace(0, np.pi, rows), np.linspace(0, 2 * np.pi, columns + 1), indexing="ij")
    rough = np.random.default_rng(47).uniform(0.86, 1.1, (rows, columns))
    rough[[0, -1]] = 1.0
    rough = np.concatenate([rough, rough[:, :1]], axis=1)
    points = (
        np.stack([np.sin(v) * np.cos(u), np.cos(v), np.sin(v) * np.sin(u)], axis=2)
        * (0.42 * rough)[..., None]
    )
    a = (np.arange(rows - 1)[:, None] * (columns + 1) + np.arange(columns)).reshape(-1)
    faces = np.concatenate([np.c_[a, a + 1, a + columns + 1], np.c_[a + 1, a + columns + 2, a + columns + 1]])
    flat = points.reshape(-1, 3)
    area = np.linalg.norm(
        np.cross(flat[faces[:, 1]] - flat[faces[:, 0]], flat[faces[:, 2]] - flat[faces[:, 0]]), axis=1
    )
    rock = Shape(flat, np.stack([u, v], axis=2).reshape(-1, 2) / np.pi, faces[area > 1e-9]).moved(
        0.3, 0.5, 0.22
    )
    parts = {"wall": (box(2.4, 1.6, 0.24, 0.02).moved(0, 0.8, 0), 0), "rock": (rock, 1)}
    return _plain("rockery_wall", parts, [("wall_stone", stone(128, 45)), ("rock_stone", stone(128, 46))])


def handwork() -> dict[str, bytes]:
    """All of them by file name, with what may be done with the suit."""
    entry = get_format("glb")
    assert entry.write is not None
    out = {
        f"workbench/{made.name}.glb": b"".join(
            bytes(p) for p in entry.write(made, WriteOptions(made.name))[".glb"]
        )
        for made in (suit(), ivy(), wall(), short_arms())
    }
    return out | {"workbench/licence.txt": b"Author: the tailor of the frost house\nLicence: CC-BY-4.0\n"}
