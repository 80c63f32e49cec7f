"""Bringing all textures of a material to one place on the surface: which way it can be done, and doing it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.changes.materials import Textures
from customs.geometry.raster import covered
from customs.geometry.triangles import triangles_of
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import COLOUR_SLOTS, NORMAL_SLOTS, Image, Material, Primitive, Scene, TextureUse
from customs.surface.green import green_of
from customs.surface.lay import Lay, brought, lay_of, periodic, plain_use, size_for, through
from customs.surface.pixels import pixels_or_none

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
U32 = npt.NDArray[np.uint32]
RIM = 1e-3
GRID = 512
"""Pixels along an edge of the picture in which faces that lie over one another are compared."""
OVERLAP = 0.01
"""Share of such a picture that may have two answers."""


@dataclass(frozen=True)
class Laying:
    """The place all textures go to, and the roles whose textures have to be drawn anew for it; `why` when
    there is no way.
    """

    main: Lay | None
    redrawn: tuple[str, ...] = ()
    why: str = ""


def lays(material: Material) -> dict[str, Lay]:
    """Where each texture of a material lies, by role."""
    return {role: lay_of(use) for role, use in material.textures.items()}


def same_place(uses: Sequence[TextureUse]) -> bool:
    """True when textures can be put together pixel by pixel."""
    return len({lay_of(u) for u in uses}) <= 1


def way_for(scene: Scene, index: int) -> Laying:
    """How the textures of a material can come to lie at one place with UVs as they are."""
    m = scene.materials[index]
    prims = primitives_of(scene, index)
    found = lays(m)
    if not found or not prims:
        return Laying(None, why="nothing shows it")
    most = max(lay.texcoord for lay in found.values())
    if any(len(p.texcoords) <= most for p in prims):
        return Laying(None, why=f"some of its faces have no UV set {most}")
    others = {
        lay
        for p in prims
        for k in {p.material, *(v for v, _ in p.variants)} - {index, None}
        for lay in lays(scene.materials[k or 0]).values()
    }
    if others and (others | set(found.values()) != {next(iter(others))}):
        return Laying(None, why="another skin of the same faces lies elsewhere")
    whys = []
    for main in dict.fromkeys((found.get("base_colour") or next(iter(found.values())), *found.values())):
        way = _to(scene, m, prims, main, found)
        if way.main is not None:
            return way
        whys.append(way.why)
    return Laying(None, why=whys[0])


def primitives_of(scene: Scene, index: int) -> list[Primitive]:
    """Primitives drawn with a material, as it is or as a variant."""
    return [
        p
        for mesh in scene.meshes
        for p in mesh.primitives
        if (p.material == index or any(k == index for k, _ in p.variants)) and len(triangles_of(p))
    ]


def _to(scene: Scene, material: Material, prims: list[Primitive], main: Lay, found: dict[str, Lay]) -> Laying:
    """Whether all others can be brought to `main`."""
    redrawn = tuple(role for role, lay in found.items() if lay != main)
    if not redrawn:
        return Laying(main)
    if any(pixels_or_none(scene.images[material.textures[r].image]) is None for r in redrawn):
        return Laying(None, why="a texture of it cannot be read")
    uvs = [_uv(p, main) for p in prims]
    square = all(_in_square(uv, triangles_of(p)) for uv, p in zip(uvs, prims))
    for role in redrawn:
        lay = found[role]
        if lay.texcoord == main.texcoord:
            if not square and not periodic(
                lay.rows @ np.linalg.inv(main.rows), material.textures[role].sampler
            ):
                return Laying(None, why="its UVs tile, and one texture of it is scaled apart from the others")
        elif not square:
            return Laying(None, why="its UVs tile where another texture of it has UVs of its own")
        elif not _one_answer(uvs, [_uv(p, lay) for p in prims], prims):
            return Laying(
                None, why="its UVs lie over one another where another texture of it has UVs of its own"
            )
    return Laying(main, redrawn)


def _uv(prim: Primitive, lay: Lay) -> F32:
    return lay.apply(prim.texcoords[lay.texcoord])


def _in_square(uv: F32, faces: U32) -> bool:
    used = uv[np.unique(faces)]
    return bool(np.isfinite(used).all() and used.min(initial=0) >= -RIM and used.max(initial=1) <= 1 + RIM)


def _one_answer(target: list[F32], source: list[F32], prims: list[Primitive]) -> bool:
    """True when every spot of the layout `target` knows one spot of `source`: faces that lie over one another
    agree.

    The faces are drawn once in their order and once in the other; where another face comes out on top it has
    to say the same.
    """
    counts = np.cumsum([0, *(len(u) for u in target)])
    faces = np.concatenate([triangles_of(p) + np.uint32(c) for p, c in zip(prims, counts)])
    where, told = np.concatenate(target), np.concatenate(source).astype(np.float64)
    seen = []
    for order in (faces, faces[::-1]):
        owner, weights = covered(where, order, GRID, GRID)
        hit = owner >= 0
        seen.append(np.einsum("nk,nkd->nd", weights[hit].astype(np.float64), told[order[owner[hit]]]))
    off = np.abs(seen[0] - seen[1])
    off = np.minimum(off, np.abs(off - np.round(off)))
    return bool((off.max(axis=1, initial=0) > 2 / GRID).mean() <= OVERLAP) if len(off) else False


def laid(scene: Scene, indices: Sequence[int], check: Callable[[], None]) -> tuple[Scene, dict[int, Laying]]:
    """The scene with the textures of some materials at one place, on the first UV set; the others stay as
    they are.
    """
    ways = {i: way_for(scene, i) for i in indices}
    textures, materials = Textures(scene), list(scene.materials)
    for i, way in ways.items():
        check()
        if way.main is not None:
            materials[i] = _material(scene, i, way, textures)
    meshes = tuple(
        replace(mesh, primitives=tuple(_primitive(p, ways) for p in mesh.primitives)) for mesh in scene.meshes
    )
    return replace(scene, meshes=meshes, materials=tuple(materials), images=tuple(textures.images)), ways


def _material(scene: Scene, index: int, way: Laying, textures: Textures) -> Material:
    m, main = scene.materials[index], way.main
    assert main is not None
    prims = primitives_of(scene, index)
    uses: dict[str, TextureUse] = {}
    drawn: dict[tuple[int, Lay, str], int] = {}
    for role, use in m.textures.items():
        if role not in way.redrawn:
            uses[role] = plain_use(use, use.image)
            continue
        kind = "normal" if role in NORMAL_SLOTS else "colour" if role in COLOUR_SLOTS else "data"
        name = (use.image, lay_of(use), kind)
        if name not in drawn:
            drawn[name] = textures.add(_redrawn(scene, m, role, use, prims, main, kind))
        uses[role] = plain_use(use, drawn[name])
    return replace(m, textures=uses)


def _redrawn(
    scene: Scene, material: Material, role: str, use: TextureUse, prims: list[Primitive], main: Lay, kind: str
) -> Image:
    source, lay = scene.images[use.image], lay_of(use)
    pixels = pixels_or_none(source)
    assert pixels is not None, "asked before"
    if lay.texcoord == main.texcoord:
        new = through(pixels, lay.rows @ np.linalg.inv(main.rows), use.sampler, kind)
    else:
        parts = [(_uv(p, main), _uv(p, lay), triangles_of(p)) for p in prims]
        new = brought(pixels, parts, use.sampler, kind, size_for(pixels, parts))
    # What tells nothing now goes by its origin, also where the map drawn anew would seem to tell something.
    way = scene.convention.green
    undoubted = kind == "normal" and green_of(source, way) == way
    return Image(
        made_key(material.key, "lay", role),
        source.name,
        pixels=frozen(new, np.uint8),
        green=way if undoubted else source.green,
        space=source.space,
        made_from=(source.key,),
    )


def _primitive(prim: Primitive, ways: dict[int, Laying]) -> Primitive:
    mains = [
        w.main
        for k in (prim.material, *(v for v, _ in prim.variants))
        if k is not None and (w := ways.get(k)) and w.main
    ]
    if not mains or not prim.texcoords:
        return prim
    main = mains[0]
    if main.plain and main.texcoord == 0:
        return prim
    first = frozen(_uv(prim, main))
    rest = tuple(t for k, t in enumerate(prim.texcoords) if k != main.texcoord)
    # Turned or mirrored UVs ask for other tangents; those the file has are of the old ones.
    turned = main.texcoord != 0 or abs(main.matrix[1]) > 1e-6 or main.matrix[0] < 0 or main.matrix[4] < 0
    return replace(prim, texcoords=(first, *rest), tangents=None if turned else prim.tangents)


def fewer_sets(scene: Scene, limit: int) -> tuple[Scene, list[str]]:
    """The scene with at most `limit` UV sets: those textures use go first; textures on sets that have no room
    are named.
    """
    lost: list[str] = []
    materials, moves = list(scene.materials), dict[int, list[int]]()
    groups = _sharing(scene)
    for group in groups:
        used = sorted({u.texcoord for k in group for u in scene.materials[k].textures.values()})
        kept = used[:limit]
        for k in group:
            m, uses = scene.materials[k], {}
            for role, use in m.textures.items():
                if use.texcoord in kept:
                    uses[role] = replace(use, texcoord=kept.index(use.texcoord))
                else:
                    lost.append(f"{m.name} {role.replace('_', ' ')}")
            if any(uses.get(r) is None or uses[r].texcoord != u.texcoord for r, u in m.textures.items()):
                materials[k] = replace(m, textures=uses)
            moves[k] = kept

    def prim(prim: Primitive) -> Primitive:
        kept = moves.get(prim.material, []) if prim.material is not None else []
        kept = [k for k in kept if k < len(prim.texcoords)]
        order = [*kept, *(k for k in range(len(prim.texcoords)) if k not in kept)][:limit]
        if order == list(range(len(prim.texcoords))):
            return prim
        return replace(
            prim,
            texcoords=tuple(prim.texcoords[k] for k in order),
            tangents=prim.tangents if order[:1] == [0] else None,
        )

    meshes = tuple(replace(m, primitives=tuple(prim(p) for p in m.primitives)) for m in scene.meshes)
    return replace(scene, meshes=meshes, materials=tuple(materials)), lost


def _sharing(scene: Scene) -> list[set[int]]:
    """Materials by the primitives they share as variants: their UV sets move together."""
    groups: list[set[int]] = []
    for mesh in scene.meshes:
        for p in mesh.primitives:
            mine = {k for k in (p.material, *(v for v, _ in p.variants)) if k is not None}
            for group in [g for g in groups if g & mine]:
                groups.remove(group)
                mine |= group
            groups.append(mine)
    return [g for g in groups if g]
