"""A seed library of many small materials: what a desk must stay smooth with."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.floor import plane
from customs.demo.textures import noise, ramp
from customs.formats.registry import WriteOptions, get_format
from customs.scene.key import Key
from customs.scene.model import Node, Scene

ASSET = "seed_library"
EDGE, KINDS = 32, 24


def scene(count: int = 3000) -> Scene:
    """`count` seed cards of one material each, with a colour texture each and one of KINDS relief maps."""
    rng = np.random.default_rng(81)
    grain = noise((EDGE, EDGE), 4, 83)
    images = [image(ASSET, i, f"seed_{i:04}_c", ramp(np.roll(grain, i, 1), _pair(rng))) for i in range(count)]
    relief = [
        image(
            ASSET,
            count + k,
            f"seed_relief_{k:02}_n",
            np.full((EDGE, EDGE, 3), (128, 128, 255), np.uint8) + _dents(k),
        )
        for k in range(KINDS)
    ]
    materials = tuple(
        material(
            ASSET,
            i,
            f"seed {i:04}",
            {"base_colour": i, "normal": count + i % KINDS},
            metallic=0.0,
            roughness=0.8,
        )
        for i in range(count)
    )
    side = int(np.ceil(np.sqrt(count)))
    card = plane(0.08, 0.08)
    parts = [primitive(ASSET, i, card.moved((i % side) * 0.1, 0, (i // side) * 0.1), i) for i in range(count)]
    node = Node(Key(digest_of(ASSET), "node", 0), "cards", mesh=0)
    whole = mesh(ASSET, 0, "cards", parts)
    return signed(Scene(ASSET, digest_of(ASSET), (node,), (0,), (whole,), materials, (*images, *relief)))


def _pair(rng: np.random.Generator) -> list[tuple[int, int, int]]:
    a, b, c, d, e, f = (int(v) for v in rng.integers(20, 235, 6))
    return [(a, b, c), (d, e, f)]


def _dents(seed: int) -> np.ndarray:
    rng = np.random.default_rng(200 + seed)
    return np.dstack(
        [rng.integers(-9, 10, (EDGE, EDGE)), rng.integers(-9, 10, (EDGE, EDGE)), np.zeros((EDGE, EDGE), int)]
    ).astype(np.uint8)


def write(folder: Path, count: int = 3000) -> Path:
    """The library as one GLB in `folder`."""
    entry = get_format("glb")
    assert entry.write is not None
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{ASSET}.glb"
    for parts in entry.write(scene(count), WriteOptions(ASSET)).values():
        with path.open("wb") as out:
            out.writelines(parts)
    return path
