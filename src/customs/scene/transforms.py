"""Quaternions (x y z w), translation-rotation-scale and matrices, vectorised over leading axes. All
float64.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]


def quaternion_matrix(q: Any) -> F64:
    """Rotation matrices (..., 3, 3) of quaternions (..., 4), normalised first.

    Source: glTF 2.0 specification, appendix on animation (quaternion to matrix), the usual Euler-Rodrigues
    form.
    """
    q = np.asarray(q, dtype=np.float64)
    length = np.linalg.norm(q, axis=-1, keepdims=True)
    x, y, z, w = np.moveaxis(q / np.where(length > 0, length, 1.0), -1, 0)
    out = np.empty((*q.shape[:-1], 3, 3))
    out[..., 0, 0] = 1 - 2 * (y * y + z * z)
    out[..., 0, 1] = 2 * (x * y - z * w)
    out[..., 0, 2] = 2 * (x * z + y * w)
    out[..., 1, 0] = 2 * (x * y + z * w)
    out[..., 1, 1] = 1 - 2 * (x * x + z * z)
    out[..., 1, 2] = 2 * (y * z - x * w)
    out[..., 2, 0] = 2 * (x * z - y * w)
    out[..., 2, 1] = 2 * (y * z + x * w)
    out[..., 2, 2] = 1 - 2 * (x * x + y * y)
    return out


def matrix_quaternion(m: Any) -> F64:
    """Quaternions (..., 4) x y z w of rotation matrices (..., 3, 3), w >= 0.

    Source: S. W. Shepperd, "Quaternion from rotation matrix", Journal of Guidance and Control 1 (1978): the
    largest of the four squared components is found first, so nothing is divided by a small number.
    """
    m = np.asarray(m, dtype=np.float64)
    x, y, z = m[..., 0, 0], m[..., 1, 1], m[..., 2, 2]
    t = x + y + z
    squares = np.stack([x * 2 - t, y * 2 - t, z * 2 - t, t], axis=-1) + 1
    a, b, c = m[..., 2, 1] - m[..., 1, 2], m[..., 0, 2] - m[..., 2, 0], m[..., 1, 0] - m[..., 0, 1]
    d, e, f = m[..., 1, 0] + m[..., 0, 1], m[..., 0, 2] + m[..., 2, 0], m[..., 2, 1] + m[..., 1, 2]
    # Four times the outer product of the quaternion with itself: every row is the quaternion, scaled.
    rows = np.stack([
        np.stack([squares[..., 0], d, e, a], axis=-1),
        np.stack([d, squares[..., 1], f, b], axis=-1),
        np.stack([e, f, squares[..., 2], c], axis=-1),
        np.stack([a, b, c, squares[..., 3]], axis=-1),
    ], axis=-2)  # fmt: skip
    pick = squares.argmax(axis=-1)[..., None, None]
    q = np.take_along_axis(rows, pick, axis=-2)[..., 0, :]
    q = q / np.linalg.norm(q, axis=-1, keepdims=True)
    return np.where(q[..., 3:] < 0, -q, q)


def decompose_all(m: Any, like: Any = None) -> tuple[F64, F64, F64, float]:
    """Translations (..., 3), quaternions (..., 4), scales (..., 3) of matrices (..., 4, 4), and the worst
    shear.

    The shear is the largest cosine between two axes; 0 means nothing is lost. Squashed axes count as one
    long. Mirrored ones get a negative Z, or the signs of the scale `like` (3,) where they fit.
    """
    m = np.asarray(m, dtype=np.float64)
    scale = axis_lengths(m)
    long = scale > 1e-12 * scale.max(axis=-1, keepdims=True)
    rotation = m[..., :3, :3] / np.where(long, scale, 1.0)[..., None, :]
    x, y = rotation[..., :, 0], rotation[..., :, 1]
    flipped = np.einsum("...i,...i->...", np.cross(x, y), rotation[..., :, 2]) < 0
    signs = np.ones(3) if like is None else np.where(np.asarray(like) < 0, -1.0, 1.0)
    fits = flipped == (signs.prod() < 0)
    signs = np.where(fits[..., None], signs, np.where(flipped[..., None], [1.0, 1.0, -1.0], 1.0))
    scale, rotation = scale * signs, rotation * signs[..., None, :]
    gram = np.swapaxes(rotation, -1, -2) @ rotation
    shear = float(np.abs(gram - np.eye(3) * gram).max(initial=0.0))
    return m[..., :3, 3].copy(), matrix_quaternion(rotation), scale, shear


def continuous(q: Any) -> F64:
    """Quaternions (T, ..., 4) with signs chosen so that neighbours in time lie on one side: the short way
    round.
    """
    q = np.array(q, dtype=np.float64)
    if len(q) > 1:
        turned = np.einsum("...i,...i->...", q[1:], q[:-1]) < 0
        q[1:][np.cumsum(turned, axis=0) % 2 == 1] *= -1
    return q


def multiply_quaternions(a: Any, b: Any) -> F64:
    """Hamilton product a·b of quaternions (..., 4) x y z w: first b, then a."""
    ax, ay, az, aw = np.moveaxis(np.asarray(a, dtype=np.float64), -1, 0)
    bx, by, bz, bw = np.moveaxis(np.asarray(b, dtype=np.float64), -1, 0)
    return np.stack(
        [
            aw * bx + ax * bw + ay * bz - az * by,
            aw * by - ax * bz + ay * bw + az * bx,
            aw * bz + ax * by - ay * bx + az * bw,
            aw * bw - ax * bx - ay * by - az * bz,
        ],
        axis=-1,
    )


def compose(translation: Any, rotation: Any, scale: Any) -> F64:
    """Matrices (..., 4, 4) from translation (..., 3), quaternion (..., 4), scale (..., 3): T · R · S."""
    translation = np.asarray(translation, dtype=np.float64)
    out = np.zeros((*translation.shape[:-1], 4, 4))
    out[..., :3, :3] = quaternion_matrix(rotation) * np.asarray(scale, dtype=np.float64)[..., None, :]
    out[..., :3, 3] = translation
    out[..., 3, 3] = 1
    return out


def _with_all_axes(rotation: F64, long: npt.NDArray[np.bool_]) -> F64:
    """Axes (3, 3) as columns, with those that are not `long` (3,) made up so that all stand square on each
    other.
    """
    if long.all():
        return rotation
    if not long.any():
        return np.eye(3)
    out, have = rotation.copy(), int(long.argmax())
    if long.sum() == 1:
        side = np.eye(3)[int(np.abs(out[:, have]).argmin())]
        third = (have + 1) % 3
        out[:, third] = np.cross(side, out[:, have])
        out[:, third] /= np.linalg.norm(out[:, third])
        long = long.copy()
        long[third] = True
    lost = int((~long).argmax())
    out[:, lost] = np.cross(out[:, (lost + 1) % 3], out[:, (lost + 2) % 3])
    return out


LEAST, MOST = 1e-30, 1e30
"""Scales smaller than this are 0 to what a vertex holds (a float32), larger ones infinite (ratio)."""
FLAT = 1e-9
"""An axis shorter than this share of the longest, or axes that enclose less than this, squash what goes
through (ratio).
"""


def axis_lengths(m: Any) -> F64:
    """(..., 3) lengths of the axes of matrices (..., 3, 3) or (..., 4, 4), in whatever unit: their squares
    may be past a double.
    """
    basis = np.asarray(m, dtype=np.float64)[..., :3, :3]
    longest = np.abs(basis).max(axis=-2)
    longest = np.where((longest > 0) & np.isfinite(longest), longest, 1.0)
    out: F64 = np.linalg.norm(basis / longest[..., None, :], axis=-2) * longest
    return out


def invertible(m: Any) -> bool:
    """True when `m` (4, 4) squashes nothing: parts hidden by a scale of 0 are no rare thing."""
    basis = np.asarray(m, dtype=np.float64)[:3, :3]
    longest = float(np.abs(basis).max())
    if not LEAST < longest < MOST or not np.isfinite(m).all():
        return False
    lengths = np.linalg.norm(basis / longest, axis=0)
    return bool(lengths.min() > FLAT and abs(np.linalg.det(basis / longest / lengths)) > FLAT)


def inverse(m: Any) -> F64:
    """The inverse of `m` (..., 3, 3), or of affine `m` (..., 4, 4).

    Of what squashes, the pseudo-inverse, which leads back to what is left (R. Penrose, 1955).
    """
    m = np.asarray(m, dtype=np.float64)
    with np.errstate(all="ignore"):
        try:
            out: F64 = np.linalg.inv(m)
            if np.isfinite(out).all():
                return out
        except np.linalg.LinAlgError:
            pass
    linear = np.nan_to_num(m[..., :3, :3])
    longest = max(float(np.abs(linear).max(initial=0.0)), 1e-300)
    # In a unit in which its axes are about one long, so that none is taken for short for its unit alone.
    back = np.linalg.pinv(linear / longest, rcond=FLAT) / longest
    if m.shape[-1] == 3:
        return np.asarray(back, dtype=np.float64)
    whole = np.zeros_like(m)
    whole[..., :3, :3] = back
    whole[..., :3, 3] = -np.einsum("...ij,...j->...i", back, m[..., :3, 3])
    whole[..., 3, 3] = 1.0
    return whole


def decompose(m: Any, like: Any = None) -> tuple[F64, F64, F64] | None:
    """Translation (3,), quaternion (4,), scale (3,) of `m` (4, 4), or None when it holds shear.

    Axes squashed to nothing have a scale of 0 and turn as the others leave room for.

    A mirrored matrix gives one negative scale, on the axis that leaves the rotation smallest (X when all are
    equal). Where the signs of the scale `like` (3,) fit, they are taken: clips that move one part of a node
    rely on the others.
    """
    m = np.asarray(m, dtype=np.float64)
    basis = m[:3, :3]
    scale = axis_lengths(basis)
    long = scale > 1e-12 * scale.max()
    rotation = _with_all_axes(basis / np.where(long, scale, 1.0), long)
    scale = np.where(long, scale, 0.0)
    if np.abs(rotation.T @ rotation - np.eye(3)).max() > 1e-4:
        return None
    signs = np.ones(3) if like is None else np.where(np.asarray(like) < 0, -1.0, 1.0)
    mirrored = np.linalg.det(rotation) < 0
    if (signs < 0).any() and (signs.prod() < 0) == mirrored:
        rotation, scale = rotation * signs, scale * signs
    elif mirrored:
        axis = int(np.argmin(np.diag(rotation)))
        rotation = rotation.copy()
        rotation[:, axis] *= -1
        scale[axis] *= -1
    return m[:3, 3].copy(), matrix_quaternion(rotation), scale


FLAT = 1e-9
"""Share of the box its columns span that the volume of a transform has at least where it squeezes nothing flat."""


def flat(matrices: npt.NDArray[np.float64]) -> npt.NDArray[np.bool_]:
    """(N,) which transforms (N, 3 or 4, 3 or 4) squeeze what they place flat, however small they make it."""
    sides = np.linalg.norm(matrices[:, :3, :3], axis=1)
    # Of what is very small the volume is nothing to a float: each is looked at as large as one.
    unit = matrices[:, :3, :3] / np.maximum(sides, 1e-300)[:, None, :]
    thin = sides.min(axis=1) <= 1e-12 * sides.max(axis=1)
    return np.asarray(thin | (np.abs(np.linalg.det(unit)) <= FLAT))


def apply_affine(m: F64, points: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
    """`points` (N, 3) through `m` (4, 4) in float64 chunks, back as float32 (N, 3)."""
    out = np.empty(points.shape, dtype=np.float32)
    linear, shift = m[:3, :3].T.copy(), m[:3, 3]
    for start in range(0, len(points), 65536):
        part = points[start : start + 65536].astype(np.float64) @ linear
        part += shift
        out[start : start + 65536] = part
    return out


def unit_rows(vectors: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
    """`vectors` (N, D) scaled to length 1, rows of zero left alone, float32."""
    v = vectors.astype(np.float32, copy=False)
    length = np.sqrt(np.einsum("ij,ij->i", v, v))
    length[length == 0] = 1
    out: npt.NDArray[np.float32] = v / length[:, None]
    return out
