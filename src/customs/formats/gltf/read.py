"""Reading glTF 2.0 and GLB: Khronos Group, "glTF 2.0 Specification", 2.0.1."""

from __future__ import annotations

import numpy as np

from customs.errors import UnsupportedError
from customs.formats.gltf.accessors import Accessors
from customs.formats.gltf.buffers import load_buffer, open_document
from customs.formats.gltf.compressed import COMPRESSIONS, unpacked
from customs.formats.gltf.document import Obj
from customs.formats.gltf.layers import EXTENSIONS as LAYERS
from customs.formats.gltf.person import BONDS, read_person
from customs.formats.gltf.read_material import IMAGE_EXTENSIONS, MaterialReader
from customs.formats.gltf.read_mesh import MeshReader
from customs.formats.gltf.read_motion import POINTER, read_camera, read_clip, read_light, read_skin
from customs.formats.gltf.read_rows import INSTANCING, read_instances, read_rows, stand_ins, taken_out
from customs.formats.gltf.springs import SPRINGS, with_springs
from customs.formats.gltf.vrm import EXTENSIONS, read_avatar, with_avatar
from customs.formats.gltf.xmp import XMP, read_xmp
from customs.formats.source import Source
from customs.scene.arrays import frozen
from customs.scene.convention import RAW_GLTF
from customs.scene.key import Key
from customs.scene.model import Camera, Held, Light, Mesh, Node, Scene
from customs.scene.transforms import decompose
from customs.tolerances import NODE_DEPTH
from customs.words import many

KNOWN_EXTENSIONS = frozenset(
    {
        "KHR_lights_punctual",
        "KHR_materials_unlit",
        "KHR_materials_emissive_strength",
        "KHR_texture_transform",
        "KHR_materials_variants",
        "KHR_mesh_quantization",
        "KHR_materials_pbrSpecularGlossiness",
        INSTANCING,
        *IMAGE_EXTENSIONS,
        *LAYERS,
        *COMPRESSIONS,
        XMP,
        POINTER,
        SPRINGS,
        BONDS,
        *EXTENSIONS,
    }
)


def read_gltf(source: Source) -> Scene:
    """The default scene of a .gltf or .glb. Raises ReadError, UnsupportedError, LimitError."""
    raw, binary = open_document(source)
    root = Obj(raw, "", source)
    asset = _check_version(root, source)
    unknown: set[str] = set()
    _check_required(root, unknown)
    digest = source.digest
    buffers = [load_buffer(o, i, binary, source) for i, o in enumerate(root.children("buffers"))]
    accessors = Accessors(root, buffers, source, unpacked(root, buffers, source))
    surface = MaterialReader(root, accessors, source, digest, unknown)
    materials = surface.materials()
    variants = _variants(root)
    meshes_in = root.children("meshes")
    reader = MeshReader(accessors, digest, len(materials), len(variants), unknown)
    meshes = tuple(reader.mesh(o, i) for i, o in enumerate(meshes_in))
    things = _things(root, digest, unknown)
    nodes_in, skins_in = root.children("nodes"), root.children("skins")
    skins = tuple(read_skin(o, i, accessors, len(nodes_in), digest, unknown) for i, o in enumerate(skins_in))
    limits = {"mesh": len(meshes), "skin": len(skins)}
    rows = read_rows(root, len(meshes))
    simple = stand_ins(rows, nodes_in)
    nodes = tuple(
        simple.get(i) or _node(o, i, len(nodes_in), limits, things, digest, unknown)
        for i, o in enumerate(nodes_in)
    )
    roots = _roots(root, nodes, source)
    _check_tree(root, nodes, roots)
    _check_skinned(nodes_in, nodes, meshes, skins)
    morphs = {i: _morphs(n, meshes) for i, n in enumerate(nodes)}
    clips_in = root.children("animations")
    clips = (read_clip(o, i, accessors, morphs, len(nodes), digest, unknown) for i, o in enumerate(clips_in))
    extras = root.extras(KNOWN_EXTENSIONS, unknown)
    avatar = read_avatar(root, nodes, meshes, unknown)
    scene = Scene(
        name=source.path.stem,
        digest=digest,
        nodes=nodes,
        roots=roots,
        meshes=meshes,
        materials=materials,
        images=surface.images,
        skins=skins,
        clips=tuple(c for c in clips if c.alive),
        variants=variants,
        listed=_listed(root),
        convention=RAW_GLTF,
        unknown=tuple(sorted(unknown)),
        rights=read_xmp(root, asset),
        person=read_person(root, nodes),
        copyright=asset.text("copyright"),
        generator=asset.text("generator"),
        extras=extras,
    )
    _say_spare(things, scene, source)
    scene = read_instances(nodes_in, with_springs(root, scene), accessors)
    if rows is not None:
        scene = taken_out(scene, rows)
    return scene if avatar is None else with_avatar(scene, avatar)


def _say_spare(things: tuple[tuple[Camera, ...], tuple[Light, ...]], scene: Scene, source: Source) -> None:
    for kind, there, held in (("camera", things[0], scene.cameras), ("light", things[1], scene.lights)):
        if spare := len(there) - len(held):
            source.remark(f"{many(spare, kind)} that no node holds left out")


def _listed(root: Obj) -> dict[str, int]:
    """How many of each kind the file lists."""
    lights = root.extension("KHR_lights_punctual")
    lists = ("nodes", "meshes", "materials", "images", "skins", "animations", "cameras")
    return {name: len(root.value.get(name, ())) for name in lists} | {
        "lights": len(lights.value.get("lights", ())) if lights is not None else 0
    }


def _check_version(root: Obj, source: Source) -> Obj:
    asset = root.child("asset")
    version = asset.text("version") if asset else ""
    if asset is None or not version.startswith("2."):
        raise UnsupportedError(
            f"glTF version {version or 'not stated'}",
            "version 2.x",
            "Export as glTF 2.0.",
            source.path,
            "/asset/version",
        )
    return asset


def _check_required(root: Obj, unknown: set[str]) -> None:
    for name in ("extensionsUsed", "extensionsRequired"):
        value = root.raw(name)
        if value is not None and not (isinstance(value, list) and all(isinstance(x, str) for x in value)):
            raise root.fail(name, value, "a list of strings")
    strange = [n for n in root.raw("extensionsRequired") or [] if n not in KNOWN_EXTENSIONS]
    if strange:
        raise UnsupportedError(
            f"the file cannot be read without {', '.join(strange)}",
            "only " + ", ".join(sorted(KNOWN_EXTENSIONS)),
            "Export it without that extension.",
            root.source.path,
            "/extensionsRequired",
        )
    unknown.update(n for n in root.raw("extensionsUsed") or [] if n not in KNOWN_EXTENSIONS)


def _variants(root: Obj) -> tuple[str, ...]:
    table = root.extension("KHR_materials_variants")
    return tuple(v.text("name") for v in table.children("variants")) if table else ()


def _node(
    obj: Obj,
    index: int,
    count: int,
    limits: dict[str, int],
    things: tuple[tuple[Camera, ...], tuple[Light, ...]],
    digest: str,
    unknown: set[str],
) -> Node:
    values = {
        "translation": np.array(obj.numbers("translation", 3, (0, 0, 0))),
        "rotation": np.array(obj.numbers("rotation", 4, (0, 0, 0, 1))),
        "scale": np.array(obj.numbers("scale", 3, (1, 1, 1))),
    }
    matrix = None
    flat = obj.numbers("matrix", 16)
    if flat is not None:
        matrix = np.array(flat).reshape(4, 4).T
        parts = decompose(matrix)
        if parts is not None and np.abs(matrix[3] - (0, 0, 0, 1)).max() == 0:
            values = dict(zip(values, parts))
            matrix = None
    length = np.linalg.norm(values["rotation"])
    if not 0.5 < length < 2:
        raise obj.fail("rotation", list(values["rotation"]), "a unit quaternion")
    weights = obj.numbers("weights", None)
    return Node(
        key=Key(digest, "node", index),
        name=obj.text("name") or f"node {index}",
        children=obj.integers("children", count),
        matrix=matrix,
        mesh=obj.integer("mesh", None, below=limits["mesh"]),
        skin=obj.integer("skin", None, below=limits["skin"]),
        holds=_holds(obj, *things),
        weights=frozen(weights) if weights is not None else None,
        extras=obj.extras(frozenset({"KHR_lights_punctual", INSTANCING, BONDS}), unknown),
        translation=values["translation"],
        rotation=values["rotation"] / length,
        scale=values["scale"],
    )


def _things(root: Obj, digest: str, unknown: set[str]) -> tuple[tuple[Camera, ...], tuple[Light, ...]]:
    """The cameras and lights of the file, which nodes name by number."""
    punctual = root.extension("KHR_lights_punctual")
    lights = punctual.children("lights") if punctual else []
    return (
        tuple(read_camera(o, i, digest, unknown) for i, o in enumerate(root.children("cameras"))),
        tuple(read_light(o, i, digest, unknown) for i, o in enumerate(lights)),
    )


def _holds(obj: Obj, cameras: tuple[Camera, ...], lights: tuple[Light, ...]) -> tuple[Held, ...]:
    camera, light = obj.integer("camera", None, below=len(cameras)), obj.extension("KHR_lights_punctual")
    lamps = (lights[light.need_integer("light", below=len(lights))],) if light else ()
    return (*((cameras[camera],) if camera is not None else ()), *lamps)


def _roots(root: Obj, nodes: tuple[Node, ...], source: Source) -> tuple[int, ...]:
    scenes = root.children("scenes")
    if not scenes:
        below = {c for n in nodes for c in n.children}
        root.raw("scene")
        return tuple(i for i in range(len(nodes)) if i not in below)
    chosen = root.integer("scene", 0, below=len(scenes)) or 0
    if len(scenes) > 1:
        source.remark(f"{len(scenes)} scenes; the default one is read")
    return scenes[chosen].integers("nodes", len(nodes))


def _check_tree(root: Obj, nodes: tuple[Node, ...], roots: tuple[int, ...]) -> None:
    """Every node has one parent at most, no node is its own ancestor, and the tree is not absurdly deep."""
    seen: set[int] = set()
    stack = [(r, 0) for r in roots]
    while stack:
        node, depth = stack.pop()
        if node in seen:
            raise root.fail(f"nodes/{node}", "reached twice", "a tree: one parent, no cycle")
        if depth > NODE_DEPTH:
            raise root.fail(f"nodes/{node}", f"more than {NODE_DEPTH} levels", "a shallower tree")
        seen.add(node)
        stack.extend((c, depth + 1) for c in nodes[node].children)
    for i, n in enumerate(nodes):
        if i in n.children:
            raise root.fail(f"nodes/{i}", "its own child", "a tree")


def _check_skinned(
    objs: list[Obj], nodes: tuple[Node, ...], meshes: tuple[Mesh, ...], skins: tuple[object, ...]
) -> None:
    from customs.scene.model import Skin

    for obj, node in zip(objs, nodes):
        if node.skin is None or node.mesh is None:
            continue
        skin = skins[node.skin]
        assert isinstance(skin, Skin)
        for prim in meshes[node.mesh].primitives:
            if prim.joints is not None and int(prim.joints.max()) >= len(skin.joints):
                raise obj.fail("skin", f"joint number {int(prim.joints.max())}", f"below {len(skin.joints)}")


def _morphs(node: Node, meshes: tuple[Mesh, ...]) -> int:
    return len(meshes[node.mesh].primitives[0].targets) if node.mesh is not None else 0
