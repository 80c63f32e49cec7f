"""Skins, animations, cameras and lights."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any, cast

import numpy as np

from customs.formats.gltf.accessors import Accessors
from customs.formats.gltf.document import Obj
from customs.scene.arrays import all_finite, frozen
from customs.scene.key import Key
from customs.scene.model import Camera, Channel, Clip, Light, Skin
from customs.scene.pointers import Pointer

POINTER = "KHR_animation_pointer"
NODE_POINTER = re.compile(r"^/nodes/(\d{1,9})/(translation|rotation|scale|weights)$")
THINGS = {"materials": "material", "cameras": "camera", "extensions/KHR_lights_punctual/lights": "light"}
"""Lists whose members animation may point into, and the kind of Key they have."""
THING_POINTER = re.compile(rf"^/({'|'.join(THINGS)})/(\d{{1,9}})(/[^\s]{{1,200}})$")
WIDTH = {"translation": 3, "rotation": 4, "scale": 3}
INTERPOLATIONS = {"LINEAR": "linear", "STEP": "step", "CUBICSPLINE": "cubic"}


def read_skin(obj: Obj, index: int, accessors: Accessors, nodes: int, digest: str, unknown: set[str]) -> Skin:
    """One skin. Raises ReadError."""
    joints = obj.integers("joints", nodes)
    if not joints:
        raise obj.fail("joints", [], "at least one joint")
    if len(set(joints)) != len(joints):
        raise obj.fail("joints", list(joints), "each joint once")
    at = obj.integer("inverseBindMatrices", None, below=len(accessors))
    if at is None:
        inverse = np.tile(np.eye(4), (len(joints), 1, 1))
    else:
        flat = accessors.floats(at, (16,), obj, "inverseBindMatrices")
        if len(flat) < len(joints):
            raise obj.fail("inverseBindMatrices", f"{len(flat)} matrices", f"{len(joints)}, one a joint")
        if not all_finite(flat):
            raise obj.fail("inverseBindMatrices", "numbers that are not finite", "finite numbers")
        inverse = flat[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1).astype(np.float64)
    return Skin(
        key=Key(digest, "skin", index),
        name=obj.text("name") or f"skin {index}",
        joints=joints,
        inverse_bind=frozen(inverse, np.float64),
        root=obj.integer("skeleton", None, below=nodes),
        extras=obj.extras(frozenset(), unknown),
    )


def read_clip(
    obj: Obj,
    index: int,
    accessors: Accessors,
    morphs: dict[int, int],
    nodes: int,
    digest: str,
    unknown: set[str],
) -> Clip:
    """One animation as a clip. `morphs` gives the number of morph targets per node. Raises ReadError."""
    samplers = obj.children("samplers")
    channels, pointers = [], list[Pointer]()
    for item in obj.children("channels"):
        target = item.child("target")
        sampler = samplers[item.need_integer("sampler", below=len(samplers))]
        if target is None:
            raise item.fail("target", "nothing", "a target")
        node, path = target.integer("node", None, below=nodes), target.text("path")
        if path == "pointer" and (said := target.extension(POINTER)) is not None:
            where = said.text("pointer")
            own = NODE_POINTER.match(where)
            if own is None:
                found = _pointer(sampler, where, accessors, digest)
                pointers += [found] if found is not None else []
                unknown.update([] if found is not None else [f"animation of {where[:60]}"])
                continue
            node, path = int(own[1]), own[2]
            if node >= nodes:
                raise said.fail("pointer", where, f"a node below {nodes}")
        if path not in (*WIDTH, "weights"):
            unknown.add(f"animation of {path or 'nothing'}")
            continue
        if node is None:
            unknown.add("animation without a node")
            continue
        width = WIDTH.get(path) or morphs.get(node, 0)
        if not width:
            raise target.fail("path", path, "a node with morph targets")
        channels.append(_channel(sampler, node, path, width, accessors))
    clip = Clip(Key(digest, "clip", index), "", tuple(channels), pointers=tuple(pointers))
    return Clip(
        key=clip.key,
        name=obj.text("name") or f"clip {index}",
        channels=clip.channels,
        pointers=tuple(replace(p, seconds=clip.seconds) for p in clip.pointers),
        extras=obj.extras(frozenset(), unknown),
    )


def _pointer(sampler: Obj, where: str, accessors: Accessors, digest: str) -> Pointer | None:
    """Keys of what a JSON pointer names, None for a thing that is not read."""
    found = THING_POINTER.match(where)
    if found is None:
        return None
    kind = THINGS[found[1]]
    width = accessors.floats(
        sampler.need_integer("output", below=len(accessors)), (1, 2, 3, 4), sampler, "output"
    ).shape[1]
    told = _channel(sampler, 0, "pointer", width, accessors)
    return Pointer(Key(digest, kind, int(found[2])), found[3], told.times, told.values, told.interpolation)


def _channel(sampler: Obj, node: int, path: str, width: int, accessors: Accessors) -> Channel:
    kind = sampler.text("interpolation", "LINEAR")
    if kind not in INTERPOLATIONS:
        raise sampler.fail("interpolation", kind, "LINEAR, STEP or CUBICSPLINE")
    times = accessors.floats(sampler.need_integer("input", below=len(accessors)), (1,), sampler, "input")[
        :, 0
    ]
    if not all_finite(times) or (len(times) > 1 and (np.diff(times) <= 0).any()) or times[0] < 0:
        raise sampler.fail("input", "times out of order, negative or not finite", "growing times from 0 on")
    at = sampler.need_integer("output", below=len(accessors))
    widths = (1,) if path == "weights" else (width,)
    flat = accessors.floats(at, widths, sampler, "output")
    per_key = 3 if kind == "CUBICSPLINE" else 1
    if flat.size != len(times) * per_key * width:
        raise sampler.fail("output", f"{flat.size} numbers", f"{len(times)} keys × {per_key * width}")
    if not all_finite(flat):
        raise sampler.fail("output", "numbers that are not finite", "finite numbers")
    shape = (len(times), 3, width) if per_key == 3 else (len(times), width)
    return Channel(
        node=node,
        path=cast(Any, path),
        times=frozen(times),
        values=frozen(flat.reshape(shape)),
        interpolation=cast(Any, INTERPOLATIONS[kind]),
    )


def read_camera(obj: Obj, index: int, digest: str, unknown: set[str]) -> Camera:
    """One camera. Raises ReadError."""
    kind = obj.text("type")
    if kind not in ("perspective", "orthographic"):
        raise obj.fail("type", kind, "perspective or orthographic")
    lens = obj.child(kind)
    if lens is None:
        raise obj.fail(kind, "nothing", "an object")
    values: dict[str, Any] = {"znear": lens.number("znear", 0.01, least=0)}
    if kind == "perspective":
        values |= {"yfov": lens.number("yfov", 0.8, least=1e-6), "zfar": None, "aspect": None}
        if "zfar" in lens.value:
            values["zfar"] = lens.number("zfar", 1.0, least=0)
        if "aspectRatio" in lens.value:
            values["aspect"] = lens.number("aspectRatio", 1.0, least=1e-9)
    else:
        values |= {name: lens.number(name, 1.0) for name in ("xmag", "ymag")}
        values["zfar"] = lens.number("zfar", 100.0, least=0)
    lens.extras(frozenset(), unknown)
    return Camera(
        key=Key(digest, "camera", index),
        name=obj.text("name") or f"camera {index}",
        perspective=kind == "perspective",
        extras=obj.extras(frozenset(), unknown),
        **values,
    )


def read_light(obj: Obj, index: int, digest: str, unknown: set[str]) -> Light:
    """One light of KHR_lights_punctual. Raises ReadError."""
    kind = obj.text("type")
    if kind not in ("directional", "point", "spot"):
        raise obj.fail("type", kind, "directional, point or spot")
    values: dict[str, Any] = {}
    spot = obj.child("spot")
    if spot is not None:
        values = {
            "inner": spot.number("innerConeAngle", 0.0),
            "outer": spot.number("outerConeAngle", np.pi / 4),
        }
    reach = obj.number("range", 0.0, least=0) if "range" in obj.value else None
    return Light(
        key=Key(digest, "light", index),
        name=obj.text("name") or f"light {index}",
        kind=cast(Any, kind),
        colour=cast(Any, obj.numbers("color", 3, (1, 1, 1))),
        intensity=obj.number("intensity", 1.0, least=0),
        range=reach,
        extras=obj.extras(frozenset(), unknown),
        **values,
    )
