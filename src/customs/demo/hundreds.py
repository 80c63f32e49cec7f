"""Three hundred goods for a run: 280 that are well in five formats, seventeen broken in as many ways, one that takes more memory than there
is, and two that only somebody from outside can stop or break.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from customs.demo.accepted import things
from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape
from customs.demo.textures import Pixels
from customs.formats.registry import WriteOptions, get_format
from customs.scene.key import Key
from customs.scene.model import Node, Scene

WELL = 280
FORMATS = ("glb", "gltf", "obj", "ply", "stl")
EDGE = 64
HEAVY, SLEEPY, BRITTLE = "heavy_urn", "sleepy_cloche", "brittle_pot"
"""Takes some 10 GB by itself; are as well as any, for somebody to stop (SIGSTOP) and to break (SIGSEGV) while they are worked on."""
TRIANGLES = 60_000_000
RECIPE = """recipe = 1
name = "Three hundred goods"
sheet = "metre-yup-pbr"
about = "Small things of the potting shed, in metres."

[rights]
author = "The Verdigris Glasshouse"
licence = "CC0-1.0"
use = "deliver"

[[stops]]
step = "arrive"
settings.metres_per_unit = 1.0
settings.stated = "person"
"""
Glb = Callable[[], bytes]


def write_hundreds(folder: Path, count: int = WELL) -> Path:
    """The goods below `folder`, each kind in a folder of its own, and the recipe beside them, whose path is returned. `count` are well."""
    kinds = {n: (s, p) for n, (s, p) in things().items() if n.islower()}
    names = list(kinds)
    for k in range(count):
        name = names[k % len(names)]
        shape, pixels = kinds[name]
        _write(
            folder / name, _one(f"{name}_{k:03}", shape, pixels, k), FORMATS[k // len(names) % len(FORMATS)]
        )
    for name in (SLEEPY, BRITTLE):
        _write(folder / "shelf", _one(name, *kinds["cloche"], 7), "glb")
    write_broken(folder / "broken")
    _write_heavy(folder / "shelf" / f"{HEAVY}.stl")
    recipe = folder / "hundreds.toml"
    recipe.write_text(RECIPE, "utf-8")
    return recipe


def _one(name: str, shape: Shape, pixels: Pixels, number: int) -> Scene:
    """One thing, a little taller or wider than the next."""
    rng = np.random.default_rng(number)
    size = rng.uniform(0.7, 1.3, 3)
    small = np.ascontiguousarray(pixels[:EDGE, :EDGE])
    tint = np.clip(small.astype(np.int16) + rng.integers(-20, 20, 3), 0, 255).astype(np.uint8)
    skin = material(name, 0, f"{name}_skin", {"base_colour": 0}, metallic=0.0, roughness=0.8)
    grown = replace(shape, points=shape.points * size)
    part = mesh(name, 0, name, [primitive(name, 0, grown, 0)])
    node = Node(Key(digest_of(name), "node", 0), name, mesh=0)
    made = Scene(
        name, digest_of(name), nodes=(node,), roots=(0,), meshes=(part,), materials=(skin,), images=(image(name, 0, f"{name}_c", tint),),
    )  # fmt: skip
    return signed(made)


def _write(folder: Path, scene: Scene, form: str) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    write = get_format(form).write
    assert write is not None
    apart = form in ("gltf", "obj")
    for im in scene.images if apart else ():
        (folder / im.uri).write_bytes(im.content.read() if im.content is not None else b"")
    options = WriteOptions(scene.name, {k: im.uri for k, im in enumerate(scene.images)} if apart else {})
    for ending, parts in write(scene, options).items():
        name = ending if "." in ending[1:] else f"{scene.name}{ending}"
        (folder / name).write_bytes(b"".join(map(bytes, parts)))


def _write_heavy(path: Path) -> None:
    """An STL of many triangles at one place: three gigabytes that take no room on the disk, and more than ten once they are read."""
    with path.open("wb") as out:
        out.write(HEAVY.encode().ljust(80, b"\0") + struct.pack("<I", TRIANGLES))
        out.truncate(84 + 50 * TRIANGLES)


def glb(document: dict[str, object], data: bytes = b"") -> bytes:
    """A GLB of a JSON document and its bytes."""
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    data += b"\0" * (-len(data) % 4)
    chunks = struct.pack("<I", len(text)) + b"JSON" + text
    chunks += struct.pack("<I", len(data)) + b"BIN\0" + data if data else b""
    return b"glTF" + struct.pack("<II", 2, 12 + len(chunks)) + chunks


def _triangle(indices: tuple[int, ...] = (0, 1, 2), count: int = 3, **more: object) -> bytes:
    """A triangle as GLB, with what is given in its document instead."""
    data = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0)], "<f4").tobytes() + np.array(indices, "<u4").tobytes()
    document: dict[str, object] = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
                      {"bufferView": 1, "componentType": 5125, "count": 3, "type": "SCALAR"}],
        "bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 12}],
        "buffers": [{"byteLength": len(data)}],
    }  # fmt: skip
    return glb(document | more, data)


BROKEN: dict[str, Glb] = {
    "cut_in_half.glb": lambda: _triangle()[:300],
    "no_file_at_all.glb": lambda: b"",
    "a_letter.obj": lambda: "Dear gardener,\nthe ferns are well.\n".encode("utf-16"),
    "a_picture.glb": lambda: b"\x89PNG\r\n\x1a\n" + bytes(200),
    "json_of_nothing.gltf": lambda: b"[]",
    "not_text.gltf": lambda: b'{"asset": {"version": "2.0"}, "scenes": "\xff\xfe"}',
    "too_new.gltf": lambda: b'{"asset": {"version": "3.0", "minVersion": "3.0"}}',
    "lost_its_data.gltf": lambda: json.dumps(
        {"asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}], "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
         "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}], "bufferViews": [{"buffer": 0, "byteLength": 36}],
         "buffers": [{"uri": "gone.bin", "byteLength": 36}]}
    ).encode(),
    "beyond_its_corners.glb": lambda: _triangle((0, 1, 9)),
    "longer_than_it_is.glb": lambda: _triangle(count=4000),
    "its_own_parent.glb": lambda: _triangle(nodes=[{"mesh": 0, "children": [1]}, {"children": [0]}]),
    "needs_what_nobody_knows.glb": lambda: _triangle(extensionsRequired=["VG_clockwork"], extensionsUsed=["VG_clockwork"]),
    "no_faces.obj": lambda: b"v 0 0 0\nv 1 0 0\nv 0 1 0\n",
    "no_numbers.obj": lambda: b"v zero one two\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    "says_more_than_it_has.stl": lambda: b"urn".ljust(80, b"\0") + struct.pack("<I", 500) + bytes(50),
    "no_end_of_its_head.ply": lambda: b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\n",
    "its_picture_is_lost.glb": lambda: _triangle(
        materials=[{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}], textures=[{"source": 0}],
        images=[{"uri": "gone_for_good.png"}], meshes=[{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": 0}]}],
    ),
}  # fmt: skip
"""Files that cannot be delivered, by their names."""


def write_broken(folder: Path) -> None:
    """All of them."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, make in BROKEN.items():
        (folder / name).write_bytes(make())
