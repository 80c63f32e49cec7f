"""Drop what the destination does not take: cameras, lights, further UV sets, morph targets."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.motion.pose import morph_weights, morphed
from customs.route.laying import fewer_sets
from customs.route.step import Content, Job, Outcome, Settings, Step, register
from customs.scene.arrays import frozen
from customs.scene.model import Mesh, Primitive, Remark, Scene
from customs.scene.prune import prune_content
from customs.scene.tree import mesh_nodes
from customs.words import many


class LeaveOut(Settings):
    """What goes."""

    cameras: bool = Field(default=False, description="cameras")
    lights: bool = Field(default=False, description="lights")
    morphs: bool = Field(default=False, description="morph targets, settled at their default weights")
    texcoord_sets: int | None = Field(default=None, ge=0, le=8, description="UV sets kept; nothing keeps all")


def _mesh(scene: Scene, index: int, mesh: Mesh, settings: LeaveOut) -> Mesh:
    at = next((n for n in mesh_nodes(scene) if scene.nodes[n].mesh == index), None)
    weights = morph_weights(scene, at, None, 0.0) if at is not None else None

    def change(p: Primitive) -> Primitive:
        if settings.morphs and p.targets:
            p = replace(p, positions=frozen(morphed(p, weights)), targets=())
        return p

    out = replace(mesh, primitives=tuple(change(p) for p in mesh.primitives))
    return replace(out, weights=None, target_names=()) if settings.morphs else out


def _apply(scene: Scene, settings: LeaveOut, resources: Content, job: Job) -> Outcome:
    nodes = tuple(
        replace(
            n,
            camera=None if settings.cameras else n.camera,
            light=None if settings.lights else n.light,
            weights=None if settings.morphs else n.weights,
        )
        for n in scene.nodes
    )
    meshes = tuple(_mesh(scene, i, m, settings) for i, m in enumerate(scene.meshes))
    clips = scene.clips
    if settings.morphs:
        clips = tuple(replace(c, channels=tuple(x for x in c.channels if x.path != "weights")) for c in clips)
    out = prune_content(replace(scene, nodes=nodes, meshes=meshes, clips=tuple(c for c in clips if c.channels)), near=True)
    gone: list[str] = []
    if settings.texcoord_sets is not None:
        out, gone = _without_sets(out, settings.texcoord_sets)
    lost = [many(len(scene.cameras), "camera")] if settings.cameras and scene.cameras else []
    lost += [many(len(scene.lights), "light")] if settings.lights and scene.lights else []
    lost += [f"the texture {name}, on a UV set that goes," for name in gone]
    return Outcome(out, tuple(Remark(f"{text} left out") for text in lost))


def _without_sets(scene: Scene, limit: int) -> tuple[Scene, list[str]]:
    """Sets that textures use move to the front and stay; textures on sets without room go, and are named."""
    if limit:
        out, lost = fewer_sets(scene, limit)
        return prune_content(out, near=True), lost
    meshes = tuple(replace(m, primitives=tuple(replace(p, texcoords=()) for p in m.primitives)) for m in scene.meshes)
    return replace(scene, meshes=meshes), []


def _summary(settings: LeaveOut) -> str:
    names = [n for n in ("cameras", "lights", "morphs") if getattr(settings, n)]
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
