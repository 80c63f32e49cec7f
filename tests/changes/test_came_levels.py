"""Levels that came along: names as files have them, structure, and nearness; only the finest stay."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from customs.changes.came_levels import families
from customs.geometry.counts import counts
from customs.ledger.row import About, Case, requirements
from customs.scene.model import Node, Scene
from customs.sheet.load import load_sheet
from tests.assets import key, scene_of
from tests.changes.test_coarser import ball, run


def named(*names: str, fineness: tuple[int, ...] = (3, 2, 1), at: tuple[float, ...] = (0, 0, 0)) -> Scene:
    scene = scene_of(*(ball(f, ordinal=k, at=(x, 0, 0)) for k, (f, x) in enumerate(zip(fineness, at))))
    return replace(scene, nodes=tuple(replace(n, name=name) for n, name in zip(scene.nodes, names)))


@pytest.mark.parametrize(
    "names",
    [
        ("stork_LOD0", "stork_LOD1", "stork_LOD2"), ("stork", "stork_lod1", "stork_lod2"), ("stork.lod.0", "stork.lod.1", "stork.lod.2"),
        ("LOD0_stork", "LOD1_stork", "LOD2_stork"), ("LOD0", "LOD1", "LOD2"), ("Stork LOD 0", "stork lod 1", "STORK LOD 2"),
        ("stork_lod1", "stork_lod2", "stork_lod3"),
    ],
)  # fmt: skip
def test_levels_are_told_by_their_names(names: tuple[str, ...]) -> None:
    (family,) = families(named(*names))
    assert [n for _, n in family.members] == [0, 1, 2] and family.triangles == (1280, 320, 80)
    out = run("finest-levels", named(*names))
    assert counts(out.scene)["triangles"] == 1280 and "the finest stays" in out.remarks[0].text
    assert out.remarks[0].values["coarser_levels"] == 400
    assert [n.name for n in out.scene.nodes] == [names[0]]


@pytest.mark.parametrize(
    "names", [("stork", "lodge", "lodger"), ("melody1", "melody2", "melody3"), ("a_lod0", "b_lod1", "c_lod2")]
)
def test_other_names_are_left_alone(names: tuple[str, ...]) -> None:
    assert families(named(*names)) == ()
    scene = named(*names)
    assert run("finest-levels", scene).scene is scene


def test_what_stands_elsewhere_is_no_level() -> None:
    (family,) = families(named("stork_lod0", "stork_lod1", "stork_lod2", at=(0, 0, 9)))
    assert [n for _, n in family.members] == [0, 1]


def test_where_numbers_and_triangles_differ_triangles_count() -> None:
    scene = named("stork_lod0", "stork_lod1", "stork_lod2", fineness=(1, 2, 3))
    assert (
        families(scene)[0].members[0] == (2, 2)
        and counts(run("finest-levels", scene).scene)["triangles"] == 1280
    )


def test_whole_groups_are_levels_too() -> None:
    """A group a level, each with parts of its own."""
    scene = scene_of(ball(3), ball(2, ordinal=1))
    groups = tuple(Node(key("node", 2 + k), f"LOD{k}", children=(k,)) for k in range(2))
    grouped = replace(
        scene, nodes=(*scene.nodes, *groups, Node(key("node", 4), "stork", children=(2, 3))), roots=(4,)
    )
    assert families(grouped)[0].triangles == (1280, 320)
    out = run("finest-levels", grouped).scene
    assert counts(out)["triangles"] == 1280 and [n.name for n in out.nodes if n.children] == ["LOD0", "stork"]


@pytest.mark.parametrize(
    ("sheet", "step", "sure"),
    [
        ("metre-yup-pbr", "kept-levels", True), ("donor-skeleton-kit", "finest-levels", False),
        ("one-mesh-kit", "finest-levels", True), ("plan-plot-kit", "finest-levels", True),
    ],
)  # fmt: skip
def test_a_row_a_family_with_a_remedy_that_works(sheet: str, step: str, sure: bool) -> None:
    rule, scene = requirements()["came-levels"], named("stork_lod0", "stork_lod1", "stork_lod2")
    (row,) = rule.judge(rule, Case(scene, scene, scene, load_sheet(sheet), About()))
    assert (
        row.verdict == "query"
        and row.remedy is not None
        and (row.remedy.step, row.remedy.sure) == (step, sure)
    )
    after = run(row.remedy.step, scene, **row.remedy.values).scene
    (row,) = rule.judge(rule, Case(scene, scene, after, load_sheet(sheet), About()))
    assert row.verdict == "cleared"
    plain = scene_of(ball(1))
    assert not list(rule.judge(rule, Case(plain, plain, plain, load_sheet(sheet), About())))


def test_points_that_are_no_numbers_are_no_level() -> None:
    scene = named("a_lod0", "a_lod1", "b")
    prim = scene.meshes[1].primitives[0]
    broken = replace(prim, positions=np.full_like(prim.positions, np.nan))
    meshes = (scene.meshes[0], replace(scene.meshes[1], primitives=(broken,)), scene.meshes[2])
    assert families(replace(scene, meshes=meshes)) == ()
