"""Clips: keys of helper nodes brought together on the node they help, times put in order."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

import numpy as np
import numpy.typing as npt

from customs.aside.pack import Answer
from customs.formats.interchange.nodes import Tree, matrix_of
from customs.motion.curves.keys import sample
from customs.scene.arrays import frozen
from customs.scene.key import Key
from customs.scene.model import Channel, Clip, Node
from customs.scene.transforms import compose, continuous, decompose, decompose_all

Json = dict[str, Any]
F64 = npt.NDArray[np.float64]
PATHS = (("position", "translation", 3), ("rotation", "rotation", 4), ("scaling", "scale", 3))
STILL = 1e-6
"""Values that differ less than this from the rest pose are no movement (units, or none)."""
RATE_MOST = 1e6


class ClipBuilder:
    """Clips of an import; `remark` hears of what had to be put right."""

    def __init__(self, imported: Answer, tree: Tree, digest: str, remark: Callable[[str], None]) -> None:
        self.imported, self.tree, self.digest, self.remark = imported, tree, digest, remark
        self.entries: list[Json] = imported.header["nodes"]
        self.mine = {n: here for here, chain in enumerate(tree.chains) for n in chain}
        self.by_name: dict[str, int] = {}
        for i, entry in enumerate(self.entries):
            self.by_name.setdefault(entry["name"], i)

    def clip(self, entry: Json, number: int) -> Clip:
        """One clip, its first key at 0 or later."""
        name = entry["name"] or f"clip {number}"
        rate = float(entry["rate"])
        if not 0 < rate <= RATE_MOST:
            self.remark(f"clip {name} says {rate:g} ticks a second; read as 25")
            rate = 25.0
        moved: dict[int, dict[str, Channel]] = {}
        for ch in entry["channels"]:
            node = self.by_name.get(ch["name"])
            if node is None:
                self.remark(f"clip {name} moves {ch['name']}, which is not there")
                continue
            parts = {
                path: c
                for kind, path, _ in PATHS
                if (c := self._keys(ch[kind], node, path, rate, name)) is not None
            }
            moved[node] = {**moved.get(node, {}), **parts}
        all_channels = [
            c for here, chain in enumerate(self.tree.chains) for c in self._node(here, chain, moved)
        ]
        channels = _without_still(all_channels, self.tree.nodes)
        channels += [c for ch in entry["morphs"] if (c := self._morph(ch, rate, name)) is not None]
        early = min((float(c.times[0]) for c in channels), default=0.0)
        if early < 0:
            self.remark(f"clip {name} begins {-early:.3f} s before zero; moved to begin at zero")
            channels = [_later(c, -early) for c in channels]
        return Clip(
            Key(self.digest, "clip", number),
            name,
            tuple(channels),
            extras={"rate": rate} if rate < 1000 else {},
        )

    def _keys(self, entry: Json, node: int, path: str, rate: float, clip: str) -> Channel | None:
        """Keys of one part of one of the library's nodes, sorted, each time once."""
        times, values = self.imported.array(entry["times"]).reshape(-1), self.imported.array(entry["values"])
        if not len(times):
            return None
        values = values.reshape(len(times), -1).astype(np.float64)
        if path == "rotation":
            values = values[:, [1, 2, 3, 0]]
        times, values = self._in_order(times / rate, values, clip, self.entries[node]["name"])
        if path == "rotation" and len(values):
            length = np.linalg.norm(values, axis=1, keepdims=True)
            values = continuous(
                np.where(length > 1e-6, values / np.where(length > 0, length, 1), [[0, 0, 0, 1]])
            )
        if not len(times):
            return None
        return Channel(node, cast(Any, path), frozen(times, np.float64), frozen(values, np.float64))

    def _in_order(self, times: F64, values: F64, clip: str, node: str) -> tuple[F64, F64]:
        good = np.isfinite(times) & np.isfinite(values).all(axis=1)
        if not good.all():
            self.remark(f"clip {clip}: {int((~good).sum())} keys of {node} are not finite; dropped")
        times, values = times[good], values[good]
        order = np.argsort(times, kind="stable")
        if (np.diff(order) < 0).any():
            self.remark(f"clip {clip}: keys of {node} were out of order; sorted")
        times, values = times[order], values[order]
        # Of keys at one time the last one counts; times must still differ once they are float32.
        last = np.append(np.diff(times.astype(np.float32)) > 0, True) if len(times) else np.zeros(0, bool)
        if not last.all():
            self.remark(
                f"clip {clip}: {int((~last).sum())} keys of {node} share their time with the next; dropped"
            )
        return times[last], values[last]

    def _node(self, here: int, chain: tuple[int, ...], moved: dict[int, dict[str, Channel]]) -> list[Channel]:
        """Channels of one of our nodes from those of all that make it up."""
        if not any(n in moved for n in chain):
            return []
        if len(chain) == 1 and self.tree.nodes[here].matrix is None:
            found = [c for c in moved[chain[0]].values()]
        else:
            found = self._folded(here, chain, moved)
        return [_plain(c, here) for c in found]

    def _folded(
        self, here: int, chain: tuple[int, ...], moved: dict[int, dict[str, Channel]]
    ) -> list[Channel]:
        """The product of a chain at every time one of its parts has a key."""
        parts = [c for n in chain for c in moved.get(n, {}).values() if len(c.times) > 1]
        every = np.unique(np.concatenate([c.times for c in parts])) if parts else np.zeros(1)
        every = every[np.append(np.diff(every.astype(np.float32)) > 0, True)]
        local = np.broadcast_to(np.eye(4), (len(every), 4, 4))
        for n in chain:
            local = local @ self._matrices(n, moved.get(n, {}), every)
        t, q, s, shear = decompose_all(local)
        if shear > 1e-4:
            self.remark(
                f"{self.tree.nodes[here].name}: shear of {shear:.4f} in its movement cannot be said; left out"
            )
        times = frozen(every, np.float64)
        values = {"translation": t, "rotation": continuous(q), "scale": s}
        return [Channel(here, cast(Any, path), times, frozen(v, np.float64)) for path, v in values.items()]

    def _matrices(self, node: int, moved: dict[str, Channel], times: F64) -> F64:
        matrix = matrix_of(self.entries[node])
        parts = decompose(matrix)
        if parts is None or not moved:
            return np.broadcast_to(matrix, (len(times), 4, 4))
        rest = dict(zip(("translation", "rotation", "scale"), parts))
        values = [
            sample(moved[path], times) if path in moved else np.broadcast_to(rest[path], (len(times), width))
            for _, path, width in PATHS
        ]
        return compose(*values)

    def _morph(self, entry: Json, rate: float, clip: str) -> Channel | None:
        # The library names these after the node, with the number of the mesh behind a star.
        node = self.mine.get(self.by_name.get(entry["name"].partition("*")[0], -1))
        times, weights = (
            self.imported.array(entry["times"]).reshape(-1),
            self.imported.array(entry["weights"]),
        )
        if node is None or not len(times):
            return None
        ordered, values = self._in_order(
            times / rate, weights.reshape(len(times), -1).astype(np.float64), clip, entry["name"]
        )
        return Channel(node, "weights", frozen(ordered), frozen(values)) if len(ordered) else None


def _without_still(channels: list[Channel], nodes: list[Node]) -> list[Channel]:
    """Without channels that only say what the rest pose says; one of them stays where the clip would end
    earlier.
    """
    moving = [c for c in channels if not _still(c, nodes[c.node])]
    end = max((float(c.times[-1]) for c in channels), default=0.0)
    if moving and max(float(c.times[-1]) for c in moving) < end - 1e-6:
        moving.append(next(c for c in channels if float(c.times[-1]) >= end - 1e-6))
    return moving


def _plain(channel: Channel, node: int) -> Channel:
    return Channel(node, channel.path, frozen(channel.times), frozen(channel.values))


def _later(channel: Channel, seconds: float) -> Channel:
    return Channel(channel.node, channel.path, frozen(channel.times + np.float32(seconds)), channel.values)


def _still(channel: Channel, node: Node) -> bool:
    """True for a channel that only says what the rest pose says."""
    if node.matrix is not None:
        return False
    rest, values = np.asarray(getattr(node, channel.path)), channel.values.astype(np.float64)
    if channel.path == "rotation":
        return bool((1 - np.abs(values @ rest) < 1e-12).all())
    return bool((np.abs(values - rest) <= STILL * max(1.0, float(np.abs(rest).max()))).all())
