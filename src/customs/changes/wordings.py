"""What the names of a scene's elements may be made of: found once for all that are renamed together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from customs.changes.naming import NO_WORDS, PLACED, Words
from customs.changes.sides import places_of
from customs.scene.model import SLOTS, Material, Scene
from customs.scene.numbers import ORDER
from customs.scene.tree import mesh_nodes


class Wordings:
    """The words of nodes, meshes, materials and textures, by index; `kept` is what is used of the scene."""

    def __init__(
        self, scene: Scene, kept: Scene, suffixes: Mapping[str, str], later: str, sides: Mapping[str, str]
    ) -> None:
        self.scene, self.suffixes, self.later, self.sides = scene, suffixes, later, sides
        self._used = {m.key for m in kept.materials}

    def nodes(self, every: Sequence[Any], standing: Sequence[Any], pattern: str) -> Mapping[int, Words]:
        """Part, side, place and order number of each node that stands, among `every` node and row; of a level there are very many:
        none where the pattern asks for none.
        """
        if not any(f"{{{token}}}" in pattern for token in PLACED):
            return NO_WORDS
        keys = {n.key for n in standing}
        mine = [i for i, n in enumerate(every) if n.key in keys]
        told = places_of([every[i].name for i in mine])
        return {
            i: Words(part=part, side=self.sides.get(side, ""), place=str(place), order=_order(every[i]))
            for i, (part, side, place) in zip(mine, told)
        }

    def meshes(self) -> dict[int, Words]:
        """The order number of the first node that shows each mesh."""
        return {m: Words(order=number) for m, number in self._orders().items()}

    def materials(self) -> dict[int, Words]:
        """What stands for the second material with textures and later ones."""
        return {i: Words(later=text) for i, text in self._laters().items()}

    def images(self, named: Sequence[Material]) -> dict[int, Words]:
        """Of each used texture its material as it is `named` now, its role, `later`, the order number of its mesh."""
        places = {role: k for k, role in enumerate((*self.suffixes, *SLOTS))}
        out: dict[int, Words] = {}
        orders, laters = self._of_materials(), self._laters()
        for i, m in enumerate(self.scene.materials):
            if m.key not in self._used:
                continue
            for role, use in sorted(m.textures.items(), key=lambda pair: places[pair[0]]):
                mine = Words(named[i].name, self.suffixes.get(role, role), laters[i], order=orders.get(i, ""))
                out.setdefault(use.image, mine)
        return out

    def _laters(self) -> dict[int, str]:
        out, number = dict[int, str](), 0
        for i, m in enumerate(self.scene.materials):
            if m.key in self._used:
                number += bool(m.textures)
                out[i] = self.later.replace("{index}", str(number)) if number > 1 else ""
        return out

    def _orders(self) -> dict[int, str]:
        out = dict[int, str]()
        for n in sorted(mesh_nodes(self.scene), key=lambda n: int(_order(self.scene.nodes[n]) or 0)):
            out.setdefault(self.scene.nodes[n].mesh or 0, _order(self.scene.nodes[n]))
        return out

    def _of_materials(self) -> dict[int, str]:
        out = dict[int, str]()
        for mesh, number in self._orders().items():
            for p in self.scene.meshes[mesh].primitives:
                if p.material is not None:
                    out.setdefault(p.material, number)
        return out


def _order(node: Any) -> str:
    said = str(getattr(node, "extras", {}).get(ORDER, ""))
    return said if said.isascii() and said.isdigit() else ""
