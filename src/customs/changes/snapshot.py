"""What of one asset joins another, as it was when a person said so: a GLB in the working frame, kept by digest."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np

from customs.changes.donor import MemorySource
from customs.errors import CustomsError, StepError
from customs.formats.gltf.read import read_gltf
from customs.formats.gltf.write import FORMS, write_glb
from customs.formats.registry import WriteOptions
from customs.scene.folding import unfolded
from customs.scene.held import map_held
from customs.scene.kinds import kind_notes
from customs.scene.model import GLTF_SLOTS, Image, Light, Scene
from customs.scene.prune import prune, prune_nodes
from customs.scene.selection import PREFIX
from customs.scene.wishes import NO_WISHES
from customs.surface.pixels import image_info, pixels_or_none

SAID = "said"
"""Name in a snapshot's extras of what its list said of the kinds of its things."""


def make_snapshot(
    scene: Scene, nodes: Sequence[int] | None = None, level: bool = False
) -> tuple[str, bytes, tuple[str, ...]]:
    """(name, bytes, roles of textures that stay behind) of the meshes at `nodes` of a scene, of all without them.
    Placements have no node to choose and always go along; of a `level` lights and what is said of kinds do, too.

    Skeleton, materials and textures go along; clips, cameras, lights and what swings stay. Raises StepError where nothing
    is shown there, WriteError where it cannot be written.
    """
    whole = unfolded(scene)
    kept = [
        n if nodes is None or i in nodes or i >= len(scene.nodes) else replace(n, mesh=None, skin=None)
        for i, n in enumerate(whole.nodes)
    ]
    bare = map_held(kept, lambda h: h if level and isinstance(h, Light) else None)
    out = replace(
        whole, nodes=bare, clips=(), springs=(), person=None, variants=(), wishes=NO_WISHES,
        extras=_said(whole) if level else {},
    )  # fmt: skip
    out = prune(replace(out, images=tuple(_writable(im) for im in out.images)))
    if not any(n.mesh is not None for n in out.nodes):
        raise StepError(f"nothing of {scene.name} is chosen", "at least one part", "Choose its parts.")
    lost = sorted({r for m in out.materials for r in m.textures} - set(GLTF_SLOTS))
    data = b"".join(bytes(part) for part in write_glb(out, WriteOptions(scene.name))[".glb"])
    return PREFIX + hashlib.sha256(data).hexdigest()[:32], data, tuple(lost)


def _said(scene: Scene) -> dict[str, Any]:
    """What lists and persons say of the kinds of a scene without rows: a place in the words for each node in the tree, as they are
    written.
    """
    own = scene.digest
    at = [n.key.ordinal if n.key.digest == own and not n.key.path else -1 for n in prune_nodes(scene).nodes]
    codes = scene.kinds.of(np.array(at, np.int64))
    if not scene.kinds.taught and (codes < 0).all():
        return {}
    return {
        SAID: {
            "words": list(scene.kinds.words),
            "codes": codes.tolist(),
            "taught": dict(scene.kinds.taught),
        }
    }


def _as_said(scene: Scene) -> Scene:
    """A snapshot's scene with what its extras say of kinds."""
    told = scene.extras.get(SAID)
    if not isinstance(told, Mapping):
        return scene
    words = np.array([*told["words"], ""], object)
    notes = kind_notes(words[np.array(told["codes"], np.intp)])
    rest = {k: v for k, v in scene.extras.items() if k != SAID}
    return replace(scene, kinds=notes.teaching(told["taught"]), extras=rest)


def _writable(image: Image) -> Image:
    """An image as a GLB can hold it: what is neither PNG, JPEG nor WebP goes by its pixels."""
    info = image_info(image) if image.there and not image.problem else None
    if info is None or image.pixels is not None or info.form in FORMS:
        return image
    pixels = pixels_or_none(image)
    return image if pixels is None else replace(image, content=None, pixels=pixels)


@lru_cache(maxsize=8)
def _read(name: str, data: bytes) -> Scene:
    return _as_said(read_gltf(MemorySource(f"{name.removeprefix(PREFIX)}.glb", data)))


def snapshot_scene(name: str, data: bytes) -> Scene:
    """The scene of a snapshot, the same object each time. Raises ReadError."""
    return _read(name, data)


def snapshot_of(part: str, name: str, resources: Mapping[str, bytes]) -> Scene:
    """The scene of what a stop brings of an asset called `name`. Raises StepError where it is gone or damaged."""
    try:
        return replace(snapshot_scene(part, resources[part]), name=name)
    except KeyError:
        raise StepError(
            f"what joins of {name} is no longer there",
            "the shipment's own copy",
            "Choose it again.",
            where="part",
        ) from None
    except CustomsError as problem:
        raise StepError(
            f"what joins of {name} is damaged ({problem.found})", "a GLB", "Choose it again."
        ) from None
