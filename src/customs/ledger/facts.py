"""Measurements of a scene, each taken once and kept with the part it was taken from."""

from __future__ import annotations

import weakref
from collections.abc import Callable
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from customs.changes.finite import finite_vertices, not_finite
from customs.changes.outward import against
from customs.changes.primitives import vertex_columns
from customs.geometry.faces import Repeats, degenerate, doubled, repeats
from customs.geometry.normals import off_length
from customs.geometry.sides import no_part, turned_inward
from customs.geometry.texcoords import flipped, overlapping
from customs.geometry.triangles import triangles_of
from customs.kernels.store import expect
from customs.motion.posing.bounds import world_bounds
from customs.motion.rig.leftovers import outlines
from customs.motion.weights.influences import most_influences
from customs.scene.folding import shown_times
from customs.scene.kept import kept
from customs.scene.key import Key
from customs.scene.model import Image, Material, Primitive, Scene, Skin
from customs.scene.standing import known_of_faces
from customs.scene.tree import mesh_nodes, walk
from customs.surface.pixels import image_info, pixels_or_none

Mask = npt.NDArray[np.bool_]
F64 = npt.NDArray[np.float64]
F32 = npt.NDArray[np.float32]
U32 = npt.NDArray[np.uint32]
Value = TypeVar("Value")
NO_FACES: Mask = np.zeros(0, dtype=bool)


class PrimitiveFacts:
    """Measures of one primitive."""

    def __init__(self, prim: Primitive) -> None:
        self._prim = weakref.ref(prim)
        self.vertices = len(prim.positions)
        self._alone: dict[str, Any] = {}

    @property
    def prim(self) -> Primitive:
        """The primitive; alive while anyone can ask."""
        prim = self._prim()
        assert prim is not None
        return prim

    @cached_property
    def faces(self) -> int:
        """Triangles."""
        return len(triangles_of(self.prim))

    @cached_property
    def not_finite(self) -> int:
        """Vertices with a number that is not finite."""
        return not_finite(self.prim)

    def _of_faces(self, name: str, find: Callable[[], Value]) -> Value:
        """What hangs on where the faces stand, and holds for whatever has the same ones; faces of vertices
        with numbers that are none are left out of it, so that it is this primitive's alone.
        """
        known = self._alone if self.not_finite else known_of_faces(self.prim)
        if name not in known:
            known[name] = find()
        return known[name]

    def _mask(self, find: Callable[[F32, U32], Mask]) -> Mask:
        prim = self.prim
        faces = triangles_of(prim)
        if not len(faces):
            return np.zeros(0, dtype=bool)
        if self.not_finite and not finite_vertices(prim).all():
            good = finite_vertices(prim)[faces].all(axis=1)
            out = np.zeros(len(faces), dtype=bool)
            out[good] = find(prim.positions, faces[good])
            return out
        return find(prim.positions, faces)

    @cached_property
    def degenerate(self) -> Mask:
        """(F,) faces without area."""
        return self._of_faces("degenerate", lambda: self._mask(degenerate))

    @cached_property
    def doubled(self) -> Mask:
        """(F,) repeats of a face that is not degenerate."""
        return self._repeats.doubled & ~self.degenerate

    @property
    def _repeats(self) -> Repeats:
        def find() -> Repeats:
            return Repeats(self._mask(doubled), NO_FACES) if self.not_finite else self._all_repeats()

        return self._of_faces("repeats", find)

    def _all_repeats(self) -> Repeats:
        faces = triangles_of(self.prim)
        return repeats(self.prim.positions, faces) if len(faces) else Repeats(NO_FACES, NO_FACES)

    @cached_property
    def inward(self) -> Mask:
        """(F,) faces that look inward, judged without broken and doubled ones, and without backs."""
        if self.not_finite:
            return np.zeros(self.faces, dtype=bool)

        def find() -> Mask:
            known = no_part(self.degenerate, self._repeats)
            return turned_inward(self.prim.positions, triangles_of(self.prim), known)

        return self._of_faces("inward", find)

    @cached_property
    def against(self) -> int:
        """Faces whose normals all point to their back."""
        return against(self.prim)

    @cached_property
    def bad_normals(self) -> int:
        """Normals that are not about one long."""
        n = self.prim.normals
        if n is None:
            return 0
        return int(off_length(n).sum())

    @cached_property
    def bad_tangents(self) -> int:
        """Tangents that are not one long, or whose w is neither 1 nor −1."""
        t = self.prim.tangents
        if t is None:
            return 0
        return int((off_length(t[:, :3]) | (np.abs(t[:, 3]) != 1)).sum())

    @cached_property
    def spare_vertices(self) -> int:
        """Vertices that equal another in everything, or that no index uses."""
        from customs.geometry.weld import unique_rows

        prim = self.prim
        if not self.faces or self.not_finite:
            return 0
        _, inverse = unique_rows(vertex_columns(prim))
        used = inverse if prim.indices is None else inverse[prim.indices]
        distinct = np.zeros(len(inverse), dtype=bool)
        distinct[used] = True
        return self.vertices - int(distinct.sum())

    @cached_property
    def influences(self) -> int:
        """Most influences on one vertex."""
        return most_influences(self.prim)

    @cached_property
    def weight_error(self) -> float:
        """Largest distance of a vertex's weights from a sum of one; 0 without weights."""
        w = self.prim.weights
        return 0.0 if w is None or not len(w) else float(np.abs(w.sum(axis=1, dtype=np.float64) - 1).max())

    @cached_property
    def weightless(self) -> int:
        """Vertices with weights that sum to nothing; 0 where the mesh has none at all."""
        w = self.prim.weights
        return 0 if w is None else int((np.where(np.isfinite(w) & (w > 0), w, 0).sum(axis=1) < 1e-6).sum())

    @cached_property
    def broken_weights(self) -> int:
        """Vertices with a weight that is negative or no number."""
        w = self.prim.weights
        return 0 if w is None else int((~(np.isfinite(w) & (w >= 0))).any(axis=1).sum())

    @cached_property
    def outside_square(self) -> int:
        """Vertices whose first UVs lie outside 0..1."""
        if not self.prim.texcoords:
            return 0
        t = self.prim.texcoords[0]
        return int(((t < -1e-5) | (t > 1 + 1e-5)).any(axis=1).sum())

    @cached_property
    def uv_overlap(self) -> Mask:
        """(F,) faces that share their part of the texture."""
        return self._uv_mask(overlapping)

    @cached_property
    def uv_flipped(self) -> Mask:
        """(F,) faces mirrored in UV."""
        return self._uv_mask(flipped)

    def _uv_mask(self, find: Callable[[F32, U32], Mask]) -> Mask:
        prim, faces = self.prim, triangles_of(self.prim)
        if not prim.texcoords or not len(faces) or not np.isfinite(prim.texcoords[0]).all():
            return np.zeros(len(faces), dtype=bool)
        return find(prim.texcoords[0], faces)


def facts_of(prim: Primitive) -> PrimitiveFacts:
    """The facts of a primitive, kept as long as it lives."""
    return kept("facts", prim, lambda: PrimitiveFacts(prim))


def alpha_shares(image: Image) -> tuple[float, float, float] | None:
    """(share fully clear, share in between, share fully opaque) of the alpha channel; None without alpha or
    pixels.

    Within 4 of 255 of either end counts as that end.
    """
    return kept("alpha shares", image, lambda: _alpha_shares(image))


def _alpha_shares(image: Image) -> tuple[float, float, float] | None:
    info = image_info(image)
    pixels = pixels_or_none(image) if info is not None and info.has_alpha else None
    if pixels is None:
        return None
    alpha = pixels[:, :, -1]
    top = np.iinfo(alpha.dtype).max
    clear = float((alpha <= top * 4 // 255).mean())
    solid = float((alpha >= top - top * 4 // 255).mean())
    return clear, 1 - clear - solid, solid


class SceneFacts:
    """Measures of a whole scene."""

    def __init__(self, scene: Scene) -> None:
        self._scene = weakref.ref(scene)

    @property
    def scene(self) -> Scene:
        """The scene; alive while anyone can ask."""
        scene = self._scene()
        assert scene is not None
        return scene

    @cached_property
    def box(self) -> tuple[F64, F64] | None:
        """(low, high) of everything at rest, in the scene's unit."""
        return world_bounds(self.scene)

    @property
    def size(self) -> F64:
        """(3,) extent of the box; zeros when empty."""
        return self.box[1] - self.box[0] if self.box else np.zeros(3)

    @cached_property
    def used_meshes(self) -> list[int]:
        """Meshes some node shows, in walking order, once each."""
        by_nodes = dict.fromkeys(
            m for n in mesh_nodes(self.scene) if (m := self.scene.nodes[n].mesh) is not None
        )
        return list(by_nodes | dict.fromkeys(self.scene.placements.meshes))

    @cached_property
    def triangles(self) -> int:
        """Triangles drawn: meshes shown twice count twice."""
        times = shown_times(self.scene)
        return sum(n * facts_of(p).faces for n, m in zip(times, self.scene.meshes) if n for p in m.primitives)

    @cached_property
    def vertices(self) -> int:
        """Vertices of all meshes in use."""
        return sum(len(p.positions) for m in self.used_meshes for p in self.scene.meshes[m].primitives)

    @cached_property
    def hulls(self) -> frozenset[Key]:
        """Meshes that are another's outline: their faces look inward on purpose."""
        scene = self.scene
        return frozenset(scene.meshes[scene.nodes[n].mesh or 0].key for n in outlines(scene))

    @cached_property
    def depth(self) -> dict[int, int]:
        """Depth of each node in the tree, 0 for a root."""
        return {n: d for n, _, d in walk(self.scene)}

    @cached_property
    def used_materials(self) -> list[tuple[int, Material]]:
        """Materials some shown primitive uses."""
        used = {p.material for m in self.used_meshes for p in self.scene.meshes[m].primitives}
        used |= {m for k in self.used_meshes for p in self.scene.meshes[k].primitives for m, _ in p.variants}
        return [(i, m) for i, m in enumerate(self.scene.materials) if i in used]

    @cached_property
    def used_images(self) -> list[tuple[int, Image]]:
        """Images some used material uses."""
        used = {u.image for _, m in self.used_materials for u in m.textures.values()}
        return [(i, im) for i, im in enumerate(self.scene.images) if i in used]

    @cached_property
    def used_skins(self) -> list[Skin]:
        """Skins of shown meshes."""
        used = {self.scene.nodes[n].skin for n in mesh_nodes(self.scene)}
        return [s for i, s in enumerate(self.scene.skins) if i in used]


OF_FACES = ("faces", "rows", "near", "shells")
"""Kernels that measures of faces are taken with."""


def scene_facts(scene: Scene) -> SceneFacts:
    """The facts of a scene, kept as long as it lives."""
    return kept("facts", scene, lambda: _scene_facts(scene))


def _scene_facts(scene: Scene) -> SceneFacts:
    corners = sum(
        len(p.indices if p.indices is not None else p.positions) for m in scene.meshes for p in m.primitives
    )
    # A level is many small meshes: none of them alone would be worth loading compiled code for.
    expect(OF_FACES, corners)
    return SceneFacts(scene)
