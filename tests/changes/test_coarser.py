"""Meshes made coarser: what hangs on their vertices stays, distances against trimesh, levels and their distances."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh

from customs.changes.coarser import coarser_of, sticks_out
from customs.changes.plot import footprint_of
from customs.changes.shape_fit import fits_of
from customs.job import Job
from customs.motion.posing.pose import posed_scene_points
from customs.route.step import NOTHING, Outcome, get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.levels import at_level, distance_for, level_at, level_of
from customs.scene.model import Mesh, MorphTarget, Primitive, Scene
from customs.scene.things import Camera
from tests.assets import cube, key, letter_primitive, scene_of
from tests.motion.rigs import bar


def run(step: str, scene: Scene, **values: Any) -> Outcome:
    entry = get_step(step)
    return entry.run(scene, make_settings(entry, values), NOTHING, Job())


def ball(subdivisions: int = 4, ordinal: int = 0, at: tuple[float, float, float] = (0, 0, 0)) -> Primitive:
    """A ball of radius 1 with normals, UVs, colours, and a morph target that stretches its upper half."""
    mesh = trimesh.creation.icosphere(subdivisions=subdivisions)
    points = mesh.vertices.astype(np.float32)
    uv = np.stack([np.arctan2(points[:, 2], points[:, 0]) / 7 + 0.5, points[:, 1] / 2 + 0.5], axis=1)
    up = np.where(points[:, 1:2] > 0, points * [0, 0.5, 0], 0)
    return Primitive(
        key("primitive", ordinal), frozen(points + np.float32(at)), indices=frozen(mesh.faces.reshape(-1), np.uint32),
        normals=frozen(points), texcoords=(frozen(uv.astype(np.float32)),), colours=(frozen(np.c_[np.abs(points), np.ones(len(points))].astype(np.float32)),),
        targets=(MorphTarget(positions=frozen(up.astype(np.float32))),),
    )  # fmt: skip


def triangles(mesh: Mesh) -> int:
    return sum(len(p.indices) // 3 for p in mesh.primitives if p.indices is not None)


def test_what_hangs_on_a_vertex_stays_on_it() -> None:
    prim = ball()
    known = {p.tobytes(): k for k, p in enumerate(prim.positions)}
    found = coarser_of(Mesh(key("mesh", 0), "ball", (prim,)))
    assert found is not None
    (out,) = found.parts_after(found.order.steps_for(400))
    rows = [known[p.tobytes()] for p in out.positions]
    assert len(rows) < 250 and out.normals is not None and out.targets[0].positions is not None
    assert np.array_equal(out.normals, prim.normals[rows]) and np.array_equal(
        out.texcoords[0], prim.texcoords[0][rows]
    )  # type: ignore[index]
    assert np.array_equal(out.colours[0], prim.colours[0][rows])
    assert np.array_equal(out.targets[0].positions, prim.targets[0].positions[rows])  # type: ignore[index]


def test_the_distance_said_is_that_of_trimesh() -> None:
    """trimesh.proximity: both ways, at vertices and middles of faces."""
    prim = ball(3)
    found = coarser_of(Mesh(key("mesh", 0), "ball", (prim,)))
    assert found is not None
    coarse = found.parts_after(found.order.steps_for(100))
    a, b = (trimesh.Trimesh(p.positions, p.indices.reshape(-1, 3), process=False) for p in (prim, *coarse))  # type: ignore[union-attr]
    there = trimesh.proximity.closest_point(b, np.concatenate([a.vertices, a.triangles_center]))[1].max()
    back = trimesh.proximity.closest_point(a, np.concatenate([b.vertices, b.triangles_center]))[1].max()
    assert sticks_out((prim,), coarse) == pytest.approx(max(there, back), rel=1e-5)


def test_materials_that_touch_stay_together() -> None:
    """Two halves of a ball, a material each: no crack opens along their border, whatever goes."""
    whole = ball(3)
    faces = whole.indices.reshape(-1, 3)  # type: ignore[union-attr]
    upper = whole.positions[faces].mean(axis=1)[:, 1] > 0
    halves = tuple(
        replace(
            whole,
            key=key("primitive", k),
            material=k,
            indices=frozen(faces[upper == bool(k)].reshape(-1), np.uint32),
        )
        for k in (0, 1)
    )
    found = coarser_of(Mesh(key("mesh", 0), "ball", halves))
    assert found is not None
    parts = found.parts_after(found.order.steps_for(200))
    points = np.concatenate([p.positions[p.indices] for p in parts])  # type: ignore[index]
    soup = trimesh.Trimesh(points, np.arange(len(points)).reshape(-1, 3), process=False)
    soup.merge_vertices()
    assert len(parts) == 2 and soup.is_watertight


def test_a_skinned_mesh_bends_as_before() -> None:
    """The coarser bar, bent by its joints, lies where the fine one lies."""
    scene = bar(sections=40) if "sections" in bar.__code__.co_varnames else bar()
    out = run("simplify", scene, ratio=0.4).scene
    joint = next(iter(scene.skins[0].joints[1:]))
    bent = [
        replace(
            s,
            nodes=tuple(
                replace(n, rotation=np.array([0, 0, 0.38, 0.92])) if k == joint else n
                for k, n in enumerate(s.nodes)
            ),
        )
        for s in (scene, out)
    ]
    a, b = (np.concatenate(posed_scene_points(s)) for s in bent)
    assert len(b) <= len(a)
    near = trimesh.proximity.ProximityQuery(
        trimesh.Trimesh(a, triangles_in(scene), process=False)
    ).on_surface(b)[1]
    assert near.max() < 1e-4 * np.ptp(a)


def triangles_in(scene: Scene) -> np.ndarray:
    first, out = 0, []
    for mesh in scene.meshes:
        for p in mesh.primitives:
            assert p.indices is not None
            out.append(p.indices.reshape(-1, 3) + first)
            first += len(p.positions)
    return np.concatenate(out)


@pytest.mark.parametrize(
    ("values", "most"),
    [({"ratio": 0.1}, 512), ({"triangles": 300}, 300), ({"vertices": 200}, 400), ({"total": 500}, 270), ({"error": 20}, 5119)],
)  # fmt: skip
def test_every_wish_is_kept(values: dict[str, float], most: int) -> None:
    scene = scene_of(ball(), ball(ordinal=1, at=(5, 0, 0)))
    out = run("simplify", scene, **values)
    for before, after in zip(scene.meshes, out.scene.meshes):
        assert 4 <= triangles(after) <= most
        if "error" in values:
            assert sticks_out(before.primitives, after.primitives) <= 0.0201
    assert sum("strays by at most" in r.text for r in out.remarks) == 2
    went = sum(r.values.get("simplified", 0) for r in out.remarks)
    assert went == sum(triangles(a) - triangles(b) for a, b in zip(scene.meshes, out.scene.meshes))


@pytest.mark.parametrize("total", [6000, 3000, 700, 100])
def test_together_they_have_as_many_as_are_asked_for(total: int) -> None:
    """No fewer than need be: one error stands for many steps."""
    scene = scene_of(ball(), ball(3, ordinal=1, at=(5, 0, 0)))
    out = run("simplify", scene, total=total).scene
    assert total - 4 <= sum(triangles(m) for m in out.meshes) <= total


def test_what_is_small_enough_or_has_no_faces_is_left() -> None:
    scene = scene_of(cube(), replace(cube(ordinal=1), mode="points", indices=None))
    out = run("simplify", scene, ratio=1.0)
    assert out.scene is scene and "no triangles" in out.remarks[0].text
    broken = scene_of(replace(cube(), positions=frozen(np.full_like(cube().positions, np.nan))))
    assert run("simplify", broken, ratio=0.5).scene is broken
    held = run("simplify", scene_of(letter_primitive(0)), triangles=1)
    assert any("the fewest" in r.text for r in held.remarks) or triangles(held.scene.meshes[0]) == 1


def test_levels_fall_and_their_distances_grow() -> None:
    out = run("lods", scene_of(ball()), ratios=(0.5, 0.1), last=500).scene
    mesh = out.meshes[0]
    counts = [triangles(m) for m in (mesh, *mesh.levels)]
    assert (
        counts[0] == 5120
        and counts[1] == pytest.approx(2560, abs=2)
        and counts[2] == pytest.approx(512, abs=2)
    )
    assert len(mesh.reach) == 3 and sorted(mesh.reach) == list(mesh.reach) and mesh.reach[-1] == 500
    # A ball of diagonal 2√3 fills half the picture's height under 60° at 2√3 / (2 tan 30° · 0.5); by triangles, √0.5 of that.
    assert mesh.reach[0] == pytest.approx(distance_for(2 * 3**0.5, 0.5 * 0.5**0.5), rel=0.02)
    assert [level_at(mesh.reach, m) for m in (1, mesh.reach[0], 499, 501)] == [0, 1, 2, None]


def test_one_level_alone_has_a_distance_and_chosen_ones_count() -> None:
    alone = run("lods", scene_of(cube()), ratios=()).scene.meshes[0]
    assert alone.levels == () and alone.reach == (10_000,)
    chosen = run("lods", scene_of(ball(2)), triangles=(150, 50), distances=(4, 9, 40)).scene.meshes[0]
    assert chosen.reach == (4, 9, 40) and triangles(chosen.levels[1]) <= 50
    shares = run("lods", scene_of(ball(3)), errors=(30, 100), shares=(0.5, 0.25), field=90).scene.meshes[0]
    assert shares.reach[0] == pytest.approx(2 * 3**0.5, rel=0.02) and shares.reach[1] == pytest.approx(
        4 * 3**0.5, rel=0.02
    )


def test_a_box_has_no_coarser_level_and_says_so() -> None:
    out = run("lods", scene_of(cube()))
    assert out.scene.meshes[0].levels == () and "no coarser level" in out.remarks[0].text


def test_levels_take_the_materials_of_now_and_go_with_their_mesh() -> None:
    out = run("lods", scene_of(replace(ball(2), material=0)), ratios=(0.5,)).scene
    mesh = out.meshes[0]
    later = replace(mesh, primitives=(replace(mesh.primitives[0], material=3),))
    assert level_of(later, 1).primitives[0].material == 3 and triangles(level_of(later, 9)) < triangles(later)
    assert triangles(at_level(out, 1).meshes[0]) == triangles(mesh.levels[0]) and at_level(out, 0) is out


def test_a_stop_that_reshapes_a_mesh_takes_its_levels_and_says_so() -> None:
    levelled = run("lods", scene_of(ball(2)), ratios=(0.5,)).scene
    out = run("simplify", levelled, ratio=0.8)
    assert out.scene.meshes[0].levels == () and any("make them after it" in r.text for r in out.remarks)
    kept = run("leave-out", levelled, cameras=True)
    assert (
        kept.scene.meshes[0].levels
        and not any("levels" in r.text for r in kept.remarks)
        and not kept.scene.held(Camera)
    )


HUGE = np.float32(1e30)
SPITEFUL: dict[str, Primitive] = {
    "huge": replace(ball(2), positions=frozen(ball(2).positions * HUGE)),
    "huge UVs": replace(ball(2), texcoords=(frozen(ball(2).texcoords[0] * np.float32(1e38)),)),
    "no numbers in a morph target": replace(
        ball(2), targets=(MorphTarget(positions=frozen(np.full((162, 3), np.nan, np.float32))),)
    ),
    "a needle": replace(ball(2), positions=frozen(ball(2).positions * np.float32([1e-7, 1e7, 1e-7]))),
    "a speck": replace(ball(2), positions=frozen(ball(2).positions * np.float32(1e-30))),
    "one place": replace(ball(2), positions=frozen(np.ones((162, 3), np.float32))),
    "one triangle": replace(ball(0), indices=frozen(np.array([0, 1, 5]), np.uint32)),
    "inside out": replace(ball(2), indices=frozen(ball(2).indices[::-1], np.uint32)),  # type: ignore[index]
    "twice over": replace(ball(1), indices=frozen(np.tile(ball(1).indices, 2), np.uint32)),  # type: ignore[arg-type]
    "a fan of one edge": replace(
        ball(1), indices=frozen(np.array([[0, 1, k] for k in range(2, 40)]).reshape(-1), np.uint32)
    ),
}


@pytest.mark.breadth(2)
@pytest.mark.parametrize("name", SPITEFUL)
def test_spiteful_meshes_go_through_every_stop(name: str) -> None:
    """What makes no sense is left, said or fitted anyhow; nothing breaks down."""
    scene = scene_of(SPITEFUL[name])
    for values in ({"ratio": 0.3}, {"total": 5}, {"error": 1.0}, {"vertices": 20}):
        assert triangles(run("simplify", scene, **values).scene.meshes[0]) >= 1 or name == "one place"
    for step, values in (
        ("lods", {}), ("lods", {"errors": (1.0, 50.0)}), ("finest-levels", {}), ("picture", {}), ("plot", {"rows": ("AB",)}),
        ("posts", {"posts": (("p", (0.0, 0.0, 0.0), (0.0, 1.0, 0.0), "", ""),)}),
        *(("shapes", {"hits": k}) for k in ("sphere", "capsule", "box", "turned-box", "hull", "hulls", "mesh", "simplified", "joints")),
        ("shapes", {"hits": "sphere", "by": "part", "out": 0.2}),
    ):  # fmt: skip
        out = run(step, scene, **values)
        assert fits_of(out.scene) or step != "shapes" or out.remarks, step
    footprint_of(scene, 0.1)
    assert level_at((), 1.0) is None


def test_an_order_as_far_as_it_is_asked_for_is_the_beginning_of_the_whole() -> None:
    """Whether the slider has been there before or not, the same triangles stay; faces without area count for nothing."""
    flat = ball(4)
    assert flat.indices is not None
    degenerate = np.concatenate([flat.indices, np.zeros(3 * 900, np.uint32)])
    for prim in (flat, replace(flat, indices=degenerate)):
        mesh = scene_of(prim).meshes[0]
        part = coarser_of(mesh, least=600)
        whole = coarser_of(scene_of(prim).meshes[0])
        assert part is not None and whole is not None and coarser_of(mesh, least=600) is part
        assert len(part.order.left) < len(whole.order.left) and part.order.left[-1] <= 600
        steps = len(part.order.left)
        assert np.array_equal(part.order.left, whole.order.left[:steps])
        assert np.array_equal(part.order.after(steps)[0], whole.order.after(steps)[0])
        fresh = scene_of(prim)
        quick = run("simplify", fresh, ratio=0.1).scene
        coarser_of(fresh.meshes[0])
        again = run("simplify", replace(fresh), ratio=0.1).scene
        assert triangles(quick.meshes[0]) == triangles(again.meshes[0]) == 512
