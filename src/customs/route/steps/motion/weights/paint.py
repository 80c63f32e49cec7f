"""Paint: weights changed by hand on chosen vertices, joints locked or free."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal, cast

import numpy as np
import numpy.typing as npt
from pydantic import Field, field_validator

from customs.errors import StepError
from customs.job import Job
from customs.motion.weights.paint import Edit, edited, mirrored
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Primitive, Remark, Scene
from customs.scene.selection import growing, ranges_in, rows_in
from customs.scene.settings import Settings
from customs.words import many

Row = tuple[str, str, str, float, str | tuple[tuple[int, int], ...]]
KINDS = ("set", "add", "scale", "blend", "mirror")


class Paint(Settings):
    """Edits, one after another."""

    adds: ClassVar = ("edits", "locked")
    edits: tuple[Row, ...] = Field(
        default=(),
        description="(primitive Key, joint name, set|add|scale|blend|mirror, amount, selection of vertices: its digest, or ranges)",
    )
    locked: tuple[str, ...] = Field(default=(), description="names of joints whose weights stay")
    limit: int = Field(default=4, ge=1, le=16, description="influences per vertex")

    @field_validator("edits")
    @classmethod
    def _kinds(cls, value: tuple[Row, ...]) -> tuple[Row, ...]:
        for _, _, kind, amount, ranges in value:
            if kind not in KINDS:
                raise ValueError(f"edit {kind!r}: one of {', '.join(KINDS)}")
            if not np.isfinite(amount) or (not isinstance(ranges, str) and not growing(ranges)):
                raise ValueError("a finite amount and ranges that grow")
        return value


def _vertices(
    said: str | tuple[tuple[int, int], ...], count: int, resources: Content
) -> npt.NDArray[np.intp]:
    if not isinstance(said, str):
        return rows_in(np.asarray(said, dtype=np.int64).reshape(-1, 2), count)
    try:
        return rows_in(ranges_in(resources[said]), count)
    except KeyError:
        raise StepError(
            "a selection of vertices is no longer there",
            "the shipment's own copy",
            "Take the edit out, or choose again.",
            where=said,
        ) from None
    except ValueError as problem:
        raise StepError(
            f"a selection of vertices is damaged ({problem})", "ranges", "Choose again.", where=said
        ) from None


def _apply(scene: Scene, settings: Paint, resources: Content, job: Job) -> Outcome:
    if not settings.edits:
        return Outcome(scene)
    skin_of = {n.mesh: n.skin for n in scene.nodes if n.mesh is not None and n.skin is not None}
    meshes, touched, remarks = list(scene.meshes), 0, list[Remark]()
    for row in settings.edits:
        job.check()
        key, joint, kind, amount, ranges = row
        place = _find(scene, key)
        skin = skin_of.get(place[0]) if place is not None else None
        names = [scene.nodes[j].name for j in scene.skins[skin].joints] if skin is not None else []
        if place is None or joint not in names:
            remarks.append(Remark(f"{key} {joint}: no longer there"))
            continue
        m, k = place
        p: Primitive = meshes[m].primitives[k]
        locked = frozenset(names.index(n) for n in settings.locked if n in names)
        rows = _vertices(ranges, len(p.positions), resources)
        if kind == "mirror":
            new = mirrored(p, names, names.index(joint), settings.limit)
        else:
            edit = Edit(
                names.index(joint), cast(Literal["set", "add", "scale", "blend"], kind), float(amount), rows
            )
            new = edited(p, len(names), edit, locked, settings.limit)
        touched += len(rows)
        parts = meshes[m].primitives
        meshes[m] = replace(meshes[m], primitives=(*parts[:k], new, *parts[k + 1 :]))
    if not touched and not any(e[2] == "mirror" for e in settings.edits):
        return Outcome(scene, tuple(remarks))
    return Outcome(
        replace(scene, meshes=tuple(meshes)),
        (Remark(f"{many(len(settings.edits), 'edit')} on {many(touched, 'vertex')}"), *remarks),
    )


def _find(scene: Scene, key: str) -> tuple[int, int] | None:
    for m, mesh in enumerate(scene.meshes):
        for k, p in enumerate(mesh.primitives):
            if key == str(p.key) or key in {str(x) for x in p.made_from}:
                return m, k
    return None


register(
    Step(
        id="paint",
        name="Paint weights",
        desk="motion",
        order=55,
        about="Weights set, added to, scaled or blended by hand on chosen vertices.",
        settings=Paint,
        apply=_apply,
        summary=lambda s: many(len(s.edits), "edit"),
    )
)
