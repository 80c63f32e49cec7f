"""Signed permutations between conventions."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from customs.errors import CustomsError
from customs.scene.convention import Axis, Convention, Hand

F64 = npt.NDArray[np.float64]
AXES: tuple[Axis, ...] = ("+X", "-X", "+Y", "-Y", "+Z", "-Z")


def axis_vector(axis: str) -> F64:
    """Unit vector (3,) of `+X` … `-Z`."""
    out = np.zeros(3)
    out["XYZ".index(axis[1])] = 1.0 if axis[0] == "+" else -1.0
    return out


def check_axes(up: str, faces: str) -> None:
    """Raises CustomsError when `up` and `faces` lie on one axis or are no axes."""
    if up not in AXES or faces not in AXES:
        raise CustomsError(f"axes {up} and {faces}", "each one of " + " ".join(AXES))
    if up[1] == faces[1]:
        raise CustomsError(
            f"up {up} and faces {faces} lie on one axis", "two different axes", "Choose another facing."
        )


def to_working(up: Axis, faces: Axis, hand: Hand) -> F64:
    """P (3, 3): a signed permutation taking vectors of a convention to the working frame (Y up, faces +Z,
    right-handed).

    The thing's own left is up × faces by the right-hand rule, and the opposite in a left-handed frame; in the
    working frame left is +X. The rows of P are left, up and faces. det P is +1 from a right-handed frame, −1
    from a left-handed.
    """
    check_axes(up, faces)
    u, f = axis_vector(up), axis_vector(faces)
    left = np.cross(u, f) * (1 if hand == "right" else -1)
    return np.stack([left, u, f])


def between(source: Convention, target: Convention) -> tuple[F64, float]:
    """(P, k): the signed permutation and the scale from `source` numbers to `target` numbers."""
    p = to_working(target.up, target.faces, target.hand).T @ to_working(source.up, source.faces, source.hand)
    return p, source.metres_per_unit / target.metres_per_unit


def quarter_turns(degrees: tuple[float, float, float]) -> F64 | None:
    """Rotation (3, 3) by `degrees` about fixed X, then Y, then Z, rounded to a signed permutation.

    None when some angle is no multiple of 90.
    """
    if any(d % 90 for d in degrees):
        return None
    return np.round(turn_matrix(degrees))


def turn_matrix(degrees: tuple[float, float, float]) -> F64:
    """Rotation (3, 3) by `degrees` about fixed X, then Y, then Z, right-hand rule."""
    out = np.eye(3)
    for k, angle in enumerate(degrees):
        c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        m = np.eye(3)
        i, j = (k + 1) % 3, (k + 2) % 3
        m[i, i], m[i, j], m[j, i], m[j, j] = c, -s, s, c
        out = m @ out
    return out
