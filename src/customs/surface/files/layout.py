"""Records of binary files by the names of their fields."""

from __future__ import annotations

from typing import Any

import numpy as np


def read_record(layout: np.dtype[Any], data: bytes, at: int = 0) -> dict[str, Any]:
    """The fields of the record at byte `at` as plain numbers, bytes and lists. The caller has checked that it
    is all there.
    """
    record = np.frombuffer(data, layout, 1, at)[0]
    return {name: record[name].tolist() for name in layout.names or ()}


def write_record(layout: np.dtype[Any], **fields: Any) -> bytes:
    """A record; what is not said is zero. Raises ValueError for a field it does not have."""
    record = np.zeros(1, layout)
    for name, value in fields.items():
        record[name] = value
    return record.tobytes()
