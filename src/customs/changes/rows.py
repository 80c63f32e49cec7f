"""Placements under the step Settle: rows keep where they stand; only what rows cannot say, or should not,
becomes copies.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.changes.moving import moved_mesh
from customs.scene.folding import LEAST, as_nodes, row_parts, row_worlds
from customs.scene.hanging import held_up
from customs.scene.key import made_key
from customs.scene.model import Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.placements import Placements
from customs.scene.transforms import inverse
from customs.tolerances import IDENTITY
from customs.words import many

F64 = npt.NDArray[np.float64]
MIRROR = np.diag([-1.0, 1.0, 1.0, 1.0])


def bare_rows_settled(scene: Scene) -> Scene:
    """Rows that show nothing give up their transforms to what hangs under them, and nothing moves: only what
    shows a mesh has a place of its own. The same scene where there are none to give up.
    """
    rows = scene.placements
    if not bare_off(rows).any():
        return scene
    own = held_up(rows.above, rows.matrices, rows.shows)[1]
    return replace(scene, placements=rows.moved(np.where(rows.shows[:, None, None], own, np.eye(4)[:3])))


def bare_off(rows: Placements) -> npt.NDArray[np.bool_]:
    """(N,) rows that show nothing and keep a transform of their own, which is not there to hide anything."""
    off = np.abs(rows.matrices - np.eye(4)[:3]).max(axis=(1, 2), initial=0.0) > IDENTITY
    hidden = np.abs(np.linalg.det(rows.matrices[:, :, :3])) <= 0
    return ~rows.shows & off & ~hidden


def unlike_as_nodes(scene: Scene) -> Scene:
    """Rows that stand sheared in the world become nodes, and so do a few that are mirrored, or a few that are
    not: what they show is settled for each alone. Of what is left LEAST and more show each mesh one way
    round.
    """
    rows = scene.placements
    if not len(rows):
        return scene
    worlds = row_worlds(scene)
    alone = row_parts(rows.moved(worlds))[3] & rows.shows
    group = np.where(rows.shows, rows.of.astype(np.intp), 0) * 2 + (np.linalg.det(worlds[:, :, :3]) < 0)
    alone |= (
        np.bincount(group[rows.shows & ~alone], minlength=2 * len(scene.meshes))[group] < LEAST
    ) & rows.shows
    return as_nodes(scene, alone) if alone.any() else scene


def unmirrored(scene: Scene) -> tuple[Scene, tuple[Remark, ...]]:
    """Rows that mirror a mesh show a mirrored copy of it instead, one copy for all of them; nothing moves."""
    rows = scene.placements
    turned = rows.shows & (np.linalg.det(row_worlds(scene)[:, :, :3]) < 0)
    if not turned.any():
        return scene, ()
    meshes, now = list(scene.meshes), np.arange(len(scene.meshes))
    for m in np.unique(rows.of[turned]).tolist():
        mesh = scene.meshes[m]
        now[m] = len(meshes)
        made = moved_mesh(mesh, MIRROR)
        key = made_key(mesh.key, "settle", "mirrored", old_key(scene.digest, "mesh", "mirrored", m))
        meshes.append(replace(made, key=key, made_from=(mesh.key, *mesh.made_from)))
    copies = len(meshes) - len(scene.meshes)
    own = np.where(turned[:, None, None], rows.squares @ MIRROR, rows.squares)
    below = ~rows.top & turned[rows.above]
    rows = rows.moved(np.where(below[:, None, None], MIRROR @ own, own))
    rows = rows.showing(lambda shown: np.where(turned[rows.shows], now[shown], shown))
    text = f"{many(int(turned.sum()), 'placement')} mirrored: {many(copies, 'mirrored copy')} made for them"
    return replace(scene, meshes=tuple(meshes), placements=rows), (Remark(text),)


def kept_places(scene: Scene, taken: dict[int, F64]) -> Placements:
    """Rows stay where they are: what the node above gives up (`taken`, (4, 4) by node) goes into the
    transforms of the topmost.
    """
    rows = scene.placements
    if not len(rows):
        return rows
    back = np.stack([*(inverse(taken[n]) for n in range(len(scene.nodes))), np.eye(4)])
    return rows.moved(np.where(rows.top[:, None, None], back[rows.parents] @ rows.squares, rows.squares))
