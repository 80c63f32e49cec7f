"""What a person settles about a change: the base of all settings, and of those that can be kept to some
elements.
"""

from __future__ import annotations

import fnmatch
from collections.abc import Iterable, Mapping
from typing import Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field

from customs.scene.key import Key
from customs.scene.model import Remark


class Settings(BaseModel):
    """Base of all settings: frozen, unknown keys refused.

    `adds` names lists that add up when two wishes are worked into one, `stays` flags that stay set once one
    of them asks. `version` goes up when kept settings can no longer be read as they are; `renamed` says what
    a field was called.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    version: ClassVar[int] = 1
    renamed: ClassVar[Mapping[str, str]] = {}
    adds: ClassVar[tuple[str, ...]] = ()
    stays: ClassVar[tuple[str, ...]] = ()

    def said(self) -> dict[str, Any]:
        """What was said, without what is the step's own default."""
        return self.model_dump(exclude_unset=True)

    def merged(self, other: Self) -> Self:
        """These settings with what `other` says besides: its word counts, but for lists that add up and flags
        that stay.
        """
        mine, out = self.said(), other.said()
        for name in self.adds:
            if mine.get(name) and out.get(name):
                out[name] = tuple(dict.fromkeys((*mine[name], *out[name])))
        for name in self.stays:
            if mine.get(name):
                out[name] = True
        return type(self)(**mine | out)

    @classmethod
    def migrated(cls, values: Mapping[str, Any], version: int) -> dict[str, Any]:
        """Values kept under an earlier `version` as this one reads them."""
        return {cls.renamed.get(name, name): value for name, value in values.items()}


class Targeted(Settings):
    """Settings of a step that can be kept to some elements: `targets` are Keys or name patterns; empty means
    all.
    """

    targets: tuple[str, ...] = Field(default=(), description="Keys or name patterns; empty means all")

    def merged(self, other: Self) -> Self:
        """As for all settings; targets add up, and settings without targets keep meaning all."""
        out = super().merged(other)
        if not self.targets and not other.targets:
            return out
        both = tuple(dict.fromkeys((*self.targets, *other.targets))) if self.targets and other.targets else ()
        return out.model_copy(update={"targets": both})

    def but_targets(self) -> Self:
        """These settings for all."""
        return self.model_copy(update={"targets": ()})

    def takes(self, key: Key, name: str, made_from: tuple[Key, ...] = ()) -> bool:
        """True when the element is meant."""
        if not self.targets:
            return True
        keys = {str(key), *(str(k) for k in made_from)}
        return any(t in keys or fnmatch.fnmatchcase(name, t) for t in self.targets)


def missing_targets(
    settings: Targeted, elements: Iterable[tuple[Key, str, tuple[Key, ...]]]
) -> tuple[Remark, ...]:
    """A remark for each target nothing answers to."""
    items = list(elements)
    out = []
    for target in settings.targets:
        one = Targeted(targets=(target,))
        if not any(one.takes(*item) for item in items):
            out.append(Remark(f"{target}: no longer there"))
    return tuple(out)
