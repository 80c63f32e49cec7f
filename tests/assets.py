"""Small assets with everything that can go wrong under a change of axes."""

from __future__ import annotations

import itertools
from dataclasses import replace
from pathlib import Path

import numpy as np

from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.geometry.normals import smooth_normals
from customs.geometry.tangents import vertex_tangents
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import (
    Camera,
    Channel,
    Clip,
    Light,
    Material,
    Mesh,
    MorphTarget,
    Node,
    Primitive,
    Scene,
    Skin,
)
from customs.scene.transforms import matrix_quaternion
from customs.scene.tree import world_matrices

DIGEST = "aaaabbbbcccc"
LETTER_F = [(0, 0), (1, 0), (1, 2), (3, 2), (3, 3), (1, 3), (1, 4), (4, 4), (4, 5), (0, 5)]
"""Outline of a letter F, ccw: it has no symmetry at all."""


def key(kind: str, ordinal: int) -> Key:
    """A Key of these assets."""
    return Key(DIGEST, kind, ordinal)


def all_signed_permutations() -> list[np.ndarray]:
    """All 48 matrices (3, 3) that only swap and flip axes."""
    out = []
    for order in itertools.permutations(range(3)):
        for signs in itertools.product((1.0, -1.0), repeat=3):
            m = np.zeros((3, 3))
            m[range(3), order] = signs
            out.append(m)
    return out


def extruded(outline: list[tuple[float, float]], depth: float) -> tuple[np.ndarray, np.ndarray]:
    """(points (V, 3), faces (F, 3)) of an outline in XY pulled along Z, closed, ccw outward; each side with
    own points.
    """
    from customs.geometry.polygons import triangulate

    ring = np.array(outline, dtype=float)
    n = len(ring)
    front = np.c_[ring, np.full(n, depth / 2)]
    back = np.c_[ring, np.full(n, -depth / 2)]
    cut, _ = triangulate(
        front.astype(np.float32), np.arange(n, dtype=np.uint32), np.array([n], dtype=np.uint32)
    )
    points, faces = [front, back], [cut.astype(int), cut[:, ::-1].astype(int) + n]
    for i in range(n):
        j, start = (i + 1) % n, 2 * n + 4 * i
        points.append(np.array([front[i], back[i], back[j], front[j]]))
        faces.append(np.array([[start, start + 1, start + 2], [start, start + 2, start + 3]]))
    return np.concatenate(points), np.concatenate(faces)


def quaternion(axis: str, degrees: float) -> np.ndarray:
    """Turn about one axis, (4,) x y z w."""
    out = np.zeros(4)
    out["XYZ".index(axis)] = np.sin(np.radians(degrees) / 2)
    out[3] = np.cos(np.radians(degrees) / 2)
    return out


def letter_primitive(ordinal: int, scale: float = 0.2, material: int | None = 0) -> Primitive:
    """The letter F, about a metre tall, with normals, UVs and tangents."""
    points, faces = extruded(LETTER_F, 1.2)
    positions, flat = frozen(points * scale), frozen(faces.reshape(-1), np.uint32)
    normals = smooth_normals(positions, flat.reshape(-1, 3))
    uvs = frozen(points[:, :2] * 0.17 + points[:, 2:] * 0.05)
    tangents = vertex_tangents(positions, normals, uvs, flat.reshape(-1, 3))
    return Primitive(
        key("primitive", ordinal), positions, indices=flat, normals=frozen(normals), texcoords=(uvs,),
        tangents=frozen(tangents), material=material,
    )  # fmt: skip


def _skinned(prim: Primitive) -> Primitive:
    """Bound to three joints up the letter's stem, four influences with one left empty."""
    height = prim.positions[:, 1] / prim.positions[:, 1].max()
    weights = np.stack([1 - height, height * 0.75, height * 0.25, 0 * height], axis=1).astype(np.float32)
    weights /= weights.sum(axis=1, keepdims=True)
    joints = np.tile(np.array([0, 1, 2, 0], dtype=np.uint16), (len(height), 1))
    return replace(prim, joints=frozen(joints, np.uint16), weights=frozen(weights))


def _clip() -> Clip:
    times = frozen([0.0, 0.5, 1.0])
    turns = frozen([quaternion("Z", 0), quaternion("X", 35), quaternion("Y", -50)])
    moves = frozen([[0, 0.3, 0], [0.2, 0.5, -0.1], [-0.1, 0.4, 0.3]])
    flat = np.zeros((3, 3, 3))
    flat[:, 1] = [[0, 0.4, 0.05], [0.1, 0.45, 0.0], [0.0, 0.4, -0.2]]
    flat[:, 0], flat[:, 2] = 0.3, -0.2
    scales = frozen([[1, 1, 1], [1.2, 0.8, 1.1], [0.9, 1.3, 1.0]])
    weights = frozen([[0.0], [1.0], [0.3]])
    return Clip(
        key("clip", 0),
        "bend",
        (
            Channel(1, "rotation", times, turns),
            Channel(1, "translation", times, moves, "step"),
            Channel(2, "translation", times, frozen(flat), "cubic"),
            Channel(3, "scale", times, scales),
            Channel(6, "weights", times, weights),
        ),
    )


def lettered() -> Scene:
    """Skin, clip with every path and interpolation, morph target, nested turned and scaled nodes, light and
    camera.
    """
    plain = letter_primitive(0, 0.1)
    bump = MorphTarget(frozen(np.tile([0.0, 0.1, 0.25], (len(plain.positions), 1))), None, None)
    morphing = replace(plain, targets=(bump,))
    skinned = _skinned(letter_primitive(1))
    nodes = (
        Node(key("node", 0), "rig", children=(1,), translation=np.array([0.1, 0.0, 0.2])),
        Node(key("node", 1), "low", children=(2,), translation=np.array([0, 0.3, 0]), rotation=quaternion("X", 12)),
        Node(key("node", 2), "middle", children=(3,), translation=np.array([0, 0.4, 0.05])),
        Node(key("node", 3), "high", translation=np.array([0.0, 0.35, 0.0]), rotation=quaternion("Z", -20)),
        Node(key("node", 4), "body", mesh=1, skin=0),
        Node(key("node", 5), "stand", children=(6,), translation=np.array([1.5, 0.1, -0.4]), rotation=quaternion("Y", 30),
             scale=np.array([2.0, 2.0, 2.0])),
        Node(key("node", 6), "letter", children=(7, 8), mesh=0, rotation=quaternion("X", 15), translation=np.array([0.1, 0.2, 0.3])),
        Node(key("node", 7), "lamp", holds=(Light(key("light", 0), "lamp", "spot", range=4.0),), rotation=quaternion("X", -40), translation=np.array([0, 1, 0])),
        Node(key("node", 8), "eye", holds=(Camera(key("camera", 0), "eye", znear=0.1, zfar=50.0),), rotation=quaternion("Y", 70)),
    )  # fmt: skip
    bare = Scene(
        "lettered", DIGEST, nodes, (0, 4, 5),
        (Mesh(key("mesh", 0), "letter", (morphing,), frozen([0.25]), ("lean",)), Mesh(key("mesh", 1), "body", (skinned,))),
        (Material(key("material", 0), "ink", base_colour=(0.2, 0.3, 0.35, 1.0), metallic=0.0),),
        format="glb",
    )  # fmt: skip
    world = world_matrices(bare)
    inverse = np.stack([np.linalg.inv(world[j]) for j in (1, 2, 3)])
    # Bound a little off the rest pose, so that skinning does something at rest too.
    inverse[1, :3, 3] += (0.02, -0.01, 0.03)
    skin = Skin(key("skin", 0), "letter rig", (1, 2, 3), frozen(inverse, np.float64), root=1)
    return replace(bare, skins=(skin,), clips=(_clip(),))


def cube(
    size: float = 1.0, ordinal: int = 0, turned_in: bool = False, material: int | None = None
) -> Primitive:
    """A cube about the origin with corners of its own per side, ccw outward (or inward)."""
    points, faces = extruded([(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)], 1.0)
    flat = faces[:, ::-1] if turned_in else faces
    positions, indices = frozen(points * size), frozen(flat.reshape(-1), np.uint32)
    normals = smooth_normals(positions, indices.reshape(-1, 3))
    return Primitive(
        key("primitive", ordinal), positions, indices=indices, normals=frozen(normals), material=material
    )


def scene_of(*prims: Primitive, **more: object) -> Scene:
    """A scene with a node and mesh for each primitive."""
    meshes = tuple(Mesh(key("mesh", i), f"mesh {i}", (p,)) for i, p in enumerate(prims))
    nodes = tuple(Node(key("node", i), f"node {i}", mesh=i) for i in range(len(prims)))
    return Scene("thing", DIGEST, nodes, tuple(range(len(nodes))), meshes, format="glb", **more)  # type: ignore[arg-type]


def saved(scene: Scene, path: Path, format_: str | None = None) -> Path:
    """Write a scene to files at `path` (its ending says the format unless given); returns the model file."""
    entry = get_format(format_ or path.suffix.lstrip("."))
    assert entry.write is not None
    path.parent.mkdir(parents=True, exist_ok=True)
    apart: dict[int, str] = {}
    if not entry.images_inside:
        for i, image in enumerate(scene.images):
            if image.content is not None:
                apart[i] = image.uri or f"{image.name}.png"
                (path.parent / apart[i]).write_bytes(image.content.read())
    for ending, parts in entry.write(scene, WriteOptions(path.stem, apart)).items():
        with path.with_suffix(ending).open("wb") as out:
            out.writelines(parts)
    return path


def loaded(path: Path) -> Scene:
    """Read a file."""
    return read_scene(Source(path))


def turn_between(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Quaternion turning frame `a` (3, 3) into frame `b` (3, 3)."""
    return matrix_quaternion(b @ a.T)


def frozen_grid(ordinal: int, corner: tuple[float, float], edge: float = 0.6, across: int = 3) -> Primitive:
    """A flat sheet of squares whose UVs begin at `corner`."""
    grid = np.stack(np.meshgrid(*[np.linspace(0, 1, across + 1)] * 2, indexing="ij"), axis=-1).reshape(-1, 2)
    quads = (np.arange(across)[:, None] * (across + 1) + np.arange(across)).ravel()
    faces = np.concatenate(
        [np.c_[quads, quads + across + 1, quads + across + 2], np.c_[quads, quads + across + 2, quads + 1]]
    )
    return Primitive(
        key("primitive", ordinal), frozen(np.c_[grid, np.zeros(len(grid))]), indices=frozen(faces.reshape(-1), np.uint32),
        texcoords=(frozen(np.array(corner) + edge * grid),),
    )  # fmt: skip
