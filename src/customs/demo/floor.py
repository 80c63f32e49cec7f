"""A mosaic floor whose materials are all a little wrong: an old kind of material, a map turned over, a puddle
left opaque.
"""

from __future__ import annotations

import io

import numpy as np
import numpy.typing as npt
import PIL.Image
import PIL.PngImagePlugin

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape, box
from customs.demo.textures import Pixels, bumps, noise, ramp, verdigris
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image, Node, Scene

ASSET = "mosaic_floor"
SIZE = 512


def mosaic(seed: int) -> tuple[Pixels, Pixels]:
    """(diffuse, specular with glossiness in alpha) of small glazed stones in grey joints, (H, W, 3) and (H,
    W, 4).
    """
    cells = 16
    y, x = np.mgrid[0:SIZE, 0:SIZE] / SIZE * cells
    cell = (y.astype(int) * cells + x.astype(int)) % (cells * cells)
    rng = np.random.default_rng(seed)
    tone = rng.random(cells * cells)[cell]
    ring = np.hypot(y - cells / 2, x - cells / 2) / cells * 2
    joint = np.maximum(np.abs(x - np.floor(x) - 0.5), np.abs(y - np.floor(y) - 0.5)) > 0.44
    petals = np.sin(np.arctan2(y - cells / 2, x - cells / 2) * 6) * 0.12 + ring
    glaze = ramp(
        np.clip(petals * 0.7 + 0.3 * tone, 0, 1),
        [(26, 74, 66), (74, 148, 128), (196, 190, 160), (120, 66, 34)],
    )
    diffuse = np.where(joint[..., None], np.array([104, 100, 92]), glaze).astype(np.uint8)
    shine = np.where(joint, 30, 58 + 20 * tone)
    gloss = np.where(joint, 40, 170 + 50 * tone + 20 * noise((SIZE, SIZE), 24, seed + 1))
    return diffuse, np.dstack([shine, shine, shine, np.clip(gloss, 0, 255)]).astype(np.uint8)


def puddle(seed: int) -> Pixels:
    """Dark water whose rim fades (H, W, 4)."""
    size = SIZE // 2
    y, x = np.mgrid[0:size, 0:size] / size * 2 - 1
    edge = np.hypot(x, y) + 0.35 * (noise((size, size), 3, seed) - 0.5)
    alpha = np.clip((0.86 - edge) * 2.2, 0, 0.72)
    colour = ramp(noise((size, size), 5, seed + 1), [(30, 44, 44), (44, 62, 60)])
    return np.dstack([colour, (alpha * 255).astype(np.uint8)])


def marked(number: int, name: str, pixels: npt.NDArray[np.uint8]) -> Image:
    """A PNG that says it holds sRGB colours, whatever it holds (PNG specification, sRGB chunk)."""
    out, chunks = io.BytesIO(), PIL.PngImagePlugin.PngInfo()
    chunks.add(b"sRGB", b"\0")
    PIL.Image.fromarray(pixels).save(out, "PNG", pnginfo=chunks)
    return Image(
        Key(digest_of(ASSET), "image", number), name, Encoded(out.getvalue(), "image/png"), uri=f"{name}.png"
    )


def plane(width: float, height: float) -> Shape:
    """A level rectangle facing up, its middle at zero."""
    w, h = width / 2, height / 2
    points = np.array([[-w, 0, h], [w, 0, h], [w, 0, -h], [-w, 0, -h]])
    return Shape(
        points, np.array([[0, 1], [1, 1], [1, 0], [0, 0]], dtype=float), np.array([[0, 1, 2], [0, 2, 3]])
    )


def scene() -> Scene:
    """A floor of two metres with an iron grate and a puddle, as glTF."""
    diffuse, shine = mosaic(61)
    iron, packed = verdigris(256, 63)
    dents = bumps(noise((256, 256), 12, 65, 3), 5.0)
    dents[:, :, 1] = 255 - dents[:, :, 1]  # green the wrong way for glTF
    images = (
        image(ASSET, 0, "mosaic_diffuse", diffuse),
        image(ASSET, 1, "mosaic_specgloss", shine),
        image(ASSET, 2, "grate_c", iron),
        image(ASSET, 3, "grate_n", dents),
        marked(4, "grate_orm", packed),
        image(ASSET, 5, "puddle_c", puddle(67)),
    )
    glazed = {"diffuse": 0, "specular_glossiness": 1}
    plain = {"base_colour": 2, "normal": 3, "metallic_roughness": 4}
    materials = (
        material(
            ASSET, 0, "mosaic", glazed, model="specular_glossiness", specular=(1.0, 1.0, 1.0), glossiness=1.0
        ),
        material(ASSET, 1, "grate", plain),
        material(ASSET, 2, "puddle", {"base_colour": 5}, metallic=0.0, roughness=0.05),
    )
    slab = plane(2.0, 2.0).moved(0, 0.08, 0)
    rim = box(2.0, 0.08, 2.0, 0.0)
    sides = Shape(rim.points, rim.uvs, rim.faces)
    grate = box(0.5, 0.02, 0.5, 0.004).moved(0.6, 0.08, 0.6)
    water = plane(0.9, 0.7).moved(-0.35, 0.083, -0.25)
    parts = [("slab", [(slab, 0), (sides, 0)]), ("grate", [(grate, 1)]), ("puddle", [(water, 2)])]
    meshes, count = [], 0
    for k, (name, pieces) in enumerate(parts):
        prims = []
        for shape, number in pieces:
            prims.append(primitive(ASSET, count, shape, number))
            count += 1
        meshes.append(mesh(ASSET, k, name, prims))
    nodes = tuple(Node(Key(digest_of(ASSET), "node", i), m.name, mesh=i) for i, m in enumerate(meshes))
    return signed(Scene(ASSET, digest_of(ASSET), nodes, (0, 1, 2), tuple(meshes), materials, images))
