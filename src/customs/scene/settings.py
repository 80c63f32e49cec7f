"""What a person settles about a change: the base of all settings, and of those that can be kept to some elements."""

from __future__ import annotations

import fnmatch
from collections.abc import Iterable
from typing import ClassVar

from pydantic import BaseModel, ConfigDict, Field

from customs.scene.key import Key
from customs.scene.model import Remark


class Settings(BaseModel):
    """Base of all settings: frozen, unknown keys refused. `targets` are Keys or name patterns; empty means all."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    version: ClassVar[int] = 1


class Targeted(Settings):
    """Settings of a step that can be kept to some elements."""

    targets: tuple[str, ...] = Field(default=(), description="Keys or name patterns; empty means all")

    def takes(self, key: Key, name: str, made_from: tuple[Key, ...] = ()) -> bool:
        """True when the element is meant."""
        if not self.targets:
            return True
        keys = {str(key), *(str(k) for k in made_from)}
        return any(t in keys or fnmatch.fnmatchcase(name, t) for t in self.targets)


def missing_targets(settings: Targeted, elements: Iterable[tuple[Key, str, tuple[Key, ...]]]) -> tuple[Remark, ...]:
    """A remark for each target nothing answers to."""
    items = list(elements)
    out = []
    for target in settings.targets:
        one = Targeted(targets=(target,))
        if not any(one.takes(*item) for item in items):
            out.append(Remark(f"{target}: no longer there"))
    return tuple(out)
