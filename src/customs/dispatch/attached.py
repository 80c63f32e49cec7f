"""Copies of what hangs at posts, where a sheet asks for them: as any delivery there, in a folder of their own."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import cache

from customs.changes.naming import Naming
from customs.changes.posts import posts_of
from customs.dispatch.deliver import Deliverable, Tick, deliver, destination_scene, planned_models
from customs.formats.registry import Parts
from customs.scene.model import Scene
from customs.sheet.model import Sheet

KIND = "attached"


def things_of(scene: Scene, sheet: Sheet) -> dict[str, tuple[str, Scene]]:
    """(the folder it goes into, it) for each thing that is copied, by its digest: once, however many posts it hangs at."""
    out, taken = dict[str, tuple[str, Scene]](), set[str]()
    if sheet.posts.form == "none" or sheet.posts.attached != "copy":
        return out
    rules = Naming(sheet.names.allowed, sheet.names.lower, sheet.names.max_length, files=True)
    for _, post in posts_of(scene):
        if post.thing is None or post.thing.digest in out:
            continue
        plain = re.sub(r"[^a-z0-9]+", "_", post.thing.name.lower()).strip("_") or "thing"
        name = next(n for n in (plain, *(f"{plain}_{k}" for k in range(2, 10_000))) if n not in taken)
        taken.add(name)
        legal = replace(post.thing, name=rules.legal(post.thing.name))
        out[post.thing.digest] = (sheet.posts.place(scene.name, name), legal)
    return out


def attached_paths(scene: Scene, sheet: Sheet) -> dict[str, str]:
    """The path of what hangs at each post, by its name: that of its copy where there is one, else the one a person said."""
    things = things_of(scene, sheet)
    firsts = {d: f"{folder}/{planned_models(thing, sheet)[0][0]}" for d, (folder, thing) in things.items()}
    return {
        post.name: firsts.get(post.thing.digest, post.attached) if post.thing is not None else post.attached
        for _, post in posts_of(scene)
    }


def attached_files(scene: Scene, sheet: Sheet) -> tuple[Deliverable, ...]:
    """The files of all copies; `scene` is in the working frame."""
    return tuple(
        f for folder, thing in things_of(scene, sheet).values() for f in _files(folder, thing, sheet)
    )


def _files(folder: str, thing: Scene, sheet: Sheet) -> Iterator[Deliverable]:
    @cache
    def made() -> dict[str, Deliverable]:
        return {f.path: f for f in deliver(destination_scene(thing, sheet), sheet)}

    def part(path: str) -> Callable[[Tick], Parts]:
        return lambda tick: made()[path].make(tick)

    for path, _ in planned_models(thing, sheet):
        yield Deliverable(f"{folder}/{path}", KIND, part(path), thing.name)
