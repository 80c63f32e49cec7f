"""People of the glasshouse: a skeleton by proportions, one smooth skin around it, weights, paint and
clips.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy.spatial.transform import Rotation

from customs.demo.blob import Capsule, relaxed, skin
from customs.demo.build import digest_of, image, material, mesh
from customs.demo.textures import Pixels, noise
from customs.geometry.normals import smooth_normals
from customs.motion.skeleton.skeleton import Skeleton
from customs.motion.weights.heat import heat_weights
from customs.motion.weights.table import influences_of
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Node, Primitive, Scene, Skin
from customs.scene.tree import world_matrices

F64 = npt.NDArray[np.float64]
SOFT = 0.022
TREE: Mapping[str, str] = {
    "hips": "", "spine": "hips", "chest": "spine", "neck": "chest", "head": "neck",
    **{f"{s}.{part}": up for s in "lr" for part, up in (
        ("shoulder", "chest"), ("upper arm", f"{s}.shoulder"), ("lower arm", f"{s}.upper arm"), ("hand", f"{s}.lower arm"),
        ("upper leg", "hips"), ("lower leg", f"{s}.upper leg"), ("foot", f"{s}.lower leg"), ("toe", f"{s}.foot"))},
}  # fmt: skip
"""Joints by part and side, and what each hangs under."""


@dataclass(frozen=True)
class Build:
    """Proportions in metres; `arm` is the angle of the arms below level (degrees), `girth` a factor on
    thickness.
    """

    height: float = 1.7
    leg: float = 0.80
    shoulder: float = 0.19
    arm_length: float = 0.56
    arm: float = 0.0
    hip: float = 0.10
    girth: float = 1.0


def places(build: Build) -> dict[str, F64]:
    """Where every joint rests; the figure stands on the ground and faces +Z."""
    trunk, top = build.height - build.leg, build.leg
    out: dict[str, tuple[float, float, float]] = {
        "hips": (0, top + 0.04, 0), "spine": (0, top + 0.16 * trunk, 0), "chest": (0, top + 0.38 * trunk, -0.01),
        "neck": (0, top + 0.62 * trunk, -0.015), "head": (0, top + 0.72 * trunk, 0.0),
    }  # fmt: skip
    for s, side in (("l", 1.0), ("r", -1.0)):
        level = top + 0.57 * trunk
        down = np.radians(build.arm)
        way = np.array([side * np.cos(down), -np.sin(down), 0.0])
        start = np.array([side * build.shoulder, level, -0.01])
        out |= {
            f"{s}.shoulder": (side * 0.045, level - 0.005, -0.005),
            f"{s}.upper arm": (start[0], start[1], start[2]),
            f"{s}.lower arm": tuple((start + way * build.arm_length * 0.50 + [0, 0, -0.004]).tolist()),
            f"{s}.hand": tuple((start + way * build.arm_length).tolist()),
            f"{s}.upper leg": (side * build.hip, top - 0.02, 0.0),
            f"{s}.lower leg": (side * build.hip * 1.05, top * 0.53, 0.012),
            f"{s}.foot": (side * build.hip * 1.08, 0.085, -0.02),
            f"{s}.toe": (side * build.hip * 1.12, 0.035, 0.11),
        }
    return {k: np.array(v, dtype=float) for k, v in out.items()}


def capsules(p: Mapping[str, F64], build: Build) -> list[Capsule]:
    """The flesh around the bones."""
    g = build.girth
    out: list[Capsule] = [
        (p["hips"] + [0.05, -0.02, 0], p["hips"] + [-0.05, -0.02, 0], 0.105 * g, 0.105 * g),
        (p["hips"], p["spine"], 0.115 * g, 0.105 * g),
        (p["spine"], p["chest"], 0.108 * g, 0.118 * g),
        (p["chest"] + [0.06, 0.05, 0], p["chest"] + [-0.06, 0.05, 0], 0.105 * g, 0.105 * g),
        (p["chest"], p["neck"], 0.11 * g, 0.06),
        (p["neck"], p["head"], 0.05, 0.055),
        (p["head"] + [0, 0.05, 0.01], p["head"] + [0, 0.13, 0.015], 0.085, 0.098),
        (p["head"] + [0, 0.06, 0.09], p["head"] + [0, 0.05, 0.115], 0.02, 0.014),
    ]
    for s in "lr":
        q = {k[2:]: v for k, v in p.items() if k.startswith(s + ".")}
        fingers = q["hand"] + (q["hand"] - q["lower arm"]) * 0.45
        out += [
            (q["shoulder"], q["upper arm"], 0.07 * g, 0.066 * g),
            (q["upper arm"], q["lower arm"], 0.056 * g, 0.044 * g),
            (q["lower arm"], q["hand"], 0.044 * g, 0.034),
            (q["hand"], fingers, 0.036, 0.026),
            (q["upper leg"], q["lower leg"], 0.085 * g, 0.056 * g),
            (q["lower leg"], q["foot"], 0.056 * g, 0.042),
            (q["foot"] + [0, -0.03, -0.03], q["toe"], 0.046, 0.036),
            (q["toe"], q["toe"] + [0, -0.003, 0.05], 0.036, 0.03),
        ]
    return out


def skeleton(p: Mapping[str, F64], order: Sequence[str]) -> Skeleton:
    """The figure's skeleton by itself, joints in `order`."""
    rest = np.tile(np.eye(4), (len(order), 1, 1))
    rest[:, :3, 3] = [p[k] for k in order]
    parent = np.array([order.index(TREE[k]) if TREE[k] else -1 for k in order], dtype=np.intp)
    return Skeleton(tuple(range(len(order))), tuple(order), parent, rest)


Paint = Callable[[F64, F64], F64]
"""Colour (N, 3) 0..255 of points (N, 3) with normals (N, 3)."""


def body(
    asset: str, p: Mapping[str, F64], build: Build, order: Sequence[str], cell: float, number: int = 0
) -> Primitive:
    """The skin with weights, front and back unfolded side by side."""
    flesh = capsules(p, build)
    points, faces = skin(flesh, cell, SOFT)
    points = relaxed(points, faces, flesh, SOFT)
    points[:, 1] = np.maximum(points[:, 1], 0.0)
    normals = smooth_normals(frozen(points), frozen(faces, np.uint32))
    table = heat_weights(points, faces, skeleton(p, order))
    back = normals[faces].mean(axis=1)[:, 2] < 0
    used = [np.unique(faces[~back]), np.unique(faces[back])]
    rows = np.concatenate(used)
    place = [np.full(len(points), -1), np.full(len(points), -1)]
    place[0][used[0]] = np.arange(len(used[0]))
    place[1][used[1]] = len(used[0]) + np.arange(len(used[1]))
    flat = np.concatenate([place[0][faces[~back]], place[1][faces[back]]])
    uv = unfold(points[rows], np.repeat([False, True], [len(used[0]), len(used[1])]), build)
    joints, weights = influences_of(table[rows], 4, 0.01)
    return Primitive(
        Key(digest_of(asset), "primitive", number),
        frozen(points[rows]),
        indices=frozen(flat.reshape(-1), np.uint32),
        normals=frozen(normals[rows]),
        texcoords=(frozen(uv),),
        joints=joints,
        weights=weights,
        material=0,
    )


def unfold(points: F64, back: npt.NDArray[np.bool_], build: Build) -> F64:
    """(N, 2) UVs, V down: the front on the left half, the back on the right."""
    wide = 2 * (build.shoulder + build.arm_length * 1.5)
    u = np.clip(0.25 + 0.48 * points[:, 0] / wide * np.where(back, -1, 1), 0.005, 0.495) + np.where(
        back, 0.5, 0.0
    )
    return np.column_stack([u, np.clip(1 - points[:, 1] / (build.height * 1.12), 0.002, 0.998)])


def painted(
    size: int, build: Build, p: Mapping[str, F64], colours: Mapping[str, tuple[int, int, int]], seed: int
) -> Pixels:
    """The texture of a figure by the same unfolding: boots, trousers, shirt, apron, hands and head."""
    y, x = np.mgrid[0:size, 0:size] / size
    back = x >= 0.5
    height = (1 - y) * build.height * 1.12
    aside = np.abs(np.where(back, x - 0.75, x - 0.25)) / 0.48 * 2 * (build.shoulder + build.arm_length * 1.5)
    out = np.empty((size, size, 3))
    out[:] = colours["shirt"]
    legs = (height < p["hips"][1] + 0.02) & (aside < 0.3)
    out[legs] = colours["trousers"]
    out[(height < 0.2) & (aside < 0.4)] = colours["boots"]
    apron = ~back & (aside < 0.11) & (height > p["l.lower leg"][1] + 0.06) & (height < p["chest"][1] + 0.08)
    out[apron] = colours["apron"]
    out[(height > p["neck"][1] - 0.005) & (aside < 0.14)] = colours["skin"]
    out[(height > p["head"][1] + 0.13) & (aside < 0.2)] = colours["hair"]
    reach = float(np.abs(p["l.hand"][0]))
    out[(aside > reach - 0.015) & (height > p["l.hand"][1] - 0.35)] = colours["skin"]
    grain = noise((size, size), 60, seed, 3)[..., None]
    return np.clip(out * (0.86 + 0.28 * grain), 0, 255).astype(np.uint8)


def figure(
    asset: str,
    build: Build,
    names: Mapping[str, str],
    order: Sequence[str],
    colours: Mapping[str, tuple[int, int, int]],
    cell: float = 0.03,
    title: str = "body",
) -> Scene:
    """A rigged figure at its bind pose, without clips; `names` by part, joints of the skin in `order`."""
    p = places(build)
    nodes = []
    for k, part in enumerate(order):
        base = p[TREE[part]] if TREE[part] else np.zeros(3)
        children = tuple(order.index(c) for c in order if TREE[c] == part)
        nodes.append(
            Node(Key(digest_of(asset), "node", k), names[part], children, translation=p[part] - base)
        )
    skinned = Node(Key(digest_of(asset), "node", len(order)), title, mesh=0, skin=0)
    images = (image(asset, 0, f"{asset}_c", painted(512, build, p, colours, 7)),)
    materials = (material(asset, 0, "cloth", {"base_colour": 0}, metallic=0.0, roughness=0.85),)
    meshes = (mesh(asset, 0, title, [body(asset, p, build, order, cell)]),)
    root = order.index("hips")
    bare = Scene(asset, digest_of(asset), (*nodes, skinned), (root, len(order)), meshes, materials, images)
    world = world_matrices(bare)
    inverse = np.stack([np.linalg.inv(world[j]) for j in range(len(order))])
    rig = Skin(
        Key(digest_of(asset), "skin", 0),
        f"{asset} rig",
        tuple(range(len(order))),
        frozen(inverse, np.float64),
        root=root,
    )
    return replace(bare, skins=(rig,))


Turns = Mapping[str, Callable[[F64], F64]]
"""Angles (T, 3) in degrees about X, Y, Z over time, by part."""


def clip(
    scene: Scene,
    number: int,
    name: str,
    seconds: float,
    turns: Turns,
    order: Sequence[str],
    way: Callable[[F64], F64] | None = None,
    rate: int = 30,
) -> Clip:
    """A clip by angles about the axes of the world at rest, with the hips' way (T, 3) in metres."""
    times = np.arange(round(seconds * rate) + 1) / rate
    channels = []
    for part, angle in turns.items():
        q = Rotation.from_euler("xyz", angle(times), degrees=True).as_quat()
        channels.append(Channel(order.index(part), "rotation", frozen(times), frozen(q)))
    if way is not None:
        hips = order.index("hips")
        channels.append(
            Channel(hips, "translation", frozen(times), frozen(scene.nodes[hips].translation + way(times)))
        )
    return Clip(Key(scene.digest, "clip", number), name, tuple(channels))


def angles(x: F64 | float = 0.0, y: F64 | float = 0.0, z: F64 | float = 0.0) -> F64:
    """(T, 3) from three angles, each a number or (T,)."""
    return np.stack(np.broadcast_arrays(x, y, z), axis=-1).astype(float)


def stride(period: float) -> Turns:
    """A walk in T-pose angles: arms lowered and swinging, legs stepping."""
    w = 2 * np.pi / period

    def leg(phase: float) -> dict[str, Callable[[F64], F64]]:
        return {
            "upper leg": lambda t: angles(-28 * np.sin(w * t + phase)),
            "lower leg": lambda t: angles(18 + 26 * np.sin(w * t + phase + 2.1)),
            "foot": lambda t: angles(-6 + 12 * np.sin(w * t + phase + 2.6)),
        }

    out: dict[str, Callable[[F64], F64]] = {}
    for s, sign, phase in (("l", -1.0, 0.0), ("r", 1.0, np.pi)):
        out |= {f"{s}.{part}": f for part, f in leg(phase).items()}
        out[f"{s}.shoulder"] = lambda t, sign=sign: angles(0, 0, sign * 14 + 0 * t)  # type: ignore[misc]
        out[f"{s}.upper arm"] = lambda t, sign=sign, phase=phase: angles(
            24 * np.sin(w * t + phase), 0, sign * 52
        )  # type: ignore[misc]
        out[f"{s}.lower arm"] = lambda t, sign=sign, phase=phase: angles(
            0, sign * (16 + 10 * np.sin(w * t + phase)), 0
        )  # type: ignore[misc]
    out["spine"] = lambda t: angles(2, 5 * np.sin(w * t), 0)
    out["chest"] = lambda t: angles(1, -8 * np.sin(w * t), 0)
    out["head"] = lambda t: angles(-2, 4 * np.sin(w * t), 0)
    return out
