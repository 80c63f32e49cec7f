"""A potting bench whose textures lie about: one in another folder, one in two folders alike, one that nothing
names.
"""

from __future__ import annotations

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import box, joined
from customs.demo.textures import bumps, encoded, noise, ramp, stone, wood
from customs.scene.key import Key
from customs.scene.model import Image, Node, Scene

ASSET = "potting_bench"


def _lost(number: int, name: str) -> Image:
    return Image(
        Key(digest_of(ASSET), "image", number), name, uri=f"{name}.png", problem=f"{name}.png is not there"
    )


def scene() -> Scene:
    """A bench of wood with a slate top and a paper label, as OBJ; two of its textures are not where it
    says.
    """
    paper = ramp(noise((256, 128), 8, 71), [(216, 204, 170), (240, 232, 206)])
    paper[40:44, 20:108] = paper[70:73, 20:90] = paper[90:93, 20:98] = (60, 54, 44)
    images = (_lost(0, "bench_wood_c"), _lost(1, "bench_slate_c"), image(ASSET, 2, "bench_label_c", paper))
    materials = (
        material(ASSET, 0, "bench_wood", {"base_colour": 0}, metallic=0.0, roughness=0.8),
        material(ASSET, 1, "bench_slate", {"base_colour": 1}, metallic=0.0, roughness=0.7),
        material(ASSET, 2, "bench_label", {"base_colour": 2}, metallic=0.0, roughness=0.9),
    )
    legs = [box(0.07, 0.78, 0.07, 0.006).moved(x, 0, z) for x in (-0.62, 0.62) for z in (-0.22, 0.22)]
    rails = [box(1.24, 0.08, 0.04, 0.006).moved(0, 0.62, z) for z in (-0.22, 0.22)]
    shelf = box(1.26, 0.03, 0.44, 0.004).moved(0, 0.2, 0)
    top = box(1.5, 0.05, 0.62, 0.01).moved(0, 0.78, 0)
    label = box(0.12, 0.06, 0.006).moved(0.3, 0.67, 0.243)
    parts = [("frame", joined([*legs, *rails, shelf]), 0), ("top", top, 1), ("label", label, 2)]
    meshes = tuple(mesh(ASSET, i, n, [primitive(ASSET, i, s, m)]) for i, (n, s, m) in enumerate(parts))
    nodes = tuple(Node(Key(digest_of(ASSET), "node", i), m.name, mesh=i) for i, m in enumerate(meshes))
    return signed(Scene(ASSET, digest_of(ASSET), nodes, (0, 1, 2), meshes, materials, images))


def loose() -> dict[str, bytes]:
    """Files that lie near the bench, by path."""
    boards = wood(512, 512, 73)
    relief = bumps(boards.astype(np.float64).mean(axis=2) / 255, 3.0)
    dark, pale = stone(256, 75) // 3, stone(256, 77) // 2
    return {
        "textures/bench_wood_c.png": encoded(boards, "png"),
        "textures/bench_wood_n.png": encoded(relief, "png"),
        "summer/bench_slate_c.png": encoded(pale, "png"),
        "winter/bench_slate_c.png": encoded(dark, "png"),
    }
