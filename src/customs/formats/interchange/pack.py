"""From the library's scene to one JSON header and arrays."""

from __future__ import annotations

import ctypes as c
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.aside.pack import Packer
from customs.formats.interchange import structs

Json = dict[str, Any]
Array = npt.NDArray[Any]
VECTOR_KEY = np.dtype([("time", "<f8"), ("value", "<f4", 3), ("kind", "<i4")])
QUATERNION_KEY = np.dtype([("time", "<f8"), ("value", "<f4", 4), ("kind", "<i4"), ("pad", "<i4")])
FACE = np.dtype([("count", "<u4"), ("pad", "<u4"), ("place", "<u8")])
WEIGHT = np.dtype([("vertex", "<u4"), ("weight", "<f4")])


class MemoryPacker(Packer):
    """Collects arrays that lie at addresses too."""

    def memory(self, place: int | None, count: int, dtype: Any, width: int = 1) -> Json | None:
        """The header entry of `count` rows of `width` numbers at an address, or None for no address."""
        if not place or not count:
            return None
        flat = view(place, count * width, dtype)
        return self.add(flat.reshape(count, width) if width > 1 else flat)


def view(place: int, count: int, dtype: Any) -> Array:
    """`count` items of `dtype` at an address, not copied."""
    kind = np.dtype(dtype)
    return np.frombuffer((c.c_char * (count * kind.itemsize)).from_address(place), dtype=kind)


def faces_of(mesh: structs.Mesh) -> tuple[Array, Array]:
    """(sizes (P,), corners (sum of sizes,)) uint32. Each face keeps its corners at an address of its own: one
    gather.
    """
    table = view(mesh.faces, mesh.face_count, FACE)
    sizes = table["count"].astype(np.int64)
    table, sizes = table[sizes > 0], sizes[sizes > 0]
    if not len(table):
        return np.zeros(0, np.uint32), np.zeros(0, np.uint32)
    base = int(table["place"].min())
    offsets = ((table["place"] - np.uint64(base)) // np.uint64(4)).astype(np.int64)
    ends = np.cumsum(sizes)
    rows = np.repeat(offsets - (ends - sizes), sizes) + np.arange(ends[-1])
    corners = view(base, int(rows.max()) + 1, "<u4")[rows]
    return sizes.astype(np.uint32), corners


def metadata_of(pointer: Any) -> Json:
    """Simple values of a metadata table by name."""
    out: Json = {}
    if not pointer:
        return out
    kinds: dict[int, Any] = {
        0: c.c_bool,
        1: c.c_int32,
        2: c.c_uint64,
        3: c.c_float,
        4: c.c_double,
        8: c.c_int64,
        9: c.c_uint32,
    }
    table = pointer.contents
    for i in range(table.count):
        entry = table.values[i]
        if entry.data and entry.type in kinds:
            out[table.keys[i].text()] = kinds[entry.type].from_address(entry.data).value
        elif entry.data and entry.type == 5:
            out[table.keys[i].text()] = structs.String.from_address(entry.data).text()
    return out


def _nodes(scene: structs.Scene) -> list[Json]:
    """Nodes, parents before children, each with its parent's number."""
    out: list[Json] = []
    stack: list[tuple[structs.Node, int]] = [(scene.root.contents, -1)] if scene.root else []
    while stack:
        node, parent = stack.pop()
        here = len(out)
        out.append(
            {
                "name": node.name.text(),
                "parent": parent,
                "matrix": list(node.matrix),
                "meshes": [node.meshes[i] for i in range(node.mesh_count)],
                "metadata": metadata_of(node.metadata),
            }
        )
        stack += [(node.children[i].contents, here) for i in reversed(range(node.child_count))]
    return out


def _mesh(mesh: structs.Mesh, pack: MemoryPacker) -> Json:
    n = mesh.vertex_count
    sizes, corners = faces_of(mesh) if mesh.faces and mesh.face_count else (np.zeros(0, np.uint32),) * 2
    vector = {
        name: pack.memory(getattr(mesh, name), n, "<f4", 3)
        for name in ("vertices", "normals", "tangents", "bitangents")
    }
    return {
        "name": mesh.name.text(),
        "material": mesh.material,
        **vector,
        "colours": [e for k in range(structs.MAX_SETS) if (e := pack.memory(mesh.colours[k], n, "<f4", 4))],
        "texcoords": [
            e for k in range(structs.MAX_SETS) if (e := pack.memory(mesh.texcoords[k], n, "<f4", 3))
        ],
        "sizes": pack.add(sizes),
        "corners": pack.add(corners),
        "bones": [_bone(mesh.bones[i].contents, pack) for i in range(mesh.bone_count)],
        "targets": [_target(mesh.anim_meshes[i].contents, pack) for i in range(mesh.anim_mesh_count)],
    }


def _bone(bone: structs.Bone, pack: MemoryPacker) -> Json:
    table = (
        view(bone.weights, bone.weight_count, WEIGHT)
        if bone.weight_count and bone.weights
        else np.zeros(0, WEIGHT)
    )
    return {
        "name": bone.name.text(),
        "offset": list(bone.offset),
        "vertices": pack.add(table["vertex"]),
        "weights": pack.add(table["weight"]),
    }


def _target(target: structs.AnimMesh, pack: MemoryPacker) -> Json:
    n = target.vertex_count
    vector = {name: pack.memory(getattr(target, name), n, "<f4", 3) for name in ("vertices", "normals")}
    return {"name": target.name.text(), "weight": target.weight, **vector}


def _material(material: structs.Material) -> list[list[Any]]:
    """[key, semantic, index, value] of each property; buffers are left out."""
    out: list[list[Any]] = []
    for i in range(material.count):
        p = material.properties[i].contents
        if not p.data:
            continue
        value: Any = None
        if p.type in (1, 2, 4):
            dtype = {1: "<f4", 2: "<f8", 4: "<i4"}[p.type]
            value = view(p.data, p.size // np.dtype(dtype).itemsize, dtype).tolist()
        elif p.type == 3 and p.size >= 4:
            length = c.c_uint32.from_address(p.data).value
            value = c.string_at(p.data + 4, min(length, p.size - 4)).decode("utf-8", "replace")
        elif p.type == 5 and p.size <= 64:
            value = list(c.string_at(p.data, p.size))
        if value is not None:
            out.append([p.key.text(), p.semantic, p.index, value])
    return out


def _animation(clip: structs.Animation, pack: MemoryPacker) -> Json:
    channels = []
    for i in range(clip.channel_count):
        ch = clip.channels[i].contents
        entry: Json = {"name": ch.name.text()}
        for name, dtype in (("position", VECTOR_KEY), ("rotation", QUATERNION_KEY), ("scaling", VECTOR_KEY)):
            count, place = getattr(ch, f"{name}_count"), getattr(ch, f"{name}s")
            table = view(place, count, dtype) if count and place else np.zeros(0, dtype)
            entry[name] = {"times": pack.add(table["time"]), "values": pack.add(table["value"])}
        channels.append(entry)
    morphs = [_morph(clip.morph_channels[i].contents, pack) for i in range(clip.morph_channel_count)]
    return {
        "name": clip.name.text(),
        "duration": clip.duration,
        "rate": clip.rate,
        "channels": channels,
        "morphs": morphs,
    }


def _morph(channel: structs.MorphAnim, pack: MemoryPacker) -> Json:
    keys = [channel.keys[i] for i in range(channel.key_count)]
    width = max((max(list(k.values[: k.count]), default=-1) for k in keys), default=-1) + 1
    table = np.zeros((len(keys), min(width, 4096)), np.float32)
    for row, k in zip(table, keys):
        row[[v for v in k.values[: k.count] if v < len(row)]] = [
            w for v, w in zip(k.values[: k.count], k.weights[: k.count]) if v < len(row)
        ]
    return {
        "name": channel.name.text(),
        "times": pack.add(np.array([k.time for k in keys], float)),
        "weights": pack.add(table),
    }


def _texture(texture: structs.Texture, pack: MemoryPacker) -> Json:
    packed = texture.height == 0
    size = texture.width if packed else texture.width * texture.height * 4
    return {
        "file": texture.file.text(),
        "hint": texture.hint.decode("latin-1"),
        "width": texture.width,
        "height": texture.height,
        "data": pack.memory(texture.data, size, "u1"),
    }


def _plain(item: c.Structure) -> Json:
    out: Json = {}
    for name, _ in item._fields_:  # type: ignore[misc]
        value = getattr(item, name)
        out[name] = (
            value.text()
            if isinstance(value, structs.String)
            else list(value)
            if isinstance(value, c.Array)
            else value
        )
    return out


def pack_scene(scene: structs.Scene) -> tuple[Json, Packer]:
    """(header, arrays) of all that is read of a scene."""
    pack = MemoryPacker()
    header = {
        "metadata": metadata_of(scene.metadata),
        "nodes": _nodes(scene),
        "meshes": [_mesh(scene.meshes[i].contents, pack) for i in range(scene.mesh_count)],
        "materials": [_material(scene.materials[i].contents) for i in range(scene.material_count)],
        "animations": [_animation(scene.animations[i].contents, pack) for i in range(scene.animation_count)],
        "textures": [_texture(scene.textures[i].contents, pack) for i in range(scene.texture_count)],
        "lights": [_plain(scene.lights[i].contents) for i in range(scene.light_count)],
        "cameras": [_plain(scene.cameras[i].contents) for i in range(scene.camera_count)],
    }
    return header, pack
