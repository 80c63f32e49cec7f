"""A level as lists of placements, in our own shape (`docs/placements.md`): one, or one for each tile of the plan."""

from __future__ import annotations

import json
import posixpath
from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.dispatch.deliver import Deliverable, Tick, destination_scene
from customs.formats.registry import Parts, get_format
from customs.grounds.kinds import kinds_of
from customs.grounds.rules import KINDS
from customs.grounds.things import Things, things_of
from customs.grounds.tiles import tiles_of
from customs.scene.model import Light, Scene
from customs.scene.prune import prune
from customs.scene.tree import world_matrices
from customs.sheet.model import Sheet

Json = dict[str, Any]
F64 = npt.NDArray[np.float64]
DIGITS = 9
"""Of every number that is written: more than a float32 has."""


def level_lists(scene: Scene, sheet: Sheet, final: Scene | None = None) -> tuple[Deliverable, ...]:
    """The lists of a level in the working frame, none where the sheet takes none; `final` is it as it is delivered, made where it is
    not given.
    """
    rules = sheet.grounds
    if rules.form != "list":
        return ()
    path = rules.list_place(scene.name)

    def make(name: str) -> Callable[[Tick], Parts]:
        def bytes_of(tick: Tick) -> Parts:
            delivered = final if final is not None else destination_scene(scene, sheet)
            return [_texts(scene, delivered, sheet, path)[name]]

        return bytes_of

    return tuple(
        Deliverable(name, "level list", make(name), scene.name) for name in _paths(scene, sheet, path)
    )


def _paths(scene: Scene, sheet: Sheet, path: str) -> list[str]:
    if not sheet.grounds.tile:
        return [path]
    tiles = np.unique(tiles_of(things_of(prune(scene)), sheet.grounds.tile), axis=0)
    return [path, *(_tile_path(path, i, j) for i, j in tiles.tolist())]


def _tile_path(path: str, i: int, j: int) -> str:
    stem, end = posixpath.splitext(path)
    return f"{stem}_tile_{i}_{j}{end}"


def _texts(scene: Scene, final: Scene, sheet: Sheet, path: str) -> dict[str, bytes]:
    """Every list by its path."""
    things, found = things_of(final), kinds_of(prune(scene))
    words = [KINDS[k] for k in found.codes.tolist()] if len(found.things) == len(things) else []
    entries = _entries(things, final, sheet, words, posixpath.dirname(path))
    lights = _lights(final)
    if not sheet.grounds.tile:
        return {path: _text({"placements": [e for e in entries if e is not None], "lights": lights})}
    tiles = tiles_of(found.things if words else things, sheet.grounds.tile)
    which, at = np.unique(tiles, axis=0, return_inverse=True)
    order, lists = np.argsort(at.reshape(-1), kind="stable"), dict[str, bytes]()
    starts = np.searchsorted(at.reshape(-1)[order], np.arange(len(which) + 1))
    for k, (i, j) in enumerate(which.tolist()):
        mine = [entries[t] for t in order[starts[k] : starts[k + 1]].tolist()]
        lists[_tile_path(path, i, j)] = _text({"placements": [e for e in mine if e is not None]})
    body = {"level": 1, "lists": [posixpath.basename(p) for p in lists], "libraries": ["."], "lights": lights}
    return {path: _text(body), **lists}


def _text(body: Json) -> bytes:
    return json.dumps(body, separators=(",", ":"), ensure_ascii=False).encode() + b"\n"


def _entries(things: Things, final: Scene, sheet: Sheet, words: list[str], folder: str) -> list[Json | None]:
    """An entry for each thing that shows something, None for the others."""
    ending = get_format(sheet.model.format).files(final)[0]
    names = [
        posixpath.relpath(sheet.grounds.mesh_place(final.name, m.name), folder or ".") + ending
        for m in final.meshes
    ]
    columns = np.zeros((len(things), 4, 4))
    columns[:, :3], columns[:, 3, 3] = things.matrices, 1
    numbers = columns.transpose(0, 2, 1).reshape(-1, 16).tolist()
    rows: Any = zip(things.mesh.tolist(), numbers, words or [""] * len(things), things.names.tolist())
    return [
        {"id": str(k), "name": names[m], "matrix": matrix, "label": label, **({"kind": kind} if kind else {})}
        if m >= 0
        else None
        for k, (m, matrix, kind, label) in enumerate(rows)
    ]


def _lights(final: Scene) -> list[Json]:
    """Every light where it stands, in candela and lux, looking along its local −Z (as in KHR_lights_punctual)."""
    worlds, out = world_matrices(final), list[Json]()
    for n, node in enumerate(final.nodes):
        for light in node.holds:
            if isinstance(light, Light):
                out.append(
                    {
                        "name": light.name or node.name,
                        "kind": light.kind,
                        "colour": list(light.colour),
                        "intensity": light.intensity,
                        "range": light.range,
                        **({"inner": light.inner, "outer": light.outer} if light.kind == "spot" else {}),
                        "matrix": np.round(worlds[n].T, DIGITS).reshape(-1).tolist(),
                    }
                )
    return out
