"""Names: by pattern, made legal and unique, everywhere at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, ClassVar, Literal

from pydantic import Field

from customs.changes.donor import donor_nodes
from customs.changes.naming import Naming, Words, renamed_all
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.folding import row_names
from customs.scene.model import SLOTS, Remark, Scene
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.sheet.model import Expression, Pattern
from customs.words import many


class Rename(Settings):
    """Patterns with {asset} {name} {index} {material} {role} {later}."""

    adds: ClassVar = ("files",)
    stays: ClassVar = ("lower", "unique")
    asset: Pattern = Field(default="{asset}", description="pattern of the asset's own name")
    node: Pattern = Field(default="{name}", description="pattern for nodes")
    mesh: Pattern = Field(default="{name}", description="pattern for meshes")
    material: Pattern = Field(default="{name}", description="pattern for materials")
    image: Pattern = Field(default="{name}", description="pattern for textures")
    clip: Pattern = Field(default="{name}", description="pattern for clips")
    allowed: Expression = Field(default=r".+", description="regular expression a whole name must match")
    lower: bool = Field(default=False, description="small letters only")
    max_length: int = Field(default=64, ge=1, le=255, description="characters")
    unique: bool = Field(default=True, description="no name twice within a kind")
    suffixes: dict[str, str] = Field(default={}, description="what {role} is for each role")
    files: tuple[Literal["image", "clip"], ...] = Field(
        default=(), description="kinds that files of their own are named by"
    )


def _words(scene: Scene, kept: Scene, suffixes: Mapping[str, str]) -> dict[int, Words]:
    """For each used texture its material, its role and, from the second material with textures on, a
    number.
    """
    order = {role: k for k, role in enumerate((*suffixes, *SLOTS))}
    out: dict[int, Words] = {}
    number, used = 0, {m.key for m in kept.materials}
    for m in scene.materials:
        if m.key not in used:
            continue
        number += bool(m.textures)
        for role, use in sorted(m.textures.items(), key=lambda pair: order[pair[0]]):
            later = f"_{number}" if number > 1 else ""
            out.setdefault(use.image, Words(m.name, suffixes.get(role, role), later))
    return out


def _apply(scene: Scene, settings: Rename, resources: Content, job: Job) -> Outcome:
    s = settings
    rules = Naming(s.allowed, s.lower, s.max_length, s.unique)
    by_kind = {kind: replace(rules, files=kind in s.files) for kind in ("image", "clip")}
    asset = replace(rules, files=True).legal(
        s.asset.replace("{asset}", scene.name).replace("{name}", scene.name)
    )
    # What nothing uses is not delivered: it keeps its name and takes none away.
    kept = prune(scene)
    standing = [*kept.nodes, *row_names(kept)]
    every: list[Any] = [*scene.nodes, *row_names(scene)]
    nodes = renamed_all(every, s.node, asset, rules, standing, firm=donor_nodes(kept))
    count, rows = len(scene.nodes), scene.placements
    names = tuple(r.name for r in nodes[count:])
    out = replace(
        scene,
        name=asset,
        nodes=nodes[:count],
        placements=rows if names == rows.names else replace(rows, names=names),
        meshes=renamed_all(scene.meshes, s.mesh, asset, rules, kept.meshes),
        materials=renamed_all(scene.materials, s.material, asset, rules, kept.materials),
        images=renamed_all(
            scene.images, s.image, asset, by_kind["image"], kept.images, _words(scene, kept, s.suffixes)
        ),
        clips=renamed_all(scene.clips, s.clip, asset, by_kind["clip"], kept.clips),
    )
    pairs = [
        (a.name, b.name)
        for kind in ("nodes", "meshes", "materials", "images", "clips")
        for a, b in zip(getattr(scene, kind), getattr(out, kind))
        if a.name != b.name
    ]
    pairs += [(a, b) for a, b in zip(rows.names, names) if a != b]
    return Outcome(out, (Remark(f"{many(len(pairs), 'name')} changed"),) if pairs else ())


register(
    Step(
        id="rename",
        name="Names",
        desk="dispatch",
        order=110,
        phase="form",
        about="Renames nodes, meshes, materials, textures and clips by pattern, legal and unique.",
        settings=Rename,
        apply=_apply,
        summary=lambda s: "pattern",
        placements=True,
    )
)
