"""A level as lists of placements, in our own shape (the page Lists of placements of the guide): one, or one for each part or tile of the plan."""

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
from customs.grounds.parts import list_names
from customs.grounds.rules import KINDS
from customs.grounds.things import things_of
from customs.scene.kept import kept
from customs.scene.model import Light, Scene
from customs.scene.prune import prune
from customs.scene.tree import world_matrices
from customs.sheet.model import Sheet

Json = dict[str, Any]
DIGITS = 11
"""Of every number that is written, those that count."""


def level_lists(scene: Scene, sheet: Sheet, final: Scene | None = None) -> tuple[Deliverable, ...]:
    """The lists of a level in the working frame, none where the sheet takes none; `final` is it as it is delivered, made where it is
    not given.
    """
    rules = sheet.grounds
    if rules.form != "list":
        return ()

    def make(name: str) -> Callable[[Tick], Parts]:
        def bytes_of(tick: Tick) -> Parts:
            delivered = final if final is not None else destination_scene(scene, sheet)
            return [kept("level lists", delivered, lambda: Lists(scene, delivered, sheet)).text(name)]

        return bytes_of

    path = rules.list_place(scene.name)
    return tuple(
        Deliverable(name, "level list", make(name), scene.name) for name in _paths(scene, sheet, path)
    )


def _paths(scene: Scene, sheet: Sheet, path: str) -> list[str]:
    whole = prune(scene)
    names = list_names(whole, things_of(whole), sheet.grounds.tile)
    return [path] if names is None else [path, *(_part_path(path, n) for n in sorted(set(names.tolist())))]


def _part_path(path: str, name: str) -> str:
    stem, end = posixpath.splitext(path)
    return f"{stem}_{name}{end}"


class Lists:
    """The lists of a level: `scene` in the working frame, `final` as it is delivered; each is written when it is asked for."""

    def __init__(self, scene: Scene, final: Scene, sheet: Sheet) -> None:
        self.path, self.final = sheet.grounds.list_place(final.name), final
        things, found = things_of(final), kinds_of(prune(scene))
        # Both are the same things in the same order, but for what levels and shapes a sheet takes as nodes.
        told = len(found.things) == len(things)
        folder, ending = posixpath.dirname(self.path), get_format(sheet.model.format).files(final)[0]
        self.files = [
            posixpath.relpath(sheet.grounds.mesh_place(final.name, m.name), folder or ".") + ending
            for m in final.meshes
        ]
        columns = np.zeros((len(things), 4, 4))
        columns[:, :3], columns[:, 3, 3] = things.matrices, 1
        self.numbers = _short(columns.transpose(0, 2, 1).reshape(-1, 16))
        self.mesh, self.names = things.mesh, things.names
        self.kinds = np.array(KINDS, object)[found.codes] if told else np.full(len(things), "", object)
        self.rows = {self.path: np.flatnonzero(things.mesh >= 0)}
        # Where they are not, levels and shapes are nodes of the delivered scene alone, which parts know nothing of.
        names = list_names(
            prune(scene) if told else final, found.things if told else things, sheet.grounds.tile
        )
        if names is not None:
            self._split(names)

    def _split(self, names: npt.NDArray[np.object_]) -> None:
        which, at = np.unique(names.astype(str), return_inverse=True)
        order = np.argsort(at.reshape(-1), kind="stable")
        starts = np.searchsorted(at.reshape(-1)[order], np.arange(1, len(which)))
        self.rows = {
            _part_path(self.path, name): mine[self.mesh[mine] >= 0]
            for name, mine in zip(which.tolist(), np.split(order, starts))
        }

    def text(self, path: str) -> bytes:
        """One of them."""
        lights = _lights(self.final) if path == self.path else []
        if path not in self.rows:
            lists = [posixpath.basename(p) for p in self.rows]
            return _text({"level": 1, "lists": lists, "libraries": ["."], "lights": lights})
        rows = self.rows[path]
        columns: Any = zip(
            rows.tolist(),
            self.mesh[rows].tolist(),
            self.numbers[rows].tolist(),
            self.kinds[rows],
            self.names[rows],
        )
        body: Json = {
            "placements": [
                {
                    "id": str(k),
                    "name": self.files[m],
                    "matrix": matrix,
                    "label": label,
                    **({"kind": kind} if kind else {}),
                }
                for k, m, matrix, kind, label in columns
            ]
        }
        return _text(body | ({"lights": lights} if path == self.path else {}))


def _short(numbers: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Numbers to so many digits that count, however small they are."""
    with np.errstate(divide="ignore"):
        places = np.clip(DIGITS - 1 - np.floor(np.log10(np.abs(numbers))), -280, 280)
    unit = 10.0 ** np.where(np.isfinite(places), places, 0.0)
    return np.asarray(np.round(numbers * unit) / unit)


def _text(body: Json) -> bytes:
    return json.dumps(body, separators=(",", ":"), ensure_ascii=False).encode() + b"\n"


def _lights(final: Scene) -> list[Json]:
    """Every light where it stands, in candela and lux, looking along its local −Z (as in KHR_lights_punctual)."""
    worlds, out = world_matrices(final), list[Json]()
    for n, node in enumerate(final.nodes):
        for light in node.holds:
            if isinstance(light, Light):
                out.append(
                    {
                        "name": node.name or light.name,
                        "kind": light.kind,
                        "colour": list(light.colour),
                        "intensity": light.intensity,
                        "range": light.range,
                        **({"inner": light.inner, "outer": light.outer} if light.kind == "spot" else {}),
                        "matrix": _short(worlds[n].T.reshape(-1)).tolist(),
                    }
                )
    return out
