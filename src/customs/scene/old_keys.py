"""Numbers an earlier edition gave to what steps made. Only decisions kept by then speak of them; nothing new
is counted on.
"""

from __future__ import annotations

from customs.scene.key import Key

FIRST = {
    "aim": 1_000_000, "split-material": 2_000_000, "static": 3_000_000, "donor": 3_200_000, "flatten": 3_300_000, "rigid": 3_400_000,
    "split-joints": 3_500_000, "common-root": 3_600_000, "cut": 4_000_000, "turn": 4_000_000, "travel": 4_500_000,
    "clip": 4_700_000, "retarget": 4_800_000, "settle": 5_000_000, "leave-out": 5_600_000, "mirrored": 5_800_000, "join": 6_000_000,
}  # fmt: skip
"""Maker → the ordinal its own began at."""


def old_key(digest: str, kind: str, maker: str, number: int = 0) -> Key:
    """The Key an earlier edition gave to element `number` of what `maker` made."""
    return Key(digest, kind, FIRST[maker] + number)
