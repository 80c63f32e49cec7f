"""What a step is, and the registry of all steps."""

from __future__ import annotations

import fnmatch
import importlib
import pkgutil
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from customs.errors import Cancelled, StepError
from customs.scene.key import Key
from customs.scene.model import Remark, Scene

Content = Mapping[str, bytes]
NOTHING: Content = {}
DESKS = ("fit", "surface", "motion", "dispatch")


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


@dataclass
class Job:
    """A running piece of work: where it tells progress and hears that it is to stop."""

    progress: Callable[[float, str], None] = lambda share, text: None
    cancelled: Callable[[], bool] = lambda: False

    def check(self) -> None:
        """Raises Cancelled when the person asked to stop."""
        if self.cancelled():
            raise Cancelled


@dataclass(frozen=True)
class Outcome:
    """What a step gives back."""

    scene: Scene
    remarks: tuple[Remark, ...] = ()


@dataclass(frozen=True)
class Step:
    """One kind of change. `order` places it on a planned route; `name` is what the strip shows."""

    id: str
    name: str
    desk: str
    order: int
    about: str
    settings: type[Settings]
    apply: Callable[[Scene, Any, Content, Job], Outcome]
    summary: Callable[[Any], str] = field(default=lambda settings: "")
    fixed: bool = False
    plural: bool = False
    """A second stop of the same step makes sense (resize this, then that)."""


_steps: dict[str, Step] = {}


def register(step: Step) -> None:
    """Called by each step's module at its end."""
    _steps[step.id] = step


@cache
def _load() -> None:
    import customs.route.steps as package

    for module in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
        importlib.import_module(module.name)


def steps() -> dict[str, Step]:
    """All steps by id, in route order."""
    _load()
    return dict(sorted(_steps.items(), key=lambda pair: pair[1].order))


def get_step(id_: str) -> Step:
    """The step called `id_`. Raises StepError."""
    _load()
    if id_ not in _steps:
        raise StepError(f"no step {id_!r}", "one of " + ", ".join(steps()), "List them with: customs steps.")
    return _steps[id_]


def make_settings(step: Step, values: Mapping[str, Any]) -> Settings:
    """Checked settings. Raises StepError naming the field and what it takes."""
    try:
        return step.settings.model_validate(dict(values))
    except ValidationError as problem:
        first = problem.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        fields = ", ".join(step.settings.model_fields)
        raise StepError(f"{first.get('input')!r:.60}", str(first["msg"]), f"Fields: {fields}.", step.name, where) from None


def missing_targets(settings: Targeted, elements: Iterable[tuple[Key, str, tuple[Key, ...]]]) -> tuple[Remark, ...]:
    """A remark for each target nothing answers to."""
    items = list(elements)
    out = []
    for target in settings.targets:
        one = Targeted(targets=(target,))
        if not any(one.takes(*item) for item in items):
            out.append(Remark(f"{target}: no longer there"))
    return tuple(out)
