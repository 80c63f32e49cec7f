"""Lights and cameras: the library keeps them beside the tree, by the name of their node; each gets a leaf
node.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.formats.interchange.nodes import Tree
from customs.scene.key import Key
from customs.scene.model import Camera, Held, Light, Node
from customs.scene.transforms import matrix_quaternion

Json = dict[str, Any]
KINDS = {1: "directional", 2: "point", 3: "spot"}


def lamps(header: Json, tree: Tree, nodes: list[Node], digest: str) -> list[Node]:
    """Nodes with leaves that hold lights and cameras. Kinds glTF has no word for are left out."""
    out = list(nodes)
    known = [entry for entry in header["lights"] if entry["type"] in KINDS]
    for number, entry in enumerate(known):
        _hang(out, tree, entry, entry["direction"], digest, _light(entry, number, digest))
    for number, entry in enumerate(header["cameras"]):
        _hang(out, tree, entry, entry["look"], digest, _camera(entry, number, digest))
    return out


def _hang(out: list[Node], tree: Tree, entry: Json, aim: list[float], digest: str, thing: Held) -> None:
    here = tree.by_name.get(entry["name"])
    if here is None:
        return
    place = np.nan_to_num(np.array(entry["position"], dtype=np.float64))
    leaf = Node(
        Key(digest, "node", len(out)),
        f"{entry['name']} aim",
        translation=place,
        rotation=_aim(aim, entry["up"]),
        holds=(thing,),
    )
    out.append(leaf)
    out[here] = replace(out[here], children=(*out[here].children, len(out) - 1))


def _aim(look: list[float], up: list[float]) -> npt.NDArray[np.float64]:
    """Quaternion taking local −Z to `look` and local Y as near `up` as can be."""
    back = -np.nan_to_num(np.array(look, dtype=np.float64))
    length = np.linalg.norm(back)
    back = back / length if length > 1e-9 else np.array([0.0, 0.0, 1.0])
    above = np.nan_to_num(np.array(up, dtype=np.float64))
    side = np.cross(above, back)
    if np.linalg.norm(side) < 1e-6:
        side = np.cross([0.0, 0.0, 1.0] if abs(back[1]) > 0.9 else [0.0, 1.0, 0.0], back)
    side /= np.linalg.norm(side)
    return matrix_quaternion(np.stack([side, np.cross(back, side), back], axis=1))


def _light(entry: Json, number: int, digest: str) -> Light:
    colour = np.nan_to_num(np.array(entry["diffuse"], dtype=np.float64))
    strength = max(float(colour.max()), 0.0)
    shown = tuple(float(v) for v in np.clip(colour / strength, 0, 1)) if strength > 0 else (1.0, 1.0, 1.0)
    outer = float(np.clip(entry["outer"] / 2, 0.01, np.pi / 2))
    return Light(
        Key(digest, "light", number),
        entry["name"],
        KINDS[entry["type"]],  # type: ignore[arg-type]
        shown,  # type: ignore[arg-type]
        strength,
        inner=float(np.clip(entry["inner"] / 2, 0.0, outer - 1e-3)),
        outer=outer,
    )


def _camera(entry: Json, number: int, digest: str) -> Camera:
    aspect = entry["aspect"] if entry["aspect"] > 1e-3 else 16 / 9
    near = max(float(entry["near"]), 1e-4)
    far = float(entry["far"]) if entry["far"] > near else None
    if entry["width"] > 0:
        half = float(entry["width"])
        return Camera(
            Key(digest, "camera", number),
            entry["name"],
            False,
            xmag=half,
            ymag=half / aspect,
            znear=near,
            zfar=far or 100,
        )
    # Its FBX and COLLADA readers hand on the whole horizontal angle, whatever camera.h says of half of it.
    half_angle = float(np.clip(entry["fov"] / 2, 0.01, 1.5))
    return Camera(
        Key(digest, "camera", number),
        entry["name"],
        yfov=float(2 * np.arctan(np.tan(half_angle) / aspect)),
        aspect=float(aspect),
        znear=near,
        zfar=far,
    )
