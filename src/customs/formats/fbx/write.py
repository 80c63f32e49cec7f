"""Writing FBX: a scene in the numbers of its convention, which the file states."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from customs.errors import WriteError
from customs.formats.fbx.objects import Objects, choice, number, setting, table, time, vector, whole
from customs.formats.fbx.record import CREATED, FILE_ID, VERSION, Long, Record, document_bytes
from customs.formats.fbx.write_clips import RATE_MODES, add_clip, clip_rate
from customs.formats.fbx.write_material import MaterialWriter
from customs.formats.fbx.write_mesh import add_geometry
from customs.formats.fbx.write_rig import add_pose, add_skin
from customs.formats.registry import Parts, WriteOptions
from customs.motion.curves.euler import euler_degrees
from customs.scene.convention import Convention
from customs.scene.folding import unfolded
from customs.scene.model import Node, Scene
from customs.scene.prune import prune
from customs.scene.transforms import decompose_all
from customs.scene.tree import walk, world_matrices

CREATOR = "Customs"


def write_fbx(scene: Scene, options: WriteOptions) -> dict[str, Parts]:
    """`{".fbx": buffers}`. Raises WriteError for a node that is sheared, which FBX cannot say."""
    scene = unfolded(prune(scene))
    objects = Objects()
    nodes = _models(scene, objects)
    materials = MaterialWriter(scene, options, objects)
    world = world_matrices(scene)
    bound: dict[int, npt.NDArray[np.float64]] = {}
    shapes: dict[int, list[int]] = {}
    for n, _, _ in walk(scene):
        node = scene.nodes[n]
        if node.mesh is None:
            continue
        mesh = scene.meshes[node.mesh]
        mesh = mesh if node.weights is None else replace(mesh, weights=node.weights)
        geometry, points, channels = add_geometry(mesh, objects, nodes[n])
        shapes[n] = channels
        materials.use(scene.meshes[node.mesh], nodes[n])
        if node.skin is not None:
            bound |= add_skin(scene.skins[node.skin], points, geometry, world[n], nodes, objects)
    if bound:
        add_pose(scene, nodes, world, bound, objects)
    rate = max((clip_rate(c) for c in scene.clips), default=30.0)
    for clip in (c for c in scene.clips if c.channels):
        add_clip(scene, clip, nodes, shapes, objects)
    return {".fbx": list(document_bytes(_document(scene, objects, rate)))}


def _models(scene: Scene, objects: Objects) -> list[int]:
    """A model for every node in the tree, by node; 0 for nodes outside it."""
    joints = {j for s in scene.skins for j in s.joints}
    joints |= {c.node for clip in scene.clips for c in clip.channels if scene.nodes[c.node].mesh is None}
    out = [0] * len(scene.nodes)
    for n, parent, _ in walk(scene):
        node = scene.nodes[n]
        sort = "LimbNode" if n in joints or not scene.meshes else "Mesh" if node.mesh is not None else "Null"
        out[n] = _model(node, sort, objects)
        objects.link(out[n], out[parent] if parent >= 0 else 0)
        if sort != "Mesh":
            attribute, record = objects.add("NodeAttribute", node.name, "NodeAttribute", sort)
            record.add("TypeFlags", "Skeleton" if sort == "LimbNode" else "Null")
            objects.link(attribute, out[n])
    return out


def _model(node: Node, sort: str, objects: Objects) -> int:
    # What a node says by itself is kept to the sign: clips move one part and rely on the others.
    t, q, s, shear = node.translation, node.rotation, node.scale, 0.0
    if node.matrix is not None:
        t, q, s, shear = decompose_all(node.matrix)
    if shear > 1e-4:
        raise WriteError(
            f"node {node.name} is sheared",
            "turning, scaling and moving only, which is all FBX says",
            "Add Flatten to the route.",
        )
    id_, record = objects.add("Model", node.name, "Model", sort)
    record.add("Version", 232)
    table(
        record,
        whole("DefaultAttributeIndex", 0),
        choice("InheritType", 1),
        vector("Lcl Translation", "Lcl Translation", t),
        vector("Lcl Rotation", "Lcl Rotation", euler_degrees(q[None])[0]),
        vector("Lcl Scaling", "Lcl Scaling", s),
        *(setting(k, "KString", "", "U", v) for k, v in node.extras.items() if isinstance(v, str)),
    )
    record.add("Shading", True)
    record.add("Culling", "CullingOff")
    return id_


def _document(scene: Scene, objects: Objects, rate: float) -> list[Record]:
    body = Record("Objects", inside=objects.records)
    links = Record("Connections", inside=objects.links)
    takes = Record("Takes")
    takes.add("Current", scene.clips[0].name if scene.clips else "")
    return [*_header(scene), _settings(scene.convention, scene, rate), _documents(scene), Record("References"),
            objects.definitions(), body, links, takes]  # fmt: skip


def _header(scene: Scene) -> list[Record]:
    head = Record("FBXHeaderExtension")
    head.add("FBXHeaderVersion", 1003)
    head.add("FBXVersion", VERSION)
    head.add("EncryptionType", 0)
    stamp = head.add("CreationTimeStamp")
    stamp.add("Version", 1000)
    for name, value in (
        ("Year", 1970),
        ("Month", 1),
        ("Day", 1),
        ("Hour", 10),
        ("Minute", 0),
        ("Second", 0),
        ("Millisecond", 0),
    ):
        stamp.add(name, value)
    head.add("Creator", CREATOR)
    info = head.add("SceneInfo", "GlobalInfo\0\x01SceneInfo", "UserData")
    info.add("Type", "UserData")
    info.add("Version", 100)
    meta = info.add("MetaData")
    meta.add("Version", 100)
    for name, text in (("Title", scene.name), ("Subject", ""), ("Author", ""), ("Keywords", ""), ("Revision", ""),
                       ("Comment", scene.copyright)):  # fmt: skip
        meta.add(name, text)
    return [
        head,
        Record("FileId", [FILE_ID]),
        Record("CreationTime", [CREATED]),
        Record("Creator", [CREATOR]),
    ]


def _settings(convention: Convention, scene: Scene, rate: float) -> Record:
    """Axes, unit and frame rate. CoordAxis is the viewer's right while the asset faces him."""
    up, front = (_axis(a) for a in (convention.up, convention.faces))
    side = np.cross(up, front) * (1 if convention.hand == "right" else -1)
    out = Record("GlobalSettings")
    out.add("Version", 1000)
    settings: list[Record] = []
    for name, axis in (("Up", up), ("Front", front), ("Coord", side)):
        k = int(np.abs(axis).argmax())
        settings += [whole(f"{name}Axis", k), whole(f"{name}AxisSign", int(np.sign(axis[k])))]
    upward = int(np.abs(up).argmax())
    unit = convention.metres_per_unit * 100
    end = max((c.seconds for c in scene.clips), default=0.0)
    mode = RATE_MODES.get(round(rate, 3), 14)
    table(
        out,
        *settings,
        whole("OriginalUpAxis", upward),
        whole("OriginalUpAxisSign", int(np.sign(up[upward]))),
        number("UnitScaleFactor", unit),
        number("OriginalUnitScaleFactor", unit),
        choice("TimeMode", mode),
        number("CustomFrameRate", rate if mode == 14 else -1.0),
        time("TimeSpanStart", 0.0),
        time("TimeSpanStop", end),
    )
    return out


def _axis(text: str) -> npt.NDArray[np.float64]:
    return np.eye(3)["XYZ".index(text[1])] * (1 if text[0] == "+" else -1)


def _documents(scene: Scene) -> Record:
    out = Record("Documents")
    out.add("Count", 1)
    one = out.add("Document", Long(999_999), scene.name, "Scene")
    table(one, setting("ActiveAnimStackName", "KString", "", "", scene.clips[0].name if scene.clips else ""))
    one.add("RootNode", Long(0))
    return out
