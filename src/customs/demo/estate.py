"""The estate of the glasshouse: a level as large as levels get. 100,000 placements of 300 assets of 12 to 2,000 triangles, 3,000
materials of which 200 have a texture, 3,400 sets of three levels of detail.
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape, box, joined, lathe
from customs.demo.textures import noise, ramp
from customs.formats.registry import WriteOptions, get_format
from customs.scene.key import Key
from customs.scene.model import Image, Node, Scene

NAME = "estate"
ASSETS, PLACED, MATERIALS, TEXTURED, SETS, FAMILIES = 300, 100_000, 3_000, 200, 3_400, 20
SIDE = 600.0
"""Metres of the ground."""
WORDS = ("wall", "crate", "fern", "bench", "beam", "pot", "lantern", "slab", "barrel", "window")


def names() -> list[str]:
    """Of all assets: the last of them are levels of detail of FAMILIES things."""
    plain = [f"{WORDS[k % len(WORDS)]}_{k:03}" for k in range(ASSETS - 3 * FAMILIES)]
    return plain + [f"urn_{k:02}_lod{level}" for k in range(FAMILIES) for level in range(3)]


def _shape(number: int, rng: np.random.Generator) -> Shape:
    """Something of 12 to 2,000 triangles."""
    if number % 3 == 0:
        return box(*rng.uniform(0.3, 3.0, 3).tolist())
    sides, rings = int(rng.integers(6, 32)), int(rng.integers(3, 30))
    heights = np.linspace(0, float(rng.uniform(0.5, 3)), rings)
    radii = 0.2 + 0.5 * np.abs(np.sin(heights * float(rng.uniform(1, 4))))
    return lathe([(0.0, 0.0), *zip(radii.tolist(), heights.tolist())], sides)


def _asset(number: int, name: str) -> Scene:
    """An asset of ten materials, some of them with a texture."""
    rng = np.random.default_rng(700 + number)
    whole, each = _shape(number, rng), MATERIALS // ASSETS
    images = list[Image]()
    if number < TEXTURED:
        pixels = ramp(noise((64, 64), 6, number), [(60, 90, 80), (190, 180, 150)])
        images.append(image(name, 0, f"{name}_c", pixels))
    parts = np.array_split(np.arange(len(whole.faces)), each)
    materials, prims = [], []
    for k, faces in enumerate(parts):
        tone = rng.uniform(0.2, 0.9, 3).tolist()
        uses = {"base_colour": 0} if images and k == 0 else {}
        materials.append(
            material(name, k, f"{name} {k}", uses, base_colour=(*tone, 1.0), metallic=0.0, roughness=0.8)
        )
        shape = joined([Shape(whole.points, whole.uvs, whole.faces[faces])])
        if len(faces):
            prims.append(primitive(name, k, shape, k))
    node = Node(Key(digest_of(name), "node", 0), name, mesh=0)
    return signed(
        Scene(
            name,
            digest_of(name),
            (node,),
            (0,),
            (mesh(name, 0, name, prims),),
            tuple(materials),
            tuple(images),
        )
    )


def places() -> tuple[np.ndarray, np.ndarray]:
    """(which asset (N,), matrices (N, 4, 4)) of every placement."""
    rng = np.random.default_rng(77)
    plain, first = PLACED - 3 * SETS, ASSETS - 3 * FAMILIES
    which = rng.integers(0, first, plain)
    family = rng.integers(0, FAMILIES, SETS)
    levels = (first + 3 * family[:, None] + np.arange(3)).reshape(-1)
    count = plain + SETS
    turn, size = rng.uniform(0, 2 * np.pi, count), rng.uniform(0.7, 1.4, count)
    out = np.tile(np.eye(4), (count, 1, 1))
    out[:, 0, 0] = out[:, 2, 2] = np.cos(turn) * size
    out[:, 0, 2], out[:, 2, 0] = np.sin(turn) * size, -np.sin(turn) * size
    out[:, 1, 1] = size
    out[:, [0, 2], 3] = rng.uniform(-SIDE / 2, SIDE / 2, (count, 2))
    out[:, 1, 3] = 3.2 * rng.integers(0, 3, count)
    return np.concatenate([which, levels]), np.concatenate([out[:plain], np.repeat(out[plain:], 3, axis=0)])


def write_estate(folder: Path) -> tuple[Path, Path]:
    """(the list, the library) of the estate in `folder`; what is there is left as it is."""
    path, library = folder / f"{NAME}.json", folder / "library"
    if path.is_file():
        return path, library
    library.mkdir(parents=True, exist_ok=True)
    write, called = get_format("glb").write, names()
    assert write is not None
    for number, name in enumerate(called):
        with (library / f"{name}.glb").open("wb") as out:
            out.writelines(write(_asset(number, name), WriteOptions(name))[".glb"])
    which, matrices = places()
    numbers = np.round(matrices.transpose(0, 2, 1).reshape(-1, 16), 6).tolist()
    rows = [{"name": called[k], "matrix": m} for k, m in zip(which.tolist(), numbers)]
    path.write_text(json.dumps({"placements": rows}), "utf-8")
    return path, library
