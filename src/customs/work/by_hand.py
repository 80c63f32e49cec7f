"""Choosing faces on a scene as it stands, and what a choice is told by and kept as."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from customs.changes.choice import packed_faces
from customs.changes.soft import Pull, grips_of, other_side, pulled_all, with_points
from customs.changes.standing_parts import Whole, whole_of
from customs.geometry.choosing import beside_plane, grown, hanging_together, in_box, in_lasso
from customs.later import later
from customs.picture.camera import Orbit, project
from customs.route.steps.fit.take_away import without_faces
from customs.scene.model import Scene
from customs.scene.selection import ranges_of_rows
from customs.words import many
from customs.work.selections import keep_packed, put_whole

snapshots = later("customs.changes.snapshot")
Mask = npt.NDArray[np.bool_]
Unit = Literal["face", "island", "part", "material"]
UNITS: tuple[tuple[Unit, str], ...] = (
    ("face", "Face"), ("island", "Island"), ("part", "Part"), ("material", "Material"),
)  # fmt: skip
"""What one press chooses: a face; what hangs together by its vertices (seams part it), or by places; a material."""
OWN = "own"
"""Folder in the store of what became an asset of its own."""


class Chooser:
    """A choice of faces on one scene: `mask` (F,) over the faces of its `whole`."""

    def __init__(self, scene: Scene) -> None:
        self.scene = scene
        self.whole: Whole = whole_of(scene)
        self.mask: Mask = np.zeros(int(self.whole.firsts[-1]), dtype=bool)

    # -- choosing

    def pick(self, names: set[str], face: int, unit: Unit, more: bool = False) -> bool:
        """What was pointed at: face number `face` of the part that answers to one of the Keys `names`; False where no
        part does.
        """
        k = self.whole.number_of(names)
        if k is None or not 0 <= face < len(self.whole.parts[k].faces):
            return False
        spot = np.zeros_like(self.mask)
        spot[self.whole.firsts[k] + face] = True
        if unit == "material":
            mine = self.whole.parts[k].prim.material
            for i, part in enumerate(self.whole.parts):
                self.whole.mine(i, spot)[:] = part.prim.material == mine
        elif unit != "face":
            spot = hanging_together(self.whole.places if unit == "part" else self.whole.faces, spot)
        # A second press on what is chosen lets it go.
        self.mask = (self.mask & ~spot if self.mask[spot].all() else self.mask | spot) if more else spot
        return True

    def lasso(self, orbit: Orbit, size: tuple[int, int], outline: Any, more: bool = False) -> None:
        """Faces inside a line (M, 2) drawn round them on a picture of `size` pixels, those behind too."""
        flat = project(self.whole.points, orbit, *size)
        self._take(in_lasso(flat, self.whole.faces, outline), more)

    def box(self, low: Any, high: Any, more: bool = False) -> None:
        """Faces whose middles lie between two corners (metres)."""
        self._take(in_box(self.whole.centres, np.minimum(low, high), np.maximum(low, high)), more)

    def beside(self, point: Any, normal: Any, more: bool = False) -> None:
        """Faces whose middles lie on the side of a plane its direction points to."""
        self._take(beside_plane(self.whole.centres, point, normal), more)

    def grow(self, rings: int) -> None:
        """A ring of faces more, or fewer."""
        self.mask = grown(self.whole.places, self.mask, rings)

    def mirror(self) -> None:
        """The faces opposite, besides."""
        self.mask = self.mask | other_side(self.whole, self.mask)

    def invert(self) -> None:
        """All others."""
        self.mask = ~self.mask

    def none(self) -> None:
        """Nothing."""
        self.mask = np.zeros_like(self.mask)

    def _take(self, found: Mask, more: bool) -> None:
        self.mask = self.mask | found if more else found

    # -- told

    @property
    def count(self) -> int:
        """Faces chosen."""
        return int(self.mask.sum())

    @property
    def area(self) -> float:
        """Square metres chosen."""
        a, b, c = (self.whole.points[self.whole.faces[self.mask, k]] for k in range(3))
        return float(0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())

    def words(self) -> str:
        """How many, how large."""
        if not self.count:
            return "Nothing chosen"
        return f"{many(self.count, 'face')} · {self.area:.4g} m²"

    def hanging(self) -> str:
        """What hangs on the choice: meshes, materials, the joints that move it most."""
        meshes, materials, joints = dict[str, None](), dict[str, None](), dict[str, float]()
        for k, part in enumerate(self.whole.parts):
            mine = self.whole.mine(k, self.mask)
            if not mine.any():
                continue
            meshes[self.scene.meshes[part.mesh].name] = None
            if part.prim.material is not None:
                materials[self.scene.materials[part.prim.material].name] = None
            for name, share in self._joints(part, np.unique(part.faces[mine])).items():
                joints[name] = joints.get(name, 0.0) + share
        most = sorted(joints, key=lambda n: -joints[n])
        parts = [_few("mesh", list(meshes)), _few("material", list(materials)), _few("joint", most)]
        return "; ".join(p for p in parts if p)

    def _joints(self, part: Any, rows: Any) -> dict[str, float]:
        skin, prim = self.scene.nodes[part.node].skin, part.prim
        if skin is None or prim.joints is None or prim.weights is None:
            return {}
        sums = np.bincount(prim.joints[rows].reshape(-1), prim.weights[rows].reshape(-1))
        names = self.scene.skins[skin].joints
        return {
            self.scene.nodes[names[j]].name: float(sums[j])
            for j in np.flatnonzero(sums > 0)
            if j < len(names)
        }

    def marks(self) -> dict[str, tuple[tuple[int, int], ...]]:
        """Chosen faces by primitive, as ranges of numbers."""
        rows = {
            str(p.prim.key): np.flatnonzero(self.whole.mine(k, self.mask))
            for k, p in enumerate(self.whole.parts)
        }
        return {key: ranges_of_rows(found) for key, found in rows.items() if len(found)}

    def kept(self, store: Path) -> tuple[tuple[str, str], ...]:
        """The choice as a stop says it, its parts in the store by digest. Raises ShipmentError."""
        out = []
        for k, part in enumerate(self.whole.parts):
            rows = np.flatnonzero(self.whole.mine(k, self.mask))
            if len(rows):
                out.append((str(part.prim.key), keep_packed(store, *packed_faces(part.prim, rows))))
        return tuple(out)

    def like(self, other: Chooser) -> None:
        """Take over what another chooser's parts of the same Keys have chosen, where they have as many faces."""
        theirs = {str(p.prim.key): k for k, p in enumerate(other.whole.parts)}
        for k, part in enumerate(self.whole.parts):
            at = theirs.get(str(part.prim.key))
            if at is not None and len(other.whole.parts[at].faces) == len(part.faces):
                self.whole.mine(k, self.mask)[:] = other.whole.mine(at, other.mask)


def own_file(store: Path, chooser: Chooser, chosen: Mask, name: str) -> Path:
    """A GLB of the faces `chosen` (F,) alone, to be taken in as an asset of their own. Raises CustomsError."""
    part, _ = without_faces(chooser.scene, chooser.whole, ~chosen, False)
    _, data, _ = snapshots.make_snapshot(part)
    folder = store / OWN
    number = 1
    while (path := folder / f"{name}_{number}.glb").exists():
        number += 1
    put_whole(path, data)
    return path


def _few(thing: str, names: Sequence[str]) -> str:
    if not names:
        return ""
    more = f" and {len(names) - 3} more" if len(names) > 3 else ""
    return (
        f"{many(len(names), thing)}: {', '.join(names[:3])}{more}"
        if len(names) > 1
        else f"{thing} {names[0]}"
    )


class SoftHold:
    """A spot taken hold of: what follows it is found once, then every position of the hand is quick."""

    def __init__(self, chooser: Chooser, spot: Mask, reach: float, both: bool) -> None:
        self.chooser, self.of = chooser, (spot, reach, both)
        self.grips = grips_of(chooser.whole, spot, reach, both)

    @property
    def middle(self) -> npt.NDArray[np.float64]:
        """(3,) the middle of the spot."""
        return self.grips[0].middle

    def at(self, pull: Pull) -> Scene:
        """The scene with the spot pulled."""
        whole = self.chooser.whole
        return with_points(self.chooser.scene, whole, pulled_all(whole.points, self.grips, pull))


def soft_values(faces: tuple[tuple[str, str], ...], pull: Pull, both: bool) -> Mapping[str, Any]:
    """A soft move as the settings of a stop."""
    return {"moves": ((faces, pull.move, pull.turn, pull.scale, pull.reach, both),)}
