"""A whole scene through C = k·P: P a signed permutation (3, 3), k the scale.

Points C·p; normals and tangents P·n; node and inverse bind matrices C·M·C⁻¹; translations kP·t; quaternion
vector part det(P)·P·v; scale channels |P|·s; cubic tangents like their values; morph positions kP; tangent w
× det(P). Lights and cameras look along local −Z, so a leaf node turns them back. Ranges, clip planes and what materials say of
thickness × k.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.conventions.axes import between
from customs.geometry.triangles import flat_indices
from customs.scene.arrays import frozen
from customs.scene.convention import Convention
from customs.scene.held import map_held
from customs.scene.key import made_key
from customs.scene.layers import scaled_layers
from customs.scene.model import Channel, Clip, Held, Material, Mesh, MorphTarget, Node, Primitive, Scene
from customs.scene.old_keys import old_key
from customs.scene.transforms import matrix_quaternion, multiply_quaternions
from customs.scene.tree import animated_nodes, joint_nodes

F64 = npt.NDArray[np.float64]
F32 = npt.NDArray[np.float32]


def permuted(p: F64, values: npt.NDArray[Any], k: float = 1.0) -> F32:
    """`values` (..., 3) through k·P by swapping columns: no multiplication but the signs and k."""
    order = np.abs(p).argmax(axis=1)
    signs = p[range(3), order] * k
    out = np.empty(values.shape, dtype=np.float32)
    for c in range(3):
        if signs[c] == 1.0:
            out[..., c] = values[..., order[c]]
        else:
            np.multiply(values[..., order[c]], np.float32(signs[c]), out=out[..., c], casting="unsafe")
    out.flags.writeable = False
    return out


def reversed_faces(prim: Primitive) -> Primitive:
    """`prim` with every face wound the other way; points and lines as they are."""
    if prim.mode == "triangles":
        flat = flat_indices(prim).reshape(-1, 3)[:, ::-1]
        return replace(prim, indices=frozen(flat.reshape(-1), np.uint32))
    if prim.mode == "polygons":
        assert prim.sizes is not None and prim.indices is not None and prim.triangulation is not None
        ends = np.cumsum(prim.sizes, dtype=np.int64)
        start = np.repeat(ends - prim.sizes, prim.sizes)
        end = np.repeat(ends, prim.sizes)
        flat = prim.indices[start + end - 1 - np.arange(len(prim.indices))]
        cut = frozen(prim.triangulation[:, ::-1], np.uint32)
        return replace(prim, indices=frozen(flat, np.uint32), triangulation=cut)
    if prim.mode == "triangle_fan":
        flat = flat_indices(prim)
        return replace(prim, indices=frozen(np.concatenate([flat[:1], flat[:0:-1]]), np.uint32))
    if prim.mode == "triangle_strip":
        flat = flat_indices(prim)
        # An odd strip turns over when read backwards; an even one when its first corner is doubled.
        turned = flat[::-1] if len(flat) % 2 == 1 else np.concatenate([flat[:1], flat])
        return replace(prim, indices=frozen(turned, np.uint32))
    return prim


def _target(target: MorphTarget, p: F64, k: float) -> MorphTarget:
    return MorphTarget(
        positions=None if target.positions is None else permuted(p, target.positions, k),
        normals=None if target.normals is None else permuted(p, target.normals),
        tangents=None if target.tangents is None else permuted(p, target.tangents),
    )


def convert_primitive(prim: Primitive, p: F64, k: float, turn_over: bool, flip_v: bool) -> Primitive:
    """One primitive through k·P; `turn_over` reverses the winding, `flip_v` replaces v by 1 − v."""
    det = float(np.linalg.det(p))
    tangents = None
    if prim.tangents is not None:
        out = np.empty(prim.tangents.shape, dtype=np.float32)
        out[:, :3] = permuted(p, prim.tangents[:, :3])
        out[:, 3] = prim.tangents[:, 3] * np.float32(round(det))
        tangents = frozen(out)
    texcoords = prim.texcoords
    if flip_v:
        texcoords = tuple(frozen(np.stack([t[:, 0], 1 - t[:, 1]], axis=1)) for t in texcoords)
    new = replace(
        prim,
        positions=permuted(p, prim.positions, k),
        normals=None if prim.normals is None else permuted(p, prim.normals),
        tangents=tangents,
        texcoords=texcoords,
        targets=tuple(_target(t, p, k) for t in prim.targets),
    )
    return reversed_faces(new) if turn_over else new


def rotated_quaternions(p: F64, q: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Quaternions (..., 4) conjugated by P: vector part det(P)·P·v, w unchanged."""
    out = np.array(q, copy=True)
    out[..., :3] = (q[..., :3] @ p.T) * np.round(np.linalg.det(p))
    return out


def _node(node: Node, p: F64, k: float) -> Node:
    if node.matrix is not None:
        c, inverse = np.eye(4), np.eye(4)
        c[:3, :3], inverse[:3, :3] = p * k, p.T / k
        return replace(node, matrix=c @ node.matrix @ inverse)
    return replace(
        node,
        translation=p @ node.translation * k,
        rotation=rotated_quaternions(p, node.rotation),
        scale=np.abs(p) @ node.scale,
    )


def _channel(channel: Channel, p: F64, k: float) -> Channel:
    v = channel.values
    if channel.path == "translation":
        return replace(channel, values=permuted(p, v, k))
    if channel.path == "rotation":
        return replace(channel, values=frozen(rotated_quaternions(p, v)))
    if channel.path == "scale":
        return replace(channel, values=permuted(np.abs(p), v))
    return channel


def _keep_aim(scene: Scene, nodes: tuple[Node, ...], p: F64) -> tuple[Node, ...]:
    """What is aimed turned back so that its local −Z points where it did.

    A node that holds nothing else and does not move takes the turn itself; any other gets a leaf node for it.
    """
    turn, busy = _look(p), animated_nodes(scene) | joint_nodes(scene)
    out = list(nodes)
    extra: list[Node] = []
    for i, node in enumerate(nodes):
        aimed = tuple(h for h in node.holds if h.aimed)
        if not aimed:
            continue
        alone = not node.children and node.mesh is None and len(aimed) == len(node.holds)
        if alone and node.matrix is None and i not in busy:
            out[i] = replace(node, rotation=multiply_quaternions(node.rotation, turn))
            continue
        at = len(nodes) + len(extra)
        extra.append(
            Node(
                key=made_key(node.key, "arrive", "aim", old_key(scene.digest, "node", "aim", at)),
                name=f"{node.name} aim",
                rotation=turn,
                holds=aimed,
                made_from=(node.key,),
            )
        )
        out[i] = replace(
            node, holds=tuple(h for h in node.holds if not h.aimed), children=(*node.children, at)
        )
    return tuple(out + extra)


def _look(p: F64) -> F64:
    """Quaternion turning local −Z to P·(−Z) and local Y to P·Y; the side follows, since a rotation cannot
    mirror.
    """
    back, up = p @ np.array([0.0, 0.0, 1.0]), p @ np.array([0.0, 1.0, 0.0])
    return matrix_quaternion(np.stack([np.cross(up, back), up, back], axis=1))


def _held(thing: Held, p: F64, k: float) -> Held:
    thing = thing if np.array_equal(p, np.eye(3)) else thing.turned(p)
    return thing if k == 1.0 else thing.scaled(k)


def _material(material: Material, k: float) -> Material:
    layers = scaled_layers(material.layers, k)
    return material if layers is material.layers else replace(material, layers=layers)


def convert(scene: Scene, p: F64, k: float, turn_over: bool = False, flip_v: bool = False) -> Scene:
    """`scene` through k·P (P (3, 3) a signed permutation, k > 0). `convention` is left to the caller."""
    if np.array_equal(p, np.eye(3)) and k == 1.0 and not turn_over and not flip_v:
        return scene
    nodes = map_held((_node(n, p, k) for n in scene.nodes), lambda thing: _held(thing, p, k))
    if not np.array_equal(p, np.eye(3)):
        nodes = _keep_aim(scene, nodes, p)
    c, inverse = np.eye(4), np.eye(4)
    c[:3, :3], inverse[:3, :3] = p * k, p.T / k
    rows = scene.placements
    mesh: Callable[[Mesh], Mesh] = lambda m: replace(  # noqa: E731
        m, primitives=tuple(convert_primitive(q, p, k, turn_over, flip_v) for q in m.primitives)
    )
    clip: Callable[[Clip], Clip] = lambda a: replace(  # noqa: E731
        a,
        channels=tuple(_channel(ch, p, k) for ch in a.channels),
        pointers=tuple(x.scaled(k) for x in a.pointers),
    )
    return replace(
        scene,
        nodes=nodes,
        meshes=tuple(mesh(m) for m in scene.meshes),
        materials=tuple(_material(m, k) for m in scene.materials),
        springs=tuple(s.scaled(k) for s in scene.springs),
        person=scene.person.moved(p, k) if scene.person is not None else None,
        skins=tuple(replace(s, inverse_bind=c @ s.inverse_bind @ inverse) for s in scene.skins),
        clips=tuple(clip(a) for a in scene.clips),
        placements=rows.moved(c[:3, :3] @ rows.matrices @ inverse) if len(rows) else rows,
    )


def change_convention(scene: Scene, target: Convention, source: Convention | None = None) -> Scene:
    """`scene` written in `target` numbers. `source` overrides what the scene says of itself."""
    source = source or scene.convention
    p, k = between(source, target)
    out = convert(scene, p, k, turn_over=source.front != target.front, flip_v=source.v != target.v)
    return replace(out, convention=target)
