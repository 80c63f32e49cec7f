"""The watering stork: a clockwork wader with a tank on its back. Arrives as a GLB with centimetres inside,
lying down, in fourteen pieces, six influences a vertex, one long take."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.conventions.convert import change_convention
from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape, box, joined, lathe, tube
from customs.demo.textures import bumps, feather, noise, ramp, verdigris
from customs.scene.arrays import frozen
from customs.scene.convention import WORKING, Convention
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Node, Primitive, Scene, Skin
from customs.scene.tree import world_matrices

ASSET = "watering_stork"
JOINTS: tuple[tuple[str, str, tuple[float, float, float]], ...] = (
    ("root", "", (0, 0, 0)),
    ("hips", "root", (0, 0.98, -0.08)),
    ("chest", "hips", (0, 1.06, 0.14)),
    ("neck_01", "chest", (0, 1.14, 0.30)),
    ("neck_02", "neck_01", (0, 1.32, 0.40)),
    ("neck_03", "neck_02", (0, 1.50, 0.38)),
    ("head", "neck_03", (0, 1.66, 0.40)),
    ("beak", "head", (0, 1.66, 0.52)),
    ("beak_tip", "beak", (0, 1.52, 0.86)),
    ("jaw", "head", (0, 1.63, 0.50)),
    ("tail", "hips", (0, 1.02, -0.36)),
    ("tail_tip", "tail", (0, 0.92, -0.50)),
    ("tank", "hips", (0, 1.22, -0.06)),
    ("wing_l", "chest", (0.2, 1.12, 0.08)),
    ("wing_tip_l", "wing_l", (0.22, 1.06, -0.2)),
    ("wing_r", "chest", (-0.2, 1.12, 0.08)),
    ("wing_tip_r", "wing_r", (-0.22, 1.06, -0.2)),
    ("thigh_l", "hips", (0.13, 0.86, -0.04)),
    ("shank_l", "thigh_l", (0.15, 0.50, -0.12)),
    ("foot_l", "shank_l", (0.15, 0.07, 0.0)),
    ("toe_l", "foot_l", (0.15, 0.03, 0.17)),
    ("thigh_r", "hips", (-0.13, 0.86, -0.04)),
    ("shank_r", "thigh_r", (-0.15, 0.50, -0.12)),
    ("foot_r", "shank_r", (-0.15, 0.07, 0.0)),
    ("toe_r", "foot_r", (-0.15, 0.03, 0.17)),
)
"""Name, parent, place (m) of each joint, the bird standing and facing +Z."""
INFLUENCES = 6
SECONDS, RATE = 7.0, 24


def _place(name: str) -> npt.NDArray[np.float64]:
    return np.array(next(p for n, _, p in JOINTS if n == name))


def _body() -> Shape:
    profile = [
        (0.0, -0.40),
        (0.10, -0.36),
        (0.20, -0.24),
        (0.255, -0.06),
        (0.25, 0.10),
        (0.19, 0.25),
        (0.11, 0.34),
        (0.0, 0.37),
    ]
    return lathe(profile, 28).turned(0, 78).scaled(1, 1.06, 1).moved(0, 1.03, 0.02)


def _leg(side: float, suffix: str) -> dict[str, Shape]:
    hip, knee = _place(f"thigh_{suffix}"), _place(f"shank_{suffix}")
    ankle, toe = _place(f"foot_{suffix}"), _place(f"toe_{suffix}")
    thigh = tube([hip + [0, 0.06, 0], hip * 0.6 + knee * 0.4, knee], [0.075, 0.062, 0.034], 12)
    joint = (
        lathe([(0, -0.042), (0.036, -0.026), (0.044, 0), (0.036, 0.026), (0, 0.042)], 14)
        .turned(2, 90)
        .moved(*knee)
    )
    shank = joined([tube([knee, knee * 0.5 + ankle * 0.5, ankle], [0.026, 0.02, 0.024], 10), joint])
    toes = [
        tube([ankle, ankle * 0.4 + t * 0.6 + [0, 0.012, 0], t], [0.024, 0.018, 0.008], 8)
        for t in _toes(ankle, toe, side)
    ]
    return {f"thigh_{suffix}": thigh, f"shank_{suffix}": shank, f"foot_{suffix}": joined(toes)}


def _toes(
    ankle: npt.NDArray[np.float64], toe: npt.NDArray[np.float64], side: float
) -> list[npt.NDArray[np.float64]]:
    out = [toe.copy(), toe + [0.075 * side, -0.01, -0.04], toe + [-0.075 * side, -0.01, -0.04]]
    out.append(np.array([ankle[0], 0.018, ankle[2] - 0.10]))
    for t in out:
        t[1] = 0.012
    return out


def _wing(side: float) -> Shape:
    rows = []
    for k in range(4):
        z0, z1 = 0.16 - 0.07 * k, -0.30 - 0.06 * k
        y = 1.16 - 0.055 * k
        x = side * (0.222 + 0.012 * (k % 2) + 0.004 * k)
        path = [(x * 0.93, y, z0), (x * 1.05, y - 0.02, (z0 + z1) / 2), (x * 0.9, y - 0.05, z1)]
        rows.append(tube(path, [0.030, 0.046, 0.012], 8))
    return joined(rows)


def pieces() -> dict[str, tuple[Shape, int]]:
    """The fourteen pieces: shape and material (0 plumage, 1 copper, 2 iron)."""
    head = lathe([(0, -0.10), (0.06, -0.085), (0.094, -0.02), (0.088, 0.045), (0.05, 0.095), (0, 0.11)], 20)
    eyes = [
        lathe([(0, -0.02), (0.018, -0.012), (0.022, 0), (0.012, 0.018), (0, 0.022)], 10)
        .turned(2, -90 * s)
        .moved(0.082 * s, 1.69, 0.45)
        for s in (1, -1)
    ]
    beak = tube(
        [(0, 1.665, 0.47), (0, 1.645, 0.58), (0, 1.58, 0.73), (0, 1.52, 0.86)], [0.05, 0.036, 0.02, 0.006], 12
    )
    rose = lathe([(0, 0), (0.028, 0.01), (0.034, 0.03), (0, 0.034)], 12).turned(0, 115).moved(0, 1.518, 0.865)
    neck = tube(
        [_place("chest") + [0, 0.02, 0.1], *(_place(f"neck_0{k}") for k in (1, 2, 3)), _place("head")],
        [0.115, 0.088, 0.062, 0.054, 0.062],
        16,
    )
    tank = lathe(
        [
            (0, 0),
            (0.125, 0),
            (0.135, 0.02),
            (0.135, 0.30),
            (0.145, 0.305),
            (0.145, 0.33),
            (0.12, 0.345),
            (0.03, 0.36),
            (0.03, 0.40),
            (0, 0.40),
        ],
        24,
    )
    straps = [box(0.30, 0.03, 0.03).moved(0, 1.27 + 0.16 * k, -0.08) for k in (0, 1)]
    pipe = tube(
        [(0, 1.30, 0.06), (0, 1.26, 0.20), (0.05, 1.30, 0.36), (0.05, 1.48, 0.34), (0.04, 1.60, 0.40)],
        [0.018] * 5,
        8,
    )
    tail = [
        tube(
            [(0.03 * k, 1.0, -0.30), (0.05 * k, 0.95, -0.46), (0.06 * k, 0.84, -0.58)],
            [0.05, 0.045, 0.008],
            8,
        )
        for k in (-1, 0, 1)
    ]
    out: dict[str, tuple[Shape, int]] = {
        "body": (_body().tiled(3, 2), 0),
        "tail": (joined(tail), 0),
        "neck": (neck.tiled(2, 2), 0),
        "head": (joined([head.turned(0, 18).moved(0, 1.68, 0.42), *eyes]), 1),
        "beak": (joined([beak, rose]), 2),
        "tank": (joined([tank.moved(0, 1.20, -0.08), *straps, pipe]), 1),
        "wing_l": (_wing(1).tiled(1, 2), 0),
        "wing_r": (_wing(-1).tiled(1, 2), 0),
    }
    for side, suffix in ((1.0, "l"), (-1.0, "r")):
        out |= {name: (shape, 2) for name, shape in _leg(side, suffix).items()}
    return out


def _weights(
    points: npt.NDArray[np.float32], piece: str
) -> tuple[npt.NDArray[np.uint16], npt.NDArray[np.float32]]:
    """Six influences a vertex, by distance to the bones, those of the piece itself preferred. Stored in sets
    of four.
    """
    names = [n for n, _, _ in JOINTS]
    distance = np.stack([_bone_distance(points.astype(float), n) for n in names], axis=1)
    home = {
        "neck": ("neck_01", "neck_02", "neck_03"),
        "body": ("hips", "chest"),
        "tail": ("tail", "tail_tip"),
        "wing_l": ("wing_l", "wing_tip_l"),
        "wing_r": ("wing_r", "wing_tip_r"),
    }.get(piece, (piece,))
    mine = np.array([0.0 if n in home else 0.10 for n in names])
    reach = distance + mine
    reach -= reach.min(axis=1, keepdims=True)
    share = np.exp(-((reach / 0.05) ** 2)) + 1e-5
    order = np.argsort(-share, axis=1)[:, :INFLUENCES]
    kept = np.take_along_axis(share, order, axis=1)
    # The last two hardly count, as tools leave them that spread weights a little too far.
    kept[:, 4:] *= 0.05
    kept /= kept.sum(axis=1, keepdims=True)
    joints, weights = np.zeros((len(points), 8), np.uint16), np.zeros((len(points), 8), np.float32)
    joints[:, :INFLUENCES], weights[:, :INFLUENCES] = order, kept
    weights[:, 0] += 1 - weights.sum(axis=1)
    return frozen(joints, np.uint16), frozen(weights)


def _bone_distance(points: npt.NDArray[np.float64], name: str) -> npt.NDArray[np.float64]:
    """Distance (V,) to the segments from a joint to its children, or to the joint itself."""
    start = _place(name)
    ends = [np.array(p) for _, parent, p in JOINTS if parent == name] or [start]
    out = np.full(len(points), np.inf)
    for end in ends:
        step = end - start
        t = np.clip((points - start) @ step / max(float(step @ step), 1e-9), 0, 1)
        out = np.minimum(out, np.linalg.norm(points - start - t[:, None] * step, axis=1))
    return out


def _turns(name: str, t: npt.NDArray[np.float64]) -> npt.NDArray[np.float64] | None:
    """Angle about X (radians) of a joint over time: rest, stride, then a long bow to water."""
    walk = np.clip(np.minimum(t - 2.2, 4.4 - t) / 0.25, 0, 1)
    bow = np.clip((t - 4.7) / 0.7, 0, 1) * np.clip((6.8 - t) / 0.5, 0, 1)
    # Idle from 0 to 2 s, a rest, the stride from 2.2 to 4.4 s, a rest, the watering from 4.7 s on.
    idle = np.clip(np.minimum(t, 2.0 - t) / 0.25, 0, 1)
    breath = 0.05 * np.sin(t * np.pi) * idle
    pace = np.sin((t - 2.2) * 2 * np.pi / 1.1)
    sway = {"l": pace, "r": -pace}
    if name[:-2] in ("thigh", "shank", "foot"):
        s = sway[name[-1]] * walk
        return {"thigh": 0.42 * s, "shank": 0.55 * np.clip(-s, 0, 1) * walk, "foot": -0.25 * s}[name[:-2]]
    table = {
        "chest": breath + 0.18 * bow,
        "neck_01": 0.06 * pace * walk + 0.42 * bow,
        "neck_02": -breath + 0.40 * bow,
        "neck_03": 0.05 * pace * walk + 0.18 * bow,
        "head": -0.10 * bow + 0.16 * np.sin(t * np.pi) * idle + 0.07 * np.sin(t * 2 * np.pi) * bow,
        "jaw": 0.08 * (1 - np.cos(t * 4 * np.pi)) * (idle + bow),
        "tail": 0.12 * np.sin(t * np.pi) * idle + 0.10 * pace * walk,
        "tail_tip": 0.08 * np.sin(t * np.pi - 0.6) * idle + 0.08 * pace * walk,
        "wing_l": 0.10 * np.sin(t * np.pi) * idle - 0.12 * bow,
        "wing_r": 0.10 * np.sin(t * np.pi) * idle - 0.12 * bow,
        "wing_tip_l": 0.06 * np.sin(t * np.pi) * idle,
        "wing_tip_r": 0.06 * np.sin(t * np.pi) * idle,
    }
    return table.get(name)


def _take(offset: int) -> Clip:
    times = frozen(np.arange(int(SECONDS * RATE) + 1) / RATE)
    channels = []
    for k, (name, _, _) in enumerate(JOINTS):
        angle = _turns(name, times.astype(float))
        if angle is None:
            continue
        values = np.zeros((len(times), 4))
        values[:, 0], values[:, 3] = np.sin(angle / 2), np.cos(angle / 2)
        channels.append(Channel(offset + k, "rotation", times, frozen(values)))
    return Clip(Key(digest_of(ASSET), "clip", 0), "take 001", tuple(channels))


def _nodes() -> list[Node]:
    """Joint nodes, numbered as JOINTS."""
    names = [n for n, _, _ in JOINTS]
    out = []
    for k, (name, parent, place) in enumerate(JOINTS):
        base = np.array(next((p for n, _, p in JOINTS if n == parent), (0.0, 0.0, 0.0)))
        children = tuple(names.index(n) for n, up, _ in JOINTS if up == name)
        out.append(Node(Key(digest_of(ASSET), "node", k), name, children, translation=np.array(place) - base))
    return out


def scene() -> Scene:
    """The stork in the working frame."""
    size = 900
    plumage = feather(size, 3)
    copper, packed = verdigris(512, 11)
    scales = noise((size, size), 14, 5, 3) * 0.4 + plumage[..., 0].astype(float) / 255.0
    iron = ramp(noise((256, 256), 12, 7), [(34, 32, 34), (58, 54, 52), (84, 76, 68)])
    images = (
        image(ASSET, 0, "stork_plumage", plumage),
        image(ASSET, 1, "stork_plumage_n", bumps(scales, 2.2)),
        image(ASSET, 2, "stork_copper", copper),
        image(ASSET, 3, "stork_copper_orm", packed),
        image(ASSET, 4, "stork_iron", iron),
    )
    materials = (
        material(ASSET, 0, "plumage", {"base_colour": 0, "normal": 1}, metallic=0.25, roughness=0.55),
        material(ASSET, 1, "verdigris copper", {"base_colour": 2, "metallic_roughness": 3, "occlusion": 3}),
        material(ASSET, 2, "black iron", {"base_colour": 4}, metallic=0.6, roughness=0.5),
    )
    nodes, meshes = _nodes(), []
    joints = tuple(range(len(JOINTS)))
    for k, (name, (shape, m)) in enumerate(pieces().items()):
        prim: Primitive = primitive(ASSET, k, shape, m)
        numbers, weights = _weights(prim.positions, name)
        meshes.append(mesh(ASSET, k, name, [replace(prim, joints=numbers, weights=weights)]))
        nodes.append(Node(Key(digest_of(ASSET), "node", len(nodes)), f"{name} piece", mesh=k, skin=0))
    roots = (0, *range(len(JOINTS), len(nodes)))
    bare = Scene("watering_stork", digest_of(ASSET), tuple(nodes), roots, tuple(meshes), materials, images)
    world = world_matrices(bare)
    inverse = np.stack([np.linalg.inv(world[j]) for j in joints])
    skin = Skin(Key(digest_of(ASSET), "skin", 0), "stork", joints, frozen(inverse, np.float64), root=0)
    return signed(replace(bare, skins=(skin,), clips=(_take(0),)))


def arriving() -> Scene:
    """As its workshop exports it: centimetres, Z up, facing −Y, though a GLB says metres and Y up."""
    made: Sequence[str] = ("+Z", "-Y")
    return change_convention(scene(), Convention(made[0], made[1], "right", 0.01), WORKING)  # type: ignore[arg-type]
