"""What the palm court is built from: a small library of pieces, each a file of its own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.floor import plane, puddle
from customs.demo.shapes import Shape, box, grid_faces, joined, lathe, sheet, tube
from customs.demo.textures import brass, fern_leaf, glass, noise, ramp, stone, verdigris, wood
from customs.scene.key import Key
from customs.scene.model import Image, Material, Mesh, Node, Scene

Look = tuple[str, Any, dict[str, Any]]
"""A material: name, pixels of its colour or None, values."""


def _piece(name: str, parts: Sequence[tuple[str, Shape, Look]]) -> Scene:
    """A file with a node for each part."""
    images, materials = list[Image](), list[Material]()
    meshes, nodes = list[Mesh](), list[Node]()
    for k, (part, shape, (title, pixels, values)) in enumerate(parts):
        uses = {}
        if pixels is not None:
            uses = {"base_colour": len(images)}
            images.append(image(name, len(images), f"{name}_{title.replace(' ', '_')}", pixels))
        materials.append(material(name, k, title, uses, **values))
        meshes.append(mesh(name, k, part, [primitive(name, k, shape, k)]))
        nodes.append(Node(Key(digest_of(name), "node", k), part, mesh=k))
    return signed(
        Scene(
            name, digest_of(name), tuple(nodes), tuple(range(len(nodes))), tuple(meshes), tuple(materials),
            tuple(images),
        )
    )  # fmt: skip


def _dull(**more: Any) -> dict[str, Any]:
    return {"metallic": 0.0, "roughness": 0.85, **more}


def _stones() -> Look:
    return "court stone", stone(128, 3), _dull()


def _iron(unlit: bool = False) -> Look:
    """Painted iron; of some pieces the old shader took no light."""
    return "painted iron", verdigris(128, 5)[0], _dull(model="unlit") if unlit else _dull(metallic=0.3)


def _pane_wall() -> Scene:
    bars = [box(0.08, 2.9, 0.08).moved(x, 0.1, 0) for x in (-0.96, -0.32, 0.32, 0.96)]
    rails = [box(1.84, 0.06, 0.06).moved(0, y, 0) for y in (0.4, 1.2, 2.0, 2.9)]
    return _piece(
        "pane_wall",
        [
            ("frame", joined([*bars, *rails]), _iron(True)),
            ("panes", box(1.84, 2.5, 0.01).moved(0, 0.4, 0), ("old glass", glass(64, 7), _dull(alpha_mode="blend", roughness=0.1))),
            ("plinth", box(2.0, 0.4, 0.2).tiled(2, 1), _stones()),
        ],
    )  # fmt: skip


def _stair() -> Scene:
    steps = [box(1.0, 0.17, 0.3).moved(0, 0.17 * k, 0.28 * k) for k in range(18)]
    return _piece("stair", [("stair", joined(steps), _stones())])


def _fern() -> Scene:
    """A fern in three levels of detail, its leaves opaque by mistake."""
    rng = np.random.default_rng(9)
    leaves = ("fern leaf", fern_leaf(128, 11), _dull())

    def level(count: int, rows: int) -> Shape:
        leaf = sheet([(0, 0.08), (0.35, 0.12), (0.7, 0.1)], 1.2, rows)
        return joined(
            [
                leaf.turned(0, -rng.uniform(40, 75)).turned(1, k * 137.5).moved(0, 0.05, 0)
                for k in range(count)
            ]
        )

    return _piece(
        "fern",
        [(f"fern_lod{k}", level(n, r), leaves) for k, (n, r) in enumerate(((26, 7), (14, 4), (6, 2)))],
    )


def _palm() -> Scene:
    leaf = sheet([(0, 0.1), (0.9, 0.3), (1.8, 0.1)], 1.4, 6)
    crown = [leaf.turned(0, -30).turned(1, 36 * k).moved(0, 3.4, 0) for k in range(10)]
    trunk = tube(
        [(0.05 * np.sin(y), y, 0) for y in np.linspace(0, 3.45, 9)], [0.14 - 0.01 * k for k in range(9)], 10
    )
    return _piece(
        "palm",
        [
            ("trunk", trunk, ("palm bark", wood(64, 128, 13), _dull())),
            ("crown", joined(crown), ("palm leaf", fern_leaf(128, 15), _dull(double_sided=True))),
        ],
    )  # fmt: skip


def _lantern() -> Scene:
    glow = lathe([(0, 0.1), (0.1, 0.12), (0.12, 0.25), (0.06, 0.34), (0, 0.35)], 12)
    cage = [
        box(0.015, 0.3, 0.015).moved(0.12 * np.cos(t), 0.08, 0.12 * np.sin(t))
        for t in np.arange(6) * np.pi / 3
    ]
    hat = lathe([(0.15, 0.36), (0.05, 0.44), (0, 0.5)], 12)
    flame = ("lantern glow", None, {"base_colour": (1.0, 0.8, 0.5, 1.0), "metallic": 0.0, "emissive": (1.0, 0.72, 0.38),
                                    "emissive_strength": 4.0})  # fmt: skip
    return _piece(
        "bell_lantern_small",
        [
            ("glow", glow, flame),
            ("cage", joined([*cage, hat]), ("brass", brass(64, 17)[0], _dull(metallic=0.9))),
        ],
    )


def _terrain() -> Scene:
    """The ground around the court, all of its faces looking down."""
    side, cells = 60.0, 48
    y, x = np.mgrid[0 : cells + 1, 0 : cells + 1] / cells - 0.5
    rise = 1.2 * (noise((cells + 1, cells + 1), 4, 19) - 0.5) * np.clip(np.hypot(x, y) * 4 - 1, 0, 1) - 0.35
    points = np.stack([x * side, rise, y * side], axis=2).reshape(-1, 3)
    faces = grid_faces(cells, cells)
    a, b, c = points[faces[0]]
    down = faces if np.cross(b - a, c - a)[1] < 0 else faces[:, ::-1]
    uvs = np.stack([x, y], axis=2).reshape(-1, 2) * 12
    grass = ("meadow", ramp(noise((128, 128), 12, 21), [(52, 74, 38), (92, 112, 58)]), _dull())
    return _piece("terrain_meadow", [("terrain", Shape(points, uvs, down), grass)])


def _pot() -> Scene:
    body = lathe([(0, 0), (0.16, 0), (0.24, 0.3), (0.27, 0.32), (0.22, 0.3), (0, 0.28)], 16)
    return _piece(
        "fern_pot",
        [
            (
                "fern_pot",
                body,
                ("terracotta", ramp(noise((64, 64), 6, 23), [(150, 84, 56), (186, 116, 82)]), _dull()),
            )
        ],
    )


def _one(name: str, shape: Shape, look: Look) -> Callable[[], Scene]:
    return lambda: _piece(name, [(name, shape, look)])


def _hull() -> Look:
    return "tool volume", None, _dull(base_colour=(0.9, 0.4, 0.1, 0.3), alpha_mode="blend")


PIECES: dict[str, Callable[[], Scene]] = {
    "structure/mosaic_tile": _one("mosaic_tile", box(1.0, 0.1, 1.0).moved(0, -0.1, 0), ("mosaic", stone(128, 25), _dull())),
    "structure/pane_wall": _pane_wall,
    "structure/old/pane_wall_b": _pane_wall,
    "structure/new/pane_wall_b": _pane_wall,
    "structure/roof_pane": _one("roof_pane", box(2.0, 0.06, 2.0), ("old glass", glass(64, 7), _dull(alpha_mode="blend"))),
    "structure/iron_rib": _one("iron_rib", box(0.12, 6.4, 0.16), _iron()),
    "structure/gallery_slab": _one("gallery_slab", box(2.0, 0.16, 1.6).moved(0, -0.16, 0), _stones()),
    "structure/stair": _stair,
    "structure/door_leaf": _one("door_leaf", box(0.92, 2.04, 0.05), ("door wood", wood(64, 128, 27), _dull())),
    "props/fern_pot": _pot,
    "props/bench": _one("bench", joined([box(1.5, 0.05, 0.4).moved(0, 0.42, 0), box(0.08, 0.42, 0.4).moved(-0.6), box(0.08, 0.42, 0.4).moved(0.6)]), ("bench wood", wood(64, 128, 29), _dull(model="unlit"))),
    "props/crate": _one("crate", box(0.6, 0.5, 0.6, 0.01), ("crate wood", wood(64, 64, 31), _dull())),
    "props/bell_lantern_small": _lantern,
    "props/seed_tag": _one("seed_tag", box(0.03, 0.05, 0.002), ("tin", None, _dull(base_colour=(0.6, 0.6, 0.6, 1.0)))),
    "plants/fern": _fern,
    "plants/palm": _palm,
    "decals/puddle_decal": _one("puddle_decal", plane(1.2, 1.2).moved(0, 0.004, 0), ("puddle", puddle(33)[::2, ::2], _dull())),
    "tools/trigger_box": _one("trigger_box", box(2.0, 2.0, 2.0), _hull()),
    "tools/marker": lambda: signed(Scene("marker", digest_of("marker"), (Node(Key(digest_of("marker"), "node", 0), "marker"),), (0,))),
    "world/terrain_meadow": _terrain,
    "world/sky_dome": _one("sky_dome", lathe([(140, -30), (120, 60), (60, 110), (0, 130)], 32).reversed(), ("sky", ramp(noise((64, 64), 3, 35), [(120, 160, 190), (210, 220, 225)]), _dull(model="unlit"))),
    "world/outer_box": _one("outer_box", box(300, 300, 300).moved(0, -150, 0).reversed(), ("outer", None, _dull(base_colour=(0.1, 0.1, 0.1, 1.0)))),
}  # fmt: skip
"""Pieces by their place in the library."""
