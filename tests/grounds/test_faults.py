"""Thirty faults as levels have them, each planted in a level that was clean: found, and put right by one press."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.changes.outward import turned_over
from customs.demo.court import court_mapping, placed
from customs.demo.textures import encoded, fern_leaf
from customs.grounds.light import Rig, rig_nodes
from customs.planning.plan import Plan, Subject, fresh_route, plan, press
from customs.route.route import SceneCache
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.convention import WORKING
from customs.scene.key import Key
from customs.scene.kinds import STAND_IN, kind_notes
from customs.scene.model import Camera, Image, Light, Material, Mesh, Node, Primitive, Scene, TextureUse
from customs.scene.placements import NOTHING, table
from customs.work.levels import composed
from customs.work.lookup import find_sheet
from tests.assets import cube

SHEET = "level-kit"
CACHE = SceneCache()
LEFT_ASIDE = ("tools/", "world/outer", "world/sky", "marker")


@pytest.fixture(scope="module")
def clean(court_files: tuple[Path, Path, Path], tmp_path_factory: pytest.TempPathFactory) -> Scene:
    """A corner of the palm court with nothing wrong in it any more."""
    rows, seen = [], Counter[str]()
    for put in placed():
        seen[put.name] += 1
        if seen[put.name] <= 36 and put.x < 1000:
            rows.append(put.entry())
    file = tmp_path_factory.mktemp("corner") / "corner.json"
    file.write_text(json.dumps({"world": {"objects": rows}}), "utf-8")
    scene = composed([file], court_mapping(), [court_files[2]]).scene()
    subject = Subject(scene, "corner", find_sheet(SHEET))
    done = plan(subject, fresh_route(None), CACHE)
    assert not [r for r in done.ledger.open() if r.verdict == "held" or r.desk == "grounds"]
    return replace(done.passed[-1].scene, convention=WORKING, format="level")


def number(scene: Scene) -> int:
    """A number no node or row has."""
    return int(max(scene.placements.ordinals.max(initial=0), *(n.key.ordinal for n in scene.nodes), 0)) + 1


def mesh_of(scene: Scene, name: str) -> int:
    return next(k for k, m in enumerate(scene.meshes) if m.name.startswith(name))


def standing(scene: Scene, mesh: int, places: Any, name: str, kind: str = "") -> Scene:
    """With a mesh at places (N, 3) besides."""
    first, at = number(scene), np.asarray(places, float).reshape(-1, 3)
    matrices = np.tile(np.eye(4)[:3], (len(at), 1, 1))
    matrices[:, :, 3] = at
    rows = table(
        np.full(len(at), mesh),
        matrices,
        np.full(len(at), -1),
        np.arange(first, first + len(at)),
        (name,) * len(at),
    )
    out = replace(scene, placements=scene.placements.and_(rows))
    if kind:
        words = np.full(first + len(at), "", object)
        words[first:] = kind
        out = replace(out, kinds=kind_notes(words))
    return out


def with_mesh(
    scene: Scene, name: str, prim: Primitive | None = None, material: Material | None = None, **more: Any
) -> tuple[Scene, int]:
    """(with one more mesh, its number): a cube unless another is given."""
    k = len(scene.meshes)
    made = replace(prim if prim is not None else cube(), key=Key(scene.digest, "primitive", 900_000 + k))
    materials = scene.materials
    if material is not None:
        made = replace(made, material=len(materials))
        materials = (*materials, material)
    elif made.material is not None:
        made = replace(made, material=0)
    mesh = Mesh(Key(scene.digest, "mesh", 900_000 + k), name, (made,), **more)
    return replace(scene, meshes=(*scene.meshes, mesh), materials=materials), k


def scaled(prim: Primitive, size: Any) -> Primitive:
    return replace(prim, positions=frozen(prim.positions * np.asarray(size, np.float32)))


def paint(scene: Scene, name: str, **values: Any) -> Material:
    return Material(Key(scene.digest, "material", 900_000), name, metallic=0.0, **values)


def around(scene: Scene, name: str, inside: bool = False, **values: Any) -> Scene:
    box = turned_over(scaled(cube(), 400)) if inside else scaled(cube(), 400)
    scene, k = with_mesh(scene, name, box, paint(scene, "far wall", **values))
    return standing(scene, k, np.full(3, -200.0) - 400 * cube().positions.min(axis=0), name)


def spots(count: int = 40, seed: int = 3) -> np.ndarray:
    return np.random.default_rng(seed).uniform([-6, 0, -4], [6, 2, 4], (count, 3))


def volumes(name: str, material: str = "glassy", kind: str = "") -> Callable[[Scene], Scene]:
    def plant(scene: Scene) -> Scene:
        scene, k = with_mesh(scene, name, None, paint(scene, material))
        return standing(scene, k, spots(), name, kind)

    return plant


def doubled(scene: Scene) -> Scene:
    rows = scene.placements
    some = rows.at(rows.shows & (np.arange(len(rows)) < 40))
    return replace(scene, placements=rows.and_(some.numbered(number(scene) + np.arange(len(some)))))


def far(scene: Scene) -> Scene:
    return standing(scene, mesh_of(scene, "crate"), [[9e4, 0, 0], [0, 0, -7e4]], "crate")


def missing(why: str) -> Callable[[Scene], Scene]:
    def plant(scene: Scene) -> Scene:
        scene, k = with_mesh(scene, "brass_hinge", extras={STAND_IN: why})
        return standing(scene, k, spots(), "brass_hinge")

    return plant


def bare_rows(scene: Scene) -> Scene:
    return standing(scene, NOTHING, spots(33), "group")


def bare_nodes(scene: Scene) -> Scene:
    first = number(scene)
    nodes = tuple(Node(Key(scene.digest, "node", first + k), "") for k in range(5))
    at = len(scene.nodes)
    return replace(scene, nodes=(*scene.nodes, *nodes), roots=(*scene.roots, *range(at, at + 5)))


def ground(change: Callable[[Scene, int], Scene]) -> Callable[[Scene], Scene]:
    return lambda scene: change(scene, mesh_of(scene, "terrain"))


def over(scene: Scene, k: int) -> Scene:
    meshes = list(scene.meshes)
    meshes[k] = replace(meshes[k], primitives=tuple(turned_over(p) for p in meshes[k].primitives))
    return replace(scene, meshes=tuple(meshes))


def levels(scene: Scene) -> Scene:
    for level in range(3):
        scene, k = with_mesh(scene, f"urn_lod{level}", scaled(cube(), 0.5 - 0.01 * level))
        scene = standing(scene, k, spots(), f"urn_lod{level}")
    return scene


def materials(change: Callable[[Material], Material]) -> Callable[[Scene], Scene]:
    return lambda scene: replace(scene, materials=tuple(change(m) for m in scene.materials))


def leaves(name: str) -> Callable[[Scene], Scene]:
    def plant(scene: Scene) -> Scene:
        image = Image(
            Key(scene.digest, "image", 900_000), name, Encoded(encoded(fern_leaf(64, 3), "png"), "image/png"), uri=f"{name}.png"
        )  # fmt: skip
        card = paint(scene, name, textures={"base_colour": TextureUse(len(scene.images))})
        prim = replace(cube(), texcoords=(frozen(np.tile([[0, 0], [1, 0], [1, 1], [0, 1]], (6, 1))),))
        scene, k = with_mesh(replace(scene, images=(*scene.images, image)), name, prim, card)
        return standing(scene, k, spots(), name)

    return plant


def dark(scene: Scene) -> Scene:
    return replace(scene, nodes=tuple(replace(n, holds=()) for n in scene.nodes))


def dim(scene: Scene) -> Scene:
    def out(node: Node) -> Node:
        return replace(
            node, holds=tuple(replace(h, intensity=0.0) for h in node.holds if isinstance(h, Light))
        )

    return replace(scene, nodes=tuple(map(out, scene.nodes)))


def unit_less(scene: Scene) -> Scene:
    return replace(
        scene, format="fbx", nodes=(*scene.nodes, *rig_nodes(Rig(), scene.digest, number(scene), 3))
    )


def sized(factor: float) -> Callable[[Scene], Scene]:
    def plant(scene: Scene) -> Scene:
        own = scene.placements.matrices * factor
        nodes = tuple(
            replace(
                n, translation=n.translation * factor, scale=n.scale * (factor if n.mesh is not None else 1)
            )
            if n.matrix is None and n in [scene.nodes[r] for r in scene.roots]
            else n
            for n in scene.nodes
        )
        top = scene.placements.top[:, None, None]
        return replace(
            scene,
            nodes=nodes,
            placements=scene.placements.moved(np.where(top, own, scene.placements.matrices)),
        )

    return plant


def crumbs(scene: Scene) -> Scene:
    scene, k = with_mesh(scene, "screw", scaled(cube(), 0.01))
    return standing(scene, k, spots(), "screw")


def camera(scene: Scene) -> Scene:
    node = Node(
        Key(scene.digest, "node", number(scene)),
        "eye",
        holds=(Camera(Key(scene.digest, "camera", 0), "eye"),),
    )
    return replace(scene, nodes=(*scene.nodes, node), roots=(*scene.roots, len(scene.nodes)))


def inward(scene: Scene) -> Scene:
    scene, k = with_mesh(scene, "chest", turned_over(cube()))
    return standing(scene, k, spots(), "chest")


def flat_faces(scene: Scene) -> Scene:
    one = cube()
    assert one.indices is not None
    scene, k = with_mesh(
        scene, "lid", replace(one, indices=frozen(np.append(one.indices, [0, 0, 1]), np.uint32))
    )
    return standing(scene, k, spots(), "lid")


def bare_normals(scene: Scene) -> Scene:
    scene, k = with_mesh(scene, "vat", replace(cube(), normals=None))
    return standing(scene, k, spots(), "vat")


FAULTS: dict[str, tuple[Callable[[Scene], Scene], str]] = {
    "volumes by name": (volumes("trigger_hall"), "kinds-left-out"),
    "volumes by material": (volumes("plain_box", "nodraw"), "kinds-left-out"),
    "volumes the list says": (volumes("thing", kind="trigger"), "kinds-left-out"),
    "colliders": (volumes("wall_collision"), "kinds-left-out"),
    "probes": (volumes("light_probe_zone"), "kinds-left-out"),
    "a sky by name": (lambda s: around(s, "SkyDome"), "kinds-left-out"),
    "a sky by material": (lambda s: around(s, "big", True, model="unlit"), "kinds-left-out"),
    "a box around the world": (lambda s: around(s, "outer", True), "kinds-left-out"),
    "a box that looks outward": (lambda s: around(s, "hull"), "kinds-left-out"),
    "copies in one place": (doubled, "kinds-left-out"),
    "strays": (far, "kinds-left-out"),
    "empty rows": (bare_rows, "kinds-left-out"),
    "nameless nodes": (bare_nodes, "kinds-left-out"),
    "empty nodes": (bare_nodes, "empty-nodes"),
    "a file nobody has": (missing("no file of that name"), "stand-ins"),
    "a name of two files": (missing("2 files may be meant"), "stand-ins"),
    "a file that cannot be read": (missing("not a model"), "stand-ins"),
    "terrain inside out": (ground(over), "terrain-up"),
    "levels that pop": (levels, "came-levels"),
    "materials without light": (materials(lambda m: replace(m, model="unlit")), "material-model"),
    "an old kind of material": (materials(lambda m: replace(m, model="specular_glossiness", textures={})), "material-model"),
    "leaves left opaque": (leaves("ivy_leaf"), "alpha-lost"),
    "paper left opaque": (leaves("paper_scrap"), "alpha-lost"),
    "no light": (dark, "level-light"),
    "lights without strength": (dim, "level-light"),
    "lights of no unit": (unit_less, "light-unit"),
    "inches for metres": (sized(39.37), "level-scale"),
    "a hundred times too large": (sized(100.0), "level-scale"),
    "a tenth of its size": (sized(0.1), "level-scale"),
    "crumbs": (crumbs, "smallest"),
    "a camera": (camera, "cameras"),
    "a chest inside out": (inward, "inward"),
    "faces without area": (flat_faces, "degenerate"),
    "no normals": (bare_normals, "normals"),
}  # fmt: skip


@pytest.mark.breadth(2)
@pytest.mark.parametrize("fault", list(FAULTS))
def test_a_fault_is_found_and_put_right_by_one_press(fault: str, clean: Scene) -> None:
    plant, requirement = FAULTS[fault]
    planted = plant(clean)
    subject = Subject(planted, fault, find_sheet(SHEET))
    now = subject.judged(fresh_route(None), SceneCache(), None)
    rows = [r for r in now.ledger.open() if r.requirement == requirement]
    assert rows and rows[0].remedy is not None, [(r.requirement, r.delivering) for r in now.ledger.open()]
    pressed: Plan = press(subject, now, rows[0].remedy, SceneCache())
    left = [r for r in pressed.ledger.open() if r.requirement == requirement and r.subject == rows[0].subject]
    assert not left, [(r.delivering, r.note) for r in left]
    assert pressed.route.of_step(rows[0].remedy.step) is not None


def test_there_are_thirty_of_them(clean: Scene) -> None:
    assert len(FAULTS) >= 30
    calm = Subject(clean, "clean", find_sheet(SHEET)).judged(fresh_route(None), SceneCache(), None)
    assert not {r.requirement for r in calm.ledger.open()} & {r for _, r in FAULTS.values()}
