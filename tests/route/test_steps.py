"""Every step: what it changes, what it leaves alone, and that nothing moves in the world that should not."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.changes.unsettled import unsettled
from customs.errors import Cancelled, StepError
from customs.formats.image_write import deliveries
from customs.geometry.inward import inward
from customs.geometry.triangles import triangles_of
from customs.job import Job
from customs.motion.posing.bounds import world_bounds
from customs.motion.posing.pose import posed_scene_points
from customs.route.step import DESKS, NOTHING, Outcome, get_step, make_settings, steps
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.key import Key
from customs.scene.model import Image, Material, Node, Primitive, Scene, TextureUse
from customs.scene.settings import missing_targets
from customs.scene.tree import local_matrix, mesh_nodes, walk
from customs.scene.wishes import Delivery
from customs.surface.pixels import image_info
from tests.assets import cube, key, letter_primitive, quaternion, scene_of


def do(step: str, scene: Scene, **values: Any) -> Outcome:
    """Apply one step."""
    entry = get_step(step)
    return entry.apply(scene, make_settings(entry, values), NOTHING, Job())


def cloud(scene: Scene, seconds: float | None = None) -> np.ndarray:
    """All posed corners of all faces, sorted: where the surface is, however it is divided into meshes."""
    clip = scene.clips[0] if seconds is not None else None
    points = posed_scene_points(scene, clip, seconds or 0.0)
    prims = [p for n in mesh_nodes(scene) for p in scene.meshes[scene.nodes[n].mesh or 0].primitives]
    corners = np.concatenate([p[triangles_of(q).reshape(-1)] for p, q in zip(points, prims)])
    return np.sort(np.round(corners, 4), axis=0)


def same_place(a: Scene, b: Scene, *times: float) -> None:
    """Assert that nothing moved, at rest and at the times given."""
    for t in (None, *times):
        assert np.abs(cloud(a, t) - cloud(b, t)).max() < 3e-4


# -- settle, flatten, empties, join, split, static


def test_settle_moves_nothing_and_leaves_nothing(letter: Scene) -> None:
    out = do("settle", letter).scene
    same_place(letter, out, 0.0, 0.3, 0.8)
    assert unsettled(letter) and not unsettled(out)


def test_settle_pushes_leftover_scale_out_of_a_skeleton(letter: Scene) -> None:
    # common practice: a rig under a node scaled by 0.01 and turned upright
    top = Node(
        key("node", 20),
        "export",
        children=letter.roots,
        scale=np.full(3, 0.01),
        rotation=quaternion("X", -90),
    )
    scene = replace(
        letter, nodes=(*letter.nodes, top), roots=(len(letter.nodes),), clips=(_without_scale(letter),)
    )
    out = do("settle", scene).scene
    same_place(scene, out, 0.2, 0.5, 0.9)
    for n, _, _ in walk(out):
        if n in out.skins[0].joints:
            assert np.allclose(out.nodes[n].scale, 1, atol=1e-6)
    assert not unsettled(out)


def _without_scale(scene: Scene):  # type: ignore[no-untyped-def]
    clip = scene.clips[0]
    return replace(clip, channels=tuple(c for c in clip.channels if c.path != "scale"))


def test_settle_turns_mirrored_faces_over() -> None:
    scene = scene_of(cube())
    mirrored = replace(scene, nodes=(replace(scene.nodes[0], scale=np.array([-2.0, 1, 1])),))
    out = do("settle", mirrored).scene
    prim = out.meshes[0].primitives[0]
    assert not inward(prim.positions, triangles_of(prim)).any()
    assert prim.normals is not None
    assert np.einsum("ij,ij->i", prim.normals, prim.positions).min() > 0
    same_place(mirrored, out)


def test_settle_copies_a_mesh_two_nodes_share() -> None:
    scene = scene_of(cube())
    twice = replace(
        scene,
        nodes=(scene.nodes[0], Node(key("node", 1), "b", mesh=0, translation=np.array([3.0, 0, 0]))),
        roots=(0, 1),
    )
    out = do("settle", twice).scene
    assert len(out.meshes) == 2 and out.meshes[1].made_from == (scene.meshes[0].key,)
    same_place(twice, out)


def test_settle_keeps_uneven_scale_on_what_moves(letter: Scene) -> None:
    nodes = tuple(replace(n, scale=np.array([1.0, 2.0, 1.0])) if n.name == "low" else n for n in letter.nodes)
    out = do("settle", replace(letter, nodes=nodes))
    assert any("uneven" in r.text for r in out.remarks)
    same_place(replace(letter, nodes=nodes), out.scene, 0.4)


def nested() -> Scene:
    """Three cubes under turned, scaled and empty nodes."""
    prims = (cube(), cube(0.5, 1), cube(0.25, 2))
    base = scene_of(*prims)
    nodes = (
        Node(key("node", 0), "root", children=(1, 4), rotation=quaternion("Y", 40)),
        Node(
            key("node", 1), "group", children=(2, 3), scale=np.full(3, 2.0), translation=np.array([1.0, 2, 3])
        ),
        Node(key("node", 2), "a", mesh=0, translation=np.array([0, 1.0, 0])),
        Node(key("node", 3), "empty", children=(5,), rotation=quaternion("Z", 90)),
        Node(key("node", 4), "b", mesh=1),
        Node(key("node", 5), "c", mesh=2, translation=np.array([1.0, 0, 0])),
    )
    return replace(base, nodes=nodes, roots=(0,))


def test_flatten_lifts_meshes_under_the_root() -> None:
    scene = nested()
    out = do("flatten", scene, depth=1).scene
    depth = {n: d for n, _, d in walk(out)}
    assert all(depth[n] == 0 for n in mesh_nodes(out))
    same_place(scene, out)
    two = do("flatten", scene, depth=2).scene
    assert max(d for n, _, d in walk(two) if n in mesh_nodes(two)) == 1
    same_place(scene, two)


def test_flatten_leaves_what_moves_with_its_parent(letter: Scene) -> None:
    moving = replace(
        letter, clips=(replace(letter.clips[0], channels=(replace(letter.clips[0].channels[0], node=5),)),)
    )
    out = do("flatten", moving, depth=1)
    assert any("moves with its parent" in r.text for r in out.remarks)
    same_place(moving, out.scene, 0.3)


def test_drop_empties_keeps_what_was_below_in_place() -> None:
    scene = nested()
    out = do("drop-empties", scene).scene
    assert len(out.nodes) == 3
    same_place(scene, out)


def test_drop_empties_by_name_and_keeps_joints(letter: Scene) -> None:
    scene = nested()
    out = do("drop-empties", scene, targets=("emp*",)).scene
    assert len(out.nodes) == len(scene.nodes) - 1
    same_place(scene, out)
    assert len(do("drop-empties", letter).scene.skins[0].joints) == 3


def test_join_makes_one_mesh_and_merges_by_material() -> None:
    scene = nested()
    out = do("join", scene).scene
    assert len(out.meshes) == 1 and len(mesh_nodes(out)) == 1 and len(out.meshes[0].primitives) == 1
    prim = out.meshes[0].primitives[0]
    assert prim.source_primitive is not None and set(prim.source_primitive.tolist()) == {0, 1, 2}
    assert prim.source_face is not None and prim.source_face.max() == 11
    assert len(out.meshes[0].made_from) == 3
    same_place(scene, out)


def test_join_brings_skins_together(letter: Scene) -> None:
    split = do("static", letter, drop="clips").scene
    second = replace(split.nodes[4], key=key("node", 30), name="second")
    reversed_skin = replace(
        split.skins[0], key=key("skin", 1), joints=split.skins[0].joints[::-1],
        inverse_bind=frozen(split.skins[0].inverse_bind[::-1], np.float64),
    )  # fmt: skip
    nodes = (*split.nodes, replace(second, skin=1))
    scene = replace(
        split, nodes=nodes, roots=(*split.roots, len(nodes) - 1), skins=(*split.skins, reversed_skin)
    )
    out = do("join", scene)
    same_place(scene, out.scene)
    assert len(out.scene.skins) == 1 and any("morphs" in r.text for r in out.remarks)


def test_join_binds_loose_pieces_to_the_joint_they_hang_from(letter: Scene) -> None:
    bare = replace(
        letter, meshes=(replace(letter.meshes[0], primitives=(cube(0.1, 9),), weights=None), letter.meshes[1])
    )
    hung = replace(
        bare,
        nodes=tuple(
            replace(n, children=(*n.children, 6))
            if n.name == "high"
            else replace(n, children=())
            if n.name == "stand"
            else n
            for n in bare.nodes
        ),
        clips=(_without_scale(letter),),
    )
    hung = replace(hung, clips=(replace(hung.clips[0], channels=hung.clips[0].channels[:3]),))
    out = do("join", hung).scene
    assert len(out.meshes) == 1 and out.meshes[0].primitives[0].joints is not None
    same_place(hung, out, 0.2, 0.7)


def test_split_by_material_gives_each_a_mesh() -> None:
    scene = scene_of(
        cube(material=0), materials=tuple(Material(key("material", i), f"m{i}") for i in range(2))
    )
    mesh = replace(scene.meshes[0], primitives=(scene.meshes[0].primitives[0], cube(0.5, 1, material=1)))
    out = do("split-material", replace(scene, meshes=(mesh,))).scene
    assert [len(m.primitives) for m in out.meshes] == [1, 1]
    assert {m.primitives[0].material for m in out.meshes} == {0, 1}
    same_place(replace(scene, meshes=(mesh,)), out)
    assert do("split-material", scene).scene is scene


def test_static_keeps_the_mesh_as_it_stands(letter: Scene) -> None:
    out = do("static", letter).scene
    assert not out.skins and not out.clips
    assert np.abs(cloud(letter) - cloud(out)).max() < 2e-4
    assert all(p.joints is None for m in out.meshes for p in m.primitives)
    assert {n.name for n in out.nodes} >= {"stand", "letter", "body"} and "middle" not in {
        n.name for n in out.nodes
    }


def test_static_can_drop_clips_alone(letter: Scene) -> None:
    out = do("static", letter, drop="clips").scene
    assert out.skins and not out.clips


# -- axes, size, footing


def test_scale_and_turn_are_exact() -> None:
    scene = scene_of(letter_primitive(0))
    box = world_bounds(scene)
    grown = world_bounds(do("scale", scene, factor=2.0).scene)
    assert box and grown and np.allclose(grown[1] - grown[0], 2 * (box[1] - box[0]), atol=1e-6)
    turned = do("turn", scene, degrees=(0, 180, 0)).scene
    assert np.allclose(
        turned.meshes[0].primitives[0].positions, scene.meshes[0].primitives[0].positions * [-1, 1, -1]
    )
    back = do("turn", do("turn", scene, degrees=(0, 30, 0)).scene, degrees=(0, -30, 0)).scene
    same_place(scene, back)


def test_turn_by_any_angle_takes_skin_and_clips_along(letter: Scene) -> None:
    out = do("turn", letter, degrees=(10, 20, 30)).scene
    from customs.conventions.axes import turn_matrix

    m = turn_matrix((10, 20, 30))
    for t in (None, 0.4):
        clip = letter.clips[0] if t else None
        for a, b in zip(
            posed_scene_points(letter, clip, t or 0),
            posed_scene_points(out, out.clips[0] if t else None, t or 0),
        ):
            assert np.abs(a @ m.T - b).max() < 1e-5


def test_turn_axes_stands_things_up_and_mirrors_on_request() -> None:
    scene = scene_of(letter_primitive(0))
    out = do("turn-axes", scene, up="+Z", faces="-Y").scene
    box = world_bounds(out)
    assert box is not None and box[1][1] - box[0][1] == pytest.approx(0.24, abs=1e-6)
    mirrored = do("turn-axes", scene, hand="left").scene.meshes[0].primitives[0]
    assert not inward(mirrored.positions, triangles_of(mirrored)).any()
    with pytest.raises(StepError, match="one axis"):
        do("turn-axes", scene, up="+Z", faces="-Z")


@pytest.mark.parametrize("kind", ["base-centre", "box-centre", "mass-centre", "point", "as-received"])
def test_footing(kind: str, letter: Scene) -> None:
    scene = nested()
    out = do("footing", scene, kind=kind, point=(1.0, 2.0, 3.0)).scene
    before, after = world_bounds(scene), world_bounds(out)
    assert before is not None and after is not None
    moved = before[0] - after[0]
    assert np.allclose(after[1] - after[0], before[1] - before[0], atol=1e-5)
    if kind == "base-centre":
        assert after[0][1] == pytest.approx(0, abs=1e-6) and np.allclose(
            (after[0] + after[1])[[0, 2]], 0, atol=1e-5
        )
    elif kind == "box-centre":
        assert np.allclose(after[0] + after[1], 0, atol=1e-5)
    elif kind == "point":
        assert np.allclose(moved, [1, 2, 3], atol=1e-5)
    elif kind == "as-received":
        assert out is scene


def test_footing_of_a_settled_asset_stays_settled(letter: Scene) -> None:
    settled = do("settle", letter).scene
    out = do("footing", settled, kind="base-centre").scene
    assert not unsettled(out)
    box = world_bounds(out)
    assert box is not None and box[0][1] == pytest.approx(0, abs=1e-5)


def test_footing_of_a_skinned_asset_keeps_its_bind_pose(goods: dict[str, Path]) -> None:
    from customs.motion.posing.pose import joint_matrices
    from customs.scene.tree import world_matrices
    from customs.work.asset import Request, prepare
    from customs.work.lookup import find_origin, find_sheet

    path = goods["watering_stork"]
    planned = prepare(
        Request(path, path.parent, find_sheet("metre-yup-pbr"), find_origin("centimetre-zup"))
    ).plan
    at = {a.stop.step: a.scene for a in planned.passed}
    out = at["footing"]
    assert np.abs(joint_matrices(out, 0, world_matrices(out)) - np.eye(4)).max() < 1e-5
    before = planned.passed[[a.stop.step for a in planned.passed].index("footing") - 1].scene
    shift = posed_scene_points(out)[0][0] - posed_scene_points(before)[0][0]
    for t in (1.0, 3.3, 5.5):
        for a, b in zip(
            posed_scene_points(before, before.clips[0], t), posed_scene_points(out, out.clips[0], t)
        ):
            assert np.abs(a + shift - b).max() < 1e-5


def test_mass_centre_of_a_cube_is_its_middle() -> None:
    from customs.changes.footing import mass_centre

    scene = scene_of(cube())
    assert np.allclose(
        mass_centre(replace(scene, nodes=(replace(scene.nodes[0], translation=np.array([5.0, 1, 2])),))),
        [5, 1, 2],
    )


def test_arrive_takes_the_persons_word_over_the_files() -> None:
    scene = scene_of(letter_primitive(0))
    out = do("arrive", scene, up="+Z", faces="-Y", metres_per_unit=0.01, stated="person").scene
    box, was = world_bounds(out), world_bounds(scene)
    assert box is not None and was is not None
    assert (box[1] - box[0])[1] == pytest.approx((was[1] - was[0])[2] * 0.01, abs=1e-7)
    assert out.convention.stated == "person"
    turned = do("arrive", scene, turn=(0.0, 90.0, 0.0), scale=2.0).scene
    assert np.abs(posed_scene_points(turned)[0]).max() == pytest.approx(2.0, abs=1e-6)


# -- mesh care


def test_triangulate_makes_lists_and_drops_loose_parts() -> None:
    square = frozen([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    strip = Primitive(key("primitive", 0), frozen(square[[0, 1, 3, 2]]), "triangle_strip")
    lines = Primitive(key("primitive", 1), square, "lines", frozen([0, 1], np.uint32))
    scene = scene_of(strip, lines)
    out = do("triangulate", scene).scene
    assert [m.primitives[0].mode for m in out.meshes] == ["triangles", "lines"]
    dropped = do("triangulate", scene, drop_loose=True)
    assert len(mesh_nodes(dropped.scene)) == 1 and dropped.remarks


def soup(prim: Primitive) -> Primitive:
    """Every triangle with corners of its own."""
    flat = triangles_of(prim).reshape(-1)
    return replace(
        prim, positions=frozen(prim.positions[flat]), indices=None, normals=None, texcoords=(), tangents=None
    )


def test_weld_finds_all_that_is_equal_and_drops_the_unused() -> None:
    scene = scene_of(soup(cube()))
    out = do("weld", scene).scene.meshes[0].primitives[0]
    assert len(out.positions) == 8 and len(triangles_of(out)) == 12
    extra = replace(cube(), positions=frozen(np.concatenate([cube().positions, [[9, 9, 9]]])), normals=None)
    assert len(do("weld", scene_of(extra)).scene.meshes[0].primitives[0].positions) == 8


def test_weld_by_distance_and_over_normals() -> None:
    moved = soup(cube())
    shaken = replace(
        moved,
        positions=frozen(moved.positions + np.random.default_rng(1).random(moved.positions.shape) * 1e-4),
    )
    assert len(do("weld", scene_of(shaken)).scene.meshes[0].primitives[0].positions) == 36
    near = do("weld", scene_of(shaken), distance=1e-3).scene.meshes[0].primitives[0]
    assert len(near.positions) == 8
    assert len(do("weld", scene_of(cube())).scene.meshes[0].primitives[0].positions) == 24
    assert len(do("weld", scene_of(cube()), over_normals=True).scene.meshes[0].primitives[0].positions) == 8


def test_drop_broken_counts_each_kind() -> None:
    good = cube()
    faces = triangles_of(good)
    bad = np.concatenate([faces, np.roll(faces[:2], 1, axis=1), [[0, 0, 1]]])
    points = good.positions.copy()
    prim = replace(good, indices=frozen(bad.reshape(-1), np.uint32), positions=frozen(points))
    out = do("drop-broken", scene_of(prim))
    assert len(triangles_of(out.scene.meshes[0].primitives[0])) == 12
    assert {r.text for r in out.remarks} == {"1 faces without area dropped", "2 faces doubled dropped"}


def test_drop_broken_takes_out_what_is_not_finite() -> None:
    good = cube()
    points = good.positions.copy()
    points[0] = np.nan
    uvs = np.zeros((24, 2), np.float32)
    uvs[5] = np.inf
    prim = replace(good, positions=frozen(points), texcoords=(frozen(uvs),))
    out = do("drop-broken", scene_of(prim)).scene.meshes[0].primitives[0]
    assert np.isfinite(out.positions).all() and np.isfinite(out.texcoords[0]).all()
    assert 0 < len(triangles_of(out)) < 12
    nothing = do("drop-broken", scene_of(replace(good, positions=frozen(np.full((24, 3), np.nan))))).scene
    assert not mesh_nodes(nothing)


def test_turn_outward_turns_normals_too() -> None:
    out = do("turn-outward", scene_of(cube(turned_in=True))).scene.meshes[0].primitives[0]
    assert not inward(out.positions, triangles_of(out)).any()
    assert out.normals is not None and np.einsum("ij,ij->i", out.normals, out.positions).min() > 0
    fine = scene_of(cube())
    assert do("turn-outward", fine).scene is fine


def test_normals_are_made_mended_or_left() -> None:
    bare = replace(cube(), normals=None)
    made = do("normals", scene_of(bare)).scene.meshes[0].primitives[0]
    assert made.normals is not None and np.allclose(np.abs(made.normals).max(axis=1), 1)
    long = replace(cube(), normals=frozen(cube().normals * 3))  # type: ignore[operator]
    mended = do("normals", scene_of(long)).scene.meshes[0].primitives[0]
    assert mended.normals is not None and np.allclose(np.linalg.norm(mended.normals, axis=1), 1, atol=1e-6)
    fine = scene_of(cube())
    assert do("normals", fine).scene is fine
    smooth = do("normals", fine, only="all", angle=180).scene.meshes[0].primitives[0]
    assert smooth.normals is not None and np.abs(smooth.normals).max() < 0.9


def test_tangents_only_where_a_normal_map_is() -> None:
    image = Image(key("image", 0), "n", problem="none")
    mapped = Material(key("material", 0), "m", textures={"normal": TextureUse(0)})
    prim = replace(letter_primitive(0), tangents=None)
    scene = scene_of(
        prim, replace(prim, key=key("primitive", 1), material=None), materials=(mapped,), images=(image,)
    )
    out = do("tangents", scene).scene
    assert out.meshes[0].primitives[0].tangents is not None and out.meshes[1].primitives[0].tangents is None
    assert do("tangents", out, where="drop").scene.meshes[0].primitives[0].tangents is None
    no_uv = do("tangents", scene_of(replace(prim, texcoords=()), materials=(mapped,), images=(image,)))
    assert no_uv.remarks


def test_vertex_colours_and_extras_go() -> None:
    coloured = replace(cube(), colours=(frozen(np.ones((24, 4))),))
    assert not do("drop-colours", scene_of(coloured)).scene.meshes[0].primitives[0].colours


def test_leave_out(letter: Scene) -> None:
    out = do("leave-out", letter, cameras=True, lights=True, morphs=True, texcoord_sets=0)
    assert not out.scene.cameras and not out.scene.lights and len(out.remarks) == 2
    assert not any(p.targets or p.texcoords for m in out.scene.meshes for p in m.primitives)
    assert (
        np.abs(cloud(letter) - cloud(out.scene)).max() < 2e-4
    )  # morph targets are settled at their default weights
    assert all(c.path != "weights" for a in out.scene.clips for c in a.channels)


def test_weights_keep_the_strongest_and_sum_to_one_exactly(letter: Scene) -> None:
    out = do("weights", letter, limit=2)
    prim = out.scene.meshes[1].primitives[0]
    assert prim.weights is not None and np.count_nonzero(prim.weights, axis=1).max() == 2
    total = prim.weights[:, 0]
    for k in range(1, 4):
        total = total + prim.weights[:, k]
    assert (total == np.float32(1)).all()
    assert "largest share" in out.remarks[0].text


def test_weights_of_nothing_go_to_the_first_joint() -> None:
    from customs.motion.weights.influences import limited

    joints, weights, lost = limited(np.array([[3, 2, 1, 0]], np.uint16), np.zeros((1, 4), np.float32), 4, 0.0)
    assert weights.tolist() == [[1, 0, 0, 0]] and joints[0, 0] == 3 and lost == 0


# -- surface and names


def png(width: int, height: int, mode: str = "RGB") -> Image:
    """An image of that size."""
    import io

    import PIL.Image

    out = io.BytesIO()
    PIL.Image.new(mode, (width, height), 128 if mode != "RGB" else (200, 100, 50)).save(out, "PNG")
    return Image(key("image", 0), f"i{width}", Encoded(out.getvalue(), "image/png"))


def test_resize_and_convert() -> None:
    material = Material(key("material", 0), "m", textures={"base_colour": TextureUse(0)})
    scene = scene_of(letter_primitive(0), materials=(material,), images=(png(100, 60),))
    out = do("resize", scene, limit=64, power_of_two=True)
    info = image_info(out.scene.images[0])
    assert (
        info is not None
        and (info.width, info.height) == (64, 64)
        and "100 × 60 → 64 × 64" in out.remarks[0].text
    )
    kept = do("resize", scene, limit=50).scene.images[0]
    assert image_info(kept).width == 50 and image_info(kept).height == 30  # type: ignore[union-attr]
    as_tga = do("convert-textures", scene, form="tga").scene
    assert as_tga.wishes.of(as_tga.images[0].key) == (Delivery("tga"),) and scene.wishes.textures == {}
    smaller = do("resize", as_tga, limit=50).scene
    assert [d.form for d in deliveries(smaller.images[0], smaller.wishes)] == ["tga"], (
        "what is wished stays wished"
    )
    assert [d.form for d in deliveries(kept, scene.wishes)] == ["png"], "what came as PNG goes as PNG"
    assert do("convert-textures", scene, form="tga", accept=("png", "tga")).scene is scene


def test_sixteen_bits_become_eight_with_ends_kept() -> None:
    pixels = frozen(np.array([[[0], [65535], [32768]]]), np.uint16)
    scene = scene_of(cube(), images=(Image(key("image", 0), "h", pixels=pixels),))
    out = do("convert-textures", scene, bits=8).scene.images[0].pixels
    assert out is not None and out.reshape(-1).tolist() == [0, 255, 128]


def test_alpha_is_set_on_targets_only() -> None:
    materials = tuple(Material(key("material", i), n) for i, n in enumerate(("leaf a", "leaf b", "bark")))
    scene = scene_of(cube(), materials=materials)
    out = do("alpha", scene, mode="mask", cutoff=0.3, double_sided=True, targets=("leaf*",))
    assert [m.alpha_mode for m in out.scene.materials] == ["mask", "mask", "opaque"]
    assert out.scene.materials[0].double_sided and not out.scene.materials[2].double_sided
    by_key = do("alpha", scene, mode="blend", targets=(str(materials[2].key), "gone*"))
    assert [m.alpha_mode for m in by_key.scene.materials] == ["opaque", "opaque", "blend"]
    assert [r.text for r in by_key.remarks] == ["gone*: no longer there"]


@pytest.mark.parametrize(
    ("name", "expected"),
    [
        ("Käfer Flügel", "kafer_flugel"),
        ("9 lives", "n_9_lives"),
        ("植木", "unnamed"),
        ("ok_name", "ok_name"),
        ("a" * 80, "a" * 20),
    ],
)
def test_names_are_made_legal(name: str, expected: str) -> None:
    from customs.changes.naming import Naming

    rules = Naming(r"[a-z][a-z0-9_]*", True, 20)
    assert rules.legal(name) == expected and rules.fits(rules.legal(name))


def test_rename_by_pattern_is_stable_and_unique() -> None:
    scene = scene_of(cube(), cube(1, 1), cube(1, 2))
    named = replace(scene, nodes=tuple(replace(n, name="Part") for n in scene.nodes), name="Stand")
    values: Mapping[str, Any] = {
        "node": "{asset}_{name}",
        "allowed": "[a-z][a-z0-9_]*",
        "lower": True,
        "max_length": 24,
    }
    out = do("rename", named, **values).scene
    assert [n.name for n in out.nodes] == ["stand_part", "stand_part_2", "stand_part_3"]
    again = do("rename", out, **values).scene
    assert [n.name for n in again.nodes] == [n.name for n in out.nodes]
    with pytest.raises(StepError, match="tokens"):
        do("rename", named, node="{nonsense}")


# -- the base


def test_settings_are_checked_with_field_and_advice() -> None:
    with pytest.raises(StepError) as problem:
        make_settings(get_step("scale"), {"factor": -1})
    assert problem.value.where == "factor" and "factor" in problem.value.todo
    with pytest.raises(StepError):
        make_settings(get_step("scale"), {"speed": 1})
    with pytest.raises(StepError, match="no step"):
        get_step("teleport")


def test_targets_that_are_gone_are_remarks() -> None:
    settings = make_settings(get_step("alpha"), {"targets": ["x:material:1"]})
    assert missing_targets(settings, [(Key("a", "material", 0), "m", ())])  # type: ignore[arg-type]


def test_steps_are_whole_and_in_a_strict_order() -> None:
    every = list(steps().values())
    assert len({s.order for s in every}) == len(every)
    for s in every:
        settings = s.settings()
        assert len(s.summary(settings)) <= 18, s.id
        assert s.about.endswith(".") and s.name and s.desk in DESKS
        assert all(f.description for f in s.settings.model_fields.values()), s.id


@pytest.mark.parametrize("step", [s for s in steps() if s != "arrive"])
def test_every_step_is_pure_and_takes_any_scene(step: str, letter: Scene) -> None:
    entry = steps()[step]
    for scene in (letter, Scene("empty", "0" * 12)):
        a = entry.apply(scene, entry.settings(), NOTHING, Job())
        b = entry.apply(scene, entry.settings(), NOTHING, Job())
        assert [len(m.primitives) for m in a.scene.meshes] == [len(m.primitives) for m in b.scene.meshes]
        for p, q in zip(posed_scene_points(a.scene), posed_scene_points(b.scene)):
            assert (p == q).all()
        assert [local_matrix(n).tolist() for n in a.scene.nodes] == [
            local_matrix(n).tolist() for n in b.scene.nodes
        ]


def test_a_step_stops_when_asked(letter: Scene) -> None:
    entry = get_step("weld")
    with pytest.raises(Cancelled):
        entry.apply(letter, entry.settings(), NOTHING, Job(cancelled=lambda: True))
