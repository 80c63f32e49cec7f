"""What swings by itself: chains of joints, and bodies they do not swing through.

Source: VRM Consortium, "VRMC_springBone 1.0".
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from customs.scene.key import Key


@dataclass(frozen=True)
class SpringJoint:
    """A joint of a chain: the node it is, the radius of what hits it (units), how stiff it is, how strongly it is drawn
    down, and its drag (0 to 1).
    """

    node: Key
    radius: float = 0.0
    stiffness: float = 1.0
    gravity: float = 0.0
    drag: float = 0.5


@dataclass(frozen=True)
class Spring:
    """A chain of joints from its root on; names of the groups of colliders it heeds; the node its swinging is measured
    in, None for the world.
    """

    name: str
    joints: tuple[SpringJoint, ...]
    groups: tuple[str, ...] = ()
    centre: Key | None = None

    def scaled(self, k: float) -> Spring:
        """In a unit of which 1/k make one of these."""
        return replace(self, joints=tuple(replace(j, radius=j.radius * k) for j in self.joints))

    def rekeyed(self, keys: Mapping[Key, Key]) -> Spring:
        """With its nodes called otherwise."""
        joints = tuple(replace(j, node=keys.get(j.node, j.node)) for j in self.joints)
        return replace(
            self, joints=joints, centre=keys.get(self.centre, self.centre) if self.centre else None
        )
