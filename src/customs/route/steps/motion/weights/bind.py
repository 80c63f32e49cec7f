"""Bind: weights for meshes, from the joints alone or from a donor's surface."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import Field

from customs.changes.bound_surface import Bound, bound_surface
from customs.changes.donor import take_donor
from customs.errors import StepError
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_of_rows
from customs.job import Job
from customs.motion.posing.pose import posed_positions
from customs.motion.skeleton.skeleton import skeleton_of
from customs.motion.weights.heat import heat_weights
from customs.motion.weights.table import influences_of
from customs.motion.weights.transfer import transfer
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Primitive, Remark, Scene
from customs.scene.prune import prune_content
from customs.scene.settings import Targeted, missing_targets
from customs.scene.transforms import inverse
from customs.scene.tree import mesh_nodes, world_matrices
from customs.words import many

F64 = npt.NDArray[np.float64]


class Bind(Targeted):
    """Where weights come from. Without targets meshes that have no weights are bound."""

    source: Literal["joints", "surface"] = Field(
        default="joints", description="from the joints alone, or from a donor's surface"
    )
    donor: str = Field(default="", description="digest of the donor whose surface is taken")
    near: float = Field(
        default=0.05,
        gt=0,
        le=10,
        description="farthest a donor's surface counts, in metres; farther is filled in",
    )
    limit: int = Field(default=4, ge=1, le=16, description="influences per vertex")


def _apply(scene: Scene, settings: Bind, resources: Content, job: Job) -> Outcome:
    if not scene.skins:
        return Outcome(scene)
    world, nodes, meshes = world_matrices(scene), list(scene.nodes), list(scene.meshes)
    source = _donor_surface(scene, settings, resources) if settings.source == "surface" else None
    remarks: list[Remark] = []
    for n in mesh_nodes(scene):
        job.check()
        node = nodes[n]
        mesh = scene.meshes[node.mesh or 0]
        bare = any(p.weights is None for p in mesh.primitives)
        if not (settings.takes(mesh.key, mesh.name, mesh.made_from) if settings.targets else bare):
            continue
        job.progress(0.5, f"Bind {mesh.name}")
        made, text = _bound(scene, n, world, settings, source)
        meshes.append(made)
        # A bound mesh stands where its skin says, whatever its node says.
        nodes[n] = replace(node, mesh=len(meshes) - 1, skin=node.skin if node.skin is not None else 0)
        remarks.append(Remark(text, mesh.key))
    gone = missing_targets(settings, ((m.key, m.name, m.made_from) for m in scene.meshes))
    if not remarks:
        return Outcome(scene, gone)
    return Outcome(
        prune_content(replace(scene, nodes=tuple(nodes), meshes=tuple(meshes)), near=True), (*remarks, *gone)
    )


def _bound(
    scene: Scene,
    n: int,
    world: F64,
    settings: Bind,
    source: Bound | None,
) -> tuple[Mesh, str]:
    node = scene.nodes[n]
    mesh = scene.meshes[node.mesh or 0]
    skin = node.skin if node.skin is not None else 0
    skeleton = skeleton_of(scene, (skin,))
    places = [posed_positions(scene, n, p, world) for p in mesh.primitives]
    every = np.concatenate(places)
    starts = np.cumsum([0, *(len(p) for p in places)])
    group = groups_of_rows(frozen(every))
    first = np.unique(group, return_index=True)[1]
    faces = np.concatenate(
        [group[triangles_of(p).astype(np.int64) + s] for p, s in zip(mesh.primitives, starts)]
    )
    faces = faces[(faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 0] != faces[:, 2])]
    if source is None:
        table, text = (
            heat_weights(every[first], faces, skeleton),
            f"{mesh.name}: weights from {many(skeleton.count, 'joint')}",
        )
    else:
        found = transfer(every[first], faces, *source, settings.near)
        table = found.table
        text = f"{mesh.name}: weights from the donor's surface; {1 - found.sure.mean():.0%} filled in, farthest {found.farthest * 1000:.1f} mm"
    joints, weights = influences_of(table[group], settings.limit)
    back = inverse(skeleton.rest[0] @ scene.skins[skin].inverse_bind[0])

    def change(k: int, prim: Primitive) -> Primitive:
        part = slice(starts[k], starts[k + 1])
        local = places[k] @ back[:3, :3].T + back[:3, 3]
        moved = prim.positions if np.abs(local - prim.positions).max(initial=0.0) < 1e-6 else frozen(local)
        return replace(
            prim, positions=moved, joints=frozen(joints[part], np.uint16), weights=frozen(weights[part])
        )

    return replace(mesh, primitives=tuple(change(k, p) for k, p in enumerate(mesh.primitives))), text


def _donor_surface(scene: Scene, settings: Bind, resources: Content) -> Bound:
    """The donor's surface where it rests, its faces, and its weights by the joints of this scene's first
    skin, by name.
    """
    found = bound_surface(take_donor(settings.donor, resources), skeleton_of(scene, (0,)).names)
    if found is None:
        raise StepError(
            "the donor's joints are not those of this skeleton",
            "a mesh bound to joints of the same names",
            "Add Donor before it, or bind from the joints.",
            where="donor",
        )
    return found


register(
    Step(
        id="bind",
        name="Bind",
        desk="motion",
        order=53,
        about="Gives meshes weights, from the joints alone or from a donor's surface.",
        settings=Bind,
        apply=_apply,
        summary=lambda s: "from the joints" if s.source == "joints" else "from the surface",
        plural=True,
    )
)
