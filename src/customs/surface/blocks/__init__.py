"""Block compression: 4 × 4 pixels in 8 or 16 bytes. Source: Khronos Data Format Specification 1.3, chapters
19 to 21.
"""

from __future__ import annotations

from collections.abc import Mapping

BLOCK_BYTES: Mapping[str, int] = {"bc1": 8, "bc2": 16, "bc3": 16, "bc4": 8, "bc5": 16, "bc6h": 16, "bc7": 16}
"""Bytes of one block."""

BLOCK_CHANNELS: Mapping[str, int] = {"bc1": 4, "bc2": 4, "bc3": 4, "bc4": 1, "bc5": 2, "bc6h": 3, "bc7": 4}
"""Channels that come out of a block."""

WRITABLE_BLOCKS = ("bc1", "bc3", "bc4", "bc5", "bc7")
"""Those Customs writes."""


def level_bytes(width: int, height: int, block: str) -> int:
    """Bytes of one mip level of `width` × `height` pixels in blocks."""
    return -(-width // 4) * -(-height // 4) * BLOCK_BYTES[block]
