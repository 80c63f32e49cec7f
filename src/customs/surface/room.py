"""Whether there is memory for work on an image, asked before it is begun."""

from __future__ import annotations

from customs.errors import LimitError
from customs.files import memory_left

SMALL = 1 << 30
"""Bytes of work that are taken without asking what memory there is."""


def need_room(width: int, height: int, size: int, work: float, what: str) -> None:
    """Raises LimitError where `what` (a verb: "decoding") on an image of `size` bytes, which takes `work`
    times as many, has no room in the memory there is now."""
    if size * work > SMALL and size * work > (left := memory_left()):
        raise LimitError(
            f"image of {width} × {height} pixels: {what} it takes {size * work / 1e9:.1f} GB",
            f"at most {left / 1e9:.1f} GB, the memory there is now",
            "Close other programs, or deliver it smaller.",
        )
