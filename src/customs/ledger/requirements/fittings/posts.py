"""Posts: those the sheet asks for are there, and those that are there can be delivered."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from customs.changes.posts import posts_of, stands
from customs.ledger.row import Case, Requirement, Row, register, remedy, said
from customs.scene.tree import world_matrices
from customs.words import many

FAR = 1.0
"""Of the size, how far outside the asset's box a post may stand before it is asked about (common practice)."""


def _judge(rule: Requirement, case: Case) -> Iterator[Row]:
    rules, scene = case.sheet.posts, case.delivering
    found = posts_of(scene)
    if rules.form == "none":
        if found:
            yield rule.row(
                "–", "none", said(len(found), many(len(found), "post")), "query", remedy=remedy("posts", "Leave posts out", False, posts=()),
                note="This destination has no posts: they are not delivered.",
            )  # fmt: skip
        return
    missing = [name for name in rules.required if name not in {p.name for _, p in found}]
    for name in missing:
        yield rule.row(
            "–", "placed", "none", "held", subject=name, subject_name=name,
            note="Place it on the desk Fittings, by a click on the surface or by numbers.",
        )  # fmt: skip
    worlds, box = world_matrices(scene), case.after.box
    for n, post in found:
        at, _ = stands(post, worlds[n])
        size = float(np.linalg.norm(case.after.size))
        off = (
            0.0 if box is None else float(np.linalg.norm(np.maximum(np.maximum(box[0] - at, at - box[1]), 0)))
        )
        lost = off > FAR * size
        note = f"It stands {off:.2f} m away from everything." if lost else ""
        if post.thing is not None and not post.attached and rules.attached == "reference":
            note = (
                note
                or f"{post.thing.name} that hangs there has no path in the kit: say it on the desk Fittings."
            )
        yield rule.row(
            "–", "on the asset", said(tuple(round(float(v), 4) for v in at), f"{at[0]:.3f}, {at[1]:.3f}, {at[2]:.3f} m"),
            "query" if note else "cleared", subject=post.name, subject_name=post.name, note=note,
        )  # fmt: skip


register(Requirement("posts", "Posts", "fittings", _judge, step="posts"))
