"""Drop what the destination does not take: cameras, lights, further UV sets, morph targets, what swings, animated
values.
"""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar

import numpy as np
import numpy.typing as npt
from pydantic import Field

from customs.changes.laying import fewer_sets
from customs.job import Job
from customs.motion.posing.pose import morph_weights, morphed
from customs.route.step import Content, Outcome, Step, register
from customs.scene.arrays import frozen
from customs.scene.copies import keys_apart
from customs.scene.held import map_held
from customs.scene.key import made_key
from customs.scene.model import Camera, Clip, Collider, Light, Mesh, Remark, Scene
from customs.scene.old_keys import old_key
from customs.scene.prune import prune_content
from customs.scene.settings import Settings
from customs.scene.strangers import strangers, without_strangers
from customs.scene.swinging import without_colliders
from customs.scene.tree import mesh_nodes
from customs.words import many


class LeaveOut(Settings):
    """What goes."""

    stays: ClassVar = ("cameras", "lights", "morphs", "springs", "values", "strangers")
    cameras: bool = Field(default=False, description="cameras")
    lights: bool = Field(default=False, description="lights")
    morphs: bool = Field(default=False, description="morph targets, settled at their default weights")
    springs: bool = Field(
        default=False, description="what swings by itself, and what it does not swing through"
    )
    values: bool = Field(default=False, description="animated values of materials, cameras and lights")
    strangers: bool = Field(default=False, description="extensions nobody here knows")
    texcoord_sets: int | None = Field(default=None, ge=0, le=8, description="UV sets kept; nothing keeps all")


def _still(mesh: Mesh, weights: npt.NDArray[np.float32] | None) -> Mesh:
    """A mesh settled at some weights of its morph targets."""
    if not any(p.targets for p in mesh.primitives):
        return mesh
    prims = tuple(
        replace(p, positions=frozen(morphed(p, weights)), targets=()) if p.targets else p
        for p in mesh.primitives
    )
    return replace(mesh, primitives=prims, weights=None, target_names=())


def _without_morphs(scene: Scene) -> Scene:
    """Morph targets settled where each node has them; nodes that show one mesh at other weights get a copy of
    their own.
    """
    nodes, meshes = list(scene.nodes), list(scene.meshes)
    known: dict[tuple[int, bytes], int] = {}
    taken: set[int] = set()
    for n in mesh_nodes(scene):
        index = scene.nodes[n].mesh or 0
        if not any(p.targets for p in scene.meshes[index].primitives):
            continue
        weights = morph_weights(scene, n, None, 0.0)
        name = (index, b"" if weights is None else np.asarray(weights, np.float32).tobytes())
        if name not in known:
            made = _still(scene.meshes[index], weights)
            if index in taken:
                known[name] = len(meshes)
                key = made_key(
                    made.key, "leave-out", nodes[n].key.part, old_key(scene.digest, "mesh", "leave-out", n)
                )
                meshes.append(replace(made, key=key, made_from=(made.key, *made.made_from)))
            else:
                known[name], meshes[index] = index, made
                taken.add(index)
        nodes[n] = replace(nodes[n], mesh=known[name])
    nodes = [replace(n, weights=None) for n in nodes]
    clips = tuple(
        replace(c, channels=tuple(x for x in c.channels if x.path != "weights")) for c in scene.clips
    )
    meshes = [_still(m, m.weights) for m in meshes]
    return keys_apart(
        replace(scene, nodes=tuple(nodes), meshes=tuple(meshes), clips=tuple(c for c in clips if c.alive))
    )


def _apply(scene: Scene, settings: LeaveOut, resources: Content, job: Job) -> Outcome:
    out = _without_morphs(scene) if settings.morphs else scene
    wished = ((Camera, settings.cameras), (Light, settings.lights), (Collider, settings.springs))
    gone_kinds = tuple(kind for kind, gone in wished if gone)
    out = without_colliders(replace(out, springs=())) if settings.springs else out
    out = replace(out, clips=_without_values(out)) if settings.values else out
    out = without_strangers(out) if settings.strangers else out
    nodes = map_held(out.nodes, lambda thing: None if isinstance(thing, gone_kinds) else thing)
    out = prune_content(replace(out, nodes=nodes), near=True)
    gone: list[str] = []
    if settings.texcoord_sets is not None:
        out, gone = _without_sets(out, settings.texcoord_sets)
    lost = [many(len(scene.cameras), "camera")] if settings.cameras and scene.cameras else []
    lost += [many(len(scene.lights), "light")] if settings.lights and scene.lights else []
    if settings.springs and (chains := len(scene.springs)):
        lost.append(f"{many(chains, 'chain')} that swing{'s' if chains == 1 else ''}")
    if settings.values and (values := sum(len(c.pointers) for c in scene.clips)):
        lost.append(f"{many(values, 'animated value')} of materials, cameras or lights")
    if settings.strangers and (names := sorted(strangers(scene))):
        lost.append(", ".join(names))
    lost += [f"the texture {name}, on a UV set that goes," for name in gone]
    return Outcome(out, tuple(Remark(f"{text} left out") for text in lost))


def _without_values(scene: Scene) -> tuple[Clip, ...]:
    """Clips that move nodes and nothing else."""
    return tuple(replace(c, pointers=()) if c.pointers else c for c in scene.clips if c.channels)


def _without_sets(scene: Scene, limit: int) -> tuple[Scene, list[str]]:
    """Sets that textures use move to the front and stay; textures on sets without room go, and are named."""
    if limit:
        out, lost = fewer_sets(scene, limit)
        return prune_content(out, near=True), lost
    meshes = tuple(
        replace(m, primitives=tuple(replace(p, texcoords=()) for p in m.primitives)) for m in scene.meshes
    )
    return replace(scene, meshes=meshes), []


def _summary(settings: LeaveOut) -> str:
    names = [n for n in settings.stays if getattr(settings, n)]
    names += [f"UV sets > {settings.texcoord_sets}"] if settings.texcoord_sets is not None else []
    return ", ".join(names)[:18] or "nothing"


register(
    Step(
        id="leave-out",
        name="Leave out",
        desk="fit",
        order=24,
        about="Leaves out cameras, lights, morph targets or further UV sets the destination does not take.",
        settings=LeaveOut,
        apply=_apply,
        summary=_summary,
    )
)
