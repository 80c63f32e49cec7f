"""Nodes: the library's helper nodes (pivots, pre-rotations) folded into the node they help."""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.key import Key
from customs.scene.model import Node
from customs.scene.transforms import decompose

F64 = npt.NDArray[np.float64]
Json = dict[str, Any]
HELPER = "_$AssimpFbx$_"
"""What the library puts into the names of helper nodes: one a part of a node's transform."""
DULL = ("InheritType", "IsNull", "UserProperties", "DefaultAttributeIndex")
"""Node metadata that says nothing of its own."""


@dataclass(frozen=True, eq=False)
class Tree:
    """Our nodes, and how the library's map to them.

    `nodes` without meshes and skins yet; `roots`; `numbers` ours by the library's number, absent for helpers;
    `chains` the library's numbers, outermost first, that make up each of ours; `by_name` ours by name.
    """

    nodes: list[Node]
    roots: tuple[int, ...]
    numbers: dict[int, int]
    chains: list[tuple[int, ...]]
    by_name: dict[str, int]


def matrix_of(entry: Json) -> F64:
    """(4, 4) float64, column vectors: the library's matrices are row by row."""
    return np.array(entry["matrix"], dtype=np.float64).reshape(4, 4)


def node_with(key: Key, name: str, matrix: F64, **more: Any) -> Node:
    """A node of a matrix: as translation, rotation and scale where it can be said so."""
    parts = decompose(matrix) if np.isfinite(matrix).all() else None
    if parts is None:
        good = matrix if np.isfinite(matrix).all() else np.eye(4)
        return Node(key, name, matrix=good, **more)
    return Node(key, name, translation=parts[0], rotation=parts[1], scale=parts[2], **more)


def _helper(name: str) -> bool:
    return HELPER in name


def build_tree(header: Json, digest: str) -> Tree:
    """The node tree of an import. A nameless standing-in root is left out where it does nothing."""
    entries = header["nodes"]
    skipped = _idle_root(header)
    chains: list[tuple[int, ...]] = []
    numbers: dict[int, int] = {}
    above: list[int] = []
    for i, entry in enumerate(entries):
        if i == skipped or _helper(entry["name"]):
            continue
        chain, up = [i], entry["parent"]
        while up >= 0 and up != skipped and _helper(entries[up]["name"]):
            chain.append(up)
            up = entries[up]["parent"]
        numbers[i] = len(chains)
        chains.append(tuple(reversed(chain)))
        above.append(numbers.get(up, -1))
    children: list[list[int]] = [[] for _ in chains]
    for here, up in enumerate(above):
        if up >= 0:
            children[up].append(here)
    nodes, by_name = [], dict[str, int]()
    for here, parts in enumerate(chains):
        entry = entries[parts[-1]]
        matrix = functools.reduce(np.matmul, (matrix_of(entries[c]) for c in parts))
        name = entry["name"] or f"node {here}"
        by_name.setdefault(entry["name"], here)
        extras = {k: v for k, v in entry["metadata"].items() if k not in DULL}
        nodes.append(
            node_with(Key(digest, "node", here), name, matrix, children=tuple(children[here]), extras=extras)
        )
    roots = tuple(h for h, up in enumerate(above) if up < 0)
    return Tree(nodes, roots, numbers, chains, by_name)


def _idle_root(header: Json) -> int:
    """The number of a root that only holds the others together (no movement, no joint, no mesh), or −1."""
    entries = header["nodes"]
    if len(entries) < 2:
        return -1
    root = entries[0]
    named = {c["name"] for a in header["animations"] for c in a["channels"]} | {
        b["name"] for m in header["meshes"] for b in m["bones"]
    }
    still = np.allclose(matrix_of(root), np.eye(4), atol=1e-7)
    return 0 if still and not root["meshes"] and root["name"] not in named else -1
