"""Assets of a shipment as bodies under their digests: a decision writes the one asset it is about, not the whole shipment.

What stands in a state for an asset is the digest of its body; files of version 1 have the body itself there, and are read as well.
"""

from __future__ import annotations

import hashlib
import json
import weakref
from collections.abc import Callable
from typing import Any

from customs.scene.kept import kept
from customs.shipment.state import Asset

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
        # Of the goods at hand, which are held here so that no other object gets their number: a decision asks about all of them.
        self._held: tuple[Asset, ...] = ()
        self._names: dict[int, str] = {}

    def name(self, asset: Asset) -> str:
        """What the body of an asset is kept under."""
        return self._names.get(id(asset)) or name_of(asset)

    def new(self, goods: tuple[Asset, ...]) -> list[tuple[str, bytes]]:
        """(name, body) of each asset whose body is not kept yet."""
        return [(name, body_of(a)) for a in goods if (name := self.name(a)) not in self._there]

    def stored(self, goods: tuple[Asset, ...]) -> None:
        """These are the goods at hand, and their bodies are kept."""
        for asset in (a for a in goods if id(a) not in self._names):
            self._there.add(name_of(asset))
            self._alive[name_of(asset)] = asset
        self._names = {id(a): self.name(a) for a in goods}
        self._held = goods

    def unpacked(self, said: Any) -> Asset:
        """The asset a state speaks of. Raises KeyError where its body is gone, ValueError or TypeError where it is none."""
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
