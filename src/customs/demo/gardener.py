"""The gardener: a humanoid avatar in VRM form, with a licence, a straw hat and two expressions."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.demo.build import MADE_BY, digest_of, material, mesh, primitive, signed
from customs.demo.figure import Build, figure
from customs.demo.people import PARTS
from customs.demo.shapes import lathe
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import MorphTarget, Node, Scene

ASSET = "gardener"
COLOURS = {"shirt": (206, 190, 156), "trousers": (74, 92, 70), "boots": (74, 62, 48), "apron": (62, 104, 92), "skin": (222, 180, 148),
           "hair": (150, 92, 52)}  # fmt: skip
SIDES = {"l": "left", "r": "right"}
BONES = {
    "hips": "hips", "spine": "spine", "chest": "chest", "neck": "neck", "head": "head",
    **{f"{s}.{part}": f"{word}{bone}" for s, word in SIDES.items() for part, bone in (
        ("shoulder", "Shoulder"), ("upper arm", "UpperArm"), ("lower arm", "LowerArm"), ("hand", "Hand"),
        ("upper leg", "UpperLeg"), ("lower leg", "LowerLeg"), ("foot", "Foot"), ("toe", "Toes"))},
}  # fmt: skip
NAMES = {part: bone[0].upper() + bone[1:] for part, bone in BONES.items()}
TERMS = "avatarPermission: everyone; commercialUsage: personalProfit; creditNotation: unnecessary; allowRedistribution: True"


def scene() -> Scene:
    """The gardener in the working frame."""
    b = Build(1.64, 0.78, 0.175, 0.53)
    made = figure(ASSET, b, NAMES, PARTS, COLOURS, 0.034)
    nodes = tuple(replace(n, bone=BONES[part]) for n, part in zip(made.nodes, PARTS))
    body = made.meshes[0].primitives[0]
    points = body.positions.astype(float)
    face = np.exp(-(((points - [0, 1.40, 0.11]) / 0.05) ** 2).sum(axis=1))
    smile = frozen(np.column_stack([0.012 * np.sign(points[:, 0]) * face, 0.008 * face, 0 * face]))
    blink = frozen(
        np.column_stack(
            [0 * face, -0.006 * np.exp(-(((points - [0, 1.46, 0.1]) / 0.04) ** 2).sum(axis=1)), 0 * face]
        )
    )
    body = replace(body, targets=(MorphTarget(smile), MorphTarget(blink)))
    head = PARTS.index("head")
    straw = primitive(
        ASSET,
        1,
        lathe(
            [(0.0, 0.0), (0.24, -0.012), (0.25, 0.0), (0.13, 0.02), (0.118, 0.09), (0.09, 0.12), (0, 0.125)],
            28,
        ),
        1,
    )
    hat = Node(
        Key(digest_of(ASSET), "node", len(made.nodes)), "hat", translation=np.array([0, 0.145, 0.015]), mesh=1
    )
    nodes = tuple(
        replace(n, children=(*n.children, len(made.nodes))) if i == head else n for i, n in enumerate(nodes)
    )
    meshes = (
        replace(
            made.meshes[0], primitives=(body,), target_names=("happy", "blink"), weights=frozen([0.0, 0.0])
        ),
        mesh(ASSET, 1, "hat", [straw]),
    )
    materials = (
        *made.materials,
        material(ASSET, 1, "straw", {}, base_colour=(0.72, 0.55, 0.25, 1.0), metallic=0.0, roughness=0.9),
    )
    rights = {"title": "Gardener", "author": MADE_BY, "licence": "Glasshouse Commons 2", "terms": TERMS}
    skinned = made.nodes[-1]
    whole = replace(made, nodes=(*nodes, skinned, hat), meshes=meshes, materials=materials, rights=rights)
    return signed(whole)
