"""Writing COLLADA 1.4.1: up and unit stated, skins with any number of influences, clips as matrices at their
keys.

Source: Khronos Group, "COLLADA – Digital Asset Schema Release 1.4.1".
"""

from __future__ import annotations

from xml.etree.ElementTree import Element, SubElement, indent, tostring

import numpy as np
import numpy.typing as npt

from customs.errors import WriteError
from customs.formats.collada.write_mesh import add_geometry, add_skin, floats
from customs.formats.collada.write_surface import SurfaceWriter
from customs.formats.registry import Parts, WriteOptions
from customs.motion.curves.cut import HAIR
from customs.motion.curves.track import channels_of, frame_rate, local_track, with_frames
from customs.scene.convention import Convention
from customs.scene.folding import unfolded
from customs.scene.model import Clip, Scene
from customs.scene.prune import prune
from customs.scene.tree import joint_nodes, local_matrix, mesh_nodes, parents, walk

SPACE = "http://www.collada.org/2005/11/COLLADASchema"
UPS = {"+X": "X_UP", "+Y": "Y_UP", "+Z": "Z_UP"}


def write_collada(scene: Scene, options: WriteOptions) -> dict[str, Parts]:
    """`{".dae": …}`. Raises WriteError for axes COLLADA has no word for."""
    scene = unfolded(prune(scene))
    root = Element("COLLADA", xmlns=SPACE, version="1.4.1")
    _asset(root, scene)
    surface = SurfaceWriter(scene, options)
    surface.libraries(root)
    geometries, controllers = SubElement(root, "library_geometries"), Element("library_controllers")
    for i, mesh in enumerate(scene.meshes):
        add_geometry(geometries, scene, i, mesh)
    for n in mesh_nodes(scene):
        node = scene.nodes[n]
        if node.skin is not None and node.mesh is not None:
            add_skin(controllers, scene, n)
    if len(controllers):
        root.append(controllers)
    if any(c.channels for c in scene.clips):
        _clips(root, scene)
    _visual(root, scene)
    SubElement(SubElement(root, "scene"), "instance_visual_scene", url="#scene")
    indent(root, " ")
    return {".dae": [b'<?xml version="1.0" encoding="utf-8"?>\n' + tostring(root, encoding="utf-8")]}


def _asset(root: Element, scene: Scene) -> None:
    c: Convention = scene.convention
    if c.hand != "right" or c.up not in UPS:
        raise WriteError(
            f"{c.hand}-handed numbers with {c.up} up", "right-handed, X, Y or Z up", "Choose FBX or glTF."
        )
    asset = SubElement(root, "asset")
    who = SubElement(asset, "contributor")
    SubElement(who, "authoring_tool").text = "Customs"
    if scene.copyright:
        SubElement(who, "copyright").text = scene.copyright
    for name in ("created", "modified"):
        SubElement(asset, name).text = "1970-01-01T00:00:00Z"
    SubElement(asset, "unit", name="unit", meter=f"{c.metres_per_unit:.9g}")
    SubElement(asset, "up_axis").text = UPS[c.up]


def _visual(root: Element, scene: Scene) -> None:
    library = SubElement(root, "library_visual_scenes")
    visual = SubElement(library, "visual_scene", id="scene", name=scene.name)
    joints, above = joint_nodes(scene), parents(scene)
    made: dict[int, Element] = {}
    for n, up, _ in walk(scene):
        node = scene.nodes[n]
        kind = "JOINT" if n in joints else "NODE"
        e = SubElement(
            made[up] if up >= 0 else visual,
            "node",
            id=f"node-{n}",
            sid=f"joint-{n}",
            name=node.name,
            type=kind,
        )
        made[n] = e
        SubElement(e, "matrix", sid="transform").text = floats(local_matrix(node).reshape(1, 16))
        if node.mesh is None:
            continue
        if node.skin is not None:
            use = SubElement(e, "instance_controller", url=f"#skin-{n}")
            for top in [j for j in scene.skins[node.skin].joints if above[j] not in joints]:
                SubElement(use, "skeleton").text = f"#node-{top}"
        else:
            use = SubElement(e, "instance_geometry", url=f"#mesh-{node.mesh}")
        _bind_materials(use, scene, node.mesh)


def _bind_materials(use: Element, scene: Scene, mesh: int) -> None:
    slots = sorted({p.material for p in scene.meshes[mesh].primitives if p.material is not None})
    if not slots:
        return
    common = SubElement(SubElement(use, "bind_material"), "technique_common")
    for m in slots:
        bound = SubElement(common, "instance_material", symbol=f"material-{m}", target=f"#material-{m}")
        SubElement(bound, "bind_vertex_input", semantic="UV0", input_semantic="TEXCOORD", input_set="0")


def _clips(root: Element, scene: Scene) -> None:
    animations, clips = SubElement(root, "library_animations"), Element("library_animation_clips")
    for k, clip in enumerate(c for c in scene.clips if c.channels):
        ids = _animations(animations, scene, clip, k)
        entry = SubElement(
            clips, "animation_clip", id=f"clip-{k}", name=clip.name, start="0", end=f"{clip.seconds:.9g}"
        )
        for id_ in ids:
            SubElement(entry, "instance_animation", url=f"#{id_}")
    root.append(clips)


def _animations(library: Element, scene: Scene, clip: Clip, number: int) -> list[str]:
    """One animation for the whole clip, a sampler a node: its matrix at every key of any of its channels."""
    known = channels_of(clip)
    id_ = f"clip-{number}-animation"
    whole = SubElement(library, "animation", id=id_, name=clip.name)
    for n in sorted({node for node, path in known if path != "weights"}):
        times = _key_times(clip, n)
        matrices = local_track(scene, clip, times)[:, n].reshape(len(times), 16)
        name = f"{id_}-{n}"
        part = SubElement(whole, "animation", id=name)
        _source(part, f"{name}-in", floats(times.reshape(-1, 1)), len(times), 1, "TIME", "float")
        _source(part, f"{name}-out", floats(matrices), len(times) * 16, 16, "TRANSFORM", "float4x4")
        kinds = SubElement(part, "source", id=f"{name}-kind")
        SubElement(kinds, "Name_array", id=f"{name}-kinds", count=str(len(times))).text = "LINEAR " * len(
            times
        )
        reader = SubElement(
            SubElement(kinds, "technique_common"),
            "accessor",
            source=f"#{name}-kinds",
            count=str(len(times)),
            stride="1",
        )
        SubElement(reader, "param", name="INTERPOLATION", type="name")
        sampler = SubElement(part, "sampler", id=f"{name}-sampler")
        for semantic, tail in (("INPUT", "in"), ("OUTPUT", "out"), ("INTERPOLATION", "kind")):
            SubElement(sampler, "input", semantic=semantic, source=f"#{name}-{tail}")
        SubElement(part, "channel", source=f"#{name}-sampler", target=f"node-{n}/transform")
    return [id_]


def _key_times(clip: Clip, node: int) -> npt.NDArray[np.float64]:
    mine = [c for c in clip.channels if c.node == node and c.path != "weights" and len(c.times)]
    # A step jumps: what it held has a key a hair before the next, since other kinds of keys share its matrix.
    steps = [c.times.astype(np.float64) for c in mine if c.interpolation == "step"]
    held = [t[1:] - np.minimum(HAIR, np.diff(t) / 2) for t in steps]
    times = np.unique(np.concatenate([*(c.times.astype(np.float64) for c in mine), *held]))
    # Between keys readers draw straight lines through the numbers of a matrix, which squashes what turns far
    # between two.
    if any(c.interpolation != "linear" or c.path == "rotation" for c in mine) and len(times) > 1:
        times = with_frames(times, frame_rate(clip))
    return times


def _source(part: Element, id_: str, text: str, count: int, stride: int, param: str, kind: str) -> None:
    source = SubElement(part, "source", id=id_)
    SubElement(source, "float_array", id=f"{id_}-array", count=str(count)).text = text
    reader = SubElement(
        SubElement(source, "technique_common"),
        "accessor",
        source=f"#{id_}-array",
        count=str(count // stride),
        stride=str(stride),
    )
    SubElement(reader, "param", name=param, type=kind)
