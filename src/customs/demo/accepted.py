"""Packages of a destination nobody knows the rules of: five that it has accepted, a sixth that keeps them too, a seventh that does not."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape, box, joined, lathe
from customs.demo.textures import Pixels, bumps, encoded, noise, stone, verdigris, wood
from customs.formats.registry import WriteOptions, get_format
from customs.scene.key import Key
from customs.scene.model import Node, Scene

FIVE, SIXTH, SEVENTH = "accepted", "another", "refused"
POT = [(0, 0), (0.09, 0), (0.15, 0.26), (0.16, 0.3), (0.13, 0.3), (0.08, 0.05), (0, 0.05)]
BUTT = [(0, 0), (0.3, 0), (0.34, 0.45), (0.3, 0.9), (0, 0.9)]
CLOCHE = [(0, 0), (0.25, 0), (0.25, 0.2), (0.18, 0.38), (0.05, 0.45), (0.04, 0.5), (0, 0.51)]
POST = [(0, 0), (0.2, 0), (0.2, 0.08), (0.09, 0.14), (0.09, 0.95), (0.22, 1.0), (0.22, 1.05), (0, 1.05)]


def things() -> dict[str, tuple[Shape, Pixels]]:
    """Shapes that stand on the ground, with their textures; the last one keeps none of the rules."""
    crate, bench = (
        box(0.5, 0.3, 0.35, 0.01),
        joined([box(0.9, 0.06, 0.4).moved(y=0.45), box(0.7, 0.4, 0.06).moved(y=0.2)]),
    )
    things = {
        "flower_pot": (lathe(POT, 20), stone(256, 5)),
        "water_butt": (lathe(BUTT, 24), wood(512, 512, 6)),
        "seed_box": (crate, wood(256, 256, 7)),
        "cloche": (lathe(CLOCHE, 24), verdigris(256, 8)[0]),
        "sundial_post": (lathe(POST, 24), stone(512, 9)),
        "step_stool": (bench, wood(256, 256, 10)),
        "Broken Urn": (lathe(POT, 20), stone(300, 11)),
    }
    return {n: (_standing(shape, 0.0 if n != "Broken Urn" else -0.12), p) for n, (shape, p) in things.items()}


def _standing(shape: Shape, height: float) -> Shape:
    low, high = shape.points.min(axis=0), shape.points.max(axis=0)
    x, _, z = -(low + high) / 2
    return shape.moved(float(x), float(height - low[1]), float(z))


def thing(name: str, shape: Shape, pixels: Pixels) -> Scene:
    """One of them: a mesh with a colour and a normal map."""
    low = name.lower().replace(" ", "_")
    relief = bumps(noise(pixels.shape[:2], 20, len(name)), 0.5)
    images = (image(name, 0, f"{low}_col", pixels), image(name, 1, f"{low}_nrm", relief))
    uses = {"base_colour": 0, "normal": 1}
    skin = material(name, 0, f"vg_{low}", uses, metallic=0.0, roughness=0.8)
    part = mesh(name, 0, name, [primitive(name, 0, shape, 0)])
    node = Node(Key(digest_of(name), "node", 0), name, mesh=0)
    return signed(
        Scene(
            name, digest_of(name), nodes=(node,), roots=(0,), meshes=(part,), materials=(skin,), images=images
        )
    )


def write_accepted(folder: Path) -> Path:
    """All seven in folders of their own below `folder`; the five it has accepted."""
    for k, (name, (shape, pixels)) in enumerate(things().items()):
        kind = FIVE if k < 5 else SIXTH if k == 5 else SEVENTH
        _write(folder / kind / name, thing(name, shape, pixels), pixels)
    return folder / FIVE


def _write(place: Path, scene: Scene, pixels: Pixels) -> None:
    write = get_format("glb").write
    assert write is not None
    (place / "maps").mkdir(parents=True, exist_ok=True)
    textures = {k: f"maps/{im.uri}" for k, im in enumerate(scene.images)}
    for im in scene.images:
        (place / "maps" / im.uri).write_bytes(im.content.read() if im.content is not None else b"")
    for ending, parts in write(scene, WriteOptions(scene.name, textures)).items():
        (place / f"{scene.name}{ending}").write_bytes(b"".join(map(bytes, parts)))
    small = pixels[:: max(1, pixels.shape[0] // 96), :: max(1, pixels.shape[1] // 96)][:96, :96]
    (place / f"{scene.name}_label.png").write_bytes(encoded(np.ascontiguousarray(small), "png"))
