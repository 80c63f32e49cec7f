"""Transforms of all entries at once, in the working frame."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.conventions.axes import between
from customs.levels.entries import Column, Entries
from customs.levels.mapping import Frame, Mapping
from customs.scene.convention import WORKING

F64 = npt.NDArray[np.float64]


def matrices_of(entries: Entries, mapping: Mapping) -> F64:
    """(N, 4, 4) transforms of the entries as the list has them, column vectors; rows of NaN where an entry says none that is whole."""
    f, count = mapping.fields, len(entries)
    if f.matrix:
        return _square(entries.column(f.matrix), mapping.order)
    out = np.tile(np.eye(4), (count, 1, 1))
    out[:, :3, 3] = _several(entries, f.position, 3)
    if f.rotation:
        out[:, :3, :3] = turns(
            _several(entries, f.rotation, 3 if mapping.rotation == "euler" else 4), mapping
        )
    if f.scale:
        scale = _several(entries, f.scale, 3)
        out[:, :3, :3] *= scale[:, None, :]
    bad = ~np.isfinite(out).all(axis=(1, 2))
    out[bad] = np.nan
    return out


def _square(column: Column, order: str) -> F64:
    """(N, 4, 4) of 16 numbers, or of 12 without the last row."""
    rows = list(map(_listed, column))
    whole, short = numbers(rows, 16).reshape(-1, 4, 4), numbers(rows, 12)
    three = short.reshape(-1, 3, 4) if order == "row" else short.reshape(-1, 4, 3).transpose(0, 2, 1)
    last = np.broadcast_to(np.array([0.0, 0.0, 0.0, 1.0]), (len(rows), 1, 4))
    square = whole if order == "row" else whole.transpose(0, 2, 1)
    shorter: npt.NDArray[np.bool_] = np.asarray(np.isfinite(three).all(axis=(1, 2)))
    return np.where(shorter[:, None, None], np.concatenate([three, last], axis=1), square)


def _several(entries: Entries, place: str | tuple[str, ...], width: int) -> F64:
    """(N, width) numbers of one place, or of one place each; a single number where several are meant counts for all."""
    if not isinstance(place, str):
        return np.concatenate([numbers(list(map(_listed, entries.column(p))), 1) for p in place], axis=1)
    rows = list(map(_listed, entries.column(place)))
    found, single = numbers(rows, width), numbers(rows, 1)
    return np.where(np.isfinite(single), single, found)


def numbers(rows: list[list[Any]], width: int) -> F64:
    """(N, width) numbers of rows; those of another width, or that are no numbers, are NaN."""
    sizes = np.fromiter(map(len, rows), np.intp, len(rows))
    out = np.full((len(rows), width), np.nan)
    good = np.flatnonzero(sizes == width)
    mine = [rows[k] for k in good]
    try:
        out[good] = np.array(mine, dtype=np.float64).reshape(-1, width)
    except (ValueError, TypeError, OverflowError):
        # Some row holds what is no number: only then each is asked by itself.
        out[good] = np.array([_floats(r) for r in mine]).reshape(-1, width)
    return out


def _listed(value: Any) -> list[Any]:
    """Numbers in whatever way they are written: a list (of lists), a table x y z w, a text, one number."""
    if isinstance(value, str):
        return value.replace(",", " ").replace(";", " ").split()
    if isinstance(value, dict):
        return [value[k] for k in ("x", "y", "z", "w") if k in value]
    if isinstance(value, list):
        return (
            [x for inner in value for x in inner]
            if value and all(isinstance(v, list) for v in value)
            else value
        )
    return [] if value is None else [value]


def _floats(row: list[Any]) -> list[float]:
    try:
        return [float(x) for x in row]
    except (ValueError, TypeError, OverflowError):
        return [np.nan] * len(row)


def turns(values: F64, mapping: Mapping) -> F64:
    """(N, 3, 3) rotations by quaternions or angles; NaN where a quaternion has no length."""
    from scipy.spatial.transform import Rotation

    out = np.full((len(values), 3, 3), np.nan)
    good = np.isfinite(values).all(axis=1)
    if mapping.rotation == "euler":
        out[good] = Rotation.from_euler(mapping.euler, values[good], mapping.degrees).as_matrix()
        return out
    quaternions = values if mapping.rotation == "quaternion-xyzw" else values[:, [1, 2, 3, 0]]
    good &= np.linalg.norm(np.nan_to_num(quaternions), axis=1) > 1e-12
    out[good] = Rotation.from_quat(quaternions[good]).as_matrix()
    return out


def change_of(frame: Frame) -> F64:
    """C (4, 4): from numbers of a frame to the working frame."""
    p, scale = between(frame.convention(), WORKING)
    out = np.eye(4)
    out[:3, :3] = p * scale
    return out


def in_working(matrices: F64, mapping: Mapping) -> F64:
    """(N, 4, 4) transforms that take a library asset as it stands in the working frame to its place there.

    What takes raw numbers: C_list · M · C_asset⁻¹. What takes things in the list's frame: C_list · M · C_list⁻¹.
    """
    own = change_of(mapping.frame)
    source = change_of(mapping.library.frame) if mapping.takes == "raw" else own
    return own @ matrices @ np.linalg.inv(source)


def chained(matrices: F64, parents: npt.NDArray[np.intp]) -> tuple[F64, npt.NDArray[np.bool_]]:
    """(whole transforms (N, 4, 4), which rows hang in a circle (N,)): each row behind those it hangs under (−1: none), by doubling the
    distance looked up to, so that a chain of any length takes as many rounds as its length has bits.
    """
    whole, above = matrices.copy(), parents.copy()
    for _ in range(int(np.ceil(np.log2(max(len(parents), 2)))) + 1):
        low = np.flatnonzero(above >= 0)
        if not len(low):
            break
        with np.errstate(over="ignore", invalid="ignore"):
            # Of what hangs in a circle nothing is used.
            whole[low] = whole[above[low]] @ whole[low]
        above[low] = above[above[low]]
    return whole, above >= 0
