"""PLY elements with lists, whose records have different lengths: found without stepping through them one by
one.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[Any]
Properties = list[tuple[str, str, str]]
BLOCK = 1 << 20
MOST_WHOLE = 2.0**53
"""From here on a double no longer tells whole numbers apart."""


def list_offsets(
    data: Array, at: int, count: int, properties: Properties, order: str | None
) -> tuple[dict[str, Any], int] | None:
    """({name: values, or (flat, sizes) of a list}, where the element ends), or None when the data runs out.

    `data` is bytes (N,) uint8 with byte `order`, or numbers (N,) float64 when `order` is None. All records
    are first taken to have the lists of the first one; where that does not hold, starts are found by doubling
    jumps.
    """
    if count == 0:
        return {
            n: ((np.zeros(0, np.int64), np.zeros(0, np.int64)) if c else np.zeros(0))
            for n, _, c in properties
        }, at
    sizes = _first_sizes(data, at, properties, order)
    if sizes is None:
        return None
    uniform = _uniform(data, at, count, properties, order, sizes)
    if uniform is not None:
        return uniform
    return _varied(data, at, count, properties, order)


def whole(values: Array) -> Array:
    """Values as int64, −1 for those that are no whole number."""
    if values.dtype.kind != "f":
        return values.astype(np.int64)
    good = np.abs(values) < MOST_WHOLE
    good &= values == np.floor(np.where(good, values, 0))
    return np.where(good, values, -1).astype(np.int64)


def _unit(kind: str, order: str | None) -> int:
    return np.dtype(kind).itemsize if order is not None else 1


def _read(data: Array, at: Array, kind: str, order: str | None) -> Array:
    """Values of type `kind` at positions `at` (N,)."""
    if order is None:
        return data[at]
    size = np.dtype(kind).itemsize
    raw = data[at[:, None] + np.arange(size)]
    return np.ascontiguousarray(raw).view(order + kind)[:, 0]


def _first_sizes(data: Array, at: int, properties: Properties, order: str | None) -> list[int] | None:
    out = []
    for _, kind, counter in properties:
        if not counter:
            at += _unit(kind, order)
            continue
        if at + _unit(counter, order) > len(data):
            return None
        n = int(whole(_read(data, np.array([at]), counter, order))[0])
        if n < 0 or n * _unit(kind, order) > len(data) - at:
            return None
        out.append(n)
        at += _unit(counter, order) + n * _unit(kind, order)
    return out


def _uniform(
    data: Array, at: int, count: int, properties: Properties, order: str | None, sizes: list[int]
) -> tuple[dict[str, Any], int] | None:
    """The element read as records of one shape, or None when some list has another size."""
    fields: list[tuple[str, Any, tuple[int, ...]]] = []
    number = iter(sizes)
    for name, kind, counter in properties:
        base = (order + kind) if order is not None else "<f8"
        if counter:
            fields.append((f"#{name}", (order + counter) if order is not None else "<f8", ()))
            fields.append((name, base, (next(number),)))
        else:
            fields.append((name, base, ()))
    dtype = np.dtype(fields)
    width = dtype.itemsize if order is not None else dtype.itemsize // 8
    if at + count * width > len(data):
        return None
    table = np.frombuffer(data.view(np.uint8).data, dtype, count, at if order is not None else at * 8)
    out: dict[str, Any] = {}
    number = iter(sizes)
    for name, _, counter in properties:
        if counter:
            n = next(number)
            if (table[f"#{name}"] != n).any():
                return None
            out[name] = (whole(table[name]).reshape(-1), np.full(count, n, dtype=np.int64))
        else:
            out[name] = table[name]
    return out, at + count * width


def _next(data: Array, at: Array, properties: Properties, order: str | None) -> Array:
    """Where the record after the one at each of `at` (N,) would start; len(data) + 1 where that is no
    record.
    """
    end = len(data)
    where = at.astype(np.int64)
    for _, kind, counter in properties:
        if not counter:
            where = where + _unit(kind, order)
            continue
        room = where + _unit(counter, order) <= end
        n = np.zeros(len(where), dtype=np.int64)
        n[room] = whole(_read(data, where[room], counter, order))
        where = np.where(room & (n >= 0), where + _unit(counter, order) + n * _unit(kind, order), end + 1)
    return np.minimum(where, end + 1)


def _starts(data: Array, at: int, count: int, properties: Properties, order: str | None) -> Array | None:
    """Starts (count,) of the records: block by block, every position's jump is squared until the chain is
    known.
    """
    parts: list[Array] = []
    found, here = 0, at
    while found < count:
        if here >= len(data):
            return None
        low, high = here, min(here + BLOCK, len(data))
        jump = np.minimum(_next(data, np.arange(low, high), properties, order), len(data) + 1)
        local = np.append(np.where(jump < high, jump - low, high - low), high - low)
        chain = np.zeros(1, dtype=np.int64)
        while chain[-1] < high - low and len(chain) < count - found + 1:
            chain = np.concatenate([chain, local[chain]])
            local = local[local]
        chain = chain[chain < high - low][: count - found]
        parts.append(chain + low)
        found += len(chain)
        here = int(jump[chain[-1]])
        if here > len(data):
            return None
    return np.concatenate(parts)


def _varied(
    data: Array, at: int, count: int, properties: Properties, order: str | None
) -> tuple[dict[str, Any], int] | None:
    where = _starts(data, at, count, properties, order)
    if where is None:
        return None
    out: dict[str, Any] = {}
    for name, kind, counter in properties:
        if not counter:
            out[name] = _read(data, where, kind, order)
            where = where + _unit(kind, order)
            continue
        sizes = whole(_read(data, where, counter, order))
        if (sizes < 0).any() or int(sizes.sum()) > len(data):
            return None
        where = where + _unit(counter, order)
        step = _unit(kind, order)
        local = np.arange(int(sizes.sum())) - np.repeat(np.cumsum(sizes) - sizes, sizes)
        flat = np.repeat(where, sizes) + local * step
        if len(flat) and int(flat.max()) + step > len(data):
            return None
        out[name] = (whole(_read(data, flat, kind, order)), sizes)
        where = where + sizes * step
    return out, int(where[-1])
