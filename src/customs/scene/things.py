"""What nodes hold beside meshes: cameras, lights, bodies that nothing swings through."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any, ClassVar, Literal, Self

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
