"""Collision shapes around an asset as it stands at rest: how they are made, and how well they stand in for it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from customs.changes.coarser import coarser_of
from customs.changes.standing_parts import Part, Whole
from customs.errors import CustomsError
from customs.geometry.bodies import (
    Body,
    hull_within,
    least_box,
    least_capsule,
    least_sphere,
    straight_box,
)
from customs.geometry.hulls import several_hulls
from customs.geometry.triangles import face_vectors, triangles_of
from customs.motion.posing.pose import posed_scene_points
from customs.scene.arrays import frozen
from customs.scene.folding import unfolded
from customs.scene.key import Key, made_key
from customs.scene.model import CollisionShape, Mesh, Node, Primitive, Remark, Scene
from customs.scene.transforms import decompose
from customs.scene.tree import mesh_nodes, world_matrices

F64 = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
Tell = Callable[[float, str], None]
PURPOSES = ("hits", "picking", "around", "walking")
"""What shapes are for: to be hit, to be picked with a pointer, one around all, to be walked on."""
KINDS = ("sphere", "capsule", "box", "turned-box", "hull", "hulls", "mesh", "simplified", "joints")
BODIES: dict[str, Callable[[F64, int], Body]] = {
    "sphere": lambda p, corners: least_sphere(p),
    "capsule": lambda p, corners: least_capsule(p),
    "box": lambda p, corners: straight_box(p),
    "turned-box": lambda p, corners: least_box(p),
    "hull": lambda p, corners: hull_within(p, corners),
}


@dataclass(frozen=True)
class Wanted:
    """How shapes of one purpose are made: `out` is the share of the surface they may leave outside."""

    purpose: str
    kind: str
    by_part: bool = False
    corners: int = 32
    hulls: int = 8
    triangles: int = 200
    out: float = 0.0


def made_shapes(
    scene: Scene, wanted: Wanted, tell: Tell
) -> tuple[list[tuple[int | None, Node]], list[Remark]]:
    """Nodes that hold the shapes of one purpose, each with the node it hangs under (None: the root), and what is to be said."""
    whole = all_of(scene)
    good: Mask = np.asarray(np.isfinite(whole.points).all(axis=1))
    if not len(whole.faces) or not good.any():
        return [], [Remark(f"{wanted.purpose}: nothing here has a surface")]
    if wanted.kind == "joints":
        return _along_joints(scene, whole, wanted)
    groups = _groups(whole) if wanted.by_part else [np.arange(len(whole.faces))]
    said, out = list[Remark](), list[tuple[int | None, Node]]()
    for k, rows in enumerate(groups):
        tell(k / len(groups), f"Shape for {wanted.purpose}")
        faces = whole.faces[rows][good[whole.faces[rows]].all(axis=1)]
        if not len(faces):
            continue
        for body in _bodies(whole, faces, wanted, said, tell):
            out.append((None, _node(scene, wanted.purpose, len(out), body)))
    return out, said


def all_of(scene: Scene) -> Whole:
    """All parts at rest: a mesh that stands in several places in each of them, rows of placements among them."""
    whole = unfolded(scene) if len(scene.placements) else scene
    with np.errstate(invalid="ignore"):  # what is no number stays none
        points = iter(posed_scene_points(whole))
    return Whole.of(
        [
            Part(n, m, number, prim, some, triangles_of(prim))
            for n in mesh_nodes(whole)
            for m in (whole.nodes[n].mesh or 0,)
            for number, prim in enumerate(whole.meshes[m].primitives)
            for some in (next(points),)
            if len(triangles_of(prim))
        ]
    )


def _groups(whole: Whole) -> list[npt.NDArray[np.intp]]:
    """Faces of each node's mesh."""
    node = np.repeat([p.node for p in whole.parts], np.diff(whole.firsts))
    return [np.flatnonzero(node == n) for n in dict.fromkeys(p.node for p in whole.parts)]


def _bodies(
    whole: Whole, faces: npt.NDArray[np.int64], wanted: Wanted, said: list[Remark], tell: Tell
) -> list[Body]:
    rows = np.unique(faces)
    points = whole.points[rows]
    local = np.searchsorted(rows, faces).astype(np.uint32)
    if wanted.kind == "hulls":
        try:
            return several_hulls(points, local, wanted.hulls, wanted.corners)
        except CustomsError as problem:
            said.append(
                Remark(
                    f"{wanted.purpose}: the division into several hulls failed ({problem.found}); it is one hull now"
                )
            )
            return [hull_within(points, wanted.corners)]
    if wanted.kind in ("mesh", "simplified"):
        return [_own_mesh(points, local, wanted, said, tell)]
    return [BODIES[wanted.kind](_inner(points, local, wanted.out), wanted.corners)]


def _own_mesh(
    points: F64, faces: npt.NDArray[np.uint32], wanted: Wanted, said: list[Remark], tell: Tell
) -> Body:
    """The surface itself, simplified where that is wanted; places that are the same are one corner."""
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    prim = Primitive(
        Key("", "primitive", 0),
        frozen((points - middle).astype(np.float32)),
        indices=frozen(faces.reshape(-1), np.uint32),
    )
    if wanted.kind == "simplified":
        found = coarser_of(Mesh(Key("", "mesh", 0), "", (prim,)), tell)
        if found is not None:
            steps = found.order.steps_for(wanted.triangles)
            prim = next(iter(found.parts_after(steps)), prim)
            if found.faces_after(steps) > wanted.triangles:
                said.append(
                    Remark(
                        f"{wanted.purpose}: {found.faces_after(steps):,} triangles are the fewest that keep its sides"
                    )
                )
    flat = prim.indices if prim.indices is not None else np.zeros(0, np.uint32)
    return Body(
        "mesh", middle, np.eye(3), points=prim.positions.astype(np.float64), faces=flat.reshape(-1, 3)
    )


def _inner(points: F64, faces: npt.NDArray[np.uint32], out: float) -> F64:
    """Points without the share `out` of the surface that lies farthest from its middle, by its own spread."""
    if out <= 0 or len(points) < 5:
        return points
    area = np.linalg.norm(face_vectors(points, faces), axis=1)
    weight = np.bincount(faces.reshape(-1), np.repeat(area, 3), len(points))
    if weight.sum() <= 0:
        return points
    middle = np.average(points, axis=0, weights=weight)
    spread = np.cov((points - middle).T, aweights=weight) + np.eye(3) * 1e-12
    far = np.einsum("ij,jk,ik->i", points - middle, np.linalg.inv(spread), points - middle)
    order = np.argsort(far)
    share = np.cumsum(weight[order]) / weight.sum()
    return points[order[: max(int(np.searchsorted(share, 1 - out)) + 1, 4)]]


def _along_joints(
    scene: Scene, whole: Whole, wanted: Wanted
) -> tuple[list[tuple[int | None, Node]], list[Remark]]:
    """A capsule for each joint that leads vertices, along the way to its child where it has one."""
    leader = _leaders(scene, whole)
    worlds = world_matrices(scene)
    out = list[tuple[int | None, Node]]()
    for joint in sorted(set(leader[leader >= 0].tolist())):
        points = whole.points[leader == joint]
        points = points[np.isfinite(points).all(axis=1)]
        if len(points) < 4:
            continue
        ends = [worlds[c][:3, 3] - worlds[joint][:3, 3] for c in scene.nodes[joint].children]
        along = max(ends, key=lambda v: float(np.linalg.norm(v)), default=np.zeros(3))
        body = least_capsule(points, along if np.linalg.norm(along) > 1e-9 else None)
        out.append((joint, _node(scene, wanted.purpose, len(out), body, worlds[joint])))
    if not out:
        return [], [Remark(f"{wanted.purpose}: no joint leads any vertex here")]
    return out, []


def _leaders(scene: Scene, whole: Whole) -> npt.NDArray[np.int64]:
    """(V,) the joint's node with the largest weight on each vertex, −1 for vertices without."""
    out = np.full(len(whole.points), -1, np.int64)
    for k, part in enumerate(whole.parts):
        skin, prim = scene.nodes[part.node].skin, part.prim
        if skin is None or prim.joints is None or prim.weights is None:
            continue
        most = prim.weights.argmax(axis=1)
        rows = np.arange(len(most))
        joints = np.array(scene.skins[skin].joints)[prim.joints[rows, most]]
        whole.vertices(k, out)[:] = np.where(prim.weights[rows, most] > 0, joints, -1)
    return out


def _node(scene: Scene, purpose: str, number: int, body: Body, under: F64 | None = None) -> Node:
    """The node that holds a body; `under` is the world matrix (4, 4) of the node it hangs under."""
    source = scene.nodes[scene.roots[0]].key if scene.roots else Key(scene.digest, "node", 0)
    key = made_key(source, "shapes", f"{purpose}{number}")
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = body.axes, body.middle
    if under is not None:
        matrix = np.linalg.inv(under) @ matrix
    shape = CollisionShape(
        key, purpose, purpose, body.kind, body.radius, body.half,  # type: ignore[arg-type]
        None if body.points is None else frozen(body.points.astype(np.float32)),
        None if body.faces is None else frozen(body.faces, np.uint32),
    )  # fmt: skip
    place = decompose(matrix)
    node = Node(key, f"{purpose}_{number}", holds=(shape,), made_from=(source,))
    if place is None:
        return replace(node, matrix=matrix)
    return replace(node, translation=place[0], rotation=place[1], scale=place[2])


def shapes_of(scene: Scene) -> list[tuple[int, CollisionShape]]:
    """(node, shape) of all shapes, in the order of the nodes."""
    return [(n, h) for n, node in enumerate(scene.nodes) for h in node.holds if isinstance(h, CollisionShape)]


def body_of(shape: CollisionShape, world: F64) -> Body:
    """A shape where its node's world matrix (4, 4) puts it; a matrix that scales is worked into the sizes by its mean."""
    scale = np.linalg.norm(world[:3, :3], axis=0)
    axes = world[:3, :3] / np.where(scale > 0, scale, 1)
    mean = float(np.cbrt(np.prod(scale)))
    x, y, z = (float(h * s) for h, s in zip(shape.half, scale))
    points = None if shape.points is None else shape.points.astype(np.float64) * scale
    return Body(shape.kind, world[:3, 3], axes, shape.radius * mean, (x, y, z), points, shape.faces)
