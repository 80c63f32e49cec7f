"""A route: stops in order, evaluated one by one with every intermediate scene kept within a budget."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields, is_dataclass, replace
from typing import Any

import numpy as np

from customs.errors import CustomsError, StepError
from customs.files import memory_there
from customs.job import Job
from customs.route.keys import apart, in_new_names, old_names, speaks_old
from customs.route.step import NOTHING, STEPS, Content, Outcome, get_step, make_settings, step_of
from customs.scene.kept import kept
from customs.scene.model import Remark, Scene
from customs.scene.settings import Settings


@dataclass(frozen=True)
class Stop:
    """A step in its place on one route. `id` is stable, as in `resize@2`; `by` says who put it there.
    `version` is that of the settings where a newer edition kept them, else None: they are of today.
    """

    id: str
    step: str
    values: tuple[tuple[str, Any], ...] = ()
    on: bool = True
    by: str = "plan"
    version: int | None = None

    @property
    def settings(self) -> Settings:
        """Checked settings. Raises StepError."""
        step = step_of(self.step)
        try:
            return make_settings(step, dict(self.values))
        except StepError as problem:
            if self.version is None:
                raise
            found = f"{step.name} was set by a newer edition of Customs: {problem.found}"
            raise replace(
                problem, found=found, todo="Set it anew, or open the shipment with that edition."
            ) from None

    def with_values(self, **changed: Any) -> Stop:
        """This stop with some settings changed (and checked)."""
        values = dict(self.values) | changed
        make_settings(step_of(self.step), values)
        return replace(self, values=tuple(sorted((k, _frozen(v)) for k, v in values.items())), version=None)

    def as_dict(self) -> dict[str, Any]:
        """For the shipment."""
        step = STEPS.get(self.step)
        version = self.version or (step.settings.version if step is not None else 1)
        more = {"version": version} if version > 1 else {}
        return {
            "id": self.id,
            "step": self.step,
            "values": dict(self.values),
            "on": self.on,
            "by": self.by,
            **more,
        }

    @classmethod
    def from_dict(cls, table: Mapping[str, Any]) -> Stop:
        """From the shipment; settings kept by an earlier edition are read as today's."""
        values, version = dict(table.get("values", {})), int(table.get("version", 1))
        step = STEPS.get(table["step"])
        today = step.settings.version if step is not None else version
        if step is not None and version < today:
            values = step.settings.migrated(values, version)
        frozen = tuple(sorted((k, _frozen(v)) for k, v in values.items()))
        newer = version if version > today or (step is None and version > 1) else None
        return cls(table["id"], table["step"], frozen, table.get("on", True), table.get("by", "plan"), newer)


def _frozen(value: Any) -> Any:
    return tuple(_frozen(v) for v in value) if isinstance(value, list | tuple) else value


@dataclass(frozen=True)
class Route:
    """Stops in order. *Arrive* is always the first."""

    stops: tuple[Stop, ...]

    def find(self, stop_id: str) -> Stop:
        """The stop with that id. Raises StepError."""
        for stop in self.stops:
            if stop.id == stop_id:
                return stop
        raise StepError(f"no stop {stop_id!r}", "one of " + ", ".join(s.id for s in self.stops))

    def of_step(self, step: str) -> Stop | None:
        """The last stop of that step, or None."""
        return next((s for s in reversed(self.stops) if s.step == step), None)

    def new_id(self, step: str) -> str:
        """An id no stop has: the step's name and a number."""
        taken = {s.id for s in self.stops}
        number = 1
        while f"{step}@{number}" in taken:
            number += 1
        return f"{step}@{number}"

    def added(self, step_id: str, values: Mapping[str, Any], by: str = "plan") -> Route:
        """With a new stop at its step's place in the order."""
        step = get_step(step_id)
        stop = Stop(self.new_id(step_id), step_id, by=by).with_values(**values)
        at = len(self.stops)
        for i in range(len(self.stops) - 1, 0, -1):
            if step_of(self.stops[i].step).order > step.order:
                at = i
        return Route((*self.stops[:at], stop, *self.stops[at:]))

    def after(self, stop_id: str | None, step_id: str, values: Mapping[str, Any]) -> Route:
        """With a person's new stop right after another, at the end for None: for what was decided looking at the asset
        as it is there.
        """
        at = len(self.stops) if stop_id is None else self.stops.index(self.find(stop_id)) + 1
        return self.added(step_id, values, by="person").moved(self.new_id(step_id), at)

    def set(self, step_id: str, values: Mapping[str, Any], stop_id: str | None = None) -> Route:
        """With a person's settings of a step: in the stop `stop_id`, else in the step's last stop, else in a
        new one.
        """
        stop = self.of_step(step_id) if stop_id is None else self.find(stop_id)
        if stop is None:
            return self.added(step_id, values, by="person")
        return self.changed(stop.id, **values).by_person(stop.id)

    def changed(self, stop_id: str, **values: Any) -> Route:
        """With settings of one stop changed."""
        self.find(stop_id)
        return Route(tuple(s.with_values(**values) if s.id == stop_id else s for s in self.stops))

    def by_person(self, stop_id: str) -> Route:
        """With one stop counted as made by a person, which planning keeps."""
        return Route(tuple(replace(s, by="person") if s.id == stop_id else s for s in self.stops))

    def removed(self, stop_id: str) -> Route:
        """Without one stop. *Arrive* cannot go."""
        self._movable(stop_id)
        return Route(tuple(s for s in self.stops if s.id != stop_id))

    def switched(self, stop_id: str, on: bool) -> Route:
        """With one stop switched on or off."""
        self._movable(stop_id)
        return Route(tuple(replace(s, on=on) if s.id == stop_id else s for s in self.stops))

    def moved(self, stop_id: str, index: int) -> Route:
        """With one stop at another place (1 is the first after *Arrive*)."""
        stop = self._movable(stop_id)
        rest = [s for s in self.stops if s.id != stop_id]
        index = min(max(index, 1), len(rest))
        rest.insert(index, replace(stop, by="person"))
        return Route(tuple(rest))

    def _movable(self, stop_id: str) -> Stop:
        stop = self.find(stop_id)
        if step_of(stop.step).fixed:
            raise StepError("Arrive is fixed", "another stop", "Change its settings instead.")
        return stop


@dataclass(frozen=True, eq=False)
class At:
    """The asset after one stop. `error` is set when the stop failed; the scene is then the one before it."""

    stop: Stop
    scene: Scene
    remarks: tuple[Remark, ...] = ()
    error: CustomsError | None = None
    key: str = ""


@dataclass
class SceneCache:
    """Scenes by key, least recently used first out, within `budget` bytes counted once per array: a quarter
    of the machine's memory where nothing else is said.
    """

    budget: int = field(default_factory=lambda: memory_there() // 4)
    _items: OrderedDict[str, Outcome] = field(default_factory=OrderedDict)
    _lock: threading.Lock = field(default_factory=threading.Lock)
    _held: dict[int, list[int]] = field(default_factory=dict)
    """Of each array: by how many outcomes it is held, and its bytes."""
    _bytes: int = 0

    def get(self, key: str) -> Outcome | None:
        """The outcome kept under `key`."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
            return None

    def put(self, key: str, outcome: Outcome) -> None:
        """Keep an outcome, dropping the oldest while over budget."""
        with self._lock:
            # Counted in before the other is counted out: arrays both hold stay counted.
            self._count(outcome, 1)
            before = self._items.pop(key, None)
            if before is not None:
                self._count(before, -1)
            self._items[key] = outcome
            while len(self._items) > 3 and self._bytes > self.budget:
                self._count(self._items.popitem(last=False)[1], -1)

    def _count(self, outcome: Outcome, by: int) -> None:
        for number, size in array_sizes(outcome.scene).items():
            held = self._held.setdefault(number, [0, size])
            held[0] += by
            if held[0] == by == 1:
                self._bytes += size
            elif held[0] == 0:
                self._bytes -= held[1]
                del self._held[number]


def array_sizes(scene: Scene) -> dict[int, int]:
    """Bytes of the memory behind each array of a scene, by its identity. Found once for each element, as
    scenes share most of theirs.
    """
    out: dict[int, int] = {}
    for one in fields(scene):
        if one.name == "nodes":
            continue
        value = getattr(scene, one.name)
        if isinstance(value, tuple) and value and is_dataclass(value[0]):
            for item in value:
                out |= kept("bytes", item, lambda item=item: _sizes_of(item))  # type: ignore[misc]
        else:
            out |= _sizes_of(value)
    return out


def _sizes_of(thing: Any) -> dict[int, int]:
    out = {}
    for array in _arrays(thing):
        base = array if array.base is None else array.base
        out[id(base)] = getattr(base, "nbytes", array.nbytes)
    return out


def _arrays(thing: Any) -> Iterator[np.ndarray[Any, Any]]:
    if isinstance(thing, np.ndarray):
        yield thing
    elif isinstance(thing, tuple):
        # Names and numbers hold no arrays: a hundred thousand of them are not looked through.
        if thing and not isinstance(thing[0], str | int | float):
            for item in thing:
                yield from _arrays(item)
    elif isinstance(thing, Mapping):
        for item in thing.values():
            yield from _arrays(item)
    elif is_dataclass(thing):
        for field_ in fields(thing):
            yield from _arrays(getattr(thing, field_.name))


def next_key(previous: str, stop: Stop, resources: Content) -> str:
    """Cache key of a stop: everything its scene depends on, never the arrays themselves."""
    step = step_of(stop.step)
    values = json.dumps(stop.values, default=str)
    # Only what the stop names: another donor at hand changes nothing for the others.
    text = json.dumps(
        [previous, step.id, step.settings.version, values, sorted(d for d in resources if d in values)]
    )
    return hashlib.sha256(text.encode()).hexdigest()


def _in_new_names(stop: Stop, scene: Scene) -> Stop:
    """A stop kept by an earlier edition speaks of what stops before it made by today's Keys."""
    if not speaks_old(stop.values):
        return stop
    values = tuple((name, in_new_names(value, old_names(scene))) for name, value in stop.values)
    return stop if all(a[1] is b[1] for a, b in zip(values, stop.values)) else replace(stop, values=values)


def evaluate(
    received: Scene,
    source_digest: str,
    route: Route,
    cache: SceneCache | None = None,
    resources: Content = NOTHING,
    job: Job | None = None,
) -> list[At]:
    """The asset after every stop that is on. A stop that fails passes the scene on and carries its error."""
    job, cache = job or Job(), cache if cache is not None else SceneCache()
    scene, key, out = received, source_digest, []
    active = [s for s in route.stops if s.on]
    for i, stop in enumerate(active):
        job.check()
        job.progress(i / max(len(active), 1), step_of(stop.step).name)
        stop = _in_new_names(stop, scene)
        key = next_key(key, stop, resources)
        outcome, error = cache.get(key), None
        if outcome is None:
            try:
                # Broken numbers are looked for and dropped by steps of their own; meeting them is no news
                # here.
                with np.errstate(all="ignore"):
                    outcome = step_of(stop.step).run(scene, stop.settings, resources, job)
                outcome = replace(outcome, scene=apart(outcome.scene, scene, stop.id))
                cache.put(key, outcome)
            except CustomsError as problem:
                outcome, error = Outcome(scene), problem
        scene = outcome.scene
        out.append(At(stop, scene, outcome.remarks, error, key))
    job.progress(1.0, "")
    return out
