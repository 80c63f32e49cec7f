"""Assets of a shipment as bodies under their digests: a decision writes the one asset it is about, not the
whole shipment.

What stands in a state for an asset is the digest of its body; files of version 1 have the body itself there,
and are read as well.
"""

from __future__ import annotations

import hashlib
import json
import weakref
from collections.abc import Callable
from typing import Any

from customs.scene.kept import kept
from customs.shipment.state import Asset, changed_places

PREFIX = "asset:"
"""Before the digest, so that bodies of assets are told from other kept bytes."""


def body_of(asset: Asset) -> bytes:
    """An asset as it is kept."""
    return json.dumps(asset.as_dict()).encode()


def name_of(asset: Asset) -> str:
    """What its body is kept under; worked out once while the asset lives."""
    return kept("parcel", asset, lambda: PREFIX + hashlib.sha256(body_of(asset)).hexdigest()[:32])


class Parcels:
    """Assets by what their bodies are kept under; `find` gives a body, or None where it is gone."""

    def __init__(self, find: Callable[[str], bytes | None]) -> None:
        self._find = find
        self._alive: weakref.WeakValueDictionary[str, Asset] = weakref.WeakValueDictionary()
        self._there: set[str] = set()
        # Of the goods at hand: a decision asks about all of them, and changes one.
        self._held: tuple[Asset, ...] = ()
        self._names: list[str] = []

    def names(self, goods: tuple[Asset, ...]) -> list[str]:
        """What the bodies of assets are kept under."""
        out = [*self._names[: len(goods)], *[""] * (len(goods) - len(self._names))]
        for k in changed_places(goods, self._held):
            out[k] = name_of(goods[k])
        return out

    def new(self, goods: tuple[Asset, ...], names: list[str]) -> list[tuple[str, bytes]]:
        """(name, body) of each asset whose body is not kept yet."""
        other = changed_places(goods, self._held)
        return [(names[k], body_of(goods[k])) for k in other if names[k] not in self._there]

    def stored(self, goods: tuple[Asset, ...], names: list[str]) -> None:
        """These are the goods at hand, and their bodies are kept under these names."""
        for k in changed_places(goods, self._held):
            self._there.add(names[k])
            self._alive[names[k]] = goods[k]
        self._held, self._names = goods, names

    def unpacked(self, said: Any) -> Asset:
        """The asset a state speaks of. Raises KeyError where its body is gone, ValueError or TypeError where
        it is none.
        """
        if not isinstance(said, str):
            return Asset.from_dict(said)
        known = self._alive.get(said)
        if known is None:
            body = self._find(said)
            if body is None:
                raise KeyError(said)
            known = self._alive[said] = Asset.from_dict(json.loads(body))
        self._there.add(said)
        return known
