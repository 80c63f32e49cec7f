"""Collision shapes of a package: of every purpose, in the kinds that are taken, around as much of the mesh as is asked."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.geometry.bodies import Body, hull_of
from customs.landing.log import Log
from customs.landing.told_apart import Landed, rows_of
from customs.motion.posing.pose import posed_scene_points
from customs.sheet.model import Sheet

Json = dict[str, Any]
F64 = npt.NDArray[np.float64]
SLACK = 2e-3
"""Of the size, what numbers with six digits and round shapes with flat sides may be off by."""


def check_shapes(landed: Landed, sheet: Sheet, facts: Json | None, file: str, log: Log) -> None:
    """Every purpose the sheet takes: its meshes, its numbers, how much of the mesh they hold."""
    rules, seen = sheet.shapes, list[str]()
    mesh_points = np.concatenate([np.zeros((0, 3)), *posed_scene_points(landed.core)])
    for purpose in rules.taken:
        meshes = [(name, points) for name, p, points in landed.shapes if p == purpose]
        rows = [r for r in rows_of(facts, "shapes") if r.get("purpose") == purpose]
        if not meshes and not rows and purpose in rules.optional:
            continue
        seen.append(purpose)
        if rules.form in ("meshes", "both"):
            log.check(bool(meshes), file, f"there is no shape for {purpose}")
            bodies = [
                b
                for name, points in meshes
                if (b := _hull(points, name, rules.corners, file, log)) is not None
            ]
            _covers(bodies, mesh_points, purpose, sheet, file, log)
        if rules.form in ("numbers", "both") and facts is not None:
            doc = facts[""]
            log.check(bool(rows), doc, f"has no numbers of a shape for {purpose}")
            log.check(len(rows) <= rules.most, doc, f"{len(rows)} shapes for {purpose}, at most {rules.most}")
            kinds = rules.kinds.get(purpose, ())
            read = [b for r in rows if (b := _body(r, purpose, kinds, doc, log)) is not None]
            if len(read) == len(rows):
                _covers(read, mesh_points, purpose, sheet, doc, log)
            if rules.form == "both":
                log.check(
                    len(rows) == len(meshes),
                    doc,
                    f"{len(rows)} shapes for {purpose}, the model has {len(meshes)}",
                )
    if seen:
        log.note("shows", file, f"shapes for {', '.join(seen)}")


def _hull(points: F64, name: str, corners: int, file: str, log: Log) -> Body | None:
    if not len(points) or not np.isfinite(points).all():
        log.refuse(file, f"shape {name} is empty, or has numbers that are not finite")
        return None
    p, faces = hull_of(points)
    return Body("hull", np.zeros(3), np.eye(3), points=p, faces=faces)


def _covers(bodies: list[Body], points: F64, purpose: str, sheet: Sheet, file: str, log: Log) -> None:
    """As much of the mesh lies inside as the sheet asks: counted by vertices, which is not how it was counted before."""
    if not bodies or not len(points):
        return
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    out = np.min([b.outside(points) for b in bodies], axis=0)
    inside = float((out <= SLACK * size).mean())
    least = sheet.shapes.covers.get(purpose, 0.0)
    log.check(
        inside >= least - LENIENT * (least < 1), file,
        f"the shape for {purpose} holds {inside:.1%} of the mesh, {least:.0%} is read; {out.max():.3g} {sheet.axes.unit_name} stick out",
    )  # fmt: skip


LENIENT = 0.05
"""What a share of vertices may differ from a share of the surface."""


def _body(row: Json, purpose: str, kinds: tuple[str, ...], doc: str, log: Log) -> Body | None:
    """A shape as its numbers say, or None after a refusal."""
    kind = row.get("kind")
    log.check(
        not kinds or kind in kinds, doc, f"the shape for {purpose} is a {kind}, {' or '.join(kinds)} is read"
    )
    try:
        middle = _three(row["middle"])
        if kind == "sphere":
            return Body("sphere", middle, np.eye(3), _length(row["radius"]))
        if kind == "capsule":
            a, b = (_three(e) for e in row["ends"])
            along, half = b - a, float(np.linalg.norm(b - a)) / 2
            axis = along / (2 * half) if half > 1e-12 else np.array([0.0, 1.0, 0.0])
            side = np.linalg.svd(axis[None])[2][1:]
            return Body(
                "capsule",
                (a + b) / 2,
                np.stack([side[0], axis, side[1]], axis=1),
                _length(row["radius"]),
                (0.0, half, 0.0),
            )
        if kind == "box":
            half3, axes = _three(row["half"]), np.stack([_three(a) for a in row["axes"]], axis=1)
            if (half3 <= 0).any():
                raise ValueError("sizes over 0")
            return Body("box", middle, axes, half=(float(half3[0]), float(half3[1]), float(half3[2])))
        points = np.array(row["points"], np.float64)
        if points.ndim != 2 or points.shape[1] != 3 or not len(points) or not np.isfinite(points).all():
            raise ValueError("points that are not three finite numbers each")
        p, faces = hull_of(points)
        return Body("hull", np.zeros(3), np.eye(3), points=p, faces=faces)
    except (KeyError, TypeError, ValueError) as problem:
        log.refuse(doc, f"the shape for {purpose} cannot be read from its numbers: {problem}")
        return None


def _three(value: Any) -> F64:
    out = np.array(value, np.float64)
    if out.shape != (3,) or not np.isfinite(out).all():
        raise ValueError(f"{value!r:.40} is not three finite numbers")
    return out


def _length(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value < math.inf:
        raise ValueError(f"{value!r:.40} is no length")
    return float(value)
