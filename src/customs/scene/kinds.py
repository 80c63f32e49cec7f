"""What lists and persons say of the kinds of things in a level: carried beside the scene, by the numbers of their nodes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Literal

import numpy as np
import numpy.typing as npt

Kind = Literal["geometry", "prop", "foliage", "decal", "light", "terrain", "tool", "sky", "shell", "empty", "double", "stray",
               "stand-in"]  # fmt: skip
"""Kinds of things a level is made of."""
STAND_IN = "stand_in"
"""Name in the extras of a mesh that stands for a file nobody has: says why."""


@dataclass(frozen=True, eq=False)
class KindNotes:
    """What is said of things, kinds as a list words them first: numbers of nodes and rows `ordinals` (N,) uint32 ascending, each with a place (N,) in `words`, and
    what a person taught: the kind of everything of a name.
    """

    ordinals: npt.NDArray[np.uint32] = field(default_factory=lambda: np.zeros(0, np.uint32))
    codes: npt.NDArray[np.uint16] = field(default_factory=lambda: np.zeros(0, np.uint16))
    words: tuple[str, ...] = ()
    taught: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))

    def of(self, ordinals: npt.NDArray[np.integer]) -> npt.NDArray[np.intp]:
        """(M,) places in `words` of what is said of nodes of these numbers (M,), −1 where nothing is."""
        if not len(self.ordinals):
            return np.full(len(ordinals), -1, np.intp)
        at = np.minimum(np.searchsorted(self.ordinals, ordinals), len(self.ordinals) - 1)
        return np.where(self.ordinals[at] == ordinals, self.codes[at].astype(np.intp), -1)

    def saying(
        self, ordinals: npt.NDArray[np.integer], codes: npt.NDArray[np.integer], words: Sequence[str]
    ) -> KindNotes:
        """With words at places (M,) in `words` said of nodes of these numbers (M,), whatever was said of them before; of one number the last
        counts. Raises ValueError for more words than there are places.
        """
        known = (*self.words, *(w for w in dict.fromkeys(words) if w not in self.words))
        if len(known) > np.iinfo(np.uint16).max:
            raise ValueError(f"{len(known):,} words")
        place = np.array([known.index(w) for w in words], np.uint16)
        numbers = np.concatenate([self.ordinals, ordinals.astype(np.uint32)])
        every = np.concatenate([self.codes, place[codes] if len(codes) else np.zeros(0, np.uint16)])
        found, last = np.unique(numbers[::-1], return_index=True)
        return replace(self, ordinals=found, codes=every[::-1][last], words=known)

    def numbered(self, ordinals: npt.NDArray[np.integer]) -> KindNotes:
        """With other numbers (N,) of its nodes."""
        order = np.argsort(ordinals, kind="stable")
        return replace(self, ordinals=ordinals[order].astype(np.uint32), codes=self.codes[order])

    def teaching(self, more: Mapping[str, str]) -> KindNotes:
        """With what a person taught besides."""
        return replace(self, taught=MappingProxyType({**self.taught, **more})) if more else self


NO_KINDS = KindNotes()


def kind_notes(words: npt.NDArray[np.object_]) -> KindNotes:
    """Of what is said (N,) of nodes 0 to N − 1, "" for nothing."""
    said = np.flatnonzero(words != "")
    if not len(said):
        return NO_KINDS
    names, codes = np.unique(words[said].astype(str), return_inverse=True)
    return KindNotes(said.astype(np.uint32), codes.astype(np.uint16), tuple(names.tolist()))
