"""The ledger: every requirement on an asset that breaks it, and on one that does not."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import trimesh

from customs.errors import ReadError
from customs.ledger.facts import alpha_shares, facts_of, scene_facts
from customs.ledger.ledger import Ledger, effective, judge, refused, worst
from customs.ledger.row import DESK_ORDER, About, Row, requirements
from customs.ledger.waiver import Waiver, waiver
from customs.planning.plan import Subject, arrive_stop, plan, take_remedy
from customs.route.route import Route, evaluate
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.convention import Convention
from customs.scene.model import Channel, Clip, Image, Material, Node, Primitive, Scene, TextureUse
from customs.sheet.load import load_sheet
from customs.sheet.model import Sheet
from tests.assets import cube, key, letter_primitive, quaternion, scene_of

OPEN = load_sheet("metre-yup-pbr")
INK = Material(key("material", 0), "ink", metallic=0.0)


def sheet(**tables: dict[str, Any]) -> Sheet:
    """The open sheet with some rules changed."""
    body = OPEN.model_dump()
    for name, values in tables.items():
        body[name] |= values
    return Sheet.model_validate(body)


def ledger(scene: Scene, rules: Sheet = OPEN, about: About | None = None) -> Ledger:
    """Judged after Arrive alone."""
    passed = evaluate(scene, "d", Route((arrive_stop(None),)))
    return judge(scene, passed, rules, about)


def rows(scene: Scene, requirement: str, rules: Sheet = OPEN, about: About | None = None) -> list[Row]:
    """The rows of one requirement."""
    return [r for r in ledger(scene, rules, about).rows if r.requirement == requirement]


def sound() -> Scene:
    """A cube standing on the ground that meets the open sheet."""
    prim = cube(1.0, material=0)
    lifted = replace(prim, positions=frozen(prim.positions + np.float32([0, 0.5, 0])))
    return replace(scene_of(lifted, materials=(INK,)), convention=Convention(stated="file"))


def globe() -> Scene:
    """A ball of 642 vertices on the ground."""
    mesh = trimesh.creation.icosphere(subdivisions=3)
    return changed(
        positions=frozen(mesh.vertices + [0, 1, 0]),
        normals=frozen(mesh.vertices),
        indices=frozen(mesh.faces.reshape(-1), np.uint32),
        texcoords=(),
        tangents=None,
    )


def changed(**values: Any) -> Scene:
    """The sound cube with its primitive changed."""
    base = sound()
    prim = replace(base.meshes[0].primitives[0], **values)
    return replace(base, meshes=(replace(base.meshes[0], primitives=(prim,)),))


def noded(**values: Any) -> Scene:
    """The sound cube with its node changed."""
    base = sound()
    return replace(base, nodes=(replace(base.nodes[0], **values),))


def named(material: Material, *images: Image) -> Scene:
    """The letter with a material and images."""
    prim = letter_primitive(0)
    base = scene_of(replace(prim, positions=frozen(prim.positions)), materials=(material,), images=images)
    return replace(base, convention=Convention(stated="file"))


def picture(
    width: int = 8,
    height: int = 8,
    alpha: Callable[[np.ndarray], np.ndarray] | None = None,
    form: str = "png",
) -> Image:
    """A texture; `alpha` maps u 0..1 to 0..1."""
    from customs.demo.textures import encoded

    pixels = np.full((height, width, 3 if alpha is None else 4), 180, np.uint8)
    if alpha is not None:
        pixels[:, :, 3] = np.round(alpha(np.linspace(0, 1, width)) * 255).astype(np.uint8)
    return Image(key("image", 0), "skin", Encoded(encoded(pixels, form), f"image/{form}"), uri=f"skin.{form}")


def based(image: Image, **more: Any) -> Scene:
    return named(replace(INK, textures={"base_colour": TextureUse(0)}, **more), image)


def rigged(letter: Scene, **changes: Any) -> Scene:
    prim = replace(letter.meshes[1].primitives[0], **changes)
    return replace(letter, meshes=(letter.meshes[0], replace(letter.meshes[1], primitives=(prim,))))


def test_a_sound_asset_is_cleared() -> None:
    whole = ledger(sound())
    assert whole.verdict == "cleared", [r for r in whole.open()]
    said = {r.requirement for r in whole.rows}
    assert said <= set(requirements()) and {requirements()[k].desk for k in said} == {
        r.desk for r in requirements().values()
    } - {"fittings", "grounds"}  # this sheet asks for nothing around the mesh, nor of levels


def sided(face: Callable[[np.ndarray], np.ndarray]) -> Scene:
    base = sound().meshes[0].primitives[0]
    assert base.indices is not None
    return changed(indices=frozen(face(base.indices.reshape(-1, 3)).reshape(-1), np.uint32))


NAN = np.full((24, 3), np.nan, np.float32)
HALF = lambda u: np.where(u < 0.5, 0.0, 1.0)  # noqa: E731
MILKY = lambda u: np.full_like(u, 0.5)  # noqa: E731
SOLID = lambda u: np.ones_like(u)  # noqa: E731
WHITE = frozen(np.ones((24, 4)))

BROKEN: dict[str, tuple[Callable[[], Scene], Sheet, str, str]] = {
    "has-geometry": (lambda: Scene("none", "0" * 12, convention=Convention(stated="file")), OPEN, "held", ""),
    "axes-stated": (lambda: replace(sound(), convention=Convention()), OPEN, "query", ""),
    "unit-stated": (lambda: replace(sound(), convention=Convention()), OPEN, "query", ""),
    "extensions": (lambda: replace(sound(), unknown=("MADE_up",)), OPEN, "query", ""),
    "size-plausible": (lambda: noded(scale=np.full(3, 178.0)), OPEN, "query", "scale"),
    "size-bounds": (sound, sheet(model={"max_size": (0.5, 0.5, 0.5)}), "held", "scale"),
    "footing": (lambda: noded(translation=np.array([0.0, 3.0, 0])), OPEN, "held", "footing"),
    "settled": (lambda: noded(rotation=quaternion("Y", 10)), OPEN, "held", "settle"),
    "mirrored": (lambda: noded(scale=np.array([-1.0, 1, 1])), OPEN, "query", "settle"),
    "sheared": (lambda: noded(matrix=np.array([[1, 0.5, 0, 0], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]])), OPEN, "held", "settle"),
    "single-mesh": (lambda: scene_of(cube(), cube(0.5, 1)), sheet(model={"single_mesh": True}), "held", "join"),
    "under-root": (
        lambda: replace(sound(), nodes=(*sound().nodes, Node(key("node", 9), "top", children=(0,))), roots=(1,)),
        sheet(model={"mesh_under_root": True}), "held", "flatten",
    ),
    "empty-nodes": (
        lambda: replace(sound(), nodes=(*sound().nodes, Node(key("node", 9), "none")), roots=(0, 1)),
        sheet(model={"empty_nodes": "forbidden"}), "held", "drop-empties",
    ),
    "vertex-limit": (globe, sheet(mesh={"max_vertices": 200}), "held", "simplify"),
    "triangle-limit": (sound, sheet(mesh={"max_triangles": 10}), "held", ""),
    "index-limit": (sound, sheet(mesh={"max_primitive_vertices": 20}), "held", ""),
    "triangle-lists": (lambda: changed(mode="triangle_fan"), OPEN, "held", "triangulate"),
    "loose": (lambda: changed(mode="points"), OPEN, "held", "triangulate"),
    "degenerate": (lambda: sided(lambda f: np.concatenate([f, [[0, 0, 1]]])), OPEN, "query", "drop-broken"),
    "doubled": (lambda: sided(lambda f: np.concatenate([f, f[:1]])), OPEN, "query", "drop-broken"),
    "inward": (lambda: sided(lambda f: f[:, ::-1]), OPEN, "query", "turn-outward"),
    "welded": (lambda: sided(lambda f: f[:-1]), OPEN, "query", "weld"),
    "finite": (lambda: changed(positions=frozen(NAN)), OPEN, "held", "drop-broken"),
    "normals": (lambda: changed(normals=None), OPEN, "held", "normals"),
    "normal-length": (lambda: changed(normals=frozen(np.zeros((24, 3)))), OPEN, "held", "normals"),
    "normal-side": (lambda: changed(normals=frozen(-cube().normals)), OPEN, "query", "normals"),  # type: ignore[operator]
    "tangents": (
        lambda: _without_tangents(named(replace(INK, textures={"normal": TextureUse(0)}), picture())), OPEN, "held", "tangents",
    ),
    "tangent-form": (lambda: changed(tangents=frozen(np.full((24, 4), 0.5))), OPEN, "held", "tangents"),
    "texcoords": (lambda: changed(), sheet(mesh={"texcoords": "required"}), "held", ""),
    "texcoord-sets": (lambda: changed(texcoords=(frozen(np.zeros((24, 2))),) * 3), sheet(mesh={"max_texcoord_sets": 1}), "held", "leave-out"),
    "texcoord-square": (
        lambda: changed(texcoords=(frozen(np.full((24, 2), 3.0)),)), sheet(mesh={"texcoords_in_square": True}), "query", "",
    ),
    "vertex-colours": (lambda: changed(colours=(WHITE,)), sheet(mesh={"vertex_colours": "forbidden"}), "held", "drop-colours"),
    "material-count": (sound, sheet(materials={"max_count": 1}), "cleared", ""),
    "every-face": (lambda: changed(material=None), OPEN, "query", ""),
    "material-model": (lambda: named(replace(INK, model="specular_glossiness")), OPEN, "query", ""),
    "double-sided": (lambda: named(replace(INK, double_sided=True)), sheet(materials={"double_sided": "forbidden"}), "held", ""),
    "texture-missing": (lambda: based(Image(key("image", 0), "gone", uri="gone.png", problem="gone")), OPEN, "held", ""),
    "texture-readable": (lambda: based(Image(key("image", 0), "bad", Encoded(b"nonsense"), problem="no image")), OPEN, "held", ""),
    "texture-format": (lambda: based(picture(form="bmp")), OPEN, "held", "convert-textures"),
    "texture-size": (lambda: based(picture(64, 32)), sheet(textures={"max_edge": 16}), "held", "resize"),
    "texture-power": (lambda: based(picture(30, 30)), sheet(textures={"power_of_two": True}), "held", "resize"),
    "texture-square": (lambda: based(picture(32, 16)), sheet(textures={"square": True}), "held", "resize"),
    "texture-bits": (
        lambda: based(Image(key("image", 0), "deep", pixels=frozen(np.ones((4, 4, 1)), np.uint16))), OPEN, "held", "convert-textures",
    ),
    "alpha-lost": (lambda: based(picture(alpha=HALF)), OPEN, "query", "alpha"),
    "alpha-unused": (lambda: based(picture(alpha=SOLID), alpha_mode="blend"), OPEN, "query", "alpha"),
    "names-legal": (lambda: noded(name="Käfer?"), OPEN, "held", "rename"),
    "names-unique": (lambda: replace(scene_of(cube(), cube(1, 1)), nodes=tuple(
        replace(n, name="same") for n in scene_of(cube(), cube(1, 1)).nodes)), OPEN, "held", "rename"),
    "names-pattern": (sound, sheet(names={"node": "part_{name}"}), "held", "rename"),
    "format-axes": (sound, sheet(axes={"up": "+Z", "faces": "-Y"}, model={"own_axes_note": "our loader turns it"}), "query", ""),
    "allowed-extensions": (lambda: named(replace(INK, model="unlit")), sheet(model={"extensions": ()}), "query", ""),
}  # fmt: skip


def _without_tangents(scene: Scene) -> Scene:
    prim = replace(scene.meshes[0].primitives[0], tangents=None)
    return replace(scene, meshes=(replace(scene.meshes[0], primitives=(prim,)),))


@pytest.mark.parametrize("name", BROKEN)
def test_each_requirement_catches_what_it_is_for(name: str) -> None:
    make, rules, verdict, step = BROKEN[name]
    found = rows(make(), name, rules)
    assert found and worst(found) == verdict, found
    bad = [r for r in found if r.verdict != "cleared"]
    if step:
        assert all(r.remedy is not None and r.remedy.step == step for r in bad)
    assert all(r.note for r in bad), "a row that is not cleared says what to know"
    assert all(r.received and r.required and r.delivering for r in found)


@pytest.mark.parametrize("name", [n for n, (_, _, _, step) in BROKEN.items() if step])
def test_pressing_the_remedy_clears_the_row(name: str) -> None:
    make, rules, _, _ = BROKEN[name]
    scene = make()
    route = Route((arrive_stop(None),))
    for _ in range(2):  # one remedy may uncover the next of its kind (faces of two meshes)
        passed = evaluate(scene, "d", route)
        open_rows = [
            r for r in judge(scene, passed, rules).rows if r.requirement == name and effective(r) != "cleared"
        ]
        for r in open_rows:
            assert r.remedy is not None
            route = take_remedy(route, r.remedy)
    passed = evaluate(scene, "d", route)
    assert not [a.error for a in passed if a.error]
    left = [
        r for r in judge(scene, passed, rules).rows if r.requirement == name and effective(r) != "cleared"
    ]
    # A mesh without a single finite vertex has nothing left to clear.
    assert not left, left


def test_rig_requirements(letter: Scene) -> None:
    at_rest = replace(letter, convention=Convention(stated="file"))
    none = sheet(rig={"skins": "forbidden", "clips": "forbidden"})
    assert worst(rows(at_rest, "skins", none)) == "held" and worst(rows(at_rest, "clips", none)) == "held"
    assert rows(at_rest, "clips", none)[0].remedy.step == "static"  # type: ignore[union-attr]
    assert worst(rows(at_rest, "influences", sheet(rig={"influences": 2}))) == "held"
    assert worst(rows(at_rest, "influences")) == "cleared"
    assert worst(rows(at_rest, "joint-limit", sheet(rig={"max_joints": 2}))) == "held"
    assert worst(rows(at_rest, "bind-pose")) == "query"
    off = frozen(letter.meshes[1].primitives[0].weights * 0.9)  # type: ignore[operator]
    assert worst(rows(rigged(at_rest, weights=off), "weight-sum")) == "held"
    nodes = tuple(
        replace(n, translation=np.array([1.0, 0, 0])) if n.name == "body" else n for n in letter.nodes
    )
    assert worst(rows(replace(at_rest, nodes=nodes), "skinned-place")) == "query"
    still = Clip(key("clip", 5), "still", (Channel(1, "rotation", frozen([0.0]), frozen([[0, 0, 0, 1]])),))
    assert worst(rows(replace(at_rest, clips=(still,)), "clip-length")) == "query"
    assert worst(rows(at_rest, "morphs", sheet(mesh={"morphs": "forbidden"}))) == "held"
    assert worst(rows(at_rest, "cameras", sheet(model={"cameras": "forbidden"}))) == "held"
    assert worst(rows(at_rest, "lights", sheet(model={"lights": "forbidden"}))) == "held"


def test_a_format_that_cannot_carry_skins_holds_them(letter: Scene) -> None:
    rules = load_sheet("split-texture-kit")
    row = rows(letter, "skins", rules)[0]
    assert row.verdict == "held" and row.required in ("none", "none (format)")


def test_about_rows() -> None:
    assert worst(rows(sound(), "rights", OPEN, About(use="study"))) == "held"
    assert worst(rows(sound(), "rights", sheet(rights={"licence_required": True}))) == "held"
    assert (
        worst(rows(sound(), "rights", sheet(rights={"licence_required": True}), About(licence="own work")))
        == "cleared"
    )
    assert worst(rows(sound(), "source-changed", OPEN, About(source_changed="a.glb"))) == "query"
    lost = rows(sound(), "companions", OPEN, About(absent=("a.mtl", "b.png")))
    assert [r.subject for r in lost] == ["a.mtl"]


def test_one_row_per_subject() -> None:
    images = tuple(
        replace(picture(), key=key("image", i), name=f"t{i}", content=None, problem="gone") for i in range(3)
    )
    material = replace(
        INK, textures={"base_colour": TextureUse(0), "normal": TextureUse(1), "emissive": TextureUse(2)}
    )
    found = rows(named(material, *images), "texture-missing")
    assert [r.subject_name for r in found] == ["t0", "t1", "t2"]
    assert len({r.id for r in found}) == 3 and all(r.place and r.place.kind == "image" for r in found)


def test_places_point_at_the_faces() -> None:
    place = rows(sided(lambda f: np.concatenate([f[:2, ::-1], f[2:]])), "inward")[0].place
    assert place is not None and place.ranges == ((0, 2),)


def test_milky_textures_blend_and_leaves_are_cut() -> None:
    assert dict(rows(based(picture(alpha=MILKY)), "alpha-lost")[0].remedy.values)["mode"] == "blend"  # type: ignore[union-attr]
    assert dict(rows(based(picture(alpha=HALF)), "alpha-lost")[0].remedy.values)["mode"] == "mask"  # type: ignore[union-attr]
    assert alpha_shares(picture(alpha=HALF)) == (0.5, 0.0, 0.5)
    assert alpha_shares(picture()) is None


def test_waivers_hold_until_the_values_change() -> None:
    scene = changed(material=None)
    passed = evaluate(scene, "d", Route((arrive_stop(None),)))
    row = next(r for r in judge(scene, passed, OPEN).rows if r.requirement == "every-face")
    waived = judge(scene, passed, OPEN, waivers={row.id: waiver(row, "grey is right")})
    now = next(r for r in waived.rows if r.requirement == "every-face")
    assert now.waived == "grey is right" and effective(now) == "cleared" and waived.verdict == "cleared"
    lapsed = judge(scene, passed, OPEN, waivers={row.id: Waiver("grey is right", {"delivering": 3})})
    assert lapsed.verdict == "query"


def test_held_cannot_be_waived() -> None:
    scene = changed(normals=None)
    passed = evaluate(scene, "d", Route((arrive_stop(None),)))
    row = next(r for r in judge(scene, passed, OPEN).rows if r.requirement == "normals")
    assert judge(scene, passed, OPEN, waivers={row.id: waiver(row, "never mind")}).verdict == "held"


def test_rows_name_the_stop_that_cleared_them_and_stops_in_between() -> None:
    scene = changed(normals=None)
    done = plan(Subject(scene, "d", OPEN), Route((arrive_stop(None),)))
    row = next(r for r in done.ledger.rows if r.requirement == "normals")
    assert row.done_at == "Normals" and row.received == "24" and row.delivering == "0"
    early = judge(scene, done.passed, OPEN, upto="arrive@1")
    assert next(r for r in early.rows if r.requirement == "normals").verdict == "held"


def test_unreadable_is_one_held_row() -> None:
    gone = refused(ReadError("cut off", "a whole file", "Fetch it again.", "a.glb", "header"))
    assert gone.verdict == "held" and len(gone.rows) == 1 and "Fetch" in gone.rows[0].note


def test_facts_are_kept_with_their_primitive() -> None:
    prim = cube()
    assert facts_of(prim) is facts_of(prim)
    scene = scene_of(prim)
    assert scene_facts(scene) is scene_facts(scene) and scene_facts(scene).triangles == 12


def test_facts_of_lines_and_nothing() -> None:
    line = Primitive(key("primitive", 0), frozen([[0, 0, 0], [1, 0, 0]]), "lines")
    facts = facts_of(line)
    assert (
        facts.faces == 0 and not facts.inward.any() and facts.spare_vertices == 0 and facts.weight_error == 0
    )


def test_rules_are_whole() -> None:
    from customs.route.step import steps

    for rule in requirements().values():
        assert rule.title and rule.desk in DESK_ORDER
        assert not rule.step or rule.step in steps(), rule.id
