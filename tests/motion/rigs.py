"""Small rigs for tests: a bar of joints in a tube, and a person."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np

from customs.demo import people
from customs.demo.shapes import tube
from customs.scene.arrays import frozen
from customs.scene.model import Channel, Clip, Mesh, Node, Primitive, Scene, Skin
from customs.scene.tree import world_matrices
from tests.assets import DIGEST, key


def bar(count: int = 4, length: float = 1.0, sides: int = 16, rings: int = 41) -> Scene:
    """A tube along +Y with `count` joints evenly in it, weights blended evenly between neighbours, turning
    about X.
    """
    step = length / (count - 1)
    shape = tube([(0, length * k / (rings - 1), 0) for k in range(rings)], [0.1] * rings, sides)
    place = np.clip(shape.points[:, 1] / step, 0, count - 1)
    low = np.minimum(np.floor(place).astype(int), count - 2)
    joints, weights = np.zeros((len(place), 4), np.uint16), np.zeros((len(place), 4), np.float32)
    joints[:, 0], joints[:, 1] = low, low + 1
    weights[:, 1] = place - low
    weights[:, 0] = np.float32(1) - weights[:, 1]
    prim = Primitive(key("primitive", 0), frozen(shape.points), indices=frozen(shape.faces.reshape(-1), np.uint32),
                     joints=frozen(joints, np.uint16), weights=frozen(weights))  # fmt: skip
    nodes = [Node(key("node", k), f"bone_{k}", (k + 1,) if k < count - 1 else (), translation=np.array([0, step if k else 0, 0]))
             for k in range(count)]  # fmt: skip
    nodes.append(Node(key("node", count), "bar", mesh=0, skin=0))
    bare = Scene("bar", DIGEST, tuple(nodes), (0, count), (Mesh(key("mesh", 0), "bar", (prim,)),))
    world = world_matrices(bare)
    inverse = frozen(np.stack([np.linalg.inv(world[k]) for k in range(count)]), np.float64)
    skin = Skin(key("skin", 0), "rig", tuple(range(count)), inverse, 0)
    return replace(bare, skins=(skin,), clips=(bend(1, 1.0),))


def turning(node: int, times: np.ndarray, degrees: np.ndarray) -> Channel:
    """A turn about X by angles over time."""
    half = np.radians(degrees) / 2
    zero = np.zeros_like(half)
    return Channel(
        node, "rotation", frozen(times), frozen(np.stack([np.sin(half), zero, zero, np.cos(half)], axis=1))
    )


def bend(node: int, seconds: float, rate: int = 30, degrees: float = 60.0, name: str = "bend") -> Clip:
    """A joint bent and brought back."""
    times = np.arange(round(seconds * rate) + 1) / rate
    return Clip(key("clip", node), name, (turning(node, times, degrees * np.sin(np.pi * times / seconds)),))


@cache
def warden() -> Scene:
    """The donor of the demo."""
    return people.warden()


@cache
def lighter() -> Scene:
    """The A-pose body of the demo."""
    return people.lighter()
