"""A heap as a person looks at it: as a tree of folders and archives, and as one table, filtered."""

from __future__ import annotations

import os
import re
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from customs.intake.heap import Entry
from customs.intake.kinds import GROUPS, group_of

Mask = npt.NDArray[np.bool_]
I64 = npt.NDArray[np.int64]
SCALES = {"b": 1.0, "kb": 1e3, "mb": 1e6, "gb": 1e9}
BIGGER = re.compile(r"[>≥]\s*([0-9]+(?:\.[0-9]+)?)\s*(gb|mb|kb|b)?", re.I)


class Browsed:
    """Nodes of a heap: folders, archives and files. All arrays are by node; a node comes before what is in it.

    `parent` (N,) int64, −1 at the top; `size` (N,) int64, of folders and archives what they hold; `group` (N,) int8
    into GROUPS, −1 for folders and archives; `held` (N, 4) int64, bytes by group at a node and below it; `files`
    (N,) int64; `whole` (N,) bool, what can be looked at by itself: no buffer, no library.
    """

    def __init__(self, entries: Sequence[Entry]) -> None:
        self.entries: list[Entry | None] = []
        self.names: list[str] = []
        self.places: list[str] = []
        self.at: dict[str, int] = {}
        parents: list[int] = []
        for entry in entries:
            up = self._folder(os.path.dirname(entry.place), entry.root, parents)
            self._add(entry.place, entry, up, parents)
        self.parent = np.array(parents, np.int64)
        self._measure()
        self.lower = [n.lower() for n in self.names]
        kinds = [e.kind if e is not None else "" for e in self.entries]
        self.whole = np.array([k not in ("buffer", "material library") for k in kinds], bool)
        # What a word is looked for in; a word has no line feed.
        self._texts = [f"{n}\n{k}" for n, k in zip(self.lower, kinds)]
        self._levels = [np.flatnonzero(self.depth == k) for k in range(int(self.depth.max(initial=0)) + 1)]
        children: list[list[int]] = [[] for _ in range(len(parents) + 1)]
        for node, up in enumerate(parents):
            children[up].append(node)
        self.children = children

    def _add(self, place: str, entry: Entry | None, up: int, parents: list[int]) -> int:
        number = len(parents)
        self.at[place] = number
        parents.append(up)
        self.entries.append(entry)
        self.places.append(place)
        self.names.append(os.path.basename(place))
        return number

    def _folder(self, place: str, root: str, parents: list[int]) -> int:
        if (known := self.at.get(place)) is not None:
            return known
        if len(place) < len(root):
            return -1
        up = -1 if place == root else self._folder(os.path.dirname(place), root, parents)
        return self._add(place, None, up, parents)

    def _measure(self) -> None:
        count = len(self.parent)
        own = [e.kind if e is not None else "" for e in self.entries]
        holds = np.array([k in ("", "archive") for k in own], bool)
        self.group = np.array([-1 if h else GROUPS.index(group_of(k)) for k, h in zip(own, holds)], np.int8)
        sizes = np.array([e.size if e is not None else 0 for e in self.entries], np.int64)
        held, files = np.zeros((count, len(GROUPS)), np.int64), (~holds).astype(np.int64)
        leaf = np.flatnonzero(~holds)
        held[leaf, self.group[leaf]] = sizes[leaf]
        # From the deepest up: what a node holds is its parent's too.
        depth = np.zeros(count, np.int64)
        for node in range(count):
            up = self.parent[node]
            depth[node] = depth[up] + 1 if up >= 0 else 0
        for level in range(int(depth.max(initial=0)), 0, -1):
            at = np.flatnonzero(depth == level)
            np.add.at(held, self.parent[at], held[at])
            np.add.at(files, self.parent[at], files[at])
        self.held, self.files, self.depth = held, files, depth
        self.size = np.where(holds, held.sum(axis=1), sizes)

    def children_of(self, node: int) -> list[int]:
        """What is right in a node, in order; of −1 what is at the top."""
        return self.children[node]

    def matching(self, text: str = "", group: str = "", size: int = 0) -> Mask:
        """(N,) files that have all words of `text` in their path or kind, are of `group`, and at least `size` bytes;
        "> 5 MB" in the text asks for a size too.
        """
        if (said := BIGGER.search(text)) is not None:
            size = max(size, int(float(said[1]) * SCALES[(said[2] or "mb").lower()]))
            text = BIGGER.sub(" ", text)
        out = self.group >= 0
        if group:
            out = self.group == GROUPS.index(group)
        if size:
            out = out & (self.size >= size)
        for word in text.lower().split():
            out = out & self._word(word)
        return out

    def _word(self, word: str) -> Mask:
        """(N,) nodes with the word in their own name or kind, or below a folder or archive that has it."""
        own = np.array([word in text for text in self._texts], bool)
        for at in self._levels[1:]:
            own[at] |= own[self.parent[at]]
        return own

    def with_above(self, nodes: Mask) -> Mask:
        """(N,) these and all that they are in."""
        out = nodes.copy()
        for at in reversed(self._levels[1:]):
            out[self.parent[at[out[at]]]] = True
        return out

    def counts(self) -> dict[str, int]:
        """Files by group."""
        return {g: int((self.group == k).sum()) for k, g in enumerate(GROUPS)}
