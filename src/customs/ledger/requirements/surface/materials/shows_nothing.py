"""Meshes of which nothing would be seen: fully clear, without size, or without a whole face."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.ledger.facts import SceneFacts, alpha_shares, facts_of
from customs.ledger.row import Case, Place, Remedy, Requirement, Row, register, remedy
from customs.ledger.texture import alpha_image
from customs.scene.model import Material, Mesh, Node, Scene
from customs.scene.tree import mesh_nodes, world_matrices

ALPHA = 1 / 512
"""An opacity no eye tells from none, in a texture of eight bits."""


def clear(scene: Scene, material: Material | None) -> str:
    """Why nothing of a material is seen, or ""."""
    if material is None or material.alpha_mode == "opaque":
        return ""
    factor = (material.diffuse if material.model == "specular_glossiness" else material.base_colour)[3]
    if factor <= ALPHA:
        return "its opacity is 0"
    if material.alpha_mode == "mask" and factor < material.alpha_cutoff:
        return f"its opacity {factor:.2f} is under its cutoff {material.alpha_cutoff:.2f}"
    image = alpha_image(scene, material)
    shares = alpha_shares(image) if image is not None else None
    return "its texture is clear throughout" if shares is not None and shares[0] >= 1 else ""


def unseen(facts: SceneFacts) -> list[tuple[Node, str, tuple[Material, ...]]]:
    """(node, why, materials that are clear) of each mesh node of which nothing is seen."""
    scene, world = facts.scene, world_matrices(facts.scene)
    out: list[tuple[Node, str, tuple[Material, ...]]] = []
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        mesh = scene.meshes[node.mesh or 0]
        flat = (
            node.skin is None and float(np.abs(np.linalg.svd(world[n][:3, :3], compute_uv=False)[1])) < 1e-9
        )
        if flat and any(facts_of(p).faces for p in mesh.primitives):
            out.append((node, "its scale is 0", ()))
        elif found := _nothing(scene, mesh):
            out.append((node, *found))
    return out


def _nothing(scene: Scene, mesh: Mesh) -> tuple[str, tuple[Material, ...]] | None:
    """(why nothing of a mesh with faces is seen, materials that are clear), or None."""
    prims = [p for p in mesh.primitives if facts_of(p).faces]
    materials = [scene.materials[p.material] if p.material is not None else None for p in prims]
    if prims and all(facts_of(p).degenerate.all() for p in prims):
        return "none of its faces has an area", ()
    whys = [clear(scene, m) for m in materials]
    return (whys[0], tuple(m for m in materials if m is not None)) if whys and all(whys) else None


def unseen_meshes(facts: SceneFacts) -> list[tuple[Mesh, str, tuple[Material, ...]]]:
    """The same of meshes that rows show: (mesh, why, materials)."""
    scene = facts.scene
    meshes = (scene.meshes[m] for m in scene.placements.meshes)
    return [(mesh, *found) for mesh in meshes if (found := _nothing(scene, mesh))]


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    bad, before = unseen(case.after), unseen(case.before)
    meshes = unseen_meshes(case.after)
    whole = len(bad) + len(meshes) == len(mesh_nodes(case.delivering)) + len(
        case.delivering.placements.meshes
    )
    for mesh, why, materials in meshes:
        yield rule.row(
            "nothing seen",
            "something seen",
            "nothing seen",
            "held" if whole else "query",
            subject=str(mesh.key),
            subject_name=mesh.name,
            note=f"{why[:1].upper()}{why[1:]}: the destination would show nothing wherever it stands.",
            remedy=_fix(materials),
            place=Place(mesh.key, "mesh"),
            values={"why": why},
        )
    for node, why, materials in bad:
        yield rule.row(
            "nothing seen",
            "something seen",
            "nothing seen",
            "held" if whole else "query",
            subject=str(node.key),
            subject_name=node.name,
            note=f"{why[:1].upper()}{why[1:]}: the destination would show nothing there.",
            remedy=_fix(materials),
            place=Place(node.key, "node"),
            values={"why": why},
        )
    if not bad and not meshes:
        yield rule.row(f"{len(before)} unseen", "something seen", "all seen", "cleared")


def _fix(materials: tuple[Material, ...]) -> Remedy | None:
    targets = tuple(dict.fromkeys(str(m.key) for m in materials))
    return remedy("alpha", "Make it opaque", sure=False, mode="opaque", targets=targets) if targets else None


register(Requirement("shows-nothing", "Shows nothing", "surface", _judge, step="alpha"))
