"""Same materials: equal ones become one."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Material, Primitive, Remark, Scene, TextureUse
from customs.scene.settings import Settings


class MergeMaterials(Settings):
    """Nothing to set."""


def _use(use: TextureUse) -> tuple[Any, ...]:
    return (
        use.image,
        use.texcoord,
        use.sampler,
        use.strength,
        use.offset,
        use.rotation,
        use.scale,
        repr(dict(use.extras)),
    )


def likeness(material: Material) -> tuple[Any, ...]:
    """Equal for materials that look alike and have the same textures, whatever their names."""
    skip = ("key", "name", "layers", "textures", "extras", "made_from")
    plain = tuple(v for k, v in material.__dict__.items() if k not in skip)
    return (
        *plain,
        tuple(sorted(material.layers.items())),
        tuple(sorted((r, _use(u)) for r, u in material.textures.items())),
        repr(dict(material.extras)),
    )


def same_materials(scene: Scene) -> dict[int, int]:
    """For each material that equals an earlier one: the earlier one's index."""
    first: dict[tuple[Any, ...], int] = {}
    out = {}
    for i, m in enumerate(scene.materials):
        at = first.setdefault(likeness(m), i)
        if at != i:
            out[i] = at
    return out


def _apply(scene: Scene, settings: MergeMaterials, resources: Content, job: Job) -> Outcome:
    same = same_materials(scene)
    if not same:
        return Outcome(scene)

    def prim(prim: Primitive) -> Primitive:
        material = same.get(prim.material, prim.material) if prim.material is not None else None
        return replace(prim, material=material, variants=tuple((same.get(m, m), v) for m, v in prim.variants))

    meshes = tuple(replace(m, primitives=tuple(prim(p) for p in m.primitives)) for m in scene.meshes)
    gone = {b: tuple(scene.materials[a].key for a, c in same.items() if c == b) for b in same.values()}
    materials = tuple(
        replace(m, made_from=(*m.made_from, *gone[i])) if i in gone else m
        for i, m in enumerate(scene.materials)
    )
    remarks = tuple(
        Remark(f"same as {scene.materials[b].name}", scene.materials[a].key) for a, b in same.items()
    )
    return Outcome(replace(scene, meshes=meshes, materials=materials), remarks)


register(
    Step(
        id="merge-materials",
        name="Same materials",
        desk="surface",
        order=81,
        phase="together",
        about="Makes one of materials that are alike but for their names.",
        settings=MergeMaterials,
        apply=_apply,
        summary=lambda s: "→ one",
        placements=True,
    )
)
