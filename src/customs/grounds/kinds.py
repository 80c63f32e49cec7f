"""What kind of thing each thing in a level is: by what a person taught, by what the list says, by a table of rules."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from customs.grounds.rules import DOUBLE, EMPTY, KINDS, LIGHT, RULES, STAND_IN, STRAY, Rule
from customs.grounds.structure import Structure, structure_of
from customs.grounds.things import Mask, MeshColumns, Things, mesh_columns, things_of
from customs.scene.kept import kept
from customs.scene.model import Scene

WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
NUMBER = re.compile(r"[ _.\-]*\d+$")


@dataclass(frozen=True, eq=False)
class Sorted:
    """Kinds of T things: `codes` (T,) places in KINDS, `why` (T,) places in `reasons`."""

    things: Things
    meshes: MeshColumns
    codes: npt.NDArray[np.uint8]
    why: npt.NDArray[np.uint8]
    reasons: tuple[str, ...] = field(default=())

    def of(self, kind: str) -> Mask:
        """(T,) which are of a kind."""
        return np.asarray(self.codes == KINDS.index(kind))

    def counts(self) -> dict[str, tuple[int, int]]:
        """(things, triangles) of each kind there is."""
        count = np.bincount(self.codes, minlength=len(KINDS))
        faces = np.bincount(
            self.codes, self.things.triangles(self.meshes).astype(np.float64), minlength=len(KINDS)
        )
        return {k: (int(n), int(f)) for k, n, f in zip(KINDS, count, faces) if n}


def base_name(name: str) -> str:
    """A name without the number at its end: what is taught of one thing holds for all its like."""
    return NUMBER.sub("", name) or name


def words_in(text: str) -> frozenset[str]:
    """Words of a name, small letters, whatever stands between them; of what may be several, one of them too."""
    words = {w.lower() for w in WORD.findall(text)}
    return frozenset(words | {w.removesuffix("s") for w in words})


def kinds_of(scene: Scene) -> Sorted:
    """The kind of everything in a scene in the working frame. Kept while it lives."""
    return kept("kinds", scene, lambda: _kinds(scene))


def _kinds(scene: Scene) -> Sorted:
    things, meshes = things_of(scene), mesh_columns(scene)
    codes, why = np.full(len(things), 255, np.uint8), np.zeros(len(things), np.uint8)
    reasons = [""]

    def take(kind: str, which: Mask, reason: str) -> None:
        free = which & (codes == 255)
        if free.any():
            reasons.append(reason)
            codes[free], why[free] = KINDS.index(kind), len(reasons) - 1

    shape = structure_of(things, meshes)
    take(STAND_IN, np.append(meshes.stands_in, False)[things.mesh], "its file is missing")
    take(LIGHT, things.light & (things.mesh < 0), "holds a light")
    take(EMPTY, things.empty, "holds nothing")
    take(DOUBLE, shape.double, "the same stands in the same place")
    spelt = _Spelt(scene, things)
    for kind, names in _taught(scene).items():
        take(kind, spelt.bases(names), "said by a person")
    take(STRAY, shape.stray, "far away from all the rest")
    for rule in RULES:
        take(rule.kind, _by(rule, spelt, shape, things, meshes), rule.why)
    return Sorted(things, meshes, codes, why, tuple(reasons))


def _taught(scene: Scene) -> dict[str, set[str]]:
    out: dict[str, set[str]] = {}
    for name, kind in scene.kinds.taught.items():
        if kind in KINDS:
            out.setdefault(kind, set()).add(name)
    return out


class _Spelt:
    """Words of names, each looked at once: of things, of their meshes, of their materials, of what the list says."""

    def __init__(self, scene: Scene, things: Things) -> None:
        names, self.name = np.unique(things.names.astype(str), return_inverse=True)
        self.names, self.things = [words_in(n) for n in names.tolist()], things
        self.base = [base_name(n) for n in names.tolist()]
        self.mesh = [words_in(m.name) for m in scene.meshes]
        self.mesh_base = [base_name(m.name) for m in scene.meshes]
        each = [words_in(m.name) for m in scene.materials]
        self.material = [
            [each[p.material] for p in m.primitives if p.material is not None] for m in scene.meshes
        ]
        self.said = [words_in(w) for w in scene.kinds.words]

    def of(self, table: list[frozenset[str]], at: npt.NDArray[np.intp], words: frozenset[str]) -> Mask:
        """(T,) whose texts, at places (T,) of a table (−1: none), have one of the words."""
        hit = np.array([*(bool(t & words) for t in table), False], bool)
        return hit[at]

    def made_of(self, words: frozenset[str]) -> Mask:
        """(T,) whose materials all have one of the words: a wall with one face for tools is a wall."""
        hit = np.array([*(bool(own) and all(m & words for m in own) for own in self.material), False], bool)
        return np.asarray(hit[self.things.mesh])

    def bases(self, names: set[str]) -> Mask:
        """(T,) whose name, or whose mesh's, is one of these but for its number."""
        own = np.array([b in names for b in self.base], bool)[self.name]
        shown = np.array([*(b in names for b in self.mesh_base), False], bool)[self.things.mesh]
        return np.asarray(own | shown)


def _by(rule: Rule, spelt: _Spelt, shape: Structure, things: Things, meshes: MeshColumns) -> Mask:
    """(T,) which a rule takes: all it names has to hold."""
    shows = things.mesh >= 0
    out = shows.copy()
    if rule.said:
        out &= spelt.of(spelt.said, things.said, rule.said)
    if rule.name:
        out &= spelt.of(spelt.names, spelt.name, rule.name) | spelt.of(spelt.mesh, things.mesh, rule.name)
    if rule.material:
        out &= spelt.made_of(rule.material)
    for flag in rule.looks:
        out &= np.append(getattr(meshes, flag), False)[things.mesh]
    for part in rule.stands:
        out &= getattr(shape, part)
    counts = things.triangles(meshes)
    out &= (counts <= rule.most_triangles) & (counts >= rule.least_triangles)
    if rule.largest is not None:
        with np.errstate(invalid="ignore"):
            out &= things.size.max(axis=1) <= rule.largest
    return np.asarray(out)
