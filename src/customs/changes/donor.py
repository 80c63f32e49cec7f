"""Donors: assets of the destination whose skeleton, clips or weights an asset takes over, kept by digest as
GLB.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from pathlib import Path

from customs.errors import StepError
from customs.formats.registry import WriteOptions
from customs.formats.source import Source
from customs.later import later
from customs.motion.posing.bind import bind_error
from customs.scene.model import Node, Scene

reading, writing = later("customs.formats.gltf.read"), later("customs.formats.gltf.write")


@dataclass(frozen=True, eq=False)
class Donor:
    """A donor in the working frame: its name, its digest (sixteen hex digits), its GLB."""

    name: str
    digest: str
    data: bytes

    @property
    def scene(self) -> Scene:
        """Its scene."""
        return donor_scene(self.digest, self.data)


class MemorySource(Source):
    """A source that is in memory."""

    def __init__(self, name: str, data: bytes) -> None:
        super().__init__(Path(name))
        self._data = data


@lru_cache(maxsize=8)
def _read(digest: str, data: bytes) -> Scene:
    return reading.read_gltf(MemorySource(f"donor-{digest}.glb", data))


def donor_scene(digest: str, data: bytes) -> Scene:
    """The scene of a donor's GLB, the same object each time. Raises ReadError."""
    return _read(digest, data)


def make_donor(scene: Scene) -> Donor:
    """A donor from a scene in the working frame; materials and textures are left behind. Raises StepError."""
    if not scene.skins:
        raise StepError(f"{scene.name} has no skeleton", "an asset with a skin", "Choose another donor.")
    plain = replace(
        scene,
        materials=(),
        images=(),
        nodes=tuple(replace(n, holds=()) for n in scene.nodes),
        meshes=tuple(
            replace(m, primitives=tuple(replace(p, material=None, variants=()) for p in m.primitives))
            for m in scene.meshes
        ),
    )
    data = b"".join(bytes(part) for part in writing.write_glb(plain, WriteOptions(scene.name))[".glb"])
    return Donor(scene.name, hashlib.sha256(data).hexdigest()[:16], data)


def donor_nodes(scene: Scene) -> list[Node]:
    """Nodes that came from a donor: the destination looks for them by their very names."""
    return [n for n in scene.nodes if n.key.digest != scene.digest]


def take_donor(digest: str, resources: Mapping[str, bytes]) -> Scene:
    """The donor a step asks for. Raises StepError where it is not at hand or not at its bind pose."""
    if digest not in resources:
        raise StepError(
            f"the donor {digest} is not at hand",
            "a donor of the shipment",
            "Choose the donor again.",
            where="donor",
        )
    scene = donor_scene(digest, resources[digest])
    off = max(bind_error(scene, k) for k in range(len(scene.skins)))
    if off > 1e-3:
        raise StepError(
            f"the donor does not rest in its bind pose (off by {off:.3g})",
            "a donor at its bind pose",
            "Export it in bind pose.",
        )
    return scene
