"""The data format descriptor of a KTX2 file. Source: Khronos Data Format Specification 1.3, chapter 5 and
tables of 5.6.
"""

from __future__ import annotations

import struct

from customs.surface.blocks import BLOCK_BYTES
from customs.surface.files.base import Space

MODEL_PLAIN = 1
MODELS = {"bc1": 128, "bc2": 129, "bc3": 130, "bc4": 131, "bc5": 132, "bc7": 134}
PRIMARIES_BT709 = 1
TRANSFER = {"linear": 1, "srgb": 2}
ALPHA, LINEAR = 15, 0x10
# (bit offset, bits, channel) of each sample
SAMPLES = {
    "": ((0, 8, 0), (8, 8, 1), (16, 8, 2), (24, 8, ALPHA)),
    "bc1": ((0, 64, 0),),
    "bc3": ((0, 64, ALPHA), (64, 64, 0)),
    "bc4": ((0, 64, 0),),
    "bc5": ((0, 64, 0), (64, 64, 1)),
    "bc7": ((0, 128, 0),),
}


def descriptor(block: str, space: Space) -> bytes:
    """The descriptor with its length in front, for blocks or (with "") for eight-bit RGBA."""
    samples = SAMPLES[block]
    size = 24 + 16 * len(samples)
    edge, plane = (3, BLOCK_BYTES[block]) if block else (0, 4)
    out = struct.pack("<IIHH", size + 4, 0, 2, size)
    out += struct.pack("<4B", MODELS.get(block, MODEL_PLAIN), PRIMARIES_BT709, TRANSFER[space or "linear"], 0)
    out += struct.pack("<4B8B", edge, edge, 0, 0, plane, 0, 0, 0, 0, 0, 0, 0)
    for offset, bits, channel in samples:
        # Alpha is never curved, also beside colours that are.
        kind = channel | (LINEAR if channel == ALPHA and space == "srgb" else 0)
        top = 0xFF if not block else 0xFFFFFFFF
        out += struct.pack("<HBB4BII", offset, bits - 1, kind, 0, 0, 0, 0, 0, top)
    return out
