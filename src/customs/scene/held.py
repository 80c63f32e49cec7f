"""What nodes hold beside meshes: one visitor for all of it, so that a new kind of held thing is a new class
and no new branch.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from customs.scene.model import Held, Node


def holds_nothing(node: Node) -> bool:
    """True for a node that shows no mesh and holds nothing: its only use is where it stands."""
    return node.mesh is None and not node.holds


def map_held(nodes: Iterable[Node], change: Callable[[Held], Held | None]) -> tuple[Node, ...]:
    """The nodes with what they hold changed, or gone for None. A thing that several hold is changed once;
    what does not change is shared.
    """
    made: dict[int, tuple[Held, Held | None]] = {}

    def of(thing: Held) -> Held | None:
        if id(thing) not in made:
            made[id(thing)] = (thing, change(thing))
        return made[id(thing)][1]

    out = []
    for node in nodes:
        if node.holds:
            holds = tuple(new for new in map(of, node.holds) if new is not None)
            if len(holds) != len(node.holds) or any(a is not b for a, b in zip(holds, node.holds)):
                node = replace(node, holds=holds)
        out.append(node)
    return tuple(out)
