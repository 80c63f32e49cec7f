"""The table of rules by which kinds are told. Words, sizes and counts are common practice of the trade."""

from __future__ import annotations

from dataclasses import dataclass

GEOMETRY, PROP, FOLIAGE, DECAL, LIGHT, TERRAIN, TOOL, SKY, SHELL, EMPTY, DOUBLE, STRAY, STAND_IN = KINDS = (
    "geometry", "prop", "foliage", "decal", "light", "terrain", "tool", "sky", "shell", "empty", "double", "stray",
    "stand-in",
)  # fmt: skip
TITLES = {
    GEOMETRY: "walls, floors",
    PROP: "props",
    FOLIAGE: "foliage",
    DECAL: "decals",
    LIGHT: "lights",
    TERRAIN: "terrain",
    TOOL: "tool volumes",
    SKY: "sky",
    SHELL: "shell box",
    EMPTY: "empties",
    DOUBLE: "copies in place",
    STRAY: "far strays",
    STAND_IN: "stand-ins",
}
"""What each kind is called."""
NEVER_WANTED = (TOOL, SKY, SHELL, EMPTY, DOUBLE, STRAY, STAND_IN)
"""Kinds a destination usually has no use for."""


@dataclass(frozen=True)
class Rule:
    """Things of a `kind`: all that is named has to hold. Words in what the list says, in the name of the thing or its mesh, in its
    materials; looks of its mesh; how it stands; triangles; longest side in metres.
    """

    kind: str
    why: str
    said: frozenset[str] = frozenset()
    name: frozenset[str] = frozenset()
    material: frozenset[str] = frozenset()
    looks: tuple[str, ...] = ()
    stands: tuple[str, ...] = ()
    most_triangles: int = 1 << 40
    least_triangles: int = 0
    largest: float | None = None


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


TOOLS = _words(
    "trigger volume collision collider blocker occluder portal clip navmesh spawn bounds zone probe"
)
SKIES = _words("sky skybox skydome skysphere backdrop horizon")
DECALS = _words("decal decals stain grime puddle poster crack graffiti")
LEAVES = _words("foliage leaf leaves fern bush tree grass ivy plant palm hedge flower vine moss shrub frond")
GROUND = _words("terrain landscape heightmap ground hill")
WALLS = _words(
    "wall floor roof ceiling beam column pillar stair stairs step door window pane rib arch gallery rail walk path slab tile"
)
DOORS = _words("door doors window gate shutter hatch")
"""What has leaves and is no plant."""
PROPS = _words(
    "prop props furniture crate barrel bench pot bucket lamp lantern tool cart chair table shelf cup can"
)
LIGHTS = _words("light lights pointlight spotlight")
EMPTIES = _words("empty null marker")

RULES: tuple[Rule, ...] = (
    *(
        Rule(kind, "the list says so", said=words)
        for kind, words in (
            (TOOL, TOOLS | {"tool"}), (SKY, SKIES), (DECAL, DECALS), (FOLIAGE, LEAVES), (TERRAIN, GROUND),
            (GEOMETRY, WALLS | {"geometry", "structure", "architecture", "building"}), (PROP, PROPS), (LIGHT, LIGHTS),
        )
    ),
    Rule(TOOL, "named as a volume for tools", name=TOOLS),
    Rule(TOOL, "its material is one of tools", material=TOOLS | {"nodraw", "invisible"}),
    Rule(SKY, "named as a sky", name=SKIES),
    Rule(SHELL, "a box around everything", stands=("around",), most_triangles=200),
    Rule(SKY, "around everything", stands=("around",), looks=("unlit",)),
    Rule(SKY, "around everything, from inside", stands=("around", "domed")),
    Rule(TERRAIN, "named as ground, wide and level", name=GROUND, stands=("level",)),
    Rule(DECAL, "named as a decal", name=DECALS, most_triangles=256),
    Rule(GEOMETRY, "named as a door or window", name=DOORS),
    Rule(FOLIAGE, "named as a plant", name=LEAVES),
    Rule(FOLIAGE, "its material is a plant's", material=LEAVES, looks=("mask",)),
    Rule(TERRAIN, "wide, level and fine", stands=("wide", "level"), least_triangles=200),
    Rule(GEOMETRY, "named as part of a building", name=WALLS),
    Rule(DECAL, "thin and seen through", stands=("thin",), looks=("blend",), most_triangles=64, largest=4.0),
    Rule(PROP, "named as a prop", name=PROPS),
    Rule(PROP, "small", largest=2.5),
    Rule(GEOMETRY, "large"),
)  # fmt: skip
"""In the order they are asked; the first that holds counts."""
