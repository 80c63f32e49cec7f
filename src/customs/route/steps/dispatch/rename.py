"""Names: by pattern, made legal and unique, everywhere at once."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field, field_validator

from customs.route.naming import Naming, renamed_all
from customs.route.roles import roles_of_images
from customs.route.step import Content, Job, Outcome, Settings, Step, register
from customs.scene.model import Remark, Scene
from customs.sheet.model import check_pattern


class Rename(Settings):
    """Patterns with {asset} {name} {index} {material} {role}."""

    asset: str = Field(default="{asset}", description="pattern of the asset's own name")
    node: str = Field(default="{name}", description="pattern for nodes")
    mesh: str = Field(default="{name}", description="pattern for meshes")
    material: str = Field(default="{name}", description="pattern for materials")
    image: str = Field(default="{name}", description="pattern for textures")
    clip: str = Field(default="{name}", description="pattern for clips")
    allowed: str = Field(default=r".+", description="regular expression a whole name must match")
    lower: bool = Field(default=False, description="small letters only")
    max_length: int = Field(default=64, ge=1, le=255, description="characters")
    unique: bool = Field(default=True, description="no name twice within a kind")

    @field_validator("asset", "node", "mesh", "material", "image", "clip")
    @classmethod
    def _tokens(cls, value: str) -> str:
        return check_pattern(value)


def _apply(scene: Scene, settings: Rename, resources: Content, job: Job) -> Outcome:
    s = settings
    rules = Naming(s.allowed, s.lower, s.max_length, s.unique)
    asset = rules.legal(s.asset.replace("{asset}", scene.name).replace("{name}", scene.name))
    roles = roles_of_images(scene)
    first_role = {i: sorted(r)[0] for i, r in roles.items() if r}
    users: dict[int, str] = {}
    for m in scene.materials:
        for use in m.textures.values():
            users.setdefault(use.image, m.name)
    out = replace(
        scene,
        name=asset,
        nodes=renamed_all(scene.nodes, s.node, asset, rules),
        meshes=renamed_all(scene.meshes, s.mesh, asset, rules),
        materials=renamed_all(scene.materials, s.material, asset, rules),
        images=renamed_all(scene.images, s.image, asset, rules, users, first_role),
        clips=renamed_all(scene.clips, s.clip, asset, rules),
    )
    pairs = [(a.name, b.name) for kind in ("nodes", "meshes", "materials", "images", "clips")
             for a, b in zip(getattr(scene, kind), getattr(out, kind)) if a.name != b.name]  # fmt: skip
    return Outcome(out, (Remark(f"{len(pairs)} names changed"),) if pairs else ())


register(
    Step(
        id="rename",
        name="Names",
        desk="dispatch",
        order=80,
        about="Renames nodes, meshes, materials, textures and clips by pattern, legal and unique.",
        settings=Rename,
        apply=_apply,
        summary=lambda s: "pattern",
    )
)
