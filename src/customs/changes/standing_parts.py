"""The parts of a scene as they stand at rest, in metres, and what a person chose among their faces."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.changes.choice import faces_in
from customs.errors import StepError
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.motion.posing.pose import joint_matrices, posed_scene_points, skin_matrices
from customs.motion.posing.posing import posing
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.selection import rows_in
from customs.scene.tree import mesh_nodes

F64 = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
Said = tuple[str, str | tuple[tuple[int, int], ...]]
"""(Key of a primitive, chosen faces: the digest of a selection, or ranges of numbers)."""


@dataclass(frozen=True, eq=False)
class Part:
    """One primitive of triangles where the first node that shows it stands: `points` (V, 3) metres, `faces` (F, 3)."""

    node: int
    mesh: int
    number: int
    prim: Primitive
    points: F64
    faces: npt.NDArray[np.uint32]

    @property
    def names(self) -> set[str]:
        """Keys it answers to."""
        return {str(self.prim.key), *(str(k) for k in self.prim.made_from)}


@dataclass(frozen=True, eq=False)
class Whole:
    """All parts side by side: `starts` of their vertices and `firsts` of their faces, each with the end at last."""

    parts: tuple[Part, ...]
    starts: npt.NDArray[np.int64]
    firsts: npt.NDArray[np.int64]

    @classmethod
    def of(cls, parts: Sequence[Part]) -> Whole:
        """Parts side by side."""
        starts = np.cumsum([0, *(len(p.points) for p in parts)])
        return cls(tuple(parts), starts, np.cumsum([0, *(len(p.faces) for p in parts)]))

    @cached_property
    def points(self) -> F64:
        """(V, 3) metres."""
        return np.concatenate([np.zeros((0, 3)), *(p.points for p in self.parts)])

    @cached_property
    def faces(self) -> npt.NDArray[np.int64]:
        """(F, 3) numbers of vertices of the whole."""
        moved = [p.faces.astype(np.int64) + s for p, s in zip(self.parts, self.starts)]
        return np.concatenate([np.zeros((0, 3), np.int64), *moved])

    @cached_property
    def place(self) -> npt.NDArray[np.int64]:
        """(V,) the number of each vertex's place: parts that touch share places."""
        return groups_of_rows(self.points.astype(np.float32)).astype(np.int64)

    @cached_property
    def places(self) -> npt.NDArray[np.int64]:
        """(F, 3) faces by their corners' places."""
        return self.place[self.faces]

    @cached_property
    def centres(self) -> F64:
        """(F, 3) metres."""
        return self.points[self.faces].mean(axis=1)

    @cached_property
    def size(self) -> float:
        """Metres of its longest side; what is no number does not count."""
        good = self.points[np.isfinite(self.points).all(axis=1)]
        return float(np.ptp(good, axis=0).max()) if len(good) else 0.0

    def number_of(self, names: Set[str]) -> int | None:
        """The part that answers to one of the Keys `names`."""
        return next((k for k, p in enumerate(self.parts) if p.names & names), None)

    def mine(self, k: int, mask: npt.NDArray[Any]) -> npt.NDArray[Any]:
        """Part `k`'s share of something a face."""
        return mask[self.firsts[k] : self.firsts[k + 1]]

    def vertices(self, k: int, values: npt.NDArray[Any]) -> npt.NDArray[Any]:
        """Part `k`'s share of something a vertex."""
        return values[self.starts[k] : self.starts[k + 1]]


def whole_of(scene: Scene, at: int | None = None) -> Whole:
    """The parts that have triangles, each mesh where the first node stands that shows it, or where node `at` does."""
    parts, k = list[Part](), 0
    seen = set[int]() if at is None else {scene.nodes[at].mesh or 0}
    with np.errstate(invalid="ignore"):  # what is no number stays none
        points = posed_scene_points(scene)
    for n in mesh_nodes(scene):
        m = scene.nodes[n].mesh or 0
        for number, prim in enumerate(scene.meshes[m].primitives):
            faces = triangles_of(prim)
            if (n == at or m not in seen) and len(faces):
                parts.append(Part(n, m, number, prim, points[k], faces))
            k += 1
        seen.add(m)
    return Whole.of(parts)


def chosen(
    whole: Whole, said: Sequence[Said], resources: Mapping[str, bytes]
) -> tuple[Mask, tuple[Remark, ...]]:
    """(faces (F,) meant, remarks for what no longer answers). Raises StepError for a choice that is not at hand."""
    out, remarks = np.zeros(int(whole.firsts[-1]), dtype=bool), list[Remark]()
    for key, which in said:
        k = whole.number_of({key})
        if k is None:
            remarks.append(Remark(f"{key}: no longer there"))
            continue
        part = whole.parts[k]
        rows, lost = _rows(part, which, resources)
        whole.mine(k, out)[rows] = True
        if lost:
            remarks.append(
                Remark(
                    f"{lost:,} of the faces chosen on {key} no longer answer", part.prim.key, {"lost": lost}
                )
            )
    return out, tuple(remarks)


def _rows(part: Part, which: Any, resources: Mapping[str, bytes]) -> tuple[npt.NDArray[np.intp], int]:
    if not isinstance(which, str):
        ranges = np.asarray(which, dtype=np.int64).reshape(-1, 2)
        return rows_in(ranges, len(part.faces)), int((ranges[:, 1] > len(part.faces)).sum())
    try:
        return faces_in(resources[which], part.prim)
    except KeyError:
        raise StepError(
            "a choice of faces is no longer there", "the shipment's own copy", "Take it out, or choose again.",
            where=which,
        ) from None  # fmt: skip
    except ValueError as problem:
        raise StepError(
            f"a choice of faces is damaged ({problem})", "faces", "Choose again.", where=which
        ) from None


def moved_to(scene: Scene, part: Part, points: F64) -> Primitive:
    """The part's primitive with its vertices at `points` (V, 3) metres where they differ from where they stand; what its
    skin or node does to them is undone first. Vertices a skin lets collapse stay.
    """
    rows = np.flatnonzero((points != part.points).any(axis=1))
    if not len(rows):
        return part.prim
    world = posing(scene, None).world(0.0)
    skin = scene.nodes[part.node].skin
    if skin is not None and part.prim.joints is not None and part.prim.weights is not None:
        blend = skin_matrices(part.prim, joint_matrices(scene, skin, world))[rows]
    else:
        blend = np.broadcast_to(world[part.node][:3], (len(rows), 3, 4))
    turn = blend[:, :, :3]
    good = np.abs(np.linalg.det(turn)) > 1e-12
    rows, turn = rows[good], turn[good]
    # Moved by how far the point goes, not put where it stands: what a morph target adds at rest stays added.
    step = np.linalg.solve(turn, (points[rows] - part.points[rows])[..., None])[..., 0]
    out = part.prim.positions.copy()
    out[rows] = (out[rows].astype(np.float64) + step).astype(np.float32)
    out.flags.writeable = False
    return replace(part.prim, positions=out)


def shown_elsewhere(scene: Scene, meshes: Set[int]) -> tuple[Remark, ...]:
    """Remarks for those of `meshes` that stand in several places: what is done in one is done in all."""
    shown = Counter(n.mesh for n in scene.nodes if n.mesh is not None)
    return tuple(
        Remark(
            f"{scene.meshes[m].name} stands in {shown[m]:,} places: changed in all of them",
            scene.meshes[m].key,
        )
        for m in sorted(meshes)
        if shown[m] > 1
    )


def with_parts(scene: Scene, new: Mapping[tuple[int, int], Primitive | None]) -> Scene:
    """The scene with other primitives by (mesh, number in it); None takes one out."""
    meshes = list(scene.meshes)
    for m in {m for m, _ in new}:
        prims = (new.get((m, k), p) for k, p in enumerate(meshes[m].primitives))
        meshes[m] = replace(meshes[m], primitives=tuple(p for p in prims if p is not None))
    return replace(scene, meshes=tuple(meshes))
