"""Compressed meshes unpacked by their libraries: done in a child.

Sources: KHR_draco_mesh_compression, EXT_meshopt_compression and KHR_meshopt_compression, extensions of glTF 2.0.
"""

from __future__ import annotations

import mmap
from pathlib import Path

import DracoPy
import meshopt
import numpy as np

from customs.aside.pack import Array, Json, Packer


def run(asked: Json) -> tuple[Json, Packer]:
    """(header, arrays) of pieces of `file`: `meshopt` as [where, at, length, count, stride, mode, filter], `draco`
    as [where, at, length]. Raises ValueError.
    """
    pack = Packer()
    with Path(asked["file"]).open("rb") as f, mmap.mmap(f.fileno(), 0, access=mmap.ACCESS_READ) as data:
        views = [pack.add(_view(data, *piece)) for piece in asked["meshopt"]]
        parts = [_part(data, pack, *piece) for piece in asked["draco"]]
    return {"meshopt": views, "draco": parts}, pack


def _view(
    data: mmap.mmap, where: str, at: int, length: int, count: int, stride: int, mode: str, filter_: str
) -> Array:
    try:
        values = meshopt.decode_gltf_buffer(data[at : at + length], count, stride, mode, filter_)
    except Exception as problem:  # noqa: BLE001 (whatever the library says of damage)
        raise ValueError(f"{where}: {problem}") from None
    return np.ascontiguousarray(values).reshape(-1).view(np.uint8)


def _part(data: mmap.mmap, pack: Packer, where: str, at: int, length: int) -> Json:
    try:
        mesh = DracoPy.decode(data[at : at + length])
    except Exception as problem:  # noqa: BLE001 (whatever the library says of damage)
        raise ValueError(f"{where}: {problem}") from None
    faces = getattr(mesh, "faces", None)
    if faces is None:
        raise ValueError(f"{where}: points without triangles")
    return {
        "faces": pack.add(np.asarray(faces, np.uint32).reshape(-1)),
        "attributes": {str(a["unique_id"]): pack.add(np.asarray(a["data"])) for a in mesh.attributes},
    }
