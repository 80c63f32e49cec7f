"""What nodes hold beside meshes: cameras, lights, bodies that nothing swings through."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any, ClassVar, Literal, Self

import numpy as np
import numpy.typing as npt

from customs.scene.key import Key

NO_EXTRAS: Mapping[str, Any] = MappingProxyType({})


@dataclass(frozen=True, eq=False)
class Held:
    """What a node can hold beside a mesh. What is `aimed` looks along the node's local −Z, as cameras and
    lights of glTF do.
    """

    aimed: ClassVar[bool] = False
    key: Key
    name: str

    def scaled(self, k: float) -> Self:
        """It in a unit of which 1/k make one of these."""
        return self

    def turned(self, p: npt.NDArray[np.float64]) -> Self:
        """It with its own axes taken through `p`, a signed permutation (3, 3); its node has been already."""
        return self


@dataclass(frozen=True, eq=False)
class Camera(Held):
    """Perspective (`yfov` radians, `aspect` or None) or orthographic (`xmag`, `ymag` units); `znear`, `zfar`
    units.
    """

    aimed: ClassVar[bool] = True
    perspective: bool = True
    yfov: float = 0.8
    aspect: float | None = None
    xmag: float = 1.0
    ymag: float = 1.0
    znear: float = 0.01
    zfar: float | None = None
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)

    def scaled(self, k: float) -> Self:
        """Clip planes and magnifications × k."""
        far = None if self.zfar is None else self.zfar * k
        return replace(self, znear=self.znear * k, zfar=far, xmag=self.xmag * k, ymag=self.ymag * k)


@dataclass(frozen=True, eq=False)
class Light(Held):
    """A punctual light as in KHR_lights_punctual; `range` in units or None, angles in radians."""

    aimed: ClassVar[bool] = True
    kind: Literal["directional", "point", "spot"] = "point"
    colour: tuple[float, float, float] = (1.0, 1.0, 1.0)
    intensity: float = 1.0
    range: float | None = None
    inner: float = 0.0
    outer: float = 0.7853981633974483
    extras: Mapping[str, Any] = field(default_factory=lambda: NO_EXTRAS)

    def scaled(self, k: float) -> Self:
        """Range × k."""
        return self if self.range is None else replace(self, range=self.range * k)


@dataclass(frozen=True, eq=False)
class Collider(Held):
    """A body that chains do not swing through: a ball of `radius` units, or a capsule from the node along its local −Z
    for `length` units; `groups` are names of those it belongs to.
    """

    aimed: ClassVar[bool] = True
    radius: float = 0.0
    length: float = 0.0
    groups: tuple[str, ...] = ()

    def scaled(self, k: float) -> Self:
        """Radius and length × k."""
        return replace(self, radius=self.radius * k, length=self.length * k)


ShapeKind = Literal["sphere", "capsule", "box", "hull", "mesh"]


@dataclass(frozen=True, eq=False)
class CollisionShape(Held):
    """A simple body that stands in for a mesh, where its node stands; lengths in units.

    `purpose` is what for. A sphere has its `radius`; a capsule its `radius` and `half` (3,), from its middle to the middle of an
    end; a box its `half` sizes (3,) along the node's axes; a hull and a mesh `points` (V, 3) float32 and `faces` (F, 3) uint32.
    """

    purpose: str = "hits"
    kind: ShapeKind = "box"
    radius: float = 0.0
    half: tuple[float, float, float] = (0.0, 0.0, 0.0)
    points: npt.NDArray[np.float32] | None = None
    faces: npt.NDArray[np.uint32] | None = None

    def scaled(self, k: float) -> Self:
        """All lengths × k."""
        half = (self.half[0] * k, self.half[1] * k, self.half[2] * k)
        points = None if self.points is None else (self.points * np.float32(k)).astype(np.float32)
        return replace(self, radius=self.radius * k, half=half, points=points)

    def turned(self, p: npt.NDArray[np.float64]) -> Self:
        """Half sizes and points through `p`; faces keep looking outward where it mirrors."""
        x, y, z = (float(abs(v)) for v in p @ np.array(self.half))
        if self.points is None or self.faces is None:
            return replace(self, half=(x, y, z))
        faces = self.faces[:, ::-1] if np.linalg.det(p) < 0 else self.faces
        return replace(self, points=(self.points @ p.T).astype(np.float32), faces=np.ascontiguousarray(faces))


End = Literal["+X", "-X", "+Y", "-Y", "+Z", "-Z"]
ENDS: tuple[End, ...] = ("+X", "-X", "+Y", "-Y", "+Z", "-Z")


@dataclass(frozen=True, eq=False)
class Post(Held):
    """A named point where something else is attached: it stands where its node stands and points along the node's local
    axis that `points` says. `attached` is the path of what hangs there, "" for nothing; `thing` is that as a Scene in the working frame,
    where it is known, standing at the post with no transform of its own.
    """

    points: End = "+Z"
    attached: str = ""
    thing: Any = None

    def turned(self, p: npt.NDArray[np.float64]) -> Self:
        """It points along the axis its own has become."""
        way = np.round(p[:, "XYZ".index(self.points[1])]) * (1 if self.points[0] == "+" else -1)
        axis = int(np.abs(way).argmax())
        return replace(self, points=ENDS[2 * axis + int(way[axis] < 0)])
