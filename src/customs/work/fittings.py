"""What the desk Fittings shows: how shapes fit, what levels there are, and an asset made coarser as far as a slider says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from customs.changes.coarser import Coarser, coarsened, coarser_of, steps_together
from customs.changes.posts import posts_of, stands
from customs.changes.primitives import without_empty_meshes
from customs.changes.shape_fit import Fit, fits_of
from customs.changes.shapes import PURPOSES, shapes_of
from customs.dispatch.fittings import with_fittings
from customs.geometry.triangles import triangles_of
from customs.route.route import Route, Stop
from customs.route.step import get_step, make_settings
from customs.scene.folding import shown_times
from customs.scene.levels import level_count
from customs.scene.model import Mesh, Scene
from customs.scene.paths import index_path
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.scene.tree import world_matrices
from customs.sheet.model import Sheet

NAMES = {"hits": "Hits", "picking": "Picking", "around": "Around all", "walking": "Walking on"}
Edit = tuple[str, int, tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]


@dataclass(frozen=True)
class ShapeRow:
    """One purpose: its kinds, how they fit (None for no shape), whether the sheet asks for it, what it is delivered as."""

    purpose: str
    kinds: tuple[str, ...]
    fit: Fit | None
    asked: bool
    delivered: str


def shape_rows(scene: Scene, sheet: Sheet) -> tuple[ShapeRow, ...]:
    """A row for each purpose that the sheet asks for or the scene has shapes for. Measures, so it takes its time."""
    out = []
    for purpose in PURPOSES:
        mine = [s for _, s in shapes_of(scene) if s.purpose == purpose]
        asked = purpose in sheet.shapes.purposes and sheet.shapes.form != "none"
        if mine or asked:
            kinds = tuple(sorted({s.kind for s in mine}))
            out.append(
                ShapeRow(
                    purpose,
                    kinds,
                    fits_of(scene).get(purpose),
                    asked,
                    _delivered(purpose, scene, sheet),
                )
            )
    return tuple(out)


def _delivered(purpose: str, scene: Scene, sheet: Sheet) -> str:
    if purpose not in sheet.shapes.taken:
        return "not delivered there"
    name = sheet.shapes.name.format(asset=scene.name, purpose=purpose, index="")
    facts = sheet.layout.facts_place(scene.name)
    return {
        "meshes": f"mesh {name}",
        "numbers": f"numbers in {facts}",
        "both": f"mesh {name}, numbers in {facts}",
    }[sheet.shapes.form]


def edited(
    edits: tuple[Edit, ...], purpose: str, number: int, move: np.ndarray, times: tuple[float, float, float]
) -> tuple[Edit, ...]:
    """`edits` with one shape moved by metres (3,) and its sizes times three numbers besides: its last edit goes on where it
    did not turn.
    """
    x, y, z = (round(float(v), 6) for v in move)
    last = edits[-1] if edits and edits[-1][:2] == (purpose, number) and not any(edits[-1][3]) else None
    if last is None:
        return (*edits, (purpose, number, (x, y, z), (0.0, 0.0, 0.0), times))
    (a, b, c), (p, q, r) = last[2], last[4]
    sizes = (p * times[0], q * times[1], r * times[2])
    return (*edits[:-1], (purpose, number, (a + x, b + y, c + z), (0.0, 0.0, 0.0), sizes))


def settings_at(route: Route, step: str) -> Settings:
    """The settings of a step's stop on a route; the step's own where there is none."""
    stop = stop_of(route, step)
    return make_settings(get_step(step), dict(stop.values) if stop is not None else {})


def stop_of(route: Route, step: str) -> Stop | None:
    """The last stop of a step on a route."""
    return next((s for s in reversed(route.stops) if s.step == step), None)


@dataclass(frozen=True)
class PostRow:
    """A post: where it stands (3,) metres, the way it points (3,), its index path as delivered, "" where the sheet takes none,
    the path of what hangs there, and the name of other goods that do.
    """

    name: str
    at: tuple[float, float, float]
    points: tuple[float, float, float]
    path: str
    attached: str
    thing: str = ""


def post_rows(scene: Scene, sheet: Sheet) -> tuple[PostRow, ...]:
    """A row for each post of a scene."""
    found = posts_of(scene)
    if not found:
        return ()
    worlds, out = world_matrices(scene), []
    delivered = prune(with_fittings(scene, sheet))
    numbers = {n.key: k for k, n in enumerate(delivered.nodes)}
    for n, post in found:
        at, way = stands(post, worlds[n])
        number = numbers.get(scene.nodes[n].key) if sheet.posts.form != "none" else None
        path = index_path(delivered, number) if number is not None else ""
        thing = post.thing.name if post.thing is not None else ""
        out.append(PostRow(post.name, _three(at), _three(way), path, post.attached, thing))
    return tuple(out)


def _three(v: np.ndarray) -> tuple[float, float, float]:
    # Nothing is shown as less than nothing.
    return round(float(v[0]), 6) + 0.0, round(float(v[1]), 6) + 0.0, round(float(v[2]), 6) + 0.0


@dataclass(frozen=True)
class LevelRow:
    """One level of all meshes together: triangles, and up to how many metres it is shown."""

    level: int
    triangles: int
    until: float


def level_rows(scene: Scene) -> tuple[LevelRow, ...]:
    """The levels of a scene; a mesh that has fewer stays at its last. None where no mesh says a distance."""
    times = shown_times(scene)
    shown = [(n, m) for n, m in zip(times, scene.meshes) if n]
    if not any(m.reach for _, m in shown):
        return ()
    out = []
    for level in range(level_count(scene) + 1):
        count = sum(int(n) * _triangles((m, *m.levels)[min(level, len(m.levels))]) for n, m in shown)
        until = max((m.reach[level] for _, m in shown if level < len(m.reach)), default=0.0)
        out.append(LevelRow(level, count, until))
    return tuple(out)


def _triangles(mesh: Mesh) -> int:
    return sum(len(triangles_of(p)) for p in mesh.primitives)


class Coarsening:
    """An asset made coarser, found once: any number of triangles is then a prefix of that."""

    def __init__(self, scene: Scene, tell: Callable[[float, str], None] = lambda share, text: None) -> None:
        self.scene = scene
        self.times = [int(n) for n in shown_times(scene)]
        self.found: dict[int, Coarser] = {}
        for k, mesh in enumerate(scene.meshes):
            if self.times[k] and (coarser := coarser_of(mesh, tell)) is not None:
                self.found[k] = coarser
        self.most = sum(self.times[k] * c.faces_after(0) for k, c in self.found.items())
        self.least = sum(self.times[k] * c.order.least for k, c in self.found.items())

    def at(self, total: int) -> tuple[Scene, int, float]:
        """(the scene with about `total` triangles, how many it has, the mean distance it strays by in units)."""
        steps = steps_together(self.found, dict.fromkeys(self.found, 0), self.times, total)
        meshes = list(self.scene.meshes)
        for k, c in self.found.items():
            meshes[k] = replace(coarsened(meshes[k], c, steps[k]), levels=(), reach=())
        count = sum(self.times[k] * c.faces_after(steps[k]) for k, c in self.found.items())
        error = max(
            (float(c.order.errors[steps[k] - 1]) for k, c in self.found.items() if steps[k]), default=0.0
        )
        return without_empty_meshes(replace(self.scene, meshes=tuple(meshes))), count, error
