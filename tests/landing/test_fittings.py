"""Levels and shapes: what is delivered is read back by trimesh and by landing; every mistake is named."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from scipy.spatial import cKDTree

from customs.changes.plot import footprint_of, proposed
from customs.changes.shape_fit import fits_of
from customs.changes.shapes import shapes_of
from customs.dispatch.fittings import with_fittings
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.intake.take import take
from customs.landing.land import land, landed_scene
from customs.motion.posing.pose import posed_scene_points
from customs.picture.icon import aside, icon_shot
from customs.scene.arrays import frozen
from customs.scene.folding import fold
from customs.scene.levels import at_level
from customs.scene.model import Mesh, Scene
from customs.scene.tree import mesh_nodes
from customs.scene.wishes import PictureWish
from customs.sheet.load import load_sheet
from customs.sheet.model import Sheet
from customs.work.lookup import find_sheet
from tests.assets import key, scene_of
from tests.changes.test_coarser import ball, run, triangles
from tests.landing.test_rules import delivered, exchange, exchange_file, model_bytes, refusals
from tests.motion.rigs import bar
from tests.outside.judges import validate

KIT = load_sheet("plan-plot-kit")


@cache
def fitted(**shapes: Any) -> Scene:
    """A ball on the ground with levels, shapes and a plot."""
    prim = replace(ball(3, at=(0, 1, 0)), targets=(), colours=())
    scene = replace(scene_of(prim), name="ball")
    scene = replace(
        scene, nodes=(replace(scene.nodes[0], name="ball"),), meshes=(replace(scene.meshes[0], name="ball"),)
    )
    levelled = run("lods", scene, ratios=(0.4, 0.15)).scene
    wished = {"hits": "hull", "picking": "capsule", "around": "sphere", "corners": 64} | shapes
    shaped = run("shapes", levelled, **wished).scene
    ground = footprint_of(shaped, KIT.plot.cell)
    assert ground is not None
    return run("plot", shaped, cell=KIT.plot.cell, rows=proposed(ground, tuple(KIT.plot.areas))).scene


@pytest.fixture
def package(tmp_path: Path) -> Path:
    folder = delivered(fitted(), KIT, tmp_path)
    log = land(folder, find_sheet)
    assert log.accepted, refusals(log)
    return folder


def test_an_outside_reader_finds_levels_and_shapes(package: Path) -> None:
    """trimesh reads the nodes by their names; shapes enclose the ball, by its volumes; the Khronos validator has no complaint."""
    assert validate([package / "ball.glb"]) == []
    scene = trimesh.load(package / "ball.glb", force="scene")
    meshes = {
        n: scene.geometry[scene.graph[n][1]].copy().apply_transform(scene.graph[n][0])
        for n in scene.graph.nodes_geometry
    }
    assert set(meshes) == {"ball", "ball_lod1", "ball_lod2", "ball_hits", "ball_picking", "ball_around"}
    assert len(meshes["ball"].faces) > len(meshes["ball_lod1"].faces) > len(meshes["ball_lod2"].faces)
    for name in ("ball_hits", "ball_picking", "ball_around"):
        meshes[name].merge_vertices()
        assert meshes[name].is_watertight and meshes[name].volume > meshes["ball"].volume
    assert meshes["ball_around"].volume == pytest.approx(4 / 3 * np.pi, rel=0.06)
    facts = json.loads((package / "ball.json").read_text("utf-8"))
    assert [r["until"] for r in facts["levels"]][-1] == 10_000 and facts["levels"][1]["node"] == "ball_lod1"
    assert next(r for r in facts["shapes"] if r["kind"] == "sphere")["radius"] == pytest.approx(1, abs=1e-4)


Facts = dict[str, Any]
DOCUMENTS: dict[str, tuple[Callable[[Facts], object], str]] = {
    "another asset": (lambda f: f.update(asset="cube"), "is of 'cube'"),
    "another unit": (lambda f: f.update(unit="cm"), "lengths are in 'cm'"),
    "a level missing": (lambda f: f["levels"].pop(1), "says nothing of level ball_lod1"),
    "a level too many": (lambda f: f["levels"].append({"node": "ball_lod3"}), "not in the model: ball_lod3"),
    "no distance": (lambda f: f["levels"][2].pop("until"), "ball_lod2 has no distance"),
    "a distance that is no number": (lambda f: f["levels"][0].update(until="far"), "ball has no distance"),
    "an endless distance": (lambda f: f["levels"][2].update(until=float("inf")), "ball_lod2 has no distance"),
    "distances that fall": (lambda f: f["levels"][1].update(until=0.1), "do not grow"),
    "other triangles": (lambda f: f["levels"][1].update(triangles=7), "says 7 triangles of ball_lod1"),
    "no levels at all": (lambda f: f.pop("levels"), "says nothing of level ball"),
    "a shape missing": (lambda f: f["shapes"].pop(0), "has no numbers of a shape for hits"),
    "a shape twice": (lambda f: f["shapes"].append(f["shapes"][2]), "2 shapes for around, the model has 1"),
    "a sphere too small": (lambda f: f["shapes"][2].update(radius=0.7), "the shape for around holds"),
    "a sphere elsewhere": (lambda f: f["shapes"][2].update(middle=[0, 3, 0]), "the shape for around holds"),
    "a radius below nothing": (lambda f: f["shapes"][2].update(radius=-1), "no length"),
    "no radius": (lambda f: f["shapes"][1].pop("radius"), "cannot be read"),
    "ends that are none": (lambda f: f["shapes"][1].update(ends=[[0, 0], [1, 1]]), "cannot be read"),
    "a middle that is no place": (lambda f: f["shapes"][2].update(middle="here"), "cannot be read"),
    "a kind that is not taken": (lambda f: f["shapes"][2].update(kind="box", half=[1, 1, 1], axes=np.eye(3).tolist()), "is a box, sphere is read"),
    "a hull of a point": (lambda f: f["shapes"][0].update(points=[[0, 0, 0]]), "the shape for hits holds"),
    "a document that is a list": (lambda f: f.clear() or f.update(x=1), "is of None"),
}  # fmt: skip


@pytest.mark.breadth(2)
@pytest.mark.parametrize("name", DOCUMENTS)
def test_a_document_that_is_wrong_is_named(name: str, package: Path) -> None:
    change, said = DOCUMENTS[name]
    body = json.loads((package / "ball.json").read_text("utf-8"))
    change(body)
    again(package, json.dumps(body).encode())
    log = land(package, find_sheet)
    assert said in refusals(log) and "ball.json" in refusals(log), refusals(log)


def again(package: Path, data: bytes) -> None:
    """The document exchanged."""
    exchange_file(package, "ball.json", data)


@pytest.mark.parametrize(
    ("data", "said"), [(b"{", "cannot be read"), (b"\xff\xfe", "cannot be read"), (b"[1]", "no table")]
)
def test_a_document_that_cannot_be_read(data: bytes, said: str, package: Path) -> None:
    again(package, data)
    assert said in refusals(land(package, find_sheet))


def level(mesh: Mesh, k: int, factor: float, shift: float = 0.0) -> Mesh:
    """Level `k` with its points moved and scaled."""
    coarse = mesh.levels[k]
    prim = coarse.primitives[0]
    moved = replace(prim, positions=frozen((prim.positions * np.float32(factor)) + np.float32(shift)))
    return replace(
        mesh,
        levels=tuple(
            replace(coarse, primitives=(moved,)) if i == k else m for i, m in enumerate(mesh.levels)
        ),
    )


MODELS: dict[str, tuple[Callable[[Scene], Scene], str]] = {
    "levels in the wrong order": (lambda s: replace(s, meshes=(replace(s.meshes[0], levels=s.meshes[0].levels[::-1]),)), "in the wrong order"),
    "a level elsewhere": (lambda s: replace(s, meshes=(level(s.meshes[0], 0, 1, 3.0),)), "does not stand where the finest"),
    "a level of another size": (lambda s: replace(s, meshes=(level(s.meshes[0], 1, 0.2),)), "does not stand where the finest"),
    "a level as fine": (lambda s: replace(s, meshes=(replace(s.meshes[0], levels=(replace(s.meshes[0], levels=(), reach=()), *s.meshes[0].levels[1:])),)), "in the wrong order"),
    "levels without distances": (lambda s: replace(s, meshes=(replace(s.meshes[0], reach=(5.0, 5.0, 5.0)),)), "do not grow"),
    "no shape to hit": (lambda s: without(s, "hits"), "there is no shape for hits"),
    "a shape too small": (lambda s: run("shapes", s, around="sphere", edits=(("around", 0, (0, 0, 0), (0, 0, 0), (0.5, 0.5, 0.5)),)).scene, "the shape for around holds"),
    "a shape moved off": (lambda s: run("shapes", s, hits="hull", edits=(("hits", 0, (0, 4, 0), (0, 0, 0), (1, 1, 1)),)).scene, "the shape for hits holds"),
    "a shape of another kind": (lambda s: run("shapes", s, around="capsule").scene, "is a capsule, sphere is read"),
}  # fmt: skip


def without(scene: Scene, purpose: str) -> Scene:
    gone = {n for n, s in shapes_of(scene) if s.purpose == purpose}
    return replace(scene, roots=tuple(r for r in scene.roots if r not in gone))


@pytest.mark.parametrize("name", MODELS)
def test_a_package_that_is_wrong_in_itself_is_named(name: str, tmp_path: Path) -> None:
    change, said = MODELS[name]
    log = land(delivered(change(fitted()), KIT, tmp_path), find_sheet)
    assert said in refusals(log), refusals(log)


def test_too_few_levels_are_remarked_on(tmp_path: Path) -> None:
    scene = fitted()
    log = land(
        delivered(
            replace(scene, meshes=(replace(scene.meshes[0], levels=(), reach=(10_000.0,)),)), KIT, tmp_path
        ),
        find_sheet,
    )
    assert log.accepted and any("looked for" in line.text for line in log.lines if line.level == "remark")


def test_a_package_without_its_document_is_refused(package: Path) -> None:
    (package / "ball.json").unlink()
    assert "ball.json: the docket names it and it is not there" in refusals(land(package, find_sheet))


def sheet(**tables: Any) -> Sheet:
    body = KIT.model_dump()
    for name, values in tables.items():
        body[name] |= values
    return Sheet.model_validate(body)


def test_what_a_sheet_does_not_take_is_not_delivered(tmp_path: Path) -> None:
    bare = with_fittings(fitted(), sheet(levels={"form": "none"}, shapes={"form": "none"}))
    assert len(bare.roots) == 1 and not shapes_of(bare) and not any(m.levels for m in bare.meshes)
    numbers = with_fittings(fitted(), sheet(shapes={"form": "numbers"}))
    assert [numbers.nodes[r].name for r in numbers.roots] == ["ball", "ball_lod1", "ball_lod2"]
    with pytest.raises(ValueError, match="document"):
        sheet(layout={"facts": ""})


def test_what_moves_a_node_moves_its_levels() -> None:
    scene = bar()
    out = with_fittings(
        run("lods", scene, triangles=(max(triangles(scene.meshes[0]) // 2, 4),)).scene, sheet()
    )
    twins = [n for n in out.nodes if "_lod1" in n.name]
    if twins:
        assert all(n.skin is not None and n.mesh is not None for n in twins)


@pytest.mark.parametrize(
    "kind", ["sphere", "capsule", "box", "turned-box", "hull", "hulls", "mesh", "simplified"]
)
def test_every_kind_covers_what_it_stands_for(kind: str) -> None:
    scene = run("shapes", scene_of(ball(3)), hits=kind, corners=40).scene
    fit = fits_of(scene).get("hits")
    assert fit is not None
    if kind == "simplified":
        # Corners stay on the ball and faces cut below it: what lies off them is said, not called covered.
        assert 0.02 < fit.farthest < 0.15 and fit.out > 0.9
        return
    assert fit.out == 0 and fit.farthest < 1e-4
    if kind in ("sphere", "box", "hull"):
        expected = {"sphere": 1 - 4.15 / 4.189, "box": 1 - 4.15 / 8, "hull": 0.15}[kind]
        assert fit.air == pytest.approx(expected, abs=0.12)


def test_some_may_stick_out_where_it_is_wished() -> None:
    """A ball with a spike: the least sphere is twice as large with it as without."""
    points = ball(3).positions.copy()
    points[int(points[:, 1].argmax())] = [0, 3, 0]
    scene = scene_of(replace(ball(3), positions=frozen(points)))
    whole, tight = (run("shapes", scene, around="sphere", out=o).scene for o in (0.0, 0.05))
    radii = [s.radius for x in (whole, tight) for _, s in shapes_of(x)]
    assert radii[0] == pytest.approx(2, rel=0.01) and radii[1] == pytest.approx(1, rel=0.05)
    fit = fits_of(tight).get("around")
    assert fit is not None and 0 < fit.out < 0.1 and fit.farthest == pytest.approx(2, abs=0.1)


def test_capsules_lie_along_the_joints_of_a_rig() -> None:
    scene = bar()
    out = run("shapes", scene, hits="joints").scene
    mine = shapes_of(out)
    assert mine and all(s.kind == "capsule" for _, s in mine)
    under = {n for n, _ in mine}
    assert all(any(n in out.nodes[j].children for j in scene.skins[0].joints) for n in under)
    fit = fits_of(out).get("hits")
    assert fit is not None and fit.out < 0.6


def test_nothing_has_no_shape_and_flat_things_do(tmp_path: Path) -> None:
    empty = replace(scene_of(), name="empty")
    assert "nothing here has a surface" in run("shapes", empty, hits="hull").remarks[0].text
    flat = scene_of(replace(ball(2), positions=frozen(ball(2).positions * np.float32([1, 0, 1]))))
    for kind in ("sphere", "capsule", "box", "turned-box", "hull", "mesh", "simplified"):
        assert shapes_of(run("shapes", flat, hits=kind).scene), kind


def test_a_division_that_fails_is_one_hull_and_says_so(monkeypatch: pytest.MonkeyPatch) -> None:
    from customs.errors import ReadError

    def die(*_: object) -> object:
        raise ReadError("the library broke down (SIGSEGV)")

    monkeypatch.setattr("customs.changes.shapes.several_hulls", die)
    out = run("shapes", scene_of(ball(2)), hits="hulls")
    assert len(shapes_of(out.scene)) == 1 and any(
        "SIGSEGV" in r.text and "one hull now" in r.text for r in out.remarks
    )


def test_several_hulls_hold_less_air_than_one() -> None:
    """The volume of the division against the sum of its parts: a torus has a hole one hull fills."""
    ring = trimesh.creation.torus(1, 0.25)
    prim = replace(
        ball(1),
        positions=frozen(ring.vertices.astype(np.float32)),
        indices=frozen(ring.faces.reshape(-1), np.uint32),
        normals=None,
        texcoords=(),
        colours=(),
        targets=(),
    )
    one, many = (
        fits_of(run("shapes", scene_of(prim), hits=k, hulls=16).scene).get("hits") for k in ("hull", "hulls")
    )
    assert one is not None and many is not None and one.air is not None and many.air is not None
    assert many.count > 3 and many.air < one.air - 0.2


def test_a_mesh_that_stands_in_several_places_is_covered_in_each() -> None:
    """Many wheels of one mesh, as nodes and as rows: the sphere goes around all of them."""
    scene = scene_of(ball(2))
    wheels = tuple(
        replace(scene.nodes[0], key=key("node", k), translation=np.array([4.0 * k, 0, 0])) for k in range(36)
    )
    many = replace(scene, nodes=wheels, roots=tuple(range(36)))
    assert len(fold(many).placements) == 36
    for one in (many, fold(many)):
        ((_, shape),) = shapes_of(run("shapes", one, around="sphere").scene)
        assert shape.radius == pytest.approx(71, rel=0.01), len(one.placements)


def test_levels_of_a_moving_body_move_with_it(goods: dict[str, Path], tmp_path: Path) -> None:
    """The stork, skinned and walking, with levels as nodes: each has the skin, the Khronos validator has no complaint, and
    the coarser one stays near the fine one in every pose looked at.
    """
    body = load_sheet("metre-yup-pbr").model_dump()
    body["levels"] |= {"form": "nodes"}
    rules = Sheet.model_validate(body)
    stork = take(goods["watering_stork"], goods["watering_stork"].parent).scene
    scene = run("arrive", stork, metres_per_unit=0.01, up="+Z", faces="-Y").scene
    scene = run("tangents", run("weights", scene).scene).scene
    levelled = run("lods", scene, ratios=(0.5,)).scene
    folder = delivered(levelled, rules, tmp_path)
    assert validate([folder / f"{stork.name}.glb"]) == []
    read = read_scene(Source(folder / f"{stork.name}.glb"))
    twins = {n.name: n for n in read.nodes if n.name.endswith("_lod1")}
    assert len(twins) > 5 and all(n.skin is not None for n in twins.values())
    points = dict(zip((n for n in mesh_nodes(read)), posed_scene_points(read, read.clips[0], 0.4)))
    names = {read.nodes[n].name: n for n in points}
    size = float(np.ptp(np.concatenate(list(points.values())), axis=0).max())
    for name in twins:
        fine, coarse = points[names[name.removesuffix("_lod1")]], points[names[name]]
        assert cKDTree(fine).query(coarse)[0].max() < 1e-5 * size, name


def test_a_level_keeps_the_silhouette(goods: dict[str, Path]) -> None:
    """Rendered from three sides: of the pixels either covers, the stork at half its triangles shares 93 in a hundred, at a
    fifth 84: its corners stay on the surface, so round things draw in.
    """
    stork = take(goods["watering_stork"], goods["watering_stork"].parent).scene
    scene = run("arrive", stork, metres_per_unit=0.01, up="+Z", faces="-Y").scene
    levelled = run("lods", scene, ratios=(0.5, 0.2)).scene
    for turn in ((-35.0, 16.0), (90.0, 0.0), (0.0, 80.0)):
        shots = [icon_shot(scene, PictureWish(turn=turn), 300, 300)] * 3
        shots = [replace(shot, scene=at_level(levelled, k)) for k, shot in enumerate(shots)]
        fine, half, fifth = (
            m[..., 3] > 127 for m in aside(lambda r, s=tuple(shots): [r.render(x) for x in s])
        )
        assert (fine & half).sum() / (fine | half).sum() > 0.93, turn
        assert (fine & fifth).sum() / (fine | fifth).sum() > 0.84, turn


def test_a_level_on_a_node_that_is_moved_is_refused(tmp_path: Path) -> None:
    """The mesh of the level is the right one; its node stands elsewhere."""
    folder = delivered(fitted(), KIT, tmp_path)
    read = read_scene(Source(folder / "ball.glb"))
    moved = [
        replace(n, translation=np.array([0.5, 0, 0])) if n.name == "ball_lod2" else n for n in read.nodes
    ]
    exchange(folder, lambda body: None, model_bytes(replace(read, nodes=tuple(moved)), "glb"))
    assert "ball_lod2 stands on a node that is moved" in refusals(land(folder, find_sheet))


def test_nothing_is_read_beside_the_package(package: Path) -> None:
    """An asset whose name leads out of its package: what lies there is not looked at, by landing or its picture."""
    for name in ("ball.json", "ball_icon.png", "ball_plot.json"):
        (package.parent / name).write_bytes((package / name).read_bytes())
    exchange(package, lambda body: body.update(asset="../ball"))
    said = refusals(land(package, find_sheet))
    assert "../ball.json: the asset's document is not there" in said
    assert "the icon is not there" in said and "the plot is not there" in said
    assert not any(m.reach for m in landed_scene(package, KIT).meshes)
