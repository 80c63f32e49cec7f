"""What the window shows of a level: kinds with their figures, placements as columns, names without files, how it is looked at."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.floorplan.picture import veil_without
from customs.geometry.rays import on_plane
from customs.geometry.triangles import triangles_of
from customs.grounds.glow import glowing
from customs.grounds.kinds import Sorted, base_name, kinds_of
from customs.grounds.rules import KINDS, STAND_IN, TITLES
from customs.grounds.scale import Evidence, evidence
from customs.grounds.things import thing_key
from customs.picture.camera import Orbit, ray_through
from customs.picture.look import Veil
from customs.picture.pick import Met
from customs.scene.kept import kept
from customs.scene.key import Key
from customs.scene.kinds import STAND_IN as WHY
from customs.scene.model import Image, Scene
from customs.surface.pixels import image_info

STATES = ("shown", "faint", "hidden")


@dataclass(frozen=True)
class KindRow:
    """A kind: things, triangles, bytes of its textures as pixels, share of all triangles (0..1)."""

    kind: str
    title: str
    count: int
    triangles: int
    texture_bytes: int
    share: float


@dataclass(frozen=True, eq=False)
class Ground:
    """A level as the desk shows it. `glows` is how many parts glow."""

    scene: Scene
    found: Sorted
    kinds: tuple[KindRow, ...]
    missing: tuple[tuple[str, str, int], ...]
    evidence: tuple[Evidence, ...]
    glows: int


def ground_of(scene: Scene) -> Ground:
    """All of it; taken once while the scene lives."""
    return kept("ground", scene, lambda: _ground(scene))


def _ground(scene: Scene) -> Ground:
    found = kinds_of(scene)
    counts = found.counts()
    whole = max(sum(t for _, t in counts.values()), 1)
    sizes = np.array([_bytes(im) for im in scene.images] or [0], np.int64)
    used = _images(scene)
    rows = []
    for kind, (count, triangles) in counts.items():
        meshes = np.unique(found.things.mesh[found.of(kind)])
        images = {i for m in meshes.tolist() if m >= 0 for i in used[m]}
        size = int(sizes[list(images)].sum()) if images else 0
        rows.append(KindRow(kind, TITLES[kind], count, triangles, size, triangles / whole))
    return Ground(
        scene,
        found,
        tuple(rows),
        _missing(scene, found),
        evidence(scene),
        glowing(scene, 1.0, 1.0, 1).sources,
    )


def _bytes(image: Image) -> int:
    info = image_info(image)
    return info.width * info.height * info.channels * max(1, info.bits // 8) if info is not None else 0


def _images(scene: Scene) -> list[set[int]]:
    by_material = [{u.image for u in m.textures.values()} for m in scene.materials]
    return [
        set().union(*(by_material[p.material] for p in m.primitives if p.material is not None))
        for m in scene.meshes
    ]


def _missing(scene: Scene, found: Sorted) -> tuple[tuple[str, str, int], ...]:
    """(name, why, places) of each name that a box stands in for, the most frequent first."""
    meshes, counts = np.unique(found.things.mesh[found.of(STAND_IN)], return_counts=True)
    rows = [
        (scene.meshes[m].name, str(scene.meshes[m].extras.get(WHY, "")), int(n))
        for m, n in zip(meshes.tolist(), counts.tolist())
    ]
    return tuple(sorted(rows, key=lambda r: (-r[2], r[0])))


def veil_of(
    ground: Ground,
    states: Mapping[str, str],
    solo: str = "",
    hidden: Collection[int] = (),
    only: Collection[int] = (),
) -> Veil | None:
    """How a level is looked at: kinds by their state, one alone (`solo`), things (by number) that are hidden, or that `only` are
    shown; None where all is.
    """
    codes, things = ground.found.codes, ground.found.things
    gone = np.zeros(len(things), bool)
    faint = np.isin(codes, [KINDS.index(k) for k, s in states.items() if s == "faint"])
    gone |= np.isin(codes, [KINDS.index(k) for k, s in states.items() if s == "hidden"])
    if solo:
        gone, faint = codes != KINDS.index(solo), np.zeros(len(things), bool)
    if only:
        alone = np.ones(len(things), bool)
        alone[list(only)] = False
        gone |= alone
    if hidden:
        gone[list(hidden)] = True
    if not gone.any() and not faint.any():
        return None
    count = len(things.nodes)
    rows = np.zeros((2, len(ground.scene.placements)), bool)
    rows[0, things.rows], rows[1, things.rows] = gone[count:], faint[count:]
    nodes = (frozenset(things.nodes[mask[:count]].tolist()) for mask in (gone, faint))
    return Veil(rows[0], rows[1], *nodes)


def key_of(ground: Ground, thing: int) -> Key:
    """The Key of a thing."""
    return thing_key(ground.scene, ground.found.things, thing)


def thing_of(ground: Ground, key: Key) -> int | None:
    """The number of the thing with a Key."""
    things, scene = ground.found.things, ground.scene
    for k, n in enumerate(things.nodes.tolist()):
        if scene.nodes[n].key == key:
            return k
    at = np.flatnonzero(scene.placements.ordinals[things.rows] == key.ordinal)
    return len(things.nodes) + int(at[0]) if len(at) and key.digest == scene.digest else None


def taught_name(ground: Ground, thing: int) -> str:
    """The name a kind is taught by, of a thing: its mesh's, without the number at its end."""
    mesh = int(ground.found.things.mesh[thing])
    return base_name(ground.scene.meshes[mesh].name if mesh >= 0 else str(ground.found.things.names[thing]))


def order_of(ground: Ground, column: str, down: bool) -> npt.NDArray[np.intp]:
    """(T,) things in the order of a column, "" for as they stand."""
    things = ground.found.things
    if not column:
        return np.arange(len(things))
    if column == "name":
        values: npt.NDArray[Any] = things.names.astype(str)
    elif column == "kind":
        values = ground.found.codes
    elif column == "triangles":
        values = things.triangles(ground.found.meshes)
    elif column == "size":
        values = np.nan_to_num(things.size.max(axis=1), nan=-1.0)
    else:
        values = things.matrices[:, "xyz".index(column), 3]
    order = np.argsort(values, kind="stable")
    return order[::-1] if down else order


def things_of_keys(ground: Ground, keys: Collection[str]) -> frozenset[int]:
    """Numbers of the things that have some Keys; Keys nothing has are passed over."""
    if not keys:
        return frozenset()
    veil = veil_without(ground.scene, keys)
    if veil is None:
        return frozenset()
    things = ground.found.things
    nodes = np.flatnonzero(np.isin(things.nodes, list(veil.hidden_nodes)))
    rows = len(things.nodes) + np.flatnonzero(veil.hidden_rows[things.rows])
    return frozenset([*nodes.tolist(), *rows.tolist()])


def place_met(
    ground: Ground, met: Met, orbit: Orbit, size: tuple[int, int], x: float, y: float
) -> tuple[float, float, float] | None:
    """Metres of the place under pixel `x`, `y` of a picture of `size`, on what was met there."""
    thing = thing_of(ground, met.key)
    faces = triangles_of(met.prim)
    if thing is None or not 0 <= met.face < len(faces):
        return None
    m = ground.found.things.matrices[thing]
    corners = met.prim.positions[faces[met.face]].astype(np.float64) @ m[:, :3].T + m[:, 3]
    found = on_plane(corners, *ray_through(orbit, *size, x, y))
    return (
        None
        if found is None or not np.isfinite(found).all()
        else (float(found[0]), float(found[1]), float(found[2]))
    )
