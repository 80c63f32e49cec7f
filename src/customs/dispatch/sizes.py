"""How large a package will be, before anything is converted or encoded: exact where files go out as they
came, else about.
"""

from __future__ import annotations

from collections.abc import Mapping

from customs.dispatch.deliver import image_path
from customs.formats.image_write import deliveries, untouched
from customs.formats.registry import get_format
from customs.scene.model import Image, Primitive, Scene
from customs.scene.prune import prune
from customs.scene.wishes import Delivery
from customs.sheet.model import Sheet
from customs.surface.pixels import image_info

PACKED: Mapping[str, float] = {
    "png": 0.2,
    "webp": 0.13,
    "jpeg": 0.05,
    "tga": 0.8,
    "bmp": 1.0,
    "ktx2": 1.0,
    "dds": 1.0,
}
"""Share of its plain bytes a texture file takes in each format: PNG, WebP, JPEG and TGA as the median of the
demo's textures (a noisy photograph takes up to three times that), the others by their format."""
BITS: Mapping[str, int] = {"bc1": 4, "bc4": 4, "bc3": 8, "bc5": 8, "bc7": 8}
"""Bits a pixel of each block compression (Khronos Data Format Specification 1.3)."""
MIPS = 4 / 3


def texture_bytes(image: Image, how: Delivery) -> int:
    """About how large a texture file will be; what goes out as it came is as large as it is."""
    content = image.content
    if content is not None and untouched(image, how):
        return content.size()
    info = image_info(image)
    if info is None:
        return 0
    pixels = info.width * info.height * (MIPS if how.mips else 1)
    if how.block:
        return int(pixels * BITS.get(how.block, 8) / 8)
    return int(pixels * info.channels * max(1, info.bits // 8) * PACKED.get(how.form, 1.0))


def model_bytes(scene: Scene, sheet: Sheet) -> int:
    """About how large the model files will be together, textures not counted."""
    arrays = sum(_array_bytes(p) for m in scene.meshes for p in m.primitives)
    keys = sum(c.times.nbytes + c.values.nbytes for clip in scene.clips for c in clip.channels)
    names = 220 * (len(scene.nodes) + len(scene.placements) + len(scene.meshes) + 4 * len(scene.materials))
    return int((arrays + keys) * get_format(sheet.model.format).share) + names


def _array_bytes(prim: Primitive) -> int:
    whole = [
        prim.positions,
        prim.indices,
        prim.normals,
        prim.tangents,
        prim.joints,
        prim.weights,
        *prim.texcoords,
        *prim.colours,
    ]
    targets = [a for t in prim.targets for a in (t.positions, t.normals)]
    return sum(a.nbytes for a in (*whole, *targets) if a is not None)


def planned_sizes(scene: Scene, sheet: Sheet) -> tuple[dict[str, int], int]:
    """(bytes by path of texture files apart, bytes of the model files together with the textures inside
    them).
    """
    if sheet.grounds.form == "study":
        return {}, 0
    used = prune(scene)
    textures = {
        image_path(im, sheet, used.name, how.form): texture_bytes(im, how)
        for im in used.images
        if im.there
        for how in deliveries(im, used.wishes)
    }
    inside = 0 if sheet.model.textures == "apart" else sum(textures.values())
    return (textures if not inside else {}), model_bytes(used, sheet) + inside
