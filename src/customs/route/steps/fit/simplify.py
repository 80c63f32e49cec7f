"""Simplify: fewer triangles, by taking away the vertices that are least missed."""

from __future__ import annotations

from dataclasses import replace

from pydantic import Field

from customs.changes.coarser import Coarser, coarsened, coarser_of, steps_together, steps_within, sticks_out
from customs.changes.primitives import without_empty_meshes
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.route.step import Content, Outcome, Step, register
from customs.scene.folding import shown_times
from customs.scene.model import Mesh, Remark, Scene
from customs.scene.settings import Targeted
from customs.words import many


class Simplify(Targeted):
    """How far; the one that asks for least counts."""

    ratio: float | None = Field(default=None, gt=0, le=1, description="share of the triangles that stay")
    triangles: int | None = Field(default=None, ge=1, description="most triangles of a mesh")
    vertices: int | None = Field(default=None, ge=3, description="most vertices of a mesh")
    total: int | None = Field(default=None, ge=1, description="most triangles of all that is shown together")
    error: float | None = Field(default=None, gt=0, le=1e6, description="millimetres it may stray by")


def _apply(scene: Scene, settings: Simplify, resources: Content, job: Job) -> Outcome:
    times = shown_times(scene)
    found, said = dict[int, Coarser](), list[Remark]()
    meant = [k for k, m in enumerate(scene.meshes) if times[k] and settings.takes(m.key, m.name, m.made_from)]
    for n, k in enumerate(meant):
        part = job.part(n / len(meant), (n + 1) / len(meant))

        def tell(share: float, text: str, part: Job = part) -> None:
            job.check()
            part.progress(share, text)

        mesh, every = scene.meshes[k], sum(len(triangles_of(p)) for p in scene.meshes[k].primitives)
        coarser = coarser_of(mesh, tell, _least(every, settings))
        if coarser is not None and coarser.order.least > _least(coarser.order.first, settings):
            # Faces without area do not count among those a share is of.
            coarser = coarser_of(mesh, tell)
        if coarser is not None:
            found[k] = coarser
        elif any(len(p.positions) for p in scene.meshes[k].primitives):
            said.append(
                Remark(
                    f"{scene.meshes[k].name}: no triangles, or numbers that are not finite: left as it is",
                    scene.meshes[k].key,
                )
            )
    steps = {k: _steps(scene.meshes[k], c, settings) for k, c in found.items()}
    if settings.total is not None:
        steps = steps_together(found, steps, [int(n) for n in times], settings.total)
    meshes = list(scene.meshes)
    for k, c in found.items():
        job.check()
        meshes[k] = coarsened(meshes[k], c, steps[k])
        if meshes[k] is not scene.meshes[k]:
            said.append(_said(scene.meshes[k], meshes[k], c, steps[k], int(times[k])))
        said += _short(scene.meshes[k], c, steps[k], settings)
    if all(a is b for a, b in zip(meshes, scene.meshes)):
        return Outcome(scene, tuple(said))
    return Outcome(without_empty_meshes(replace(scene, meshes=tuple(meshes))), tuple(said))


def _least(first: int, settings: Simplify) -> int:
    """Triangles below which nothing is asked of a mesh of `first`, 0 where that is not known before."""
    if settings.vertices is not None or settings.total is not None or settings.error is not None:
        return 0
    share = first if settings.ratio is None else max(round(first * settings.ratio), 1)
    return min(share, first if settings.triangles is None else settings.triangles)


def _steps(mesh: Mesh, found: Coarser, settings: Simplify) -> int:
    """Steps that all wishes for one mesh together ask for."""
    out, first = 0, found.faces_after(0)
    if settings.ratio is not None:
        out = max(out, found.order.steps_for(max(round(first * settings.ratio), 1)))
    if settings.triangles is not None:
        out = max(out, found.order.steps_for(settings.triangles))
    if settings.vertices is not None:
        out = max(out, found.steps_for_vertices(settings.vertices))
    if settings.error is not None:
        out = max(out, steps_within(mesh, found, settings.error / 1000))
    return out


def _said(before: Mesh, after: Mesh, found: Coarser, steps: int, times: int) -> Remark:
    strays = sticks_out(before.primitives, after.primitives)
    gone = sum(len(triangles_of(p)) for p in before.primitives) - sum(
        len(triangles_of(p)) for p in after.primitives
    )
    return Remark(
        f"{before.name}: {found.faces_after(0):,} → {found.faces_after(steps):,} triangles, strays by at most {strays * 1000:,.3g} mm",
        before.key,
        {"triangles": found.faces_after(steps), "strays": strays, "simplified": gone * times},
    )


def _short(mesh: Mesh, found: Coarser, steps: int, settings: Simplify) -> list[Remark]:
    """That it cannot be made as coarse as was asked: seams and open edges would tear."""
    if steps < len(found.order.left) or settings.error is not None:
        return []
    over = (settings.triangles is not None and found.faces_after(steps) > settings.triangles) or (
        settings.vertices is not None and found.vertices_after(steps) > settings.vertices
    )
    if not over:
        return []
    left = many(found.faces_after(steps), "triangle")
    return [Remark(f"{mesh.name}: {left} are the fewest that keep its seams, borders and sides", mesh.key)]


def _summary(s: Simplify) -> str:
    if s.triangles is not None:
        return f"≤ {s.triangles:,} triangles"[:18]
    if s.vertices is not None:
        return f"≤ {s.vertices:,} vertices"[:18]
    if s.total is not None:
        return f"≤ {s.total:,} in all"[:18]
    if s.error is not None:
        return f"within {s.error:g} mm"[:18]
    return f"to {s.ratio:.0%}" if s.ratio is not None else "not at all"


register(
    Step(
        id="simplify",
        name="Simplify",
        desk="fit",
        order=54,
        about="Takes away the vertices that are least missed; UVs, normals, skins and morph targets stay as they were at the others.",
        settings=Simplify,
        targets="meshes",
        apply=_apply,
        summary=_summary,
        placements=True,
    )
)
