"""The gulls on the Glasshouse's roof: one small gull in every compressed and modern form."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from importlib import resources
from typing import Any

import numpy as np

from customs.demo.build import digest_of, image, material, mesh, primitive, signed
from customs.demo.shapes import Shape, joined, lathe, sheet, tube
from customs.demo.textures import feather
from customs.formats.registry import WriteOptions, get_format
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Image, Node, Scene

NAME = "gull"
ALONG = [(0.002, 0.0), (0.03, 0.03), (0.075, 0.1), (0.085, 0.18), (0.06, 0.28), (0.03, 0.36), (0.004, 0.42)]
"""The body's outline: (radius, metres from the tail)."""
WING = [(0.0, 0.07), (0.16, 0.085), (0.32, 0.06), (0.46, 0.012)]
"""A wing's: (metres from the shoulder, half its width)."""
FLAP = 0.8
LOOKS: dict[str, dict[str, Any]] = {
    "varnished": {"clearcoat": 1.0, "clearcoat_roughness": 0.05},
    "glass": {
        "transmission": 0.9, "ior": 1.45, "thickness": 0.05, "attenuation_distance": 0.2, "attenuation_colour": (0.6, 0.9, 0.8),
    },
    "velvet": {"sheen_tint": (0.8, 0.7, 0.6), "sheen_roughness": 0.4},
    "oiled": {"iridescence": 1.0, "iridescence_ior": 1.6, "iridescence_thickest": 380.0},
}  # fmt: skip
"""Looks beyond the core, by the gull's name."""


def _turned(shape: Shape, rows: tuple[tuple[int, float], ...]) -> Shape:
    """A shape whose X, Y and Z are other axes of it, with a sign each."""
    p = np.asarray(shape.points)
    return Shape(np.stack([sign * p[:, axis] for axis, sign in rows], axis=1), shape.uvs, shape.faces)


def _body() -> Shape:
    whole = _turned(lathe(ALONG, 14), ((0, 1.0), (2, -1.0), (1, 1.0)))
    beak = tube([(0, 0.02, 0.4), (0, 0.015, 0.45), (0, 0.0, 0.48)], (0.018, 0.012, 0.002), 8)
    return joined([whole, beak])


def _wing(side: float) -> Shape:
    return _turned(sheet(WING, 0.5), ((2, side), (1, 1.0), (0, -side)))


def scene(coat: Image | None = None, layers: dict[str, Any] | None = None) -> Scene:
    """A body and two wings that flap, in metres, facing +Z."""
    coat = coat or image(NAME, 0, "gull_feathers", feather(32, 7))
    plain = material(NAME, 0, "feathers", {"base_colour": 0}, roughness=0.7, metallic=0.0)
    shapes = {"body": _body(), "wing_l": _wing(1.0), "wing_r": _wing(-1.0)}
    meshes = tuple(mesh(NAME, k, n, [primitive(NAME, k, s, 0)]) for k, (n, s) in enumerate(shapes.items()))
    places = {"body": (0.0, 0.0, 0.0), "wing_l": (0.05, 0.05, 0.22), "wing_r": (-0.05, 0.05, 0.22)}
    nodes = [
        Node(
            Key(digest_of(NAME), "node", k),
            n,
            mesh=k,
            translation=np.array(places[n]),
            children=(1, 2) if k == 0 else (),
        )
        for k, n in enumerate(shapes)
    ]
    return signed(
        Scene(
            NAME,
            digest_of(NAME),
            nodes=tuple(nodes),
            roots=(0,),
            meshes=meshes,
            materials=(replace(plain, layers=layers or {}),),
            images=(coat,),
            clips=(_flap(),),
        )
    )


def _flap() -> Clip:
    times = np.linspace(0, FLAP, 17)
    angle = np.radians(28) * np.sin(2 * np.pi * times / FLAP) / 2
    channels = []
    for node, side in ((1, 1.0), (2, -1.0)):
        turns = np.stack([0 * times, 0 * times, np.sin(side * angle), np.cos(angle)], axis=1)
        channels.append(Channel(node, "rotation", frozen(times), frozen(turns)))
    return Clip(Key(digest_of(NAME), "clip", 0), "flap", tuple(channels))


def written(made: Scene, **form: Any) -> bytes:
    """A GLB of a scene, in a form of the writer."""
    entry = get_format("glb")
    assert entry.write is not None
    parts = entry.write(made, WriteOptions(made.name, settings=entry.settings(**form)))[".glb"]
    return b"".join(bytes(p) for p in parts)


def _basis(kind: str) -> Callable[[], bytes]:
    def make() -> bytes:
        data = (resources.files("customs.demo") / "basis" / f"gull_{kind}.ktx2").read_bytes()
        return written(
            scene(Image(Key(digest_of(NAME), "image", 0), "gull_feathers", Encoded(data, "image/ktx2")))
        )

    return make


def _flock() -> bytes:
    """Forty gulls as instances of the graphics card."""
    data = written(scene())
    length = int.from_bytes(data[12:16], "little")
    body, binary = json.loads(data[20 : 20 + length]), data[28 + length :]
    k = np.arange(40)
    places = np.stack([0.7 * (k % 8) - 2.4, 0.2 * (k % 3), 0.8 * (k // 8) - 1.6], axis=1).astype("<f4")
    body["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": places.nbytes})
    body["accessors"].append(
        {"bufferView": len(body["bufferViews"]) - 1, "componentType": 5126, "count": len(k), "type": "VEC3"}
    )
    del body["animations"]
    body["buffers"][0]["byteLength"] += places.nbytes
    for node in body["nodes"]:
        node["extensions"] = {
            "EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": len(body["accessors"]) - 1}}
        }
    body["extensionsUsed"] = ["EXT_mesh_gpu_instancing"]
    text = json.dumps(body, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    binary += places.tobytes()
    chunks = (
        struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(binary), b"BIN\0") + binary
    )
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def _look(name: str) -> bytes:
    return written(scene(layers=LOOKS[name]))


FORMS: dict[str, Callable[[], bytes]] = {
    "plain": lambda: written(scene()),
    "draco": lambda: written(scene(), compression="draco"),
    "meshopt": lambda: written(scene(), compression="meshopt"),
    "quantised": lambda: written(scene(), quantised=True),
    "webp": lambda: written(scene(image(NAME, 0, "gull_feathers", feather(32, 7), "webp"))),
    "etc1s": _basis("etc1s"),
    "uastc": _basis("uastc"),
    "flock": _flock,
    **{name: partial(_look, name) for name in LOOKS},
}
"""How each gull is made, by the end of its file's name."""


def gulls() -> dict[str, bytes]:
    """All gulls by file name."""
    return {f"roof/gull_{name}.glb": make() for name, make in FORMS.items()}
