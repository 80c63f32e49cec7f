"""The other goods of the glasshouse."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.conventions.convert import change_convention
from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape, box, grid_faces, joined, lathe, sheet, tube
from customs.demo.textures import (
    Pixels,
    brass,
    bumps,
    encoded,
    fern_leaf,
    glass,
    noise,
    ramp,
    stone,
    verdigris,
)
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING, Convention
from customs.scene.key import Key
from customs.scene.model import Mesh, Node, Primitive, Scene

ZUP = Convention("+Z", "-Y", "right", 1.0)


def _scene(asset: str, meshes: list[Mesh], materials: tuple, images: tuple) -> Scene:  # type: ignore[type-arg]
    nodes = tuple(Node(Key(digest_of(asset), "node", i), m.name, mesh=i) for i, m in enumerate(meshes))
    return signed(
        Scene(asset, digest_of(asset), nodes, tuple(range(len(nodes))), tuple(meshes), materials, images)
    )


def lantern() -> Scene:
    """A bell lantern: OBJ in inches, BMP textures, its pivot far away, polygons and all."""
    a = "bell_lantern"
    brass_colour, _ = brass(500, 21)
    green, _ = verdigris(500, 25)
    images = (
        image(a, 0, "lantern_brass_c", brass_colour, "bmp"),
        image(a, 1, "lantern_roof_c", green, "bmp"),
        image(a, 2, "lantern_bell_c", lit_panes(256, 23), "bmp"),
        image(a, 3, "lantern_brass_n", bumps(noise((256, 256), 40, 26, 2, 20), 0.6), "bmp"),
    )
    materials = (
        material(a, 0, "Brass frame", {"base_colour": 0, "normal": 3}, metallic=0.9, roughness=0.35),
        material(a, 1, "Roof copper", {"base_colour": 1}, metallic=0.3, roughness=0.6),
        material(a, 2, "Bell glass", {"base_colour": 2}, metallic=0.0, roughness=0.15),
    )
    posts = [
        tube(
            [
                (0.16 * np.sin(t), 0.05, 0.16 * np.cos(t)),
                (0.19 * np.sin(t), 0.20, 0.19 * np.cos(t)),
                (0.13 * np.sin(t), 0.40, 0.13 * np.cos(t)),
            ],
            [0.014] * 3,
            8,
        )
        for t in np.arange(6) * np.pi / 3
    ]
    base = lathe([(0, 0), (0.20, 0), (0.215, 0.015), (0.205, 0.045), (0.17, 0.06), (0, 0.06)], 24)
    hook = tube(
        [(0.05 * np.sin(t), 0.66 + 0.05 * np.cos(t), 0) for t in np.linspace(-2.6, 2.6, 13)], [0.011] * 13, 8
    )
    stem = lathe([(0, 0.56), (0.025, 0.57), (0.018, 0.60), (0.022, 0.62), (0, 0.625)], 12)
    roof = lathe(
        [
            (0.0, 0.385),
            (0.22, 0.385),
            (0.235, 0.395),
            (0.21, 0.43),
            (0.13, 0.50),
            (0.05, 0.55),
            (0.03, 0.575),
            (0, 0.58),
        ],
        24,
    )
    bell = lathe(
        [(0, 0.07), (0.13, 0.075), (0.145, 0.12), (0.135, 0.24), (0.10, 0.34), (0.05, 0.37), (0, 0.375)], 24
    )
    parts = [("frame", [base, *posts, hook, stem], 0), ("roof", [roof], 1), ("bell", [bell], 2)]
    meshes = [mesh(a, i, n, [primitive(a, i, joined(s), m)]) for i, (n, s, m) in enumerate(parts)]
    made = change_convention(
        _scene(a, meshes, materials, images), Convention("+Z", "-Y", "right", 0.0254, v="up"), WORKING
    )
    far = np.array([412.0, -230.5, 96.25], dtype=np.float32)
    return replace(made, meshes=tuple(_moved(m, far) for m in made.meshes))


def lit_panes(size: int, seed: int) -> Pixels:
    """Amber light behind dark bars: the glow is painted into the colour."""
    glow = ramp(noise((size, size), 3, seed), [(236, 164, 60), (252, 200, 110), (255, 226, 160)])
    y, x = np.mgrid[0:size, 0:size] / size
    bar = (np.abs((x * 8) % 1 - 0.5) > 0.42) | (np.abs((y * 3) % 1 - 0.5) > 0.46)
    dark = ramp(noise((size, size), 20, seed + 1), [(40, 34, 26), (66, 56, 42)])
    return np.where(bar[..., None], dark, glow).astype(np.uint8)


def lantern_skins() -> dict[str, bytes]:
    """Textures of the lantern's winter skin, which nothing names."""
    frost = ramp(noise((500, 500), 30, 27, 3), [(120, 140, 150), (176, 196, 204), (222, 232, 236)])
    iron = ramp(noise((500, 500), 60, 28, 2, 20), [(70, 76, 82), (118, 126, 132), (160, 168, 172)])
    return {
        "lantern_roof_winter_c.bmp": encoded(frost, "bmp"),
        "lantern_brass_winter_c.bmp": encoded(iron, "bmp"),
    }


def _moved(mesh: Mesh, by: np.ndarray) -> Mesh:
    return replace(
        mesh, primitives=tuple(replace(p, positions=frozen(p.positions + by)) for p in mesh.primitives)
    )


def fern_bed() -> Scene:
    """A fern bed: its leaves have holes in their texture and a material that says opaque."""
    a = "fern_bed"
    images = (
        image(a, 0, "fern_leaf", fern_leaf(700, 31)),
        image(a, 1, "bed_stone", stone(512, 33), "jpeg"),
        image(
            a,
            2,
            "bed_soil",
            ramp(noise((256, 256), 18, 35), [(36, 26, 18), (66, 50, 34), (96, 78, 54)]),
            "jpeg",
        ),
    )
    materials = (
        material(a, 0, "fern leaf", {"base_colour": 0}, metallic=0.0, roughness=0.8),
        material(a, 1, "bed stone", {"base_colour": 1}, metallic=0.0, roughness=0.9),
        material(a, 2, "soil", {"base_colour": 2}, metallic=0.0, roughness=1.0),
    )
    rng = np.random.default_rng(36)
    fronds = []
    for k in range(46):
        length, lift = rng.uniform(0.42, 0.74), rng.uniform(42, 78)
        outline = [(0, 0.10), (length * 0.5, 0.15), (length, 0.13)]
        leaf = sheet([(d, w * length / 0.6) for d, w in outline], rng.uniform(0.9, 1.7), 7)
        fronds.append(
            leaf.turned(0, -lift)
            .turned(1, k * 137.5)
            .moved(rng.uniform(-0.42, 0.42), 0.34, rng.uniform(-0.16, 0.16))
        )
    trough = [box(1.40, 0.36, 0.08, 0.012).moved(0, 0, s * 0.30) for s in (1, -1)]
    trough += [box(0.08, 0.36, 0.52, 0.012).moved(s * 0.66, 0, 0) for s in (1, -1)]
    feet = [box(0.16, 0.06, 0.16, 0.01).moved(x, -0.06, z) for x in (-0.58, 0.58) for z in (-0.24, 0.24)]
    soil = Shape(
        np.array([[-0.63, 0.31, -0.27], [0.63, 0.31, -0.27], [0.63, 0.31, 0.27], [-0.63, 0.31, 0.27]]),
        np.array([[0, 0], [3, 0], [3, 1], [0, 1]], dtype=float),
        np.array([[0, 2, 1], [0, 3, 2]]),
    )
    parts = [
        ("fronds", joined(fronds), 0),
        ("trough", joined([*trough, *feet]).tiled(2, 1), 1),
        ("soil", soil, 2),
    ]
    return _scene(
        a, [mesh(a, i, n, [primitive(a, i, s, m)]) for i, (n, s, m) in enumerate(parts)], materials, images
    )


def pane_wall() -> Scene:
    """A wall module of panes: most of the frame is inside out, and every third pane is there twice."""
    a = "pane_wall"
    white = ramp(noise((512, 512), 6, 41), [(206, 212, 204), (228, 232, 222), (240, 242, 236)])
    worn = np.clip((noise((512, 512), 10, 42) - 0.60) * 9, 0, 1)[..., None]
    painted = (white * (1 - worn) + np.array([96, 138, 118]) * worn).astype(np.uint8)
    images = (
        image(a, 0, "wall_paint", painted),
        image(a, 1, "wall_glass", glass(512, 43)),
        image(a, 2, "wall_stone", stone(512, 44), "jpeg"),
    )
    materials = (
        material(a, 0, "painted iron", {"base_colour": 0}, metallic=0.2, roughness=0.6),
        material(
            a,
            1,
            "old glass",
            {"base_colour": 1},
            metallic=0.0,
            roughness=0.08,
            alpha_mode="blend",
            double_sided=True,
        ),
        material(a, 2, "plinth stone", {"base_colour": 2}, metallic=0.0, roughness=0.9),
    )
    bars = [box(0.07, 2.5, 0.09, 0.008).moved(x, 0.4, 0) for x in (-0.965, -0.322, 0.322, 0.965)]
    rails = [box(1.86, 0.06, 0.07, 0.006).moved(0, y, 0) for y in (0.4, 1.1, 1.8, 2.5)]
    arch = tube(
        [(0.95 * np.cos(t), 2.86 + 0.32 * np.sin(t), 0) for t in np.linspace(0, np.pi, 15)], [0.035] * 15, 8
    )
    finial = lathe([(0, 3.16), (0.05, 3.18), (0.03, 3.23), (0.06, 3.29), (0, 3.37)], 14)
    frame = [p.reversed() if i % 4 != 3 else p for i, p in enumerate([*bars, *rails, arch, finial])]
    panes = [pane(-0.643 + 0.643 * c, 0.46 + 0.7 * r, 0.573, 0.63) for r in range(3) for c in range(3)]
    doubled = [*panes, *(p for i, p in enumerate(panes) if i % 3 == 0)]
    plinth = box(2.0, 0.4, 0.24, 0.015)
    parts = [
        ("frame", joined(frame).tiled(1, 2), 0),
        ("panes", joined(doubled), 1),
        ("plinth", plinth.tiled(2, 1), 2),
    ]
    meshes = [mesh(a, i, n, [primitive(a, i, s, m)]) for i, (n, s, m) in enumerate(parts)]
    return change_convention(_scene(a, meshes, materials, images), ZUP, WORKING)


def pane(x: float, y: float, width: float, height: float) -> Shape:
    """A square of glass or metal facing +Z, its lower edge's middle at (x, y)."""
    points = np.array(
        [
            [x - width / 2, y, 0],
            [x + width / 2, y, 0],
            [x + width / 2, y + height, 0],
            [x - width / 2, y + height, 0],
        ]
    )
    return Shape(
        points, np.array([[0, 1], [1, 1], [1, 0], [0, 0]], dtype=float), np.array([[0, 1, 2], [0, 2, 3]])
    )


def spring_basin() -> Scene:
    """A spring basin of 200,000 triangles, centimetres and Z up, without UVs or material: a sculpted STL."""
    a = "spring_basin"
    rows, columns = 200, 500
    t = np.linspace(0, 1, rows + 1)
    turn = np.linspace(0, 2 * np.pi, columns, endpoint=False)
    profile = np.array(
        [(0, 0), (0.30, 0), (0.34, 0.03), (0.20, 0.10), (0.13, 0.22), (0.16, 0.42), (0.40, 0.56), (0.66, 0.66), (0.74, 0.74),
         (0.71, 0.78), (0.62, 0.72), (0.36, 0.62), (0.14, 0.58), (0.07, 0.62), (0.05, 0.80), (0.08, 0.86), (0.03, 0.92), (0, 0.93)]
    )  # fmt: skip
    at = np.linspace(0, 1, len(profile))
    radius, height = np.interp(t, at, profile[:, 0]), np.interp(t, at, profile[:, 1])
    lobes = 1 + 0.05 * np.cos(turn * 9)[None, :] * np.clip((radius - 0.35) * 3, 0, 1)[:, None]
    leaf = (
        0.010
        * np.cos(turn * 36 + 8 * t[:, None] * np.pi)
        * np.sin(np.pi * np.clip((t[:, None] - 0.3) * 2.5, 0, 1))
    )
    r = np.maximum(radius[:, None] * lobes + leaf * (radius[:, None] > 0.02), 0)
    points = np.stack(
        [r * np.sin(turn), np.broadcast_to(height[:, None], r.shape), r * np.cos(turn)], axis=2
    ).reshape(-1, 3)
    faces = grid_faces(rows, columns - 1).reshape(-1, 3)
    # grid_faces counts columns + 1 vertices a row: here that is `columns`, closed by one more strip.
    i = np.arange(rows)[:, None] * columns
    last, first = i + columns - 1, i
    seam = np.concatenate(
        [np.stack([last, last + columns, first], 2), np.stack([first, last + columns, first + columns], 2)]
    )
    faces = np.concatenate([faces, seam.reshape(-1, 3)])[:, ::-1]
    prim = Primitive(
        Key(digest_of(a), "primitive", 0), frozen(points), indices=frozen(faces.reshape(-1), np.uint32)
    )
    made = _scene(a, [mesh(a, 0, a, [prim])], (), ())
    return change_convention(made, Convention("+Z", "-Y", "right", 0.01), WORKING)
