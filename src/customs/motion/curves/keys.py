"""Values of a channel between its keys. Source: glTF 2.0, appendix C (linear, step, spherical linear, cubic
spline).
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from customs.scene.model import Channel

F64 = npt.NDArray[np.float64]


def slerp(a: Any, b: Any, t: Any) -> F64:
    """Spherical interpolation of quaternions (..., 4) the short way; `t` (...,) from 0 to 1. Source: glTF
    2.0, C.4.
    """
    a, b = np.asarray(a, dtype=np.float64), np.asarray(b, dtype=np.float64)
    t = np.asarray(t, dtype=np.float64)[..., None]
    dot = np.einsum("...i,...i->...", a, b)[..., None]
    b, dot = np.where(dot < 0, -b, b), np.abs(dot)
    angle = np.arccos(np.minimum(dot, 1.0))
    near = dot > 0.9995
    sine = np.where(near, 1.0, np.sin(angle))
    first = np.where(near, 1 - t, np.sin((1 - t) * angle) / sine)
    second = np.where(near, t, np.sin(t * angle) / sine)
    out = first * a + second * b
    return out / np.linalg.norm(out, axis=-1, keepdims=True)


def sample(channel: Channel, seconds: Any) -> F64:
    """Values (..., N) of a channel at `seconds` (...,), held before the first and after the last key.

    Cubic spline as in glTF 2.0, appendix C.5: tangents are scaled by the length of the interval.
    """
    at = np.asarray(seconds, dtype=np.float64)
    # Only the keys beside each time are brought to double precision: a long take is asked for one moment at a
    # time.
    times, values = channel.times, channel.values
    cubic = channel.interpolation == "cubic"
    points = values[:, 1] if cubic else values
    if len(times) == 1:
        return np.broadcast_to(points[0].astype(np.float64), (*at.shape, *points.shape[1:])).copy()
    k = np.clip(np.searchsorted(times, at.astype(times.dtype), side="right") - 1, 0, len(times) - 2)
    first = times[k].astype(np.float64)
    span = times[k + 1].astype(np.float64) - first
    t = np.clip((at - first) / np.where(span > 0, span, 1.0), 0.0, 1.0)
    if channel.interpolation == "step":
        return points[np.where(t >= 1, k + 1, k)].astype(np.float64)
    if cubic:
        return _spline(channel.path, values, k, span, t)
    a, b = points[k].astype(np.float64), points[k + 1].astype(np.float64)
    if channel.path == "rotation":
        return slerp(a, b, t)
    return a + t[..., None] * (b - a)


def _spline(path: str, values: npt.NDArray[Any], k: Any, span: F64, t: F64) -> F64:
    def at(key: Any, part: int) -> F64:
        return values[key, part].astype(np.float64)

    t, span = t[..., None], span[..., None]
    t2, t3 = t * t, t * t * t
    out = (
        (2 * t3 - 3 * t2 + 1) * at(k, 1)
        + span * (t3 - 2 * t2 + t) * at(k, 2)
        + (-2 * t3 + 3 * t2) * at(k + 1, 1)
        + span * (t3 - t2) * at(k + 1, 0)
    )
    return out / np.linalg.norm(out, axis=-1, keepdims=True) if path == "rotation" else out


def slope(channel: Channel, seconds: Any) -> F64:
    """Derivative (..., N) per second of a cubic channel at `seconds` (...,); zero outside its keys.

    The derivative of the spline of glTF 2.0, appendix C.5; for rotations that of the spline before it is made
    one long.
    """
    at = np.asarray(seconds, dtype=np.float64)
    times, values = channel.times.astype(np.float64), channel.values.astype(np.float64)
    if len(times) == 1:
        return np.zeros((*at.shape, values.shape[-1]))
    k = np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(times) - 2)
    span = times[k + 1] - times[k]
    t = ((at - times[k]) / span)[..., None]
    outside = (at < times[0]) | (at > times[-1])
    span, t2 = span[..., None], t * t
    out = (
        (6 * t2 - 6 * t) / span * (values[k, 1] - values[k + 1, 1])
        + (3 * t2 - 4 * t + 1) * values[k, 2]
        + (3 * t2 - 2 * t) * values[k + 1, 0]
    )
    return np.where(outside[..., None], 0.0, out)
