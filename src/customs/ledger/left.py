"""Left behind: what an asset had when it arrived and does not have when it leaves, counted."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from customs.formats.registry import Format
from customs.geometry.triangles import triangles_of
from customs.ledger.used import pointing
from customs.motion.weights.influences import most_influences
from customs.route.route import At
from customs.scene.folding import shown_times
from customs.scene.key import FILE
from customs.scene.layers import layers_in_use
from customs.scene.model import Collider, Primitive, Scene
from customs.scene.prune import prune
from customs.scene.strangers import going
from customs.scene.swinging import nodes_by_key, swinging
from customs.surface.pixels import image_info


@dataclass(frozen=True)
class Loss:
    """One kind of thing: how many there were and how many are left. `unasked` when nobody and no rule asked
    for it to go.
    """

    kind: str
    title: str
    before: int
    after: int
    note: str = ""
    unasked: bool = False

    @property
    def count(self) -> int:
        """How many went."""
        return self.before - self.after

    def text(self) -> str:
        """As a person reads it."""
        return f"{self.count:,} of {self.before:,} {self.title}" + (f" ({self.note})" if self.note else "")

    def as_dict(self) -> dict[str, Any]:
        """For the docket and `--json`."""
        return {
            "kind": self.kind,
            "text": self.text(),
            "before": self.before,
            "after": self.after,
            "unasked": self.unasked,
        }


def _prims(scene: Scene) -> list[tuple[int, Primitive]]:
    """(times it is shown, primitive)."""
    return [(n, p) for n, mesh in zip(shown_times(scene), scene.meshes) if n for p in mesh.primitives]


def _faces(scene: Scene) -> int:
    return sum(n * len(triangles_of(p)) for n, p in _prims(scene))


def _loose(scene: Scene) -> int:
    loose = ("points", "lines", "line_loop", "line_strip")
    return sum(n * len(p.positions) for n, p in _prims(scene) if p.mode in loose)


def _keys(scene: Scene) -> int:
    return sum(len(c.times) for clip in scene.clips for c in clip.channels if c.path != "weights")


def _morph_clips(scene: Scene) -> int:
    return sum(any(c.path == "weights" for c in clip.channels) for clip in scene.clips)


def _extras(scene: Scene) -> int:
    """Values a person or a tool put beside nodes, meshes and materials; what Customs itself notes there is
    not counted.
    """
    own = {"mtl", "rate"}
    items: Iterable[Any] = (*scene.nodes, *scene.meshes, *scene.materials, *scene.clips)
    return sum(len(set(item.extras) - own) for item in items)


def _roles(scene: Scene) -> int:
    return sum(len(m.textures) for m in scene.materials)


def _layers(scene: Scene) -> int:
    return sum(len(layers_in_use(m.layers, m.textures)) for m in scene.materials)


def _sayings(scene: Scene) -> int:
    return scene.person.count(nodes_by_key(scene)) if scene.person is not None else 0


def _deep(scene: Scene) -> int:
    infos = [image_info(im) for im in scene.images if im.there and not im.problem and im.key.kind != FILE]
    return sum(i is not None and i.bits > 8 for i in infos)


def _pictures(scene: Scene) -> int:
    infos = [image_info(im) for im in scene.images if im.there and not im.problem and im.key.kind != FILE]
    return sum(max(i.pictures, 1) for i in infos if i is not None)


Count = Callable[[Scene], int]
COUNTS: tuple[tuple[str, str, Count, str], ...] = (
    ("faces", "triangles", _faces, ""),
    ("loose", "points of points and lines", _loose, ""),
    ("cameras", "cameras", lambda s: len(s.cameras), "cameras"),
    ("lights", "lights", lambda s: len(s.lights), "lights"),
    ("uv-sets", "UV sets", lambda s: max((len(p.texcoords) for _, p in _prims(s)), default=0), "texcoords"),
    ("colours", "parts with vertex colours", lambda s: sum(n for n, p in _prims(s) if p.colours), "colours"),
    (
        "morphs",
        "morph targets",
        lambda s: sum(max((len(p.targets) for p in m.primitives), default=0) for m in s.meshes),
        "morphs",
    ),
    ("skins", "skins", lambda s: len(s.skins), "skins"),
    ("joints", "joints", lambda s: len({j for k in s.skins for j in k.joints}), "skins"),
    (
        "influences",
        "influences on a vertex",
        lambda s: max((most_influences(p) for _, p in _prims(s)), default=0),
        "skins",
    ),
    ("clips", "clips", lambda s: len(s.clips), "clips"),
    ("morph-clips", "clips of morph targets", _morph_clips, "morphs"),
    ("keys", "keys of movement", _keys, "clips"),
    ("textures", "uses of textures", _roles, "materials"),
    ("materials", "materials", lambda s: len(s.materials), "materials"),
    ("layers", "material extensions", _layers, "layers"),
    ("springs", "joints that swing", swinging, "springs"),
    ("pointers", "animated values of materials, lights and cameras", pointing, "layers"),
    ("person", "sayings of an avatar (looking, own eyes, bound joints)", _sayings, "springs"),
    ("colliders", "bodies they do not swing through", lambda s: len(s.held(Collider)), "springs"),
    ("variants", "skins to choose from", lambda s: len(s.variants), "variants"),
    (
        "strangers",
        "extensions nobody here knows, by the things that have them",
        lambda s: going(s).total(),
        "layers",
    ),
    ("precision", "textures of more than 8 bits", _deep, "materials"),
    ("extras", "custom properties", _extras, "extras"),
)
"""(kind, title, how it is counted, what a format has to carry for it, "" for what every one does)."""
EXTRAS_IN = ("glb", "gltf")


def losses(arrived: Scene, delivering: Scene, entry: Format, passed: Sequence[At] = ()) -> tuple[Loss, ...]:
    """What went on the way and what the format has no place for, kind by kind."""
    before, after = prune(arrived), prune(delivering)
    out = []
    for kind, title, count, needs in COUNTS:
        had, has = count(before), count(after)
        if needs == "extras":
            has = has if entry.id in EXTRAS_IN else 0
        elif needs and needs not in entry.carries:
            has = 0
        if kind == "textures":
            has = sum(
                role in entry.texture_roles or role == "parameters"
                for m in after.materials
                for role in m.textures
            )
        if had > has:
            out.append(
                Loss(kind, title, had, has, _note(kind, passed), kind == "faces" and _broken(passed) > 0)
            )
    gone = {loss.kind for loss in out if not loss.after}
    out = [
        x
        for x in out
        if not (x.kind == "keys" and "clips" in gone)
        and not (x.kind in ("joints", "influences") and "skins" in gone)
    ]
    pictures = _pictures(before) - sum(
        im.there and not im.problem and im.key.kind != FILE for im in before.images
    )
    if pictures > 0:
        whole = _pictures(before)
        out.append(
            Loss(
                "pictures",
                "pictures of textures that hold several",
                whole,
                whole - pictures,
                "the first is taken",
            )
        )
    unknown = [u for u in arrived.unknown if not u.startswith("ignored")]
    if unknown:
        out.append(Loss("extensions", "extensions", len(unknown), 0, ", ".join(unknown[:4])))
    return tuple(out)


def _broken(passed: Sequence[At]) -> int:
    """Faces the plan dropped because their numbers are none."""
    return sum(r.values.get("not_finite", 0) for a in passed if a.stop.by != "person" for r in a.remarks)


def _note(kind: str, passed: Sequence[At]) -> str:
    told = [r.values for a in passed for r in a.remarks if r.values]
    if kind == "influences":
        far = max((v["metres"] for v in told if "metres" in v), default=0.0)
        return f"worst vertex {far * 1000:.2f} mm off" if far else ""
    if kind == "faces":
        names = {
            "not_finite": "with broken numbers",
            "degenerate": "without area",
            "doubled": "doubled",
            "simplified": "simplified away",
            "coarser_levels": "of coarser levels",
        }
        parts = {k: sum(v.get(k, 0) for v in told) for k in names}
        return ", ".join(f"{n:,} {names[k]}" for k, n in parts.items() if n)
    return ""
