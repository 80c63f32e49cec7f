"""A chunk of OBJ text through the compiled reader, where that is there and the chunk says nothing unusual."""

from __future__ import annotations

from types import ModuleType

import numpy as np

from customs.formats.obj.chunk import VN, VT, Chunk, Elements, F, V, read_statements


def read_quickly(kernel: ModuleType, text: bytes, at: int, end: int) -> Chunk | None:
    """What `read_chunk` says of bytes `at`..`end`, or None when they must be read that way."""
    if not 0 <= at <= end <= len(text):
        raise IndexError(f"bytes {at}..{end} of {len(text)}")
    vectors, corners, others = kernel.room(end - at)
    tables = [np.empty((vectors, width), np.float32) for width in (3, 2, 3, 3)]
    columns = [np.empty(corners, np.int32) for _ in range(3)]
    sizes, held, told = (
        np.empty(vectors, np.int32),
        np.empty((vectors, 4), np.int32),
        np.empty((others, 3), np.int64),
    )
    data = np.frombuffer(text, np.uint8)
    status, *counts, small, flags = kernel.read_lines(data, at, end, *tables, *columns, sizes, held, told)
    if status != kernel.DONE:
        return None
    points, uvs, normals, corner, faces, statements = counts
    out = Chunk(short=small)
    out.vectors = {
        k: table[:n].copy() for k, table, n in zip((V, VT, VN), tables, (points, uvs, normals)) if n
    }
    out.colours = tables[3][:points].copy() if flags & 1 else None
    told = told[:statements]
    states = read_statements((text[a:b] for a, b in told[:, :2].tolist()), out)
    if faces:
        # Each statement is in force on the faces from it to the next.
        state = np.repeat(np.append(0, states), np.diff(np.concatenate([[0], told[:, 2], [faces]])))
        a, b, c = (column[:corner].copy() for column in columns)
        relative = held[:faces].astype(np.int64) if flags & 2 else None
        out.elements[F] = Elements(
            (a, b, c),
            sizes[:faces].copy(),
            state,
            relative[:, :3] if relative is not None else None,
            relative[:, 3] + at if relative is not None else None,
        )
    return out
