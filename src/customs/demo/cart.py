"""The seed cart: dozens of small meshes under empties with scales of their own, and a brand plate whose
texture is gone.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.goods import pane
from customs.demo.shapes import Shape, box, lathe, tube
from customs.demo.textures import brass, wood
from customs.scene.key import Key
from customs.scene.model import Image, Mesh, Node, Primitive, Scene
from customs.scene.transforms import matrix_quaternion

ASSET = "seed_cart"
OAK, BRASS, BRAND = range(3)


@dataclass
class _Tree:
    """Nodes and meshes so far."""

    nodes: list[Node] = field(default_factory=list)
    meshes: list[Mesh] = field(default_factory=list)

    def node(self, name: str, **values: object) -> int:
        """Another node; its number."""
        self.nodes.append(Node(Key(digest_of(ASSET), "node", len(self.nodes)), name, **values))  # type: ignore[arg-type]
        return len(self.nodes) - 1

    def piece(self, name: str, shape: Shape, m: int, scale: float = 1.0) -> int:
        """A node with a mesh, drawn smaller by the scale its parent has."""
        prim: Primitive = primitive(ASSET, len(self.meshes), shape.scaled(1 / scale, 1 / scale, 1 / scale), m)
        self.meshes.append(mesh(ASSET, len(self.meshes), name, [prim]))
        return self.node(name, mesh=len(self.meshes) - 1)


def _wheel(radius: float) -> list[tuple[str, Shape, int]]:
    rim = tube(
        [(0, radius * np.cos(t), radius * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 33)],
        [0.022] * 33,
        8,
        caps=False,
    )
    hub = lathe([(0, -0.06), (0.05, -0.06), (0.06, 0), (0.05, 0.06), (0, 0.06)], 14).turned(2, 90)
    spokes = [
        tube(
            [
                (0, 0.05 * np.cos(t), 0.05 * np.sin(t)),
                (0, (radius - 0.01) * np.cos(t), (radius - 0.01) * np.sin(t)),
            ],
            [0.014, 0.010],
            6,
        )
        for t in np.arange(8) * np.pi / 4
    ]
    return [
        ("rim", rim, BRASS),
        ("hub", hub, BRASS),
        *((f"spoke {k + 1}", s, OAK) for k, s in enumerate(spokes)),
    ]


def _wheels(tree: _Tree) -> list[int]:
    """Two wheels, each below a group that halves its size."""
    groups = []
    for side in (1.0, -1.0):
        below = tuple(tree.piece(f"{n} {'l' if side > 0 else 'r'}", s, m, 0.5) for n, s, m in _wheel(0.30))
        at = np.array([0.43 * side, 0.32, 0.0])
        groups.append(tree.node("wheel group", children=below, translation=at, scale=np.full(3, 0.5)))
    return groups


def _planks() -> list[Shape]:
    bed = [box(0.74, 0.025, 0.14, 0.004).moved(0, 0.42, z) for z in np.linspace(-0.45, 0.45, 7)]
    walls = [box(0.03, 0.20, 1.04, 0.005).moved(0.37 * s, 0.42, 0) for s in (1, -1)]
    return [*bed, *walls, *(box(0.72, 0.20, 0.03, 0.005).moved(0, 0.42, 0.52 * s) for s in (1, -1))]


def _drawers() -> tuple[list[Shape], list[Shape]]:
    """(drawers, their knobs)."""
    places = [(-0.23 + 0.23 * c, r) for r in (0, 1) for c in range(3)]
    drawers = [
        box(0.20, 0.16, 0.30, 0.006).moved(x, 0.45 + 0.18 * r, -0.15 + 0.32 * b)
        for x, r in places
        for b in (0, 1)
    ]
    knob = lathe([(0, 0), (0.012, 0.004), (0.016, 0.016), (0, 0.026)], 10).turned(0, 90)
    return drawers, [knob.moved(x, 0.53 + 0.18 * r, 0.32) for x, r in places]


def _body(tree: _Tree) -> list[int]:
    """Planks, drawers, knobs, handles, legs and the brand plate."""
    body = [tree.piece(f"plank {k + 1}", s, OAK) for k, s in enumerate(_planks())]
    drawers, knobs = _drawers()
    body += [tree.piece(f"drawer {k + 1}", s, OAK) for k, s in enumerate(drawers)]
    body += [tree.piece(f"knob {k + 1}", s, BRASS) for k, s in enumerate(knobs)]
    for s, side in ((1, "l"), (-1, "r")):
        handle = tube(
            [(0.30 * s, 0.44, -0.5), (0.30 * s, 0.60, -0.8), (0.26 * s, 0.78, -1.05)],
            [0.022, 0.020, 0.024],
            8,
        )
        leg = tube([(0.3 * s, 0.42, -0.42), (0.3 * s, 0.0, -0.46)], [0.022, 0.018], 8)
        body += [tree.piece(f"handle {side}", handle, OAK), tree.piece(f"leg {side}", leg, OAK)]
    return [*body, tree.piece("plate", pane(0, 0, 0.26, 0.11).moved(0, 0.46, 0.537), BRAND)]


def scene() -> Scene:
    """The cart as its workshop exports it."""
    key = digest_of(ASSET)
    lost = Image(
        Key(key, "image", 2), "cart_brand", uri="cart_brand.png", problem="cart_brand.png is not there"
    )
    images = (
        image(ASSET, 0, "cart_wood", wood(640, 512, 51)),
        image(ASSET, 1, "cart_brass", brass(256, 53)[0]),
        lost,
    )
    materials = (
        material(ASSET, OAK, "oak", {"base_colour": 0}, metallic=0.0, roughness=0.75),
        material(ASSET, BRASS, "brass", {"base_colour": 1}, metallic=0.9, roughness=0.4),
        material(ASSET, BRAND, "brand plate", {"base_colour": 2}, metallic=0.5, roughness=0.4),
    )
    tree = _Tree()
    wheels, body = _wheels(tree), tree.node("body group", children=tuple(_body(tree)))
    empty = [tree.node(f"empty {k + 1}") for k in range(5)]
    turn = matrix_quaternion(np.array([[0.0, 0, 1], [0, 1, 0], [-1, 0, 0]]))
    frame = tree.node(
        "frame", children=(body, *wheels, *empty), rotation=turn, translation=np.array([1.5, 0.0, -2.0])
    )
    root = tree.node("export root", children=(frame,))
    return signed(Scene(ASSET, key, tuple(tree.nodes), (root,), tuple(tree.meshes), materials, images))
