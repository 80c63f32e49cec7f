"""How an avatar looks about, what its own eyes see, and joints bound to others: VRM 1.0 in and out, 0.x in.

Source: VRM Consortium, "VRMC_vrm 1.0", "VRMC_node_constraint 1.0", "VRM 0.0" (its Z from memory: readers agree on it).
"""

from __future__ import annotations

from typing import Any

from customs.formats.gltf.document import Obj
from customs.formats.gltf.write_parts import Json
from customs.scene.model import Node, Scene
from customs.scene.person import AXES, Bond, Gaze, Person
from customs.scene.swinging import nodes_by_key

BONDS = "VRMC_node_constraint"
WAYS = ("HorizontalInner", "HorizontalOuter", "VerticalDown", "VerticalUp")
KINDS = {"bone": "bone", "expression": "expression", "Bone": "bone", "BlendShape": "expression"}
SEEN = {"auto": "auto", "both": "both", "thirdPersonOnly": "thirdPersonOnly", "firstPersonOnly": "firstPersonOnly",
        "Auto": "auto", "Both": "both", "ThirdPersonOnly": "thirdPersonOnly", "FirstPersonOnly": "firstPersonOnly"}  # fmt: skip
BINDINGS = {"aim": "aimAxis", "roll": "rollAxis", "rotation": ""}


def read_person(root: Obj, nodes: tuple[Node, ...]) -> Person | None:
    """What a document says of these things, None where it says none. Raises ReadError."""
    new, old = root.extension("VRMC_vrm"), root.extension("VRM")
    bonds = tuple(b for o, n in zip(root.children("nodes"), nodes) if (b := _bond(o, n, nodes)) is not None)
    if new is not None:
        look, first = new.child("lookAt"), new.child("firstPerson")
        marked = first.children("meshAnnotations") if first is not None else []
        seen = tuple((nodes[m.need_integer("node", below=len(nodes))].key, _seen(m, "type")) for m in marked)
        person = Person(_gaze(look) if look is not None else None, seen, bonds)
    elif old is not None and (first := old.child("firstPerson")) is not None:
        person = Person(_old_gaze(first), _old_seen(first, nodes), bonds)
    else:
        person = Person(bonds=bonds)
    return person if person != Person() else None


def _seen(obj: Obj, name: str) -> str:
    said = obj.text(name, "auto")
    if said not in SEEN:
        raise obj.fail(name, said, "auto, both, thirdPersonOnly or firstPersonOnly")
    return SEEN[said]


def _gaze(look: Obj) -> Gaze:
    x, y, z = look.numbers("offsetFromHeadBone", 3, (0, 0, 0)) or (0.0, 0.0, 0.0)
    ranges = {}
    for way in WAYS:
        if (said := look.child(f"rangeMap{way}")) is not None:
            ranges[way] = (said.number("inputMaxValue", 90.0), said.number("outputScale", 1.0))
    return Gaze((x, y, z), KINDS.get(look.text("type", "bone"), "bone"), ranges)


def _old_gaze(first: Obj) -> Gaze:
    at = first.child("firstPersonBoneOffset")
    x, y, z = (at.number(n, 0.0) if at is not None else 0.0 for n in "xyz")
    ranges = {}
    for way in WAYS:
        if (said := first.child(f"lookAt{way}")) is not None:
            ranges[way] = (said.number("xRange", 90.0), said.number("yRange", 1.0))
    return Gaze((x, y, -z), KINDS.get(first.text("lookAtTypeName", "Bone"), "bone"), ranges)


def _old_seen(first: Obj, nodes: tuple[Node, ...]) -> tuple[Any, ...]:
    out = []
    for marked in first.children("meshAnnotations"):
        mesh = marked.integer("mesh", -1, least=-1)
        out += [
            (n.key, _seen(marked, "firstPersonFlag")) for n in nodes if n.mesh is not None and n.mesh == mesh
        ]
    return tuple(out)


def _bond(obj: Obj, node: Node, nodes: tuple[Node, ...]) -> Bond | None:
    said = obj.extension(BONDS)
    found = said.child("constraint") if said is not None else None
    if found is None:
        return None
    kind = next((k for k in BINDINGS if k in found.value), "")
    one = found.child(kind) if kind else None
    if one is None:
        raise found.fail("", list(found.value), "aim, roll or rotation")
    axis = one.text(BINDINGS[kind]) if BINDINGS[kind] else ""
    if (kind == "aim" and axis not in AXES) or (kind == "roll" and axis not in ("X", "Y", "Z")):
        raise one.fail(BINDINGS[kind], axis, "an axis")
    source = nodes[one.need_integer("source", below=len(nodes))].key
    return Bond(node.key, source, kind, one.number("weight", 1.0, 0, 1), axis)


def add_person(scene: Scene, avatar: Json, nodes: list[Json], used: set[str]) -> None:
    """Say it in the extension of an avatar and in its nodes, as far as they are still there."""
    person = scene.person
    if person is None:
        return
    there = nodes_by_key(scene)
    if (gaze := person.gaze) is not None:
        avatar["lookAt"] = {"offsetFromHeadBone": list(gaze.offset), "type": gaze.kind} | {
            f"rangeMap{way}": {"inputMaxValue": most, "outputScale": scale}
            for way, (most, scale) in gaze.ranges.items()
        }
    marked = [{"node": there[n], "type": how} for n, how in person.seen if n in there]
    if marked:
        avatar["firstPerson"] = {"meshAnnotations": marked}
    for bond in person.bonds:
        if bond.node in there and bond.source in there:
            one: Json = {"source": there[bond.source], "weight": bond.weight}
            one |= {BINDINGS[bond.kind]: bond.axis} if bond.axis else {}
            said = {"specVersion": "1.0", "constraint": {bond.kind: one}}
            nodes[there[bond.node]].setdefault("extensions", {})[BONDS] = said
            used.add(BONDS)
