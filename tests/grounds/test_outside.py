"""Levels against other people's readers and published definitions: three.js, trimesh, libassimp's models, photometry, SciPy."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import trimesh
from scipy import integrate
from scipy.spatial.transform import Rotation

from customs.grounds.glow import glowing
from customs.grounds.light import EFFICACY, Rig, in_standard, looking, reach_of
from customs.levels.file import LevelFile
from customs.levels.mapping import Fields, Mapping
from customs.motion.posing.bounds import world_bounds
from customs.scene.model import Light, Scene
from customs.scene.transforms import compose
from customs.work.levels import composed
from tests.assets import cube, key, scene_of
from tests.outside.judges import read_modern

MODELS = Path("/usr/share/assimp/models")
"""The models of the Debian package assimp-testmodels."""
CHOSEN = ("OBJ/box.obj", "OBJ/WusonOBJ.obj", "PLY/cube.ply", "PLY/Wuson.ply", "STL/Wuson.stl", "STL/Spider_binary.stl",
          "STL/sphereWithHole.stl", "glTF2/BoxTextured-glTF-Binary/BoxTextured.glb")  # fmt: skip


def test_three_js_finds_every_instance_where_it_stands(ported: dict[str, tuple[Path, dict]]) -> None:  # type: ignore[type-arg]
    package, _ = ported["one-file-level-kit"]
    docket = json.loads((package / "docket.json").read_text("utf-8"))
    # Pictures are of no use without a browser: three.js says so and goes on.
    found = read_modern("three", package / docket["models"][0]["path"])
    box = np.array([docket["box"]["low"], docket["box"]["high"]])
    assert np.abs(np.array([found["low"], found["high"]]) - box).max() < 1e-5 * np.linalg.norm(
        box[1] - box[0]
    )
    assert found["instances"] > 1000


def test_other_peoples_models_put_together_by_a_list(tmp_path: Path) -> None:
    """Their vertices as trimesh reads them, moved by NumPy."""
    rng = np.random.default_rng(6)
    rows, low, high = [], np.full(3, np.inf), np.full(3, -np.inf)
    for k in range(60):
        name = CHOSEN[k % len(CHOSEN)]
        matrix = np.eye(4)
        matrix[:3, :3] = Rotation.random(random_state=k).as_matrix() * rng.uniform(0.5, 2, 3)
        matrix[:3, 3] = rng.uniform(-50, 50, 3)
        if k % 7 == 0:
            matrix[:3, 0] *= -1
        rows.append({"name": name, "matrix": matrix.T.reshape(-1).tolist()})
        scene = trimesh.load(MODELS / name, process=False, force="scene")
        points = np.array(scene.to_geometry().vertices)
        there = points @ matrix[:3, :3].T + matrix[:3, 3]
        low, high = np.minimum(low, there.min(axis=0)), np.maximum(high, there.max(axis=0))
    listed = tmp_path / "models.json"
    listed.write_text(json.dumps({"placements": rows}), "utf-8")
    rules = Mapping.model_validate(
        {"entries": "/placements/*", "fields": {"name": "/name", "matrix": "/matrix"},
         "library": {"endings": [".obj", ".ply", ".stl", ".glb"]}}
    )  # fmt: skip
    level = composed([listed], rules, [MODELS])
    assert all(r.file is not None for r in level.names)
    scene = level.scene()
    box = world_bounds(scene)
    assert box is not None
    # Formats that say no axes are taken as the mapping has them: Y up, in metres.
    assert np.abs(np.stack(box) - [low, high]).max() < 1e-4 * np.linalg.norm(high - low)


@pytest.mark.parametrize("kind", ["point", "spot"])
def test_candela_and_lumens(kind: str) -> None:
    """The flux of a light is its intensity over the solid angle it fills (CIE S 017:2020, 17-21-045), integrated by SciPy."""
    outer = 0.6
    light = Light(key("light", 0), "", kind=kind, intensity=800.0, outer=outer)  # type: ignore[arg-type]
    candela = in_standard(light, "lm")
    angle = np.pi if kind == "point" else outer
    solid = integrate.quad(lambda t: 2 * np.pi * np.sin(t), 0, angle)[0]
    assert abs(candela * solid - 800.0) < 1e-6
    if kind == "point":
        # 1 cd in all directions is 4π lm.
        assert abs(in_standard(Light(key("light", 0), "", intensity=4 * np.pi), "lm") - 1.0) < 1e-12


def test_watts_lux_and_reach() -> None:
    """683 lm/W at 555 nm (SI brochure, the candela); E = I / d²."""
    sun = Light(key("light", 0), "", kind="directional", intensity=1.0)
    assert in_standard(sun, "W") == EFFICACY == 683.0 and in_standard(sun, "lx") == 1.0
    point = Light(key("light", 0), "", intensity=1.0)
    assert abs(in_standard(point, "W") - 683.0 / (4 * np.pi)) < 1e-9
    assert in_standard(point, "cd") == 1.0 and in_standard(point, "plain", plain=100.0) == 100.0
    assert abs(50.0 / reach_of(50.0, 0.1) ** 2 - 0.1) < 1e-12


def test_the_fill_stands_opposite_and_lights_look_down_their_own_axis() -> None:
    sun, fill = Rig(azimuth=-30, elevation=40).towards()
    assert np.allclose(np.linalg.norm([sun, fill], axis=1), 1)
    turned = Rotation.from_euler("y", 180, degrees=True).apply(sun)
    assert np.allclose(turned, fill)
    for way in (sun, fill, np.array([0.0, 1.0, 0.0])):
        # KHR_lights_punctual: light leaves along local −Z.
        assert np.allclose(Rotation.from_quat(looking(way)).apply([0, 0, -1]), -way)


def glowing_cube(places: np.ndarray, strength: float = 2.0) -> Scene:
    from dataclasses import replace

    from customs.scene.model import Material, Node

    scene = scene_of(replace(cube(), material=0))
    lamp = Material(key("material", 0), "lamp", emissive=(1.0, 1.0, 1.0), emissive_strength=strength)
    nodes = tuple(Node(key("node", k), f"lamp {k}", translation=p, mesh=0) for k, p in enumerate(places))
    return replace(scene, nodes=nodes, roots=tuple(range(len(nodes))), materials=(lamp,))


def test_power_of_a_glow_is_its_area_and_luminance() -> None:
    """Lambert's law: a face of luminance L and area A sends π·L·A lumens; as a light in all directions π·L·A / 4π candela."""
    one = glowing(glowing_cube(np.zeros((1, 3))), nits=100.0, near=1.0, most=8)
    size = float(np.ptp(cube().positions, axis=0)[0])
    flux = np.pi * (100.0 * 2.0) * 6 * size**2
    assert len(one) == 1 and abs(float(one.candela[0]) * 4 * np.pi - flux) < 1e-3 * flux
    assert np.allclose(one.ways, 0)


def test_neighbours_are_one_light_and_the_strongest_stay() -> None:
    near = np.array([[0, 0, 0], [0.2, 0, 0], [0.4, 0, 0], [50, 0, 0.0]])
    scene = glowing_cube(near)
    both = glowing(scene, nits=1.0, near=10.0, most=8)
    assert len(both) == 2 and both.sources == 4 and both.left == 0
    assert abs(float(both.candela.max()) / float(both.candela.min()) - 3) < 1e-6
    first = glowing(scene, nits=1.0, near=10.0, most=1)
    assert len(first) == 1 and abs(first.left - 0.25) < 1e-6


def test_lists_and_files_of_conventions_of_their_own(tmp_path: Path) -> None:
    """Worked by hand. List: left-handed centimetres, Z up, facing +X; files: right-handed metres, Y up, facing +Z, but raw numbers
    are placed. A point p of a file stands at C_list · M · p, whatever the file's axes are called.
    """
    library = tmp_path / "lib"
    library.mkdir()
    from tests.assets import saved

    saved(scene_of(cube()), library / "crate.obj")
    points = np.array(trimesh.load(library / "crate.obj", process=False).vertices)
    turn = Rotation.from_euler("XYZ", [20, -30, 75], degrees=True).as_matrix()
    m = np.eye(4)
    m[:3, :3], m[:3, 3] = turn * 100, [120, -250, 340]
    (tmp_path / "l.json").write_text(json.dumps([{"n": "crate", "m": m.reshape(-1).tolist()}]))
    frame = {"up": "+Z", "faces": "+X", "hand": "left", "metres_per_unit": 0.01}
    rules = Mapping.model_validate(
        {
            "entries": "/*",
            "fields": {"name": "/n", "matrix": "/m"},
            "order": "row",
            "takes": "raw",
            "frame": frame,
        }
    )
    from customs.conventions.convert import change_convention
    from customs.scene.convention import WORKING

    scene = composed([tmp_path / "l.json"], rules, [library]).scene()
    box = world_bounds(change_convention(scene, WORKING, scene.convention))
    # Left-handed, Z up, facing +X: its right is +Y. Facing +Z, Y up, right-handed: right (of who looks along it) is −X.
    to_working = np.array([[0, -1, 0], [0, 0, 1], [1, 0, 0]]) * 0.01
    there = (points @ m[:3, :3].T + m[:3, 3]) @ to_working.T
    assert box is not None
    assert np.abs(np.stack(box) - [there.min(axis=0), there.max(axis=0)]).max() < 1e-5


def test_a_transform_is_taken_apart_as_scipy_does() -> None:
    turn = Rotation.random(20, random_state=4)
    sizes = np.random.default_rng(4).uniform(0.5, 2, (20, 3))
    mine = compose(np.zeros((20, 3)), turn.as_quat(), sizes)
    assert np.abs(mine[:, :3, :3] - turn.as_matrix() * sizes[:, None]).max() < 1e-12


def test_our_own_files_say_what_they_are() -> None:
    told = LevelFile(lists=("a.json",), mapping=Mapping(fields=Fields(name="n", matrix="m"), entries="/x/*"))
    assert LevelFile.model_validate(json.loads(told.text())) == told
