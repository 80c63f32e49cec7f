"""The table of roles: a row for each material, a column for each role, with what the ledger has to say about
a cell.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from customs.geometry.triangles import triangles_of
from customs.ledger.row import RANK, Row
from customs.scene.key import Key
from customs.scene.layers import Value, layers_in_use
from customs.scene.model import SLOTS, Image, Material, Scene
from customs.scene.wishes import Wishes
from customs.surface.pixels import image_info
from customs.words import many

ALWAYS = ("base_colour", "normal", "metallic_roughness", "occlusion", "emissive")
TITLES: Mapping[str, str] = {
    "base_colour": "Base colour", "metallic_roughness": "Rough.·metal", "specular_glossiness": "Spec.·gloss",
    "detail_normal": "Detail normal", "parameters": "Packed",
}  # fmt: skip


@dataclass(frozen=True)
class Cell:
    """A texture in a role: its image index, its name, its size, and a mark with its reason where there is
    one.
    """

    image: int
    name: str
    about: str
    verdict: str = ""
    note: str = ""


@dataclass(frozen=True)
class RoleRow:
    """A material with its cells by role; `alpha` says how it uses alpha, `note` what the ledger says of it as
    a whole.
    """

    index: int
    key: Key
    name: str
    about: str
    alpha: str
    cells: Mapping[str, Cell]
    verdict: str = ""
    note: str = ""
    faces: int = 0


@dataclass(frozen=True)
class RoleTable:
    """Columns (roles) and rows."""

    columns: tuple[str, ...] = ALWAYS
    rows: tuple[RoleRow, ...] = field(default=())


def title(role: str) -> str:
    """A column's heading."""
    return TITLES.get(role, role.replace("_", " ").capitalize())


def role_table(scene: Scene, ledger: Iterable[Row] = ()) -> RoleTable:
    """The table of the materials some mesh uses, or of all when none is used."""
    said = _said(ledger)
    counts = _triangles(scene)
    shown = [i for i in range(len(scene.materials)) if i in counts] or list(range(len(scene.materials)))
    present = {r for i in shown for r in scene.materials[i].textures}
    columns = (*ALWAYS, *(r for r in SLOTS if r in present and r not in ALWAYS))
    infos: dict[int, str] = {}
    rows = tuple(_row(scene, i, counts.get(i, 0), said, infos) for i in shown)
    return RoleTable(columns, rows)


def _triangles(scene: Scene) -> dict[int, int]:
    used = {n.mesh for n in scene.nodes if n.mesh is not None} | set(scene.placements.meshes)
    out: dict[int, int] = {}
    for k in used:
        for p in scene.meshes[k].primitives:
            for material in {p.material, *(m for m, _ in p.variants)} - {None}:
                out[material] = out.get(material, 0) + len(triangles_of(p))  # type: ignore[index, arg-type]
    return out


def _said(ledger: Iterable[Row]) -> dict[str, tuple[str, str]]:
    """The worst open row by its subject, of the desk Surface."""
    out: dict[str, tuple[str, str]] = {}
    for r in ledger:
        if r.desk != "surface" or r.verdict == "cleared" or r.waived or not r.subject:
            continue
        known = out.get(r.subject)
        if known is None or RANK[known[0]] < RANK[r.verdict]:
            out[r.subject] = (r.verdict, f"{r.title}: {r.delivering}. {r.note}")
    return out


def _row(
    scene: Scene, index: int, faces: int, said: Mapping[str, tuple[str, str]], infos: dict[int, str]
) -> RoleRow:
    m = scene.materials[index]
    cells = {}
    for role, use in m.textures.items():
        image = scene.images[use.image]
        mark = said.get(f"{m.key} {role}") or said.get(str(image.key)) or ("", "")
        if use.image not in infos:
            infos[use.image] = _about(image, scene.wishes)
        cells[role] = Cell(use.image, image.name, infos[use.image], *mark)
    verdict, note = said.get(str(m.key), ("", ""))
    return RoleRow(
        index, m.key, m.name, f"{_kind(m)} · {faces:,} tri", _alpha(m), cells, verdict, note, faces
    )


def _about(image: Image, wishes: Wishes) -> str:
    if not image.there:
        return "missing"
    info = image_info(image)
    if info is None:
        return "unreadable"
    edge = f"{info.width}" if info.width == info.height else f"{info.width}×{info.height}"
    if (wished := wishes.first(image.key)) and wished.block:
        return f"{edge} {wished.block.upper()}"
    return edge


def _kind(material: Material) -> str:
    plain = {"pbr": "lit", "unlit": "unlit", "specular_glossiness": "spec.-gloss"}[material.model]
    more = layers_in_use(material.layers, material.textures)
    return f"{plain} + {more[0].title if len(more) == 1 else many(len(more), 'look')}" if more else plain


def layers_text(material: Material) -> str:
    """What a material has beyond the core, with its values; "" for nothing."""
    out = []
    for layer in layers_in_use(material.layers, material.textures):
        values = [
            f"{f.name.replace('_', ' ')} {_value_text(material.layers[f.name])}"
            for f in layer.factors
            if f.name in material.layers
        ]
        maps = sum(m.role in material.textures for m in layer.maps)
        out.append(", ".join([*values, *([many(maps, "texture")] if maps else [])]))
    return "; ".join(out)


def _value_text(value: Value) -> str:
    if isinstance(value, str):
        return value
    return " ".join(f"{v:.3g}" for v in value) if isinstance(value, tuple) else f"{value:.3g}"


def _alpha(material: Material) -> str:
    return f"mask, cut {material.alpha_cutoff:g}" if material.alpha_mode == "mask" else material.alpha_mode
