"""FBX as a scene: what the file says of its axes, unit and frame rate is kept, nothing is turned on the
way.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, cast

import numpy as np

from customs.formats.fbx.percent import rest_percents
from customs.formats.interchange.build import read_through, scene_of
from customs.formats.source import Source
from customs.scene.arrays import frozen
from customs.scene.convention import Axis, Convention
from customs.scene.model import Scene

PROPERTIES: Mapping[str, int] = {
    "AI_CONFIG_IMPORT_FBX_IGNORE_UP_DIRECTION": 1,
    "AI_CONFIG_FBX_CONVERT_TO_M": 0,
    "IMPORT_FBX_PRESERVE_PIVOTS": 1,
    "IMPORT_FBX_READ_ALL_GEOMETRY_LAYERS": 1,
    "AI_CONFIG_IMPORT_REMOVE_EMPTY_BONES": 0,
    "IMPORT_FBX_OPTIMIZE_EMPTY_ANIMATION_CURVES": 0,
    "AI_CONFIG_IMPORT_FBX_EMBEDDED_TEXTURES_LEGACY_NAMING": 0,
}
"""Nothing turned, nothing scaled, pivots kept apart (we fold them), bones without weights kept (config.h)."""


def read_fbx(source: Source) -> Scene:
    """The scene of an FBX. Raises ReadError, LimitError, ToolError, UnsupportedError."""
    imported = read_through(source, PROPERTIES, "FBX")
    scene = scene_of(imported, source, stated_convention(imported.header["metadata"], source))
    return _at_rest(scene, rest_percents(bytes(source.data)))


def _at_rest(scene: Scene, percents: Mapping[str, Mapping[str, float]]) -> Scene:
    """The scene with the morph weights its nodes rest at; `percents` by name of node and channel."""
    nodes = []
    for node in scene.nodes:
        said = percents.get(node.name, {})
        names = scene.meshes[node.mesh].target_names if node.mesh is not None and said else ()
        # A target is called after its channel, or after the channel and its shape.
        weights = [
            next((v for k, v in said.items() if n == k or n.startswith(k + ".")), 0.0) / 100 for n in names
        ]
        nodes.append(replace(node, weights=frozen(weights)) if any(weights) else node)
    return replace(scene, nodes=tuple(nodes))


def stated_convention(said: Mapping[str, Any], source: Source) -> Convention:
    """Axes and unit of the file's global settings: UpAxis, FrontAxis and CoordAxis are 0, 1, 2 for X, Y, Z,
    each with a sign; CoordAxis points to the viewer's right while the asset faces him; UnitScaleFactor is
    centimetres a unit.
    """
    numbers = [said.get(f"{name}Axis") for name in ("Up", "Front", "Coord")]
    signs = [said.get(f"{name}AxisSign", 1) for name in ("Up", "Front", "Coord")]
    # The library hands it on as a 32-bit number: seven digits are what it holds.
    unit = float(f"{float(said.get('UnitScaleFactor', 1.0)) / 100:.7g}")
    if not np.isfinite(unit) or not 1e-9 < unit < 1e9:
        source.remark(f"a unit of {unit * 100:g} centimetres cannot be; read as one centimetre")
        unit = 0.01
    if not all(n in (0, 1, 2) for n in numbers) or len(set(numbers)) != 3:
        source.remark("the file's axes cannot be; read as Y up, facing +Z")
        return Convention(metres_per_unit=unit, v="up", stated="file")
    up, front, side = ((1 if s >= 0 else -1) * np.eye(3)[n] for n, s in zip(numbers, signs))
    names = [f"{'+' if s >= 0 else '-'}{'XYZ'[n or 0]}" for n, s in zip(numbers, signs)]
    hand = "right" if np.dot(np.cross(side, up), front) > 0 else "left"
    return Convention(
        up=cast(Axis, names[0]),
        faces=cast(Axis, names[1]),
        hand=cast(Any, hand),
        metres_per_unit=unit,
        v="up",
        stated="file",
    )
