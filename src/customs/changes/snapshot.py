"""What of one asset joins another, as it was when a person said so: a GLB in the working frame, kept by digest."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

from customs.changes.donor import MemorySource
from customs.errors import StepError
from customs.formats.gltf.read import read_gltf
from customs.formats.gltf.write import FORMS, write_glb
from customs.formats.registry import WriteOptions
from customs.scene.folding import unfolded
from customs.scene.model import GLTF_SLOTS, Image, Scene
from customs.scene.prune import prune
from customs.scene.selection import PREFIX
from customs.scene.wishes import NO_WISHES
from customs.surface.pixels import image_info, pixels_or_none


def make_snapshot(scene: Scene, nodes: Sequence[int] | None = None) -> tuple[str, bytes, tuple[str, ...]]:
    """(name, bytes, roles of textures that stay behind) of the meshes at `nodes` of a scene, of all without them.
    Placements have no node to choose and always go along.

    Skeleton, materials and textures go along; clips, cameras, lights and what swings stay. Raises StepError where nothing
    is shown there, WriteError where it cannot be written.
    """
    whole = unfolded(scene)
    kept = [
        n if nodes is None or i in nodes or i >= len(scene.nodes) else replace(n, mesh=None, skin=None)
        for i, n in enumerate(whole.nodes)
    ]
    bare = tuple(replace(n, holds=()) for n in kept)
    out = replace(
        whole, nodes=bare, clips=(), springs=(), person=None, variants=(), wishes=NO_WISHES, extras={}
    )
    out = prune(replace(out, images=tuple(_writable(im) for im in out.images)))
    if not any(n.mesh is not None for n in out.nodes):
        raise StepError(f"nothing of {scene.name} is chosen", "at least one part", "Choose its parts.")
    lost = sorted({r for m in out.materials for r in m.textures} - set(GLTF_SLOTS))
    data = b"".join(bytes(part) for part in write_glb(out, WriteOptions(scene.name))[".glb"])
    return PREFIX + hashlib.sha256(data).hexdigest()[:32], data, tuple(lost)


def _writable(image: Image) -> Image:
    """An image as a GLB can hold it: what is neither PNG, JPEG nor WebP goes by its pixels."""
    info = image_info(image) if image.there and not image.problem else None
    if info is None or image.pixels is not None or info.form in FORMS:
        return image
    pixels = pixels_or_none(image)
    return image if pixels is None else replace(image, content=None, pixels=pixels)


@lru_cache(maxsize=8)
def _read(name: str, data: bytes) -> Scene:
    return read_gltf(MemorySource(f"{name.removeprefix(PREFIX)}.glb", data))


def snapshot_scene(name: str, data: bytes) -> Scene:
    """The scene of a snapshot, the same object each time. Raises ReadError."""
    return _read(name, data)
