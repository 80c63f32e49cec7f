"""Posts: named points where something else is attached."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field, field_validator

from customs.changes.posts import Placed, posts_of, with_posts
from customs.changes.snapshot import snapshot_scene
from customs.errors import ReadError, StepError
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.model import Scene
from customs.scene.prune import with_nodes
from customs.scene.settings import Settings
from customs.words import many

Three = tuple[float, float, float]
Said = tuple[str, Three, Three, str, str]
Thing = tuple[str, str, str, str, str, str]


class Posts(Settings):
    """Every post once, by its name."""

    posts: tuple[Said, ...] = Field(
        default=(),
        description="each: name, metres, direction, the joint it hangs on, path of what is attached",
    )

    things: tuple[Thing, ...] = Field(
        default=(),
        description="what hangs there of other goods: post, snapshot by digest, name, author, licence, use",
    )

    @field_validator("posts")
    @classmethod
    def _sound(cls, value: tuple[Said, ...]) -> tuple[Said, ...]:
        names = [name for name, *_ in value]
        if len(set(names)) < len(names) or not all(n.strip() for n in names):
            raise ValueError("a name of its own for each post")
        for _, at, points, _, attached in value:
            if not np.isfinite([*at, *points]).all() or np.linalg.norm(points) < 1e-9:
                raise ValueError("finite numbers, and a direction that is not nothing")
            if attached.startswith("/") or ".." in attached.split("/") or "\\" in attached:
                raise ValueError("a relative path inside the kit with forward slashes")
        return value


def _apply(scene: Scene, settings: Posts, resources: Content, job: Job) -> Outcome:
    names = {name for name, *_ in settings.posts}
    gone = {n for n, post in posts_of(scene) if post.name in names and not scene.nodes[n].children}
    if gone:
        keep = [n for n in range(len(scene.nodes)) if n not in gone]
        scene = with_nodes(scene, {old: new for new, old in enumerate(keep)})
    if not settings.posts:
        return Outcome(scene)
    hung = {post: _thing(part, name, resources) for post, part, name, *_ in settings.things}
    out, said = with_posts(scene, [Placed(*post, hung.get(post[0])) for post in settings.posts])
    return Outcome(out, tuple(said))


def _thing(part: str, name: str, resources: Content) -> Scene:
    """What hangs at a post. Raises StepError where its snapshot is gone or damaged."""
    try:
        return replace(snapshot_scene(part, resources[part]), name=name)
    except KeyError:
        found = f"{name} that hangs at a post is no longer there"
    except ReadError as problem:
        found = f"{name} that hangs at a post is damaged ({problem.found})"
    raise StepError(found, "the shipment's own copy", "Hang it there again.", where="things")


register(
    Step(
        id="posts",
        name="Posts",
        desk="fittings",
        order=105,
        about="Named points on the asset, with position and direction, where something else is attached.",
        settings=Posts,
        apply=_apply,
        summary=lambda s: s.posts[0][0][:18] if len(s.posts) == 1 else many(len(s.posts), "post"),
        phase="form",
        placements=True,
    )
)
