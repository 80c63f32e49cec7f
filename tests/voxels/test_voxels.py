"""Voxels against trimesh's own containment, Pillow's quantiser, volumes worked by hand and the Khronos validator."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image

from customs.errors import LimitError, StepError
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.geometry.closest import Surface
from customs.job import Job
from customs.route.step import get_step, make_settings
from customs.scene.arrays import frozen
from customs.scene.model import Image as SceneImage
from customs.scene.model import Material, Primitive, Scene, TextureUse
from customs.surface.colour import to_oklab
from customs.voxels.faces import mesh_of, rectangles
from customs.voxels.fill import frame_of, inside, touched
from customs.voxels.made import Wanted, voxels_of
from customs.voxels.palette import chosen, nearest, parsed
from customs.voxels.shell import shell, thin_cells
from customs.voxels.shown import as_mesh
from customs.voxels.surface import CLOSED, OPEN, SHEET, kinds_of_pieces
from tests.assets import key, scene_of
from tests.outside.judges import validate
from tests.work.test_cli import call

TURN = trimesh.transformations.rotation_matrix(0.7, (1, 2, 3))


def hollow() -> trimesh.Trimesh:
    """A box with a box left out of it."""
    inner = trimesh.creation.box((1.2, 0.6, 0.8))
    inner.invert()
    return trimesh.util.concatenate([trimesh.creation.box((2, 1, 1.4)), inner])


SHAPES = {
    "sphere": trimesh.creation.icosphere(2), "torus": trimesh.creation.torus(1, 0.35), "plate": trimesh.creation.box((1, 0.02, 1)),
    "turned": trimesh.creation.box((1, 0.3, 0.5), transform=TURN), "hollow": hollow(),
}  # fmt: skip


@pytest.mark.parametrize("name", list(SHAPES))
def test_cells_inside_are_those_trimesh_says(name: str) -> None:
    mesh = SHAPES[name]
    points, faces = np.asarray(mesh.vertices, np.float64), np.asarray(mesh.faces)
    frame = frame_of(points, 22)
    found = inside(points, faces, frame)
    at = np.argwhere(np.ones(frame.shape, bool))
    wanted = mesh.contains(frame.low + (at + 0.5) * frame.cell).reshape(frame.shape)
    assert np.array_equal(found, wanted)
    assert np.array_equal(inside(points, faces, frame, closed=False), wanted), "along any two axes the same"
    assert np.array_equal(inside(points, faces[:, ::-1], frame), wanted), "inside out the same"


def test_what_is_symmetric_stays_so_and_edges_on_middles_count_once() -> None:
    for name in ("sphere", "torus", "hollow"):
        mesh = SHAPES[name]
        found = inside(
            np.asarray(mesh.vertices, float),
            np.asarray(mesh.faces),
            frame_of(np.asarray(mesh.vertices, float), 41),
        )
        assert all(np.array_equal(found, np.flip(found, a)) for a in (0, 2)), name
    # Every middle of this grid lies on an edge or a corner of the surface's triangles seen along the axis.
    grid = trimesh.creation.box((4, 4, 4)).subdivide().subdivide()
    points = np.asarray(grid.vertices, float) + 2
    frame = replace(frame_of(points, 4), low=np.full(3, -0.5), cell=1.0, shape=(5, 5, 5))
    for closed in (True, False):
        count = int(inside(points, np.asarray(grid.faces), frame, closed).sum())
        assert count == 64, "a cube of four cells, half open"


def test_a_shell_is_as_thick_as_it_says() -> None:
    mesh = trimesh.creation.icosphere(3)
    points, faces = np.asarray(mesh.vertices, float), np.asarray(mesh.faces)
    frame = frame_of(points, 40)
    solid, surface = inside(points, faces, frame), Surface(points, faces)
    found = shell(solid, frame, surface, 0.2)
    at = np.argwhere(solid)
    distance = trimesh.proximity.closest_point(mesh, frame.low + (at + 0.5) * frame.cell)[1]
    wanted = np.zeros_like(solid)
    wanted[tuple(at[distance <= 0.2].T)] = True
    assert np.array_equal(found, wanted) and 0 < found.sum() < solid.sum()


def test_sheets_vessels_and_what_is_closed() -> None:
    box = trimesh.creation.box((1, 1, 1))
    lid = box.face_normals[:, 1] > 0.5
    flat = trimesh.Trimesh(
        [(0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)], [(0, 1, 2), (0, 2, 3)], process=False
    )
    for mesh, faces, kind in (
        (box, box.faces, CLOSED),
        (box, box.faces[~lid], OPEN),
        (flat, flat.faces, SHEET),
    ):
        assert set(kinds_of_pieces(np.asarray(mesh.vertices, float), np.asarray(faces)).tolist()) == {kind}
    assert len(kinds_of_pieces(np.zeros((0, 3)), np.zeros((0, 3), np.int64))) == 0


def test_thin_parts_are_found_and_kept_whole() -> None:
    """A needle that leaves a block and grows thinner than a cell."""
    block = trimesh.creation.box((1, 1, 1))
    needle = trimesh.creation.cone(0.06, 2.0, sections=8)
    needle.apply_translation((0, 0, 0.4))
    both = trimesh.util.concatenate([block, needle])
    points, faces = np.asarray(both.vertices, float), np.asarray(both.faces)
    frame = frame_of(points, 40)
    solid = inside(points, faces, frame)
    thin = thin_cells(solid, touched(points, faces, frame))
    assert len(thin) and (frame.low[2] + thin[:, 2] * frame.cell > 0.4).all(), "all of it along the needle"
    whole = solid.copy()
    whole[tuple(thin.T)] = True
    from scipy import ndimage

    assert ndimage.label(whole, np.ones((3, 3, 3)))[1] == 1
    assert whole.any(axis=(0, 1)).all(), "up to its point"


def test_rectangles_cover_every_side_once() -> None:
    rng = np.random.default_rng(3)
    cells = np.where(rng.random((7, 6, 5)) < 0.4, rng.integers(1, 4, (7, 6, 5)), 0).astype(np.uint32)
    low, size, way, _ = rectangles(cells)
    points, normals, faces = mesh_of(low, size, way)
    mesh = trimesh.Trimesh(points, faces, process=False)
    assert mesh.volume == pytest.approx(np.count_nonzero(cells))
    assert np.allclose(np.repeat(normals[::4], 2, axis=0), mesh.face_normals)
    wide = np.pad(cells, 1) > 0
    sides = sum(int((wide & ~np.roll(wide, s, axis)).sum()) for axis in range(3) for s in (1, -1))
    assert np.prod(np.where(size == 0, 1, size), axis=1).sum() == sides == round(mesh.area)
    one = np.ones((4, 5, 6), np.uint32)
    assert len(rectangles(one)[0]) == 6 and set(rectangles(one)[3]) == {0}
    assert len(rectangles(np.zeros((2, 2, 2), np.uint32))[0]) == 0


def test_palettes_are_as_good_as_pillows() -> None:
    """The mean error in OKLab is no larger than that of Pillow's median cut and of its octree."""
    rng = np.random.default_rng(1)
    base = rng.integers(0, 256, (12, 3))
    pixels = np.clip(base[rng.integers(0, 12, 6000)] + rng.normal(0, 14, (6000, 3)), 0, 255).astype(np.uint8)
    lab = to_oklab(pixels.astype(np.float32) / 255)
    for count in (4, 16, 64):
        palette = chosen(pixels, count)
        assert len(palette) <= count
        own = np.linalg.norm(
            lab - to_oklab(palette.astype(np.float32) / 255)[nearest(pixels, palette)], axis=1
        ).mean()
        for method in (Image.Quantize.MEDIANCUT, Image.Quantize.FASTOCTREE):
            theirs = (
                Image.fromarray(pixels.reshape(60, 100, 3))
                .quantize(count, method, dither=Image.Dither.NONE)
                .convert("RGB")
            )
            other = to_oklab(np.asarray(theirs).reshape(-1, 3).astype(np.float32) / 255)
            assert own <= np.linalg.norm(lab - other, axis=1).mean() * 1.001, (count, method)
    assert np.array_equal(chosen(pixels[:3], 8), np.unique(pixels[:3], axis=0))
    # As many colours as there may be are chosen in no time.
    many = np.unique(rng.integers(0, 256, (30_000, 3)).astype(np.uint8), axis=0)
    assert 2_000 < len(chosen(many, 4_000)) <= 4_000
    assert len(chosen(pixels, 1)) == 1 and len(chosen(pixels, 100_000)) == len(np.unique(pixels, axis=0))


def test_nearest_by_eye_and_mixed_by_dots_alike_on_both_sides() -> None:
    palette = parsed(("#000000", "#FFFFFF", "#d02020"))
    assert nearest(np.array([(10, 5, 5), (250, 240, 255), (180, 40, 40)], np.uint8), palette).tolist() == [
        0,
        1,
        2,
    ]
    at = np.argwhere(np.ones((8, 8, 8), bool))
    grey = np.full((512, 3), 99, np.uint8)
    mixed = nearest(grey, palette[:2], at, (8, 8, 8)).reshape(8, 8, 8)
    share = to_oklab(np.full((1, 3), 99 / 255, np.float32))[0, 0]
    assert mixed.mean() == pytest.approx(share, abs=0.12)
    assert all(np.array_equal(mixed, np.flip(mixed, a)) for a in range(3))
    for bad in ("red", "#12345", "#1234567"):
        with pytest.raises(ValueError, match="no colour"):
            parsed((bad,))


def boxes(*places: tuple[float, float, float], material: Material | None = None) -> Scene:
    """Boxes of a metre as one asset."""
    meshes = [trimesh.creation.box((1, 1, 1)) for _ in places]
    for m, at in zip(meshes, places):
        m.apply_translation(at)
    whole = trimesh.util.concatenate(meshes)
    uv = np.tile([(0.0, 0.0), (1.0, 0.0), (0.0, 1.0), (1.0, 1.0)], (2 * len(places), 1))
    prim = Primitive(
        key("primitive", 0), frozen(whole.vertices), indices=frozen(np.asarray(whole.faces).reshape(-1), np.uint32),
        texcoords=(frozen(uv),), material=0 if material is not None else None,
    )  # fmt: skip
    return scene_of(prim, materials=(material,) if material is not None else ())


def test_colours_come_from_texture_factor_and_holes() -> None:
    half = np.zeros((8, 8, 4), np.uint8)
    half[:, :4], half[:, 4:] = (200, 30, 30, 255), (30, 30, 200, 255)
    image = SceneImage(key("image", 0), "halves", pixels=half)
    material = Material(key("material", 0), "m", textures={"base_colour": TextureUse(0)}, metallic=0.0)
    scene = replace(boxes((0, 0, 0), material=material), images=(image,))
    found = voxels_of(scene, Wanted(8, colours=2))
    assert found.count == 512 and len(found.palette) == 2 and found.cell == pytest.approx(0.125)
    # Where both halves meet, and at the seam where the texture repeats, colours are mixed.
    assert [200, 30, 30] in found.palette.tolist() and found.palette[:, 2].max() > 150
    assert found.counts().sum() == 512 and len(found.filled()[0]) == 512
    tinted = replace(scene, materials=(replace(material, base_colour=(0.0, 0.0, 0.0, 1.0)),))
    assert voxels_of(tinted, Wanted(8)).palette.tolist() == [[0, 0, 0]]
    # Of a sheet that is cut out nothing is there where its texture is clear.
    clear = half.copy()
    clear[:, 4:, 3] = 0
    prim = Primitive(
        key("primitive", 0), frozen([(0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)]), indices=frozen([0, 1, 2, 0, 2, 3], np.uint32),
        texcoords=(frozen([(0, 0), (1, 0), (1, 1), (0, 1)]),), material=0,
    )  # fmt: skip
    leaf = scene_of(prim, materials=(replace(material, alpha_mode="mask"),))
    leaf = replace(leaf, images=(replace(image, pixels=clear),))
    found = voxels_of(leaf, Wanted(16))
    assert found.count == pytest.approx(128, abs=16) and found.cells[:8].any() and not found.cells[9:].any()
    with pytest.raises(StepError, match="thick as a cell"):
        voxels_of(leaf, Wanted(16, thin="drop"))


def test_bad_wishes_and_assets_without_a_surface() -> None:
    with pytest.raises(StepError, match="no faces"):
        voxels_of(Scene("nothing", "0" * 12), Wanted(8))
    with pytest.raises(LimitError, match="at most"):
        voxels_of(boxes((0, 0, 0)), Wanted(1024))
    step = get_step("voxels")
    for bad in ({"side": 1}, {"colours": 0}, {"palette": ("grey",)}, {"fill": "foam"}):
        with pytest.raises(StepError):
            make_settings(step, bad)


def test_as_a_mesh_and_as_a_step() -> None:
    scene = boxes((0, 0, 0), (1, 0, 0), (0, 1, 0))
    out = as_mesh(scene, voxels_of(scene, Wanted(8)))
    (prim,) = out.meshes[0].primitives
    solid = trimesh.Trimesh(prim.positions, prim.indices.reshape(-1, 3), process=False)  # type: ignore[union-attr]
    assert solid.volume == pytest.approx(3.0, rel=1e-5) and len(prim.indices) // 3 == 20  # type: ignore[arg-type]
    assert prim.made_from == (scene.meshes[0].primitives[0].key,) and not out.images and len(out.nodes) == 1
    step = get_step("voxels")
    done = step.run(scene, make_settings(step, {"side": 16, "fill": "shell"}), {}, Job())
    assert done.remarks[0].values["cells"] == int(done.remarks[0].text.partition(" ")[0].replace(",", ""))
    assert 0 < done.remarks[0].values["cells"] < 16**3


def test_ported_on_the_command_line(goods: dict[str, Path], tmp_path: Path) -> None:
    code, text = call(
        "port", goods["hedgehog"], "--to", "metre-yup-pbr", "--set", "voxels.side=48", "--set", "voxels.colours=12", "--out", tmp_path,
        "--from", "metre-yup", "--json",
    )  # fmt: skip
    told = json.loads(text)[0]
    assert code == 0 and told["package"], told["error"] or [r for r in told["rows"] if r["verdict"] == "held"]
    model = next(Path(told["package"]).glob("*.glb"))
    assert validate([model]) == []
    scene = read_scene(Source(model))
    assert len(scene.meshes) == 1 and not scene.images
    colours = np.unique(scene.meshes[0].primitives[0].colours[0], axis=0)
    assert len(colours) <= 12
