"""A level from lists and libraries: every file once, every placement a row."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import numpy.typing as npt

from customs.conventions.convert import change_convention
from customs.errors import CustomsError
from customs.formats.registry import WriteOptions, get_format, read_scene
from customs.formats.source import Source
from customs.job import Job
from customs.levels.library import Resolved
from customs.levels.mapping import Mapping
from customs.levels.read import Listed
from customs.scene.convention import WORKING, Convention
from customs.scene.folding import as_nodes, fold, row_parts
from customs.scene.key import Key
from customs.scene.model import Image, Material, Mesh, Primitive, Scene
from customs.scene.placements import table
from customs.scene.prune import prune
from customs.scene.tree import mesh_nodes, world_matrices
from customs.words import many

F64 = npt.NDArray[np.float64]


@dataclass
class _Parts:
    """What the level is made of so far; rows as one array for each file."""

    digest: str
    images: list[Image] = field(default_factory=list)
    materials: list[Material] = field(default_factory=list)
    meshes: list[Mesh] = field(default_factory=list)
    of: list[npt.NDArray[np.uint32]] = field(default_factory=list)
    matrices: list[F64] = field(default_factory=list)
    names: list[str] = field(default_factory=list)

    def key(self, kind: str, number: int) -> Key:
        """A Key of the level's own."""
        return Key(self.digest, kind, number)


def assembled(
    lists: Sequence[Listed], names: Sequence[Resolved], mapping: Mapping, name: str, job: Job | None = None
) -> tuple[Scene, tuple[str, ...]]:
    """(the level in the working frame, what did not come along, in words). Missing and ambiguous names are left out and told; so is a
    file that cannot be read. Raises Cancelled.
    """
    job, told = job or Job(), list[str]()
    every = [n for x in lists for n in x.names]
    matrices = np.concatenate([x.matrices for x in lists]) if lists else np.zeros((0, 4, 4))
    shown = np.concatenate([x.visible for x in lists]) if lists else np.zeros(0, bool)
    ids = {r.name: k for k, r in enumerate(names)}
    which = np.fromiter((ids.get(n, -1) for n in every), np.intp, len(every))
    digest = hashlib.sha256("\n".join(str(x.path) for x in lists).encode()).hexdigest()[:12]
    parts = _Parts(digest)
    if hidden := int((~shown).sum()):
        told.append(f"{many(hidden, 'placement')} that are hidden in the list")
    for k, one in enumerate(names):
        job.check()
        job.progress(k / len(names), one.name)
        rows = np.flatnonzero((which == k) & shown)
        if not len(rows):
            continue
        if one.file is None:
            why = "no file of that name" if not one.files else f"{len(one.files)} files may be meant"
            told.append(f"{one.name} ({many(len(rows), 'placement')}): {why}")
            continue
        try:
            told += _placed(parts, one.file, one.name, matrices[rows], mapping)
        except CustomsError as problem:
            told.append(f"{one.name} ({many(len(rows), 'placement')}): {problem}")
    return _level(parts, name), tuple(told)


def _level(parts: _Parts, name: str) -> Scene:
    of = np.concatenate(parts.of) if parts.of else np.zeros(0, np.uint32)
    matrices = np.concatenate(parts.matrices) if parts.matrices else np.zeros((0, 3, 4))
    none = np.full(len(of), -1, np.int32)
    rows = table(of, matrices, none, np.arange(len(of), dtype=np.uint32), tuple(parts.names), none)
    scene = Scene(
        name,
        parts.digest,
        meshes=tuple(parts.meshes),
        materials=tuple(parts.materials),
        images=tuple(parts.images),
        placements=rows,
        convention=WORKING,
    )
    # What translation, rotation and scale cannot say is a node with its matrix.
    sheared = row_parts(rows)[3]
    return fold(as_nodes(scene, sheared) if sheared.any() else scene)


def _placed(parts: _Parts, file: Path, name: str, where: F64, mapping: Mapping) -> list[str]:
    """The rows of one file: each of its meshes at each of its places; what it had besides."""
    raw = prune(read_scene(Source(file, file.parent)))
    scene = change_convention(raw, WORKING, _frame(raw.convention, mapping))
    shown, worlds = mesh_nodes(scene), world_matrices(scene)
    first = len(parts.meshes)
    _meshes(parts, scene)
    own = np.array([scene.nodes[n].mesh or 0 for n in shown], np.uint32) + first
    whole = where[:, None] @ worlds[shown][None]
    parts.of.append(np.tile(own, len(where)).astype(np.uint32))
    parts.matrices.append(whole[:, :, :3].reshape(-1, 3, 4))
    parts.names += [name] * (len(where) * len(shown))
    lost = [
        (len(scene.clips), "clip"),
        (len(scene.skins), "skin"),
        (len(scene.lights), "light"),
        (len(scene.cameras), "camera"),
    ]
    return [f"{many(n, what)} of {name}" for n, what in lost if n]


def _frame(own: Convention, mapping: Mapping) -> Convention:
    """The frame of a file's numbers: as the mapping states it where transforms take raw numbers, or where no file and no format says
    one; else its own.
    """
    if mapping.takes != "raw" and own.stated in ("file", "format"):
        return own
    f = mapping.library.frame
    return replace(own, up=f.up, faces=f.faces, hand=f.hand, metres_per_unit=f.metres_per_unit)


def _meshes(parts: _Parts, scene: Scene) -> None:
    """Meshes, materials and images of a file as further ones of the level; nothing moves them any more."""
    images, materials = len(parts.images), len(parts.materials)
    parts.images += [replace(im, key=parts.key("image", images + k)) for k, im in enumerate(scene.images)]
    parts.materials += [
        replace(
            m,
            key=parts.key("material", materials + k),
            textures={r: replace(u, image=u.image + images) for r, u in m.textures.items()},
        )
        for k, m in enumerate(scene.materials)
    ]

    def primitive(p: Primitive, number: int) -> Primitive:
        return replace(
            p,
            key=parts.key("primitive", number),
            material=None if p.material is None else p.material + materials,
            joints=None,
            weights=None,
            targets=(),
            variants=(),
        )

    for m in scene.meshes:
        at = len(parts.meshes)
        prims = tuple(primitive(p, at * 1000 + k) for k, p in enumerate(m.primitives))
        parts.meshes.append(replace(m, key=parts.key("mesh", at), primitives=prims))


def written_level(scene: Scene, out: Path) -> None:
    """The level as one GLB. Raises OSError."""
    write = get_format("glb").write
    assert write is not None
    part = out.with_suffix(".part")
    with part.open("wb") as f:
        for piece in write(scene, WriteOptions(out.stem))[".glb"]:
            f.write(piece)
    part.replace(out)
