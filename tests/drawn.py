"""Assets drawn at random from a number: node trees, skins, morph targets, clips of every path and
interpolation.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from customs.demo.shapes import tube
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Material, Mesh, MorphTarget, Node, Primitive, Scene, Skin
from customs.scene.transforms import compose, continuous, unit_rows
from customs.scene.tree import world_matrices
from tests.assets import DIGEST, key

SHAPES = ("even", "stretched", "mirrored", "sheared")
"""What nodes may do beside turning and moving: one scale, three scales, negative ones, a matrix that is none
of these.
"""


def _node(rng: np.random.Generator, number: int, shape: str, children: tuple[int, ...]) -> Node:
    place, turn = rng.uniform(-1, 1, 3), Rotation.random(rng=rng).as_quat()
    scale = np.full(3, rng.uniform(0.5, 2))
    if shape in ("stretched", "mirrored"):
        scale = rng.uniform(0.5, 2, 3)
    if shape == "mirrored" and rng.random() < 0.5:
        scale[rng.integers(3)] *= -1
    if shape == "sheared" and rng.random() < 0.5:
        lean = np.eye(4)
        lean[0, 1] = rng.uniform(0.2, 0.6)
        return Node(
            key("node", number),
            f"node_{number}",
            children,
            matrix=frozen(compose(place, turn, scale) @ lean, np.float64),
        )
    return Node(key("node", number), f"node_{number}", children, place, turn, scale)


def _tree(rng: np.random.Generator, count: int, shape: str, first: int = 0) -> list[Node]:
    """A tree below node `first`: each node hangs below an earlier one."""
    above = [-1, *(int(rng.integers(max(0, k - 3), k)) for k in range(1, count))]
    below = [tuple(first + c for c in range(count) if above[c] == k) for k in range(count)]
    return [_node(rng, first + k, shape, below[k]) for k in range(count)]


def _points(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    bends = np.cumsum(rng.uniform(-0.2, 0.3, (9, 3)), axis=0)
    shape = tube([tuple(b) for b in bends], [0.1] * 9, 7)
    used, faces = np.unique(shape.faces, return_inverse=True)
    return shape.points[used], faces.reshape(-1, 3)


def _primitive(
    rng: np.random.Generator, number: int, targets: int, joints: int = 0, width: int = 4
) -> Primitive:
    points, faces = _points(rng)
    count = len(points)
    more: dict[str, object] = {}
    if joints:
        weights = rng.dirichlet(np.ones(width), count).astype(np.float32)
        weights[rng.random(count) < 0.3, 1:] = 0
        weights /= weights.sum(axis=1, keepdims=True)
        more = {
            "joints": frozen(np.argsort(rng.random((count, joints)), axis=1)[:, :width], np.uint16),
            "weights": frozen(weights),
        }
    return Primitive(
        key("primitive", number), frozen(points), indices=frozen(faces.reshape(-1), np.uint32),
        normals=frozen(unit_rows(rng.normal(size=(count, 3)).astype(np.float32))),
        texcoords=tuple(frozen(rng.uniform(size=(count, 2))) for _ in range(int(rng.integers(0, 3)))),
        colours=tuple(frozen(rng.uniform(size=(count, 4))) for _ in range(int(rng.integers(0, 2)))),
        material=0,
        targets=tuple(MorphTarget(frozen(rng.normal(size=(count, 3)) * 0.1)) for _ in range(targets)),
        **more,
    )  # type: ignore[arg-type]  # fmt: skip


def _channel(rng: np.random.Generator, node: int, path: str, way: str, morphs: int) -> Channel:
    count = int(rng.integers(2, 8))
    times = np.cumsum(rng.uniform(0.1, 0.4, count)) - 0.1
    if path == "rotation":
        turn = Rotation.random(rng=rng)
        turns = [turn := Rotation.from_rotvec(rng.uniform(-0.5, 0.5, 3)) * turn for _ in range(count)]
        values = continuous(np.stack([t.as_quat() for t in turns]))
    elif path == "weights":
        values = rng.uniform(size=(count, morphs))
    else:
        values = rng.uniform(0.5, 1.5, (count, 3))
    if way == "cubic":
        tangent = np.gradient(values, times, axis=0)
        values = np.stack([tangent, values, tangent], axis=1)
    return Channel(node, path, frozen(times), frozen(values), way)  # type: ignore[arg-type]


def drawn_scene(
    seed: int, shape: str = "even", ways: tuple[str, ...] = ("linear", "step", "cubic"), width: int = 8
) -> Scene:
    """A still tree with a morphing mesh in it and a rig with a mesh on it, moved by two clips."""
    rng = np.random.default_rng(seed)
    nodes = [*_tree(rng, 4, shape), *_tree(rng, 9, "even", 4)]
    bearer, body = int(rng.integers(1, 4)), 13
    nodes[bearer] = replace(nodes[bearer], mesh=0)
    nodes.append(Node(key("node", body), "body", mesh=1, skin=0))
    meshes = (
        Mesh(key("mesh", 0), "leaf", (_primitive(rng, 0, 2),), frozen([0.3, 0.0]), ("lean", "curl")),
        Mesh(key("mesh", 1), "trunk", (_primitive(rng, 1, 0, 9, width),)),
    )
    bare = Scene(f"drawn {seed}", DIGEST, tuple(nodes), (0, 4, body), meshes,
                 (Material(key("material", 0), "bark", base_colour=(0.2, 0.5, 0.3, 1), metallic=0.0),), format="glb")  # fmt: skip
    world = world_matrices(bare)
    # Bound a little off the rest pose, so that the skin does something at rest too.
    away = compose(
        rng.uniform(-0.1, 0.1, 3), Rotation.from_rotvec(rng.uniform(-0.2, 0.2, 3)).as_quat(), np.ones(3)
    )
    inverse = np.stack([np.linalg.inv(world[j]) @ away for j in range(4, 13)])
    skin = Skin(key("skin", 0), "rig", tuple(range(4, 13)), frozen(inverse, np.float64), 4)
    clips = []
    for number in range(2):
        movers = [
            (n, p)
            for n in (*range(4, 13), 0)
            for p in ("translation", "rotation", "scale")
            if rng.random() < 0.3
        ]
        channels = [
            _channel(rng, n, p, str(rng.choice(ways)), 2) for n, p in movers if bare.nodes[n].matrix is None
        ]
        channels.append(_channel(rng, bearer, "weights", ways[0], 2))
        clips.append(Clip(key("clip", number), f"clip_{number}", tuple(channels)))
    return replace(bare, skins=(skin,), clips=tuple(clips))


def moments(scene: Scene, count: int = 5) -> list[tuple[Clip | None, float]]:
    """Rest, and some times of each clip, a hair off its keys so that steps are not on their edge."""
    return [
        (None, 0.0),
        *((c, t) for c in scene.clips for t in np.linspace(0.0037, c.seconds - 0.0037, count).tolist()),
    ]


def poses(scene: Scene, count: int = 5) -> list[np.ndarray]:
    """World positions (V, 3) of all vertices at those moments."""
    return [np.concatenate(posed_scene_points(scene, clip, t)) for clip, t in moments(scene, count)]


def drawn_shared(seed: int, shape: str = "even") -> Scene:
    """The same with two meshes that several nodes show: still ones, moving ones, ones that hang from
    joints.
    """
    rng = np.random.default_rng(seed + 1000)
    scene = drawn_scene(seed, shape)
    meshes = list(scene.meshes)
    for number in (2, 3):
        parts = tuple(_primitive(rng, 2 * number + k, 0) for k in range(2))
        meshes.append(Mesh(key("mesh", number), f"piece_{number}", (parts[0], replace(parts[1], material=1))))
    nodes = list(scene.nodes)
    free = [n for n in range(13) if nodes[n].mesh is None]
    for n in rng.choice(free, 7, replace=False).tolist():
        nodes[n] = replace(nodes[n], mesh=int(rng.integers(2, 4)))
    stone = Material(key("material", 1), "stone", metallic=0.0)
    return replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), materials=(*scene.materials, stone))
