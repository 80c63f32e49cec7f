"""The palm court as brushes and as a list say the same; brush levels go the way of any level."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh

from customs.demo.court import placed, write_court
from customs.demo.court_brushes import BOXES, INCH, LANTERNS, write_brushes
from customs.formats.brushes.read import planes_of
from customs.formats.brushes.text import parse
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.solids import solids
from customs.grounds.faces import TOOL_WORDS, tool_faces
from customs.grounds.glow import glowing
from customs.grounds.kinds import kinds_of
from customs.job import Job
from customs.route.step import NOTHING, get_step, make_settings
from customs.scene.model import Scene
from tests.brushes.test_text import brush, level, read, solid
from tests.work.test_cli import call


@pytest.fixture(scope="module")
def court(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_brushes(tmp_path_factory.mktemp("brushes"))


def applied(scene: Scene, step: str, **values: object) -> tuple[Scene, list[str]]:
    """(the scene after a step, what it said)."""
    entry = get_step(step)
    out = entry.apply(scene, make_settings(entry, values), NOTHING, Job())
    return out.scene, [r.text for r in out.remarks]


def volume(scene: Scene, texture: str) -> float:
    """Cubic metres within the faces of a texture in the first mesh."""
    name = next(k for k, m in enumerate(scene.materials) if m.name == texture)
    corners = [
        p.positions[p.indices].reshape(-1, 3, 3) for p in scene.meshes[0].primitives if p.material == name
    ]
    # Corners are single precision, a level is wide: the sum is taken in double.
    a, b, c = np.concatenate(corners).astype(np.float64).transpose(1, 0, 2)
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6) * INCH**3


def exact_volumes(file: Path) -> dict[str, float]:
    """Cubic metres of all solids of a file by the texture of their first face."""
    text = parse(file.read_text("utf-8"))
    normals, far, _ = planes_of(text)
    starts = np.searchsorted(text.brush, np.arange(len(text.entity) + 1))
    made = solids(np.concatenate([normals, far[:, None]], axis=1), starts)
    area = np.zeros(len(made.sizes))
    begins = np.cumsum(made.sizes) - made.sizes
    for k in range(1, int(made.sizes.max()) - 1):
        rows = np.flatnonzero(made.sizes > k + 1)
        a, b, c = (made.points[begins[rows] + j] for j in (0, k, k + 1))
        area[rows] += np.einsum("ij,ij->i", normals[made.plane[rows]], np.cross(b - a, c - a)) / 2
    whole = np.bincount(text.texture[made.plane], area * far[made.plane] / 3, len(text.textures)) * INCH**3
    return dict(zip(text.textures, whole.tolist()))


def test_the_court_as_brushes_is_as_large_as_the_court_as_a_list(court: Path, tmp_path: Path) -> None:
    scene = read_scene(Source(court))
    assert not [r.text for r in scene.remarks]
    _, _, library = write_court(tmp_path)
    names = [p.name for p in placed()]
    wanted: dict[str, float] = {}
    for name, (texture, _) in BOXES.items():
        piece = trimesh.load(next(library.rglob(f"{name}.glb")), force="mesh")
        corners = trimesh.Trimesh(piece.vertices, piece.faces, process=False).volume
        wanted[texture] = wanted.get(texture, 0.0) + names.count(name) * float(corners)
    exact = exact_volumes(court)
    for texture, whole in wanted.items():
        assert exact[texture] == pytest.approx(whole, rel=1e-6), texture
        # A slab of 6 cm six metres up is off by a corner's single precision, which all formats have.
        assert volume(scene, texture) == pytest.approx(whole, rel=2e-5), texture
    entities = [n.extras["classname"] for n in scene.nodes]
    assert entities.count("trigger_volume") == names.count("trigger_box") and len(scene.lights) == len(
        LANTERNS
    )


def test_a_brush_level_is_ported_like_any_other(court: Path, tmp_path: Path) -> None:
    code, text = call("port", court, "--to", "level-kit", "--out", tmp_path / "out")
    assert code == 0 and "landed and accepted" in text and "axes and unit by custom (Z" in text
    assert (tmp_path / "out" / "palm_court" / "meshes" / "world.gltf").is_file()


def test_faces_of_tools_are_told_and_left_out_by_an_editable_list(tmp_path: Path) -> None:
    scene = read(tmp_path, level(brush(), brush(texture="common/clip"), brush(texture="mine/ghost")))
    assert tool_faces(scene, TOOL_WORDS) == 12
    # One face for tools makes no tool of the whole level.
    assert kinds_of(scene).counts().keys() == {"geometry"}
    out, remarks = applied(scene, "tool-faces")
    assert [m.name for m in out.materials] == [
        "mine/ghost",
        "wall",
    ] and "12 triangles of 1 tool texture" in remarks[0]
    out, _ = applied(scene, "tool-faces", words=("ghost", "clip"))
    assert [m.name for m in out.materials] == ["wall"] and solid(out).volume == pytest.approx(64 * 64 * 32)


def test_faces_between_touching_brushes_go_on_request(tmp_path: Path) -> None:
    moved = ("( 0 0 32 ) ( 0 1 32 ) ( 0 0 33 )", "( 0 0 32 ) ( 0 0 33 ) ( 1 0 32 )", "( 0 0 32 ) ( 1 0 32 ) ( 0 1 32 )",
             "( 64 64 64 ) ( 64 65 64 ) ( 65 64 64 )", "( 64 64 64 ) ( 65 64 64 ) ( 64 64 65 )", "( 64 64 64 ) ( 64 64 65 ) ( 64 65 64 )")  # fmt: skip
    scene = read(tmp_path, level(brush(), brush(planes=moved, texture="floor")))
    out, remarks = applied(scene, "faces-between")
    assert remarks == ["4 triangles between pieces that touch left out"]
    both = solid(out)
    assert both.is_watertight and both.volume == pytest.approx(64**3)


def test_faces_whose_texture_is_known_to_glow_are_lights(court: Path) -> None:
    scene = read_scene(Source(court))
    assert not len(glowing(scene, 1000, 40, 64))
    found = glowing(scene, 1000, 40, 64, ("glow",))
    # All lamps are faces of one mesh: each is a light where it hangs, in all directions, none in the middle of the court.
    far = np.linalg.norm(found.places[:, None] * INCH - [(x, -z, y) for x, y, z in LANTERNS], axis=2)
    assert (
        sorted(far.argmin(axis=1)) == [0, 1, 2, 3] and far.min(axis=1).max() < 0.15 and not found.ways.any()
    )
    # Six faces of 0.2 m: I = L·A / 4 of what its picture lets through.
    assert found.candela == pytest.approx(np.full(4, found.candela[0])) and found.colours[
        0, 0
    ] == pytest.approx(1.0)
