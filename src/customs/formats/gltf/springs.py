"""Chains that swing and what they do not swing through: VRMC_springBone 1.0, and secondaryAnimation of VRM 0.x.

Source: VRM Consortium, "VRMC_springBone 1.0" and "VRM 0.0" (github.com/vrm-c/vrm-specification). A collider is a node of its own
here, below the one it goes with: it stays where it is when that one's axes or scale change.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from customs.formats.gltf.document import Obj
from customs.scene.key import Key
from customs.scene.model import Collider, Node, Scene
from customs.scene.springs import Spring, SpringJoint
from customs.scene.swinging import nodes_by_key

SPRINGS = "VRMC_springBone"
F64 = npt.NDArray[np.float64]
SIDEWAYS = "what draws chains sideways is left out: they are drawn down"


class _Body(NamedTuple):
    """A collider as a file says it: its node, where in it it begins and ends, its radius, its groups."""

    node: int
    begin: F64
    end: F64
    radius: float
    groups: tuple[str, ...]


def with_springs(root: Obj, scene: Scene) -> Scene:
    """The scene with the chains and colliders its file says. Raises ReadError."""
    new, old = root.extension(SPRINGS), root.extension("VRM")
    second = old.child("secondaryAnimation") if old is not None else None
    if new is not None:
        bodies, springs = _bodies(new, scene), _springs(new, scene)
    elif second is not None:
        bodies, springs = _old_bodies(second, scene), _old_springs(second, scene)
    else:
        return scene
    return replace(_placed(scene, bodies), springs=springs)


def _placed(scene: Scene, bodies: list[_Body]) -> Scene:
    nodes = list(scene.nodes)
    for number, body in enumerate(bodies):
        at, above = len(nodes), nodes[body.node]
        length = float(np.linalg.norm(body.end - body.begin))
        key, name = Key(scene.digest, "node", at), f"{above.name} collider {number}"
        thing = Collider(Key(scene.digest, "collider", number), name, body.radius, length, body.groups)
        nodes.append(
            Node(key, name, translation=body.begin, rotation=_aimed(body.end - body.begin), holds=(thing,))
        )
        nodes[body.node] = replace(above, children=(*above.children, at))
    return replace(scene, nodes=tuple(nodes))


def _aimed(way: F64) -> F64:
    """The quaternion that turns −Z to a direction; none for no direction."""
    length = np.linalg.norm(way)
    if length < 1e-9:
        return np.array([0.0, 0.0, 0.0, 1.0])
    x, y, z = way / length
    if z > 1 - 1e-9:
        return np.array([0.0, 1.0, 0.0, 0.0])
    # The half-way form: cross product and one plus the cosine of (0, 0, −1) and the direction.
    turn = np.array([y, -x, 0.0, 1.0 - z])
    return turn / np.linalg.norm(turn)


def _vector(obj: Obj, name: str) -> F64:
    return np.array(obj.numbers(name, 3, (0, 0, 0)))


# -- 1.0


def _bodies(said: Obj, scene: Scene) -> list[_Body]:
    listed = said.children("colliders")
    groups: dict[int, list[str]] = {}
    for number, group in enumerate(said.children("colliderGroups")):
        for collider in group.integers("colliders", max(len(listed), 1)):
            groups.setdefault(collider, []).append(_group_name(group, number))
    out = []
    for number, obj in enumerate(listed):
        shape = obj.child("shape")
        ball, capsule = (shape.child(n) if shape is not None else None for n in ("sphere", "capsule"))
        body = ball or capsule
        if body is None:
            raise obj.fail("shape", "neither sphere nor capsule", "one of them")
        begin = _vector(body, "offset")
        end = _vector(body, "tail") if ball is None else begin
        node = obj.need_integer("node", below=len(scene.nodes))
        out.append(
            _Body(node, begin, end, body.number("radius", 0.0, least=0), tuple(groups.get(number, ())))
        )
    return out


def _group_name(group: Obj, number: int) -> str:
    # Two groups of one name are two groups.
    return f"{group.text('name') or 'group'} {number}"


def _springs(said: Obj, scene: Scene) -> tuple[Spring, ...]:
    named = [_group_name(g, k) for k, g in enumerate(said.children("colliderGroups"))]
    out = []
    for number, obj in enumerate(said.children("springs")):
        centre = obj.integer("center", None, below=len(scene.nodes))
        out.append(
            Spring(
                obj.text("name") or f"spring {number}",
                tuple(_joint(j, scene) for j in obj.children("joints")),
                tuple(named[g] for g in obj.integers("colliderGroups", max(len(named), 1))),
                scene.nodes[centre].key if centre is not None else None,
            )
        )
    return tuple(out)


def _joint(obj: Obj, scene: Scene) -> SpringJoint:
    pull = obj.number("gravityPower", 0.0, least=0)
    way = _vector(obj, "gravityDir") if "gravityDir" in obj.value else np.array([0.0, -1.0, 0.0])
    if pull and abs(way[1] + 1) > 1e-3:
        obj.source.remark(SIDEWAYS)
    return SpringJoint(
        scene.nodes[obj.need_integer("node", below=len(scene.nodes))].key,
        obj.number("hitRadius", 0.0, least=0),
        obj.number("stiffness", 1.0, least=0),
        pull * max(0.0, -float(way[1])),
        obj.number("dragForce", 0.5, 0, 1),
    )


# -- 0.x


def _old_bodies(said: Obj, scene: Scene) -> list[_Body]:
    out = []
    for number, group in enumerate(said.children("colliderGroups")):
        node = group.need_integer("node", below=len(scene.nodes))
        for obj in group.children("colliders"):
            at = obj.child("offset")
            x, y, z = (at.number(n, 0.0) if at is not None else 0.0 for n in "xyz")
            # Their Z runs the other way (from memory: readers of 0.x agree on it).
            begin = np.array([x, y, -z])
            out.append(_Body(node, begin, begin, obj.number("radius", 0.0, least=0), (f"group {number}",)))
    return out


def _old_springs(said: Obj, scene: Scene) -> tuple[Spring, ...]:
    out: list[Spring] = []
    count = len(said.children("colliderGroups"))
    for number, obj in enumerate(said.children("boneGroups")):
        way = obj.child("gravityDir")
        down = -way.number("y", -1.0) if way is not None else 1.0
        values = (
            obj.number("hitRadius", 0.0, least=0),
            # The word is spelt so there.
            obj.number("stiffiness", 1.0, least=0),
            obj.number("gravityPower", 0.0, least=0) * max(0.0, down),
            obj.number("dragForce", 0.5, 0, 1),
        )
        groups = tuple(f"group {g}" for g in obj.integers("colliderGroups", max(count, 1)))
        centre = obj.integer("center", None, least=-1, below=len(scene.nodes))
        key = scene.nodes[centre].key if centre is not None and centre >= 0 else None
        name = obj.text("comment") or f"spring {number}"
        for bone in obj.integers("bones", len(scene.nodes)):
            for chain in _chains(scene, bone):
                joints = tuple(SpringJoint(scene.nodes[n].key, *values) for n in chain)
                out.append(Spring(name, joints, groups, key))
    return tuple(out)


def _chains(scene: Scene, bone: int) -> list[list[int]]:
    """A bone and all below it as chains without forks: the first child goes on, each other begins a chain."""
    out, begins = list[list[int]](), [bone]
    while begins:
        chain = [begins.pop()]
        while children := scene.nodes[chain[-1]].children:
            begins += children[1:]
            chain.append(children[0])
        out.append(chain)
    return out


# -- out again


def springs_json(scene: Scene) -> dict[str, Any] | None:
    """The extension of a scene, None where nothing swings."""
    there = nodes_by_key(scene)
    held = [(i, h) for i, n in enumerate(scene.nodes) for h in n.holds if isinstance(h, Collider)]
    groups: dict[str, list[int]] = {}
    for number, (_, thing) in enumerate(held):
        for name in thing.groups:
            groups.setdefault(name, []).append(number)
    springs = [s for s in (_spring_json(s, there, list(groups)) for s in scene.springs) if s is not None]
    if not springs:
        return None
    out: dict[str, Any] = {"specVersion": "1.0", "springs": springs}
    if held:
        out["colliders"] = [{"node": i, "shape": _shape(thing)} for i, thing in held]
    if groups:
        out["colliderGroups"] = [{"name": n, "colliders": c} for n, c in groups.items()]
    return out


def _shape(thing: Collider) -> dict[str, Any]:
    if not thing.length:
        return {"sphere": {"offset": [0.0, 0.0, 0.0], "radius": thing.radius}}
    return {"capsule": {"offset": [0.0, 0.0, 0.0], "radius": thing.radius, "tail": [0.0, 0.0, -thing.length]}}


def _spring_json(spring: Spring, there: Mapping[Key, int], groups: list[str]) -> dict[str, Any] | None:
    """A chain of the joints that are still there; None for fewer than two, which is none."""
    joints = [
        {
            "node": there[j.node],
            "hitRadius": j.radius,
            "stiffness": j.stiffness,
            "gravityPower": j.gravity,
            "dragForce": j.drag,
        }
        for j in spring.joints
        if j.node in there
    ]
    if len(joints) < 2:
        return None
    out: dict[str, Any] = {"name": spring.name, "joints": joints}
    if found := [groups.index(g) for g in spring.groups if g in groups]:
        out["colliderGroups"] = found
    if spring.centre is not None and spring.centre in there:
        out["center"] = there[spring.centre]
    return out
