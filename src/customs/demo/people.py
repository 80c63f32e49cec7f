"""The people: the house warden (a donor), the lamplighter in A-pose, the moss keeper with leftovers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from customs.conventions.convert import change_convention
from customs.demo.build import digest_of, material, mesh, signed
from customs.demo.figure import TREE, Build, angles, clip, figure, stride
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING, Convention
from customs.scene.key import Key
from customs.scene.model import Node, Scene, Skin

WARDEN_ORDER = (
    "hips", "r.upper leg", "r.lower leg", "r.foot", "r.toe", "l.upper leg", "l.lower leg", "l.foot", "l.toe", "spine", "chest",
    "neck", "head", "r.shoulder", "r.upper arm", "r.lower arm", "r.hand", "l.shoulder", "l.upper arm", "l.lower arm", "l.hand",
)  # fmt: skip
WARDEN_NAMES = {
    "hips": "Pelvis", "spine": "Back1", "chest": "Back2", "neck": "Neck1", "head": "Head1",
    **{f"{s}.{part}": f"{word}{side}" for s, side in (("l", "Left"), ("r", "Right")) for part, word in (
        ("shoulder", "Collar"), ("upper arm", "ArmUpper"), ("lower arm", "ArmLower"), ("hand", "Palm"),
        ("upper leg", "Thigh"), ("lower leg", "Shin"), ("foot", "Ankle"), ("toe", "Ball"))},
}  # fmt: skip
LIGHTER_NAMES = {
    "hips": "hip", "spine": "spine_01", "chest": "spine_02", "neck": "neck_01", "head": "head",
    **{f"{s}.{part}": f"{word}_{s}" for s in "lr" for part, word in (
        ("shoulder", "clavicle"), ("upper arm", "upper_arm"), ("lower arm", "forearm"), ("hand", "hand"),
        ("upper leg", "upleg"), ("lower leg", "calf"), ("foot", "foot"), ("toe", "toe"))},
}  # fmt: skip
PARTS = tuple(TREE)
WARDEN = {"shirt": (70, 98, 92), "trousers": (58, 52, 46), "boots": (40, 34, 30), "apron": (150, 120, 70), "skin": (196, 150, 118),
          "hair": (84, 62, 44)}  # fmt: skip
LIGHTER = {"shirt": (150, 84, 52), "trousers": (66, 74, 88), "boots": (46, 38, 34), "apron": (178, 150, 96), "skin": (214, 172, 140),
           "hair": (40, 36, 38)}  # fmt: skip
MOSS = {"shirt": (84, 112, 68), "trousers": (92, 80, 60), "boots": (52, 44, 34), "apron": (60, 84, 58), "skin": (172, 124, 96),
        "hair": (120, 112, 100)}  # fmt: skip


def warden() -> Scene:
    """The donor: T-pose, names and order of its kit, three clips."""
    made = figure("house_warden", Build(1.74, 0.84, 0.185, 0.56), WARDEN_NAMES, WARDEN_ORDER, WARDEN, 0.034)
    walk = clip(made, 0, "patrol", 1.2, stride(1.2), WARDEN_ORDER,
                lambda t: np.stack([0.012 * np.sin(5.236 * t), 0.014 * np.cos(10.472 * t) - 0.02, 1.1 * t], axis=1))  # fmt: skip
    wave = clip(
        made,
        1,
        "greet",
        2.0,
        {
            "l.shoulder": lambda t: angles(0, 0, -14 + 0 * t),
            "r.shoulder": lambda t: angles(
                0, 0, 14 - 30 * np.clip(t / 0.5, 0, 1) * np.clip((2 - t) / 0.5, 0, 1)
            ),
            "r.upper arm": lambda t: angles(
                0, 0, 52 - 84 * np.clip(t / 0.5, 0, 1) * np.clip((2 - t) / 0.5, 0, 1)
            ),
            "r.lower arm": lambda t: angles(
                0, 0, -28 * np.clip(t / 0.5, 0, 1) * np.clip((2 - t) / 0.5, 0, 1) * (1 + 0.5 * np.sin(t * 12))
            ),
            "l.upper arm": lambda t: angles(0, 0, -52 + 0 * t),
            "head": lambda t: angles(0, -12 * np.clip(t / 0.5, 0, 1) * np.clip((2 - t) / 0.5, 0, 1), 0),
        },
        WARDEN_ORDER,
    )
    bow = clip(
        made,
        2,
        "tend",
        2.4,
        {
            "spine": lambda t: angles(26 * np.sin(np.pi * t / 2.4)),
            "chest": lambda t: angles(22 * np.sin(np.pi * t / 2.4)),
            "neck": lambda t: angles(10 * np.sin(np.pi * t / 2.4)),
            "l.shoulder": lambda t: angles(0, 0, -14 + 0 * t),
            "r.shoulder": lambda t: angles(0, 0, 14 + 0 * t),
            "l.upper arm": lambda t: angles(0, 16 * np.sin(np.pi * t / 2.4), -46),
            "r.upper arm": lambda t: angles(0, -16 * np.sin(np.pi * t / 2.4), 46),
            "l.upper leg": lambda t: angles(-14 * np.sin(np.pi * t / 2.4)),
            "r.upper leg": lambda t: angles(-14 * np.sin(np.pi * t / 2.4)),
            "l.lower leg": lambda t: angles(24 * np.sin(np.pi * t / 2.4)),
            "r.lower leg": lambda t: angles(24 * np.sin(np.pi * t / 2.4)),
        },
        WARDEN_ORDER,
    )
    return signed(replace(made, clips=(walk, wave, bow)))


def lighter() -> Scene:
    """The lamplighter: A-pose, other proportions, other names, a nod of its own."""
    made = figure(
        "lamplighter", Build(1.58, 0.70, 0.20, 0.60, 48.0, 0.115, 1.12), LIGHTER_NAMES, PARTS, LIGHTER, 0.032
    )
    nod = clip(
        made,
        0,
        "nod",
        1.0,
        {
            "head": lambda t: angles(14 * np.sin(np.pi * t) ** 2),
            "chest": lambda t: angles(3 * np.sin(np.pi * t)),
            "l.upper arm": lambda t: angles(10 * np.sin(np.pi * t)),
        },
        PARTS,
    )
    return signed(replace(made, clips=(nod,)))


def lighter_arriving() -> Scene:
    """As its workshop exports it: FBX in centimetres, Z up, facing −Y."""
    return change_convention(lighter(), Convention("+Z", "-Y", "right", 0.01, v="up"), WORKING)


def keeper() -> Scene:
    """The moss keeper: with a second skeleton, joints nobody uses, and an inside-out copy for an outline."""
    asset = "moss_keeper"
    made = figure(asset, Build(1.66, 0.78, 0.18, 0.54, 20.0), LIGHTER_NAMES, PARTS, MOSS, 0.036)
    digest, count = digest_of(asset), len(made.nodes)
    skin = made.meshes[0].primitives[0]
    assert skin.normals is not None and skin.indices is not None
    shell = replace(
        skin,
        key=Key(digest, "primitive", 1),
        positions=frozen(skin.positions + 0.006 * skin.normals),
        normals=frozen(-skin.normals),
        indices=frozen(skin.indices.reshape(-1, 3)[:, ::-1].reshape(-1), np.uint32),
        material=1,
    )
    outline = material(asset, 1, "ink", {}, base_colour=(0.02, 0.02, 0.02, 1.0), metallic=0.0, roughness=1.0)
    spare = [Node(Key(digest, "node", count + k), f"old_{k}", (count + k + 1,) if k < 3 else (), translation=np.array([0, 0.3, 0.0]))
             for k in range(4)]  # fmt: skip
    loose = Node(Key(digest, "node", count + 4), "body outline", mesh=1, skin=0)
    # A joint under the head that moves nothing, as tools leave them to aim at.
    aim = Node(Key(digest, "node", count + 5), "head_aim", translation=np.array([0, 0.2, 0.1]))
    head = PARTS.index("head")
    nodes = [
        replace(n, children=(*n.children, count + 5)) if i == head else n for i, n in enumerate(made.nodes)
    ]
    rig = made.skins[0]
    place = np.eye(4)
    place[:3, 3] = -(np.linalg.inv(rig.inverse_bind[head])[:3, 3] + [0, 0.2, 0.1])
    old = np.tile(np.eye(4), (4, 1, 1))
    old[:, 1, 3] = [-0.3 * (k + 1) for k in range(4)]
    first = replace(
        rig,
        joints=(*rig.joints, count + 5),
        inverse_bind=frozen(np.concatenate([rig.inverse_bind, place[None]]), np.float64),
    )
    second = Skin(
        Key(digest, "skin", 1), "old rig", tuple(range(count, count + 4)), frozen(old, np.float64), root=count
    )
    tag = replace(
        shell,
        key=Key(digest, "primitive", 2),
        positions=frozen(skin.positions[:3] * 0.02 + [0, 1.3, -0.2]),
        normals=frozen(skin.normals[:3]),
        texcoords=(frozen(skin.texcoords[0][:3]),),
        joints=frozen(np.zeros((3, 4)), np.uint16),
        weights=frozen(np.eye(4)[np.zeros(3, int)]),
        indices=frozen([0, 1, 2], np.uint32),
        material=0,
    )
    tagged = Node(Key(digest, "node", count + 6), "tag", mesh=2, skin=1)
    return signed(
        replace(
            made,
            nodes=(*nodes, *spare, loose, aim, tagged),
            roots=(*made.roots, count, count + 4, count + 6),
            skins=(first, second),
            meshes=(*made.meshes, mesh(asset, 1, "body outline", [shell]), mesh(asset, 2, "tag", [tag])),
            materials=(*made.materials, outline),
        )
    )
