"""Names: by pattern, made legal and unique, everywhere at once."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any, ClassVar, Literal

from pydantic import Field

from customs.changes.donor import donor_nodes
from customs.changes.naming import Naming, fill, renamed_all
from customs.changes.wordings import Wordings
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.folding import row_names
from customs.scene.model import Remark, Scene
from customs.scene.prune import prune
from customs.scene.settings import Settings
from customs.sheet.model import Expression, Pattern
from customs.words import many


class Rename(Settings):
    """Patterns with {asset} {name} {index} {material} {role} {later} {part} {side} {place} {order}."""

    adds: ClassVar = ("files",)
    stays: ClassVar = ("lower", "unique")
    asset: Pattern = Field(default="{asset}", description="pattern of the asset's own name")
    node: Pattern = Field(default="{name}", description="pattern for nodes")
    mesh: Pattern = Field(default="{name}", description="pattern for meshes")
    material: Pattern = Field(default="{name}", description="pattern for materials")
    image: Pattern = Field(default="{name}", description="pattern for textures")
    skin: Pattern = Field(default="{name}", description="pattern for skeletons")
    clip: Pattern = Field(default="{name}", description="pattern for clips")
    allowed: Expression = Field(default=r".+", description="regular expression a whole name must match")
    lower: bool = Field(default=False, description="small letters only")
    max_length: int = Field(default=64, ge=1, le=255, description="characters")
    unique: bool = Field(default=True, description="no name twice within a kind")
    placements_unique: bool = Field(default=True, description="of what a level repeats too")
    reserved: tuple[str, ...] = Field(default=(), description="names the destination keeps for itself")
    later: Pattern = Field(
        default="_{index}", description="what {later} is from the second material with textures on"
    )
    sides: dict[str, str] = Field(
        default={"left": "left", "right": "right"}, description="what {side} is for left and right"
    )
    suffixes: dict[str, str] = Field(default={}, description="what {role} is for each role")
    files: tuple[Literal["image", "clip"], ...] = Field(
        default=(), description="kinds that files of their own are named by"
    )


def _apply(scene: Scene, settings: Rename, resources: Content, job: Job) -> Outcome:
    s = settings
    rules = Naming(
        s.allowed, s.lower, s.max_length, s.unique, reserved=frozenset(r.lower() for r in s.reserved)
    )
    by_kind = {kind: replace(rules, files=kind in s.files) for kind in ("image", "clip")}
    asset = replace(rules, files=True).legal(
        fill(s.asset.replace("{asset}", "{name}"), scene.name, 1, scene.name)
    )
    # What nothing uses is not delivered: it keeps its name and takes none away.
    kept = prune(scene)
    tokens = set(re.findall(r"\{(\w+)\}", s.node)) - {"name", "asset"}
    each = (s.placements_unique and s.unique) or bool(tokens)
    standing = [*kept.nodes, *(row_names(kept) if each else ())]
    every: list[Any] = [*scene.nodes, *(row_names(scene) if each else ())]
    words = Wordings(scene, kept, s.suffixes, s.later, s.sides)
    nodes = renamed_all(
        every, s.node, asset, rules, standing, words.nodes(every, standing, s.node), donor_nodes(kept)
    )
    materials = renamed_all(scene.materials, s.material, asset, rules, kept.materials, words.materials())
    count, rows = len(scene.nodes), scene.placements
    names = tuple(r.name for r in nodes[count:]) if each else _shared(rows.names, s.node, asset, rules)
    out = replace(
        scene,
        name=asset,
        nodes=nodes[:count],
        placements=rows if names == rows.names else replace(rows, names=names),
        meshes=renamed_all(scene.meshes, s.mesh, asset, rules, kept.meshes, words.meshes()),
        materials=materials,
        images=renamed_all(
            scene.images, s.image, asset, by_kind["image"], kept.images, words.images(materials)
        ),
        skins=renamed_all(scene.skins, s.skin, asset, rules, kept.skins),
        clips=renamed_all(scene.clips, s.clip, asset, by_kind["clip"], kept.clips),
    )
    pairs = [
        (a.name, b.name)
        for kind in ("nodes", "meshes", "materials", "images", "skins", "clips")
        for a, b in zip(getattr(scene, kind), getattr(out, kind))
        if a.name != b.name
    ]
    pairs += [(a, b) for a, b in zip(rows.names, names) if a != b]
    return Outcome(out, (Remark(f"{many(len(pairs), 'name')} changed"),) if pairs else ())


def _shared(names: tuple[str, ...], pattern: str, asset: str, rules: Naming) -> tuple[str, ...]:
    """Names of placements that may share one: each spelling is made legal once."""
    new = {name: rules.legal(fill(pattern, name, 1, asset)) for name in dict.fromkeys(names)}
    return tuple(map(new.__getitem__, names)) if any(a != b for a, b in new.items()) else names


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
