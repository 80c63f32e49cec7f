"""Glow: faces that glow become lights."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from customs.grounds.glow import Glows, glowing
from customs.grounds.light import looking, reach_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.key import Key, made_key
from customs.scene.model import Light, Node, Remark, Scene
from customs.scene.settings import Settings
from customs.words import many

LEAST = 0.1
"""Lux at which they end."""


class GlowLights(Settings):
    """How strong a glow is, how near lights are one, how many there may be."""

    nits: float = Field(default=1000.0, gt=0, le=1e7, description="cd/m² that 1 of emissive stands for")
    near: float = Field(default=1.0, gt=0, le=1e3, description="metres within which lights are one")
    most: int = Field(default=64, ge=1, le=10_000, description="lights at most, the strongest")
    known: tuple[str, ...] = Field(
        default=(), description="words in the names of textures that glow, whatever their materials say"
    )


def _node(base: Key, k: int, glows: Glows) -> Node:
    """The k-th light: a spot over the half space where its faces look one way."""
    way, power = glows.ways[k], float(glows.candela[k])
    aimed = bool(np.linalg.norm(way) > 0.5)
    r, g, b = (float(v) for v in glows.colours[k])
    name = f"glow_{k + 1}"
    light = Light(
        made_key(replace(base, kind="light"), "glow-lights", name),
        name,
        kind="spot" if aimed else "point",
        colour=(r, g, b),
        intensity=power,
        range=reach_of(power, LEAST),
        outer=float(np.pi / 2),
    )
    turn = looking(-way) if aimed else np.array([0.0, 0.0, 0.0, 1.0])
    return Node(
        made_key(replace(base, kind="node"), "glow-lights", name),
        name,
        translation=glows.places[k],
        rotation=turn,
        holds=(light,),
    )


def _apply(scene: Scene, settings: GlowLights, resources: Content, job: Job) -> Outcome:
    glows = glowing(scene, settings.nits, settings.near, settings.most, settings.known)
    if not len(glows):
        return Outcome(scene)
    base, first = scene.meshes[0].key, len(scene.nodes)
    nodes = tuple(_node(base, k, glows) for k in range(len(glows)))
    out = replace(
        scene, nodes=(*scene.nodes, *nodes), roots=(*scene.roots, *range(first, first + len(nodes)))
    )
    left = f"; {glows.left:.0%} of the light left behind" if glows.left > 0.0005 else ""
    text = f"{many(glows.sources, 'glowing part')} as {many(len(glows), 'light')}{left}"
    return Outcome(out, (Remark(text, values={"light_left": round(glows.left, 4)}),))


register(
    Step(
        id="glow-lights",
        name="Glow",
        desk="grounds",
        order=51,
        about="Makes lights of faces that glow: power from their area and strength, neighbours as one, the strongest kept.",
        settings=GlowLights,
        apply=_apply,
        summary=lambda s: f"at most {s.most}",
        placements=True,
    )
)
