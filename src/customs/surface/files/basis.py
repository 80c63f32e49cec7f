"""Basis Universal in KTX2: ETC1S and UASTC, to pixels.

Sources: KTX File Format Specification 2.0, Khronos, chapters 3.9 and 5; Khronos Data Format Specification 1.4, tables of the
colour models ETC1S (163) and UASTC (166); KHR_texture_basisu, an extension of glTF 2.0.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from customs.aside.ask import ask_aside, shared_file
from customs.errors import ReadError, UnsupportedError
from customs.surface.files.base import Pixels, Space

WORK = "customs.surface.files.basis_work"
MODELS = {163: "etc1s", 166: "uastc"}
TRANSFERS: dict[int, Space] = {1: "linear", 2: "srgb"}
CHANNELS = {"etc1s": {1: 3, 2: 4}, "uastc": {0: 3, 3: 4, 4: 3, 5: 4, 6: 4}}
"""Channels by the number of samples (ETC1S: colour, or colour and alpha), by the kind of the one there is (UASTC)."""
HEAD, SAMPLE = 28, 16
"""Bytes of a descriptor with its length before its samples, and of a sample (Data Format Specification, 3.1)."""


class Packed(NamedTuple):
    """What a descriptor says: `block` is "etc1s" or "uastc", `channels` 3 or 4."""

    block: str
    channels: int
    space: Space


def packed_as(descriptor: bytes) -> Packed:
    """What the descriptor of a file without a VkFormat says. Raises ReadError, UnsupportedError."""
    samples = (len(descriptor) - HEAD) // SAMPLE
    if samples < 1:
        raise ReadError(
            f"a descriptor of {len(descriptor)} bytes", f"at least {HEAD + SAMPLE}", "Export it again."
        )
    block = MODELS.get(descriptor[12])
    if block is None:
        raise UnsupportedError(
            f"KTX2 pixels of colour model {descriptor[12]}", "ETC1S or UASTC", "Export it again."
        )
    kind = samples if block == "etc1s" else descriptor[HEAD + 3] & 0xF
    if kind not in CHANNELS[block]:
        raise UnsupportedError(
            f"{block.upper()} of kind {kind}", "colours, with or without alpha", "Export it again."
        )
    return Packed(block, CHANNELS[block][kind], TRANSFERS.get(descriptor[14], ""))


def basis_levels(data: bytes, sizes: Sequence[tuple[int, int]], channels: int) -> list[Pixels]:
    """Pixels (H, W, channels) uint8 of the first mip levels, as many as there are (height, width) in `sizes`. Raises
    ReadError, LimitError.
    """
    with shared_file() as shared:
        shared.file.write(data)
        shared.file.flush()
        answer = ask_aside(
            WORK, {"file": str(shared.place), "levels": list(range(len(sizes)))}, shared.place, named=False
        )
    out = [answer.array(entry) for entry in answer.header["levels"]]
    for i, (pixels, size) in enumerate(zip(out, sizes)):
        if pixels.shape != (*size, 4):
            raise ReadError(
                f"level {i} of {pixels.shape[1]} × {pixels.shape[0]}",
                f"{size[1]} × {size[0]}",
                "Export it again.",
            )
    return [np.ascontiguousarray(pixels[..., :channels]) for pixels in out]
