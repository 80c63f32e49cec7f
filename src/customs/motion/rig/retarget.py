"""Clips from one skeleton to another of other proportions: turns relative to the rest poses, lengths of the
new body kept.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from customs.motion.curves.track import local_track, world_track
from customs.motion.rig.align import between, turns_to
from customs.motion.skeleton.skeleton import Skeleton
from customs.scene.arrays import frozen
from customs.scene.key import made_key
from customs.scene.model import Channel, Clip, Scene
from customs.scene.old_keys import old_key
from customs.scene.transforms import continuous, inverse, matrix_quaternion
from customs.scene.tree import parents, walk

F64 = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Retargeting:
    """From `source` (with its skeleton) to `target`: `pairs` source joint → target joint, numbers in the
    skeletons.
    """

    source: Scene
    source_skeleton: Skeleton
    target: Scene
    target_skeleton: Skeleton
    pairs: Mapping[int, int]


@dataclass(frozen=True)
class Ground:
    """Feet kept on the ground: `feet` (hip, knee, ankle) joints of the target, each with the source's
    ankle.
    """

    feet: tuple[tuple[int, int, int, int], ...] = ()


def _turn_parts(m: F64) -> F64:
    """Rotations (..., 3, 3) of matrices (..., 4, 4): axes made one long."""
    linear = m[..., :3, :3]
    return linear / np.maximum(np.linalg.norm(linear, axis=-2, keepdims=True), 1e-12)


def turn_track(scene: Scene, locals_: F64) -> F64:
    """World turns (T, N, 3, 3) from own matrices (T, N, 4, 4): scales above a node do not turn it, uneven
    ones neither.
    """
    out = np.broadcast_to(np.eye(3), (*locals_.shape[:2], 3, 3)).copy()
    for n, up, _ in walk(scene):
        own = _turn_parts(locals_[:, n])
        out[:, n] = own if up < 0 else out[:, up] @ own
    return out


def leg_ratio(way: Retargeting, root: int) -> float:
    """Height of the target's root joint over the ground of its lowest joint, against the source's: how long
    strides become.
    """
    s, t = way.source_skeleton, way.target_skeleton
    a = float(s.places[root, 1] - s.places[:, 1].min())
    b = float(t.places[way.pairs[root], 1] - t.places[:, 1].min())
    if a > 1e-6 and b > 1e-6:
        return b / a
    return t.size / s.size


def unpaired(way: Retargeting, clip: Clip) -> list[str]:
    """Names of joints and nodes a clip moves that stand for nothing in the target: their movement does not
    come along.
    """
    nodes, above = {way.source_skeleton.nodes[a] for a in way.pairs}, parents(way.source)
    carried = set(nodes)
    for n in nodes:
        while above[n] >= 0:
            n = above[n]
            carried.add(n)
    # What moves above a paired joint moves that joint.
    found = {
        c.node
        for c in clip.channels
        if c.node not in carried and np.ptp(c.values, axis=0).max(initial=0) > 1e-5
    }
    return sorted(way.source.nodes[n].name for n in found)


def retarget(way: Retargeting, clip: Clip, times: F64, ground: Ground | None = None) -> Clip:
    """`clip` of the source as a clip of the target, keys at `times` (T,).

    D = R(t) · (A · R_rest)⁻¹ is how a source joint is turned against its rest pose, brought into the target's
    rest pose by the turns A; the target's joint takes D · its own rest. The root's way is scaled by the
    length of the legs. What else a clip moves or scales of a joint goes along as it differs from rest: shifts
    scaled like the root's way, so that bones which no clip moves keep their lengths, and scales by the axes
    they lie along.
    """
    s, t = way.source_skeleton, way.target_skeleton
    own = local_track(way.source, clip, times)
    world = world_track(way.source, own)[:, list(s.nodes)]
    turned = turn_track(way.source, own)
    rests = [
        turn_track(scene, local_track(scene, None, np.zeros(1)))[0] for scene in (way.source, way.target)
    ]
    aligned = turns_to(s, t, way.pairs)[0]
    goal: dict[int, F64] = {}
    for a, b in way.pairs.items():
        rest = aligned[a] @ rests[0][s.nodes[a]]
        goal[b] = turned[:, s.nodes[a]] @ rest.T @ rests[1][t.nodes[b]]
    root = next((a for a in s.order if a in way.pairs), -1)
    shift = np.zeros((len(times), 3))
    if root >= 0:
        shift = (world[:, root, :3, 3] - s.places[root]) * leg_ratio(way, root)
    extra = moved_apart(way, clip, own, aligned, root)
    locals_ = _locals(way, goal, root, shift, len(times), extra)
    if ground is not None and ground.feet:
        locals_ = _planted(way, locals_, world, ground)
    return _clip(way, clip, times, locals_, goal, root, extra)


@dataclass(frozen=True, eq=False)
class Extra:
    """What a clip does to joints beside turning them: `shifts` (T, 3) in the space above a target joint,
    `scales` (T, 3) as shares of its own."""

    shifts: Mapping[int, F64]
    scales: Mapping[int, F64]


def moved_apart(way: Retargeting, clip: Clip, own: F64, aligned: F64, root: int) -> Extra:
    """Shifts and scales of paired joints by the clip's own channels; `own` (T, N, 4, 4) are the source's own
    matrices.
    """
    s, t = way.source_skeleton, way.target_skeleton
    said = {(c.node, c.path) for c in clip.channels}
    rest = local_track(way.source, None, np.zeros(1))[0]
    rests = [
        world_track(scene, local_track(scene, None, np.zeros(1)))[0] for scene in (way.source, way.target)
    ]
    turns = [
        turn_track(scene, local_track(scene, None, np.zeros(1)))[0] for scene in (way.source, way.target)
    ]
    above = [parents(scene) for scene in (way.source, way.target)]
    ratio = leg_ratio(way, root) if root >= 0 else 1.0
    shifts: dict[int, F64] = {}
    scales: dict[int, F64] = {}
    for a, b in way.pairs.items():
        n, m = s.nodes[a], t.nodes[b]
        if (n, "translation") in said and a != root:
            by = own[:, n, :3, 3] - rest[n, :3, 3]
            frames = [r[u[k], :3, :3] if u[k] >= 0 else np.eye(3) for r, u, k in zip(rests, above, (n, m))]
            carrier = int(s.parent[a])
            turn = aligned[carrier] if carrier >= 0 else np.eye(3)
            shifts[b] = ratio * np.einsum("ij,tj->ti", inverse(frames[1]) @ turn @ frames[0], by)
        if (n, "scale") in said:
            share = np.linalg.norm(own[:, n, :3, :3], axis=1) / np.maximum(
                np.linalg.norm(rest[n, :3, :3], axis=0), 1e-12
            )
            axes = turns[1][m].T @ aligned[a] @ turns[0][n]
            scales[b] = share @ (axes * axes).T
    return Extra(
        {b: v for b, v in shifts.items() if np.abs(v).max(initial=0) > 1e-6},
        {b: v for b, v in scales.items() if np.abs(v - 1).max(initial=0) > 1e-4},
    )


def _locals(
    way: Retargeting, goal: Mapping[int, F64], root: int, shift: F64, count: int, extra: Extra
) -> F64:
    """Own matrices (T, N, 4, 4) of the target's nodes that give its joints the turns `goal`, and `extra`
    beside.
    """
    rest = local_track(way.target, None, np.zeros(1))
    locals_ = np.broadcast_to(rest, (count, *rest.shape[1:])).copy()
    t = way.target_skeleton
    joint_of = {n: k for k, n in enumerate(t.nodes)}
    scales = [np.linalg.norm(rest[0, n, :3, :3], axis=0) for n in range(len(way.target.nodes))]
    world = np.broadcast_to(np.eye(4), locals_.shape).copy()
    turns = np.broadcast_to(np.eye(3), (*locals_.shape[:2], 3, 3)).copy()
    for n, up, _ in walk(way.target):
        base = world[:, up] if up >= 0 else np.broadcast_to(np.eye(4), (count, 4, 4))
        above = turns[:, up] if up >= 0 else np.broadcast_to(np.eye(3), (count, 3, 3))
        k = joint_of.get(n, -1)
        if k in goal:
            turn = np.swapaxes(above, -1, -2) @ goal[k]
            locals_[:, n, :3, :3] = turn * (scales[n] * extra.scales.get(k, np.ones((count, 3))))[:, None, :]
            locals_[:, n, :3, 3] += extra.shifts.get(k, 0.0)
            if root >= 0 and k == way.pairs[root]:
                linear = inverse(base[:, :3, :3])
                locals_[:, n, :3, 3] += np.einsum("tij,tj->ti", linear, shift)
        world[:, n] = base @ locals_[:, n]
        turns[:, n] = above @ _turn_parts(locals_[:, n])
    return locals_


def _planted(way: Retargeting, locals_: F64, source_world: F64, ground: Ground) -> F64:
    """Ankles brought to the height over the ground they had in the source, by hip and knee (two bones, law of
    cosines).
    """
    s, t = way.source_skeleton, way.target_skeleton
    for hip, knee, ankle, source_ankle in ground.feet:
        world = world_track(way.target, locals_)
        p = [world[:, t.nodes[j], :3, 3] for j in (hip, knee, ankle)]
        low = source_world[:, source_ankle, 1, 3] - s.places[source_ankle, 1]
        ratio = leg_ratio(way, next(a for a in s.order if a in way.pairs))
        wanted = p[2].copy()
        height = t.places[ankle, 1] + low * ratio
        # On the ground (below a fortieth of the leg) the foot stays there exactly; above it goes with the
        # source.
        leg = float(
            np.linalg.norm(t.places[hip] - t.places[knee]) + np.linalg.norm(t.places[knee] - t.places[ankle])
        )
        wanted[:, 1] = np.where(np.abs(low * ratio) < leg / 40, t.places[ankle, 1], height)
        locals_ = _two_bones(way, locals_, world, (hip, knee, ankle), p, wanted)
    return locals_


def _two_bones(
    way: Retargeting, locals_: F64, world: F64, joints: tuple[int, int, int], p: list[F64], goal: F64
) -> F64:
    t = way.target_skeleton
    hip, knee, ankle = joints
    upper, lower = np.linalg.norm(p[1] - p[0], axis=1), np.linalg.norm(p[2] - p[1], axis=1)
    reach = goal - p[0]
    far = np.clip(np.linalg.norm(reach, axis=1), np.abs(upper - lower) + 1e-6, (upper + lower) * 0.9999)
    along = reach / np.maximum(np.linalg.norm(reach, axis=1, keepdims=True), 1e-9)
    cosine = np.clip((upper**2 + far**2 - lower**2) / np.maximum(2 * upper * far, 1e-12), -1, 1)
    bend = (p[1] - p[0]) - ((p[1] - p[0]) * along).sum(axis=1, keepdims=True) * along
    width = np.linalg.norm(bend, axis=1, keepdims=True)
    bend = np.where(width > 1e-6, bend / np.maximum(width, 1e-9), np.array([0.0, 0.0, 1.0]))
    new_knee = p[0] + along * (upper * cosine)[:, None] + bend * (upper * np.sqrt(1 - cosine**2))[:, None]
    new_ankle = p[0] + along * far[:, None]
    out = locals_.copy()
    first = _turns_between(p[1] - p[0], new_knee - p[0])
    second = _turns_between(np.einsum("tij,tj->ti", first, p[2] - p[1]), new_ankle - new_knee)
    above = parents(way.target)
    for joint, turn in (
        (hip, first),
        (knee, second @ first),
        (ankle, np.broadcast_to(np.eye(3), first.shape)),
    ):
        n = t.nodes[joint]
        new = turn @ _turn_parts(world[:, n])
        base = (
            world_track(way.target, out)[:, above[n]]
            if above[n] >= 0
            else np.broadcast_to(np.eye(4), (len(out), 4, 4))
        )
        scale = np.linalg.norm(out[:, n, :3, :3], axis=-2, keepdims=True)
        out[:, n, :3, :3] = np.swapaxes(_turn_parts(base), -1, -2) @ new * scale
    return out


def _turns_between(a: F64, b: F64) -> F64:
    """(T, 3, 3) smallest turns taking directions (T, 3) to others. Source: Rodrigues' formula."""
    a = a / np.maximum(np.linalg.norm(a, axis=1, keepdims=True), 1e-12)
    b = b / np.maximum(np.linalg.norm(b, axis=1, keepdims=True), 1e-12)
    v, c = np.cross(a, b), np.einsum("ij,ij->i", a, b)
    k = np.zeros((len(a), 3, 3))
    k[:, 0, 1], k[:, 0, 2], k[:, 1, 2] = -v[:, 2], v[:, 1], -v[:, 0]
    k[:, 1, 0], k[:, 2, 0], k[:, 2, 1] = v[:, 2], -v[:, 1], v[:, 0]
    out = np.eye(3) + k + k @ k / np.maximum(1 + c, 1e-6)[:, None, None]
    for row in np.flatnonzero(c < -0.9999):
        out[row] = between(a[row], b[row])
    return out


def _clip(
    way: Retargeting, clip: Clip, times: F64, locals_: F64, goal: Mapping[int, F64], root: int, extra: Extra
) -> Clip:
    channels, t = [], way.target_skeleton
    for k in sorted(goal):
        n = t.nodes[k]
        q = continuous(matrix_quaternion(_turn_parts(locals_[:, n])))
        channels.append(Channel(n, "rotation", frozen(times), frozen(q)))
        if k in extra.shifts or (root >= 0 and k == way.pairs[root]):
            channels.append(Channel(n, "translation", frozen(times), frozen(locals_[:, n, :3, 3])))
        if k in extra.scales:
            channels.append(
                Channel(n, "scale", frozen(times), frozen(np.linalg.norm(locals_[:, n, :3, :3], axis=1)))
            )
    key = made_key(
        clip.key, "retarget", old=old_key(clip.key.digest, "clip", "clip", clip.key.was.ordinal % 100_000)
    )
    return Clip(key, clip.name, tuple(channels), clip.extras, (clip.key, *clip.made_from))
