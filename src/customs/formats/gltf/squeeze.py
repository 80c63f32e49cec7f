"""Compressing geometry on the way out: buffer views by meshopt without loss, primitives by Draco.

Sources: EXT_meshopt_compression and KHR_draco_mesh_compression, extensions of glTF 2.0.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from customs.errors import WriteError
from customs.later import later

draco, meshopt = later("DracoPy"), later("meshopt")
Array = npt.NDArray[Any]
MESHOPT, DRACO = "EXT_meshopt_compression", "KHR_draco_mesh_compression"
WIDEST = 256
BITS = 16
"""Bits Draco keeps of positions, over the longest side of their box."""


def squeezed(table: Array, indices: bool) -> tuple[bytes, str] | None:
    """(bytes, mode) of rows as meshopt packs them, None for rows it has no mode for. `indices` (N,) are triangles where
    they come in threes.
    """
    if indices:
        mode = "TRIANGLES" if table.size % 3 == 0 else "INDICES"
        return bytes(meshopt.encode_gltf_buffer(np.ascontiguousarray(table).reshape(-1), mode)), mode
    row = table.strides[0] if table.ndim > 1 else table.itemsize
    if row % 4 or row > WIDEST:
        return None
    return bytes(meshopt.encode_gltf_buffer(np.ascontiguousarray(table), "ATTRIBUTES")), "ATTRIBUTES"


class Packed(NamedTuple):
    """What Draco packed: the bytes, the ids of attributes by name, and positions (V, 3) as they come out again."""

    data: bytes
    ids: dict[str, int]
    positions: Array


OWN = {"NORMAL": ("normals", 1, 12), "TEXCOORD_0": ("tex_coord", 3, 14)}
"""Attributes Draco rounds by itself: the library's name, the kind it gives back, bits."""


def drawn_together(attributes: Mapping[str, Array], indices: Array, quantised: bool) -> Packed:
    """A primitive's attributes (V, W) and triangles (F, 3) as Draco packs them, vertices and faces in their order;
    positions to `BITS`, others to the bits of `OWN` where they are `quantised`, else without loss. Raises WriteError.
    """
    own = [n for n in OWN if quantised and n in attributes]
    ids = {n: k + 1 for k, n in enumerate(attributes) if n != "POSITION" and n not in own}
    try:
        data = draco.encode(
            attributes["POSITION"],
            np.ascontiguousarray(indices, np.uint32),
            quantization_bits=BITS,
            compression_level=7,
            preserve_order=True,
            generic_attributes={i: np.ascontiguousarray(attributes[n]) for n, i in ids.items()},
            **{OWN[n][0]: np.ascontiguousarray(attributes[n], np.float64) for n in own},
            tex_coord_quantization_bits=OWN["TEXCOORD_0"][2],
            normal_quantization_bits=OWN["NORMAL"][2],
        )
    except Exception as problem:  # noqa: BLE001 (whatever the library says)
        raise WriteError(
            f"Draco does not pack this ({problem})", "a mesh it packs", "Choose another compression."
        ) from None
    # The library gives what it knows by kind ids of its own.
    found = {int(a["attribute_type"]): a for a in draco.decode(data).attributes}
    named = {"POSITION": 0} | {n: OWN[n][1] for n in own}
    ids |= {n: int(found[kind]["unique_id"]) for n, kind in named.items()}
    return Packed(bytes(data), ids, np.asarray(found[0]["data"], np.float32))
