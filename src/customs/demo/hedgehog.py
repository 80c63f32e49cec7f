"""The clockwork hedgehog: rigid parts on pivots, no skeleton, a key that winds and legs that trundle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape, box, joined, lathe, tube
from customs.demo.textures import brass, verdigris
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Node, Scene

ASSET = "hedgehog"
PARTS: tuple[tuple[str, int, tuple[float, float, float]], ...] = (
    ("body", -1, (0, 0.11, 0)),
    ("spines", 0, (0, 0.02, -0.01)),
    ("head", 0, (0, 0.0, 0.12)),
    ("nose", 2, (0, 0.0, 0.085)),
    ("key", 0, (0, 0.06, -0.13)),
    ("leg_fl", 0, (0.06, -0.05, 0.07)),
    ("leg_fr", 0, (-0.06, -0.05, 0.07)),
    ("leg_bl", 0, (0.06, -0.05, -0.07)),
    ("leg_br", 0, (-0.06, -0.05, -0.07)),
)
"""Name, the part it hangs on, pivot from that part's (m)."""


def _shapes() -> dict[str, tuple[Shape, int]]:
    dome = lathe(
        [(0, -0.06), (0.09, -0.05), (0.115, -0.01), (0.10, 0.05), (0.06, 0.085), (0, 0.095)], 22
    ).scaled(0.85, 0.8, 1.25)
    spikes = []
    for ring, (height, radius, count) in enumerate(((0.045, 0.07, 11), (0.075, 0.04, 7), (0.088, 0.01, 3))):
        for k in range(count):
            turn = 2 * np.pi * (k + 0.5 * ring) / count
            lean = np.array([np.sin(turn), 0.9, np.cos(turn) - 0.35])
            start = np.array([radius * np.sin(turn), height, 1.2 * radius * np.cos(turn)])
            spikes.append(tube([start, start + 0.03 * lean, start + 0.055 * lean], [0.009, 0.006, 0.0015], 6))
    head = lathe([(0, -0.02), (0.05, 0.0), (0.045, 0.03), (0.02, 0.07), (0, 0.085)], 16).turned(0, 90)
    wheel = joined(
        [box(0.09, 0.025, 0.012).moved(0, -0.012, -0.05), tube([(0, 0, 0), (0, 0, -0.05)], [0.008, 0.008], 8)]
    )
    leg = joined(
        [
            tube([(0, 0.01, 0), (0, -0.03, 0.005), (0, -0.05, 0.015)], [0.02, 0.016, 0.014], 10),
            box(0.03, 0.012, 0.05).moved(0, -0.06, 0.02),
        ]
    )
    nose = lathe([(0, -0.012), (0.012, 0), (0, 0.012)], 10)
    out = {
        "body": (dome, 0),
        "spines": (joined(spikes), 1),
        "head": (head, 0),
        "nose": (nose, 1),
        "key": (wheel, 1),
    }
    return out | {n: (leg, 1) for n, _, _ in PARTS if n.startswith("leg")}


def _clip() -> Clip:
    times = np.arange(49) / 24
    turn = 2 * np.pi * times

    def spin(part: str, axis: Sequence[float], angle: np.ndarray) -> Channel:
        q = Rotation.from_rotvec(np.outer(angle, axis)).as_quat()
        return Channel([n for n, _, _ in PARTS].index(part), "rotation", frozen(times), frozen(q))

    channels = [spin("key", (0, 0, 1), turn), spin("head", (0, 1, 0), 0.25 * np.sin(turn))]
    for part, phase in (("leg_fl", 0.0), ("leg_br", 0.0), ("leg_fr", np.pi), ("leg_bl", np.pi)):
        channels.append(spin(part, (1, 0, 0), 0.5 * np.sin(2 * turn + phase)))
    return Clip(Key(digest_of(ASSET), "clip", 0), "trundle", tuple(channels))


def scene() -> Scene:
    """The hedgehog in the working frame."""
    copper, _ = verdigris(256, 41)
    gold, _ = brass(256, 42)
    images = (image(ASSET, 0, "hedgehog_copper", copper), image(ASSET, 1, "hedgehog_brass", gold))
    materials = (
        material(ASSET, 0, "copper", {"base_colour": 0}, metallic=0.5, roughness=0.5),
        material(ASSET, 1, "brass", {"base_colour": 1}, metallic=0.9, roughness=0.35),
    )
    shapes = _shapes()
    meshes = tuple(mesh(ASSET, k, n, [primitive(ASSET, k, *shapes[n])]) for k, (n, _, _) in enumerate(PARTS))
    nodes = tuple(
        Node(
            Key(digest_of(ASSET), "node", k), n, tuple(c for c, (_, above, _) in enumerate(PARTS) if above == k),
            translation=np.array(place, dtype=float), mesh=k,
        )
        for k, (n, _, place) in enumerate(PARTS)
    )  # fmt: skip
    bare = Scene(ASSET, digest_of(ASSET), nodes, (0,), meshes, materials, images)
    return signed(replace(bare, clips=(_clip(),)))
