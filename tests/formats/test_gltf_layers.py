"""Material extensions of the standard: read, written, brought into other units, turned into the nearest look.

Source of names, values at rest and equations: the extensions' own texts (github.com/KhronosGroup/glTF, extensions/2.0/Khronos).
"""

from __future__ import annotations

import json
import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from customs.conventions.convert import change_convention
from customs.demo.textures import encoded
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.job import Job
from customs.landing.land import landed_scene
from customs.ledger.facts import scene_facts
from customs.ledger.ledger import Ledger
from customs.ledger.materials import alpha_used
from customs.ledger.used import extensions_used
from customs.route.step import get_step
from customs.route.steps.surface.materials.merge_materials import same_materials
from customs.scene.arrays import frozen
from customs.scene.content import Encoded
from customs.scene.convention import WORKING
from customs.scene.layers import LAYERS, REST, TOON
from customs.scene.model import Image, Material, Scene, TextureUse
from customs.surface.nearest import nearest
from customs.surface.pixels import image_pixels
from customs.surface.presets import apply_preset, presets
from customs.work.asset import Request, run
from customs.work.lookup import find_sheet
from tests.assets import cube, key, saved, scene_of
from tests.formats.test_vrm_bvh import rewritten
from tests.formats.test_vrm_bvh import saved as avatar
from tests.outside.judges import validate
from tests.sheets import model_sheets

SAID: dict[str, dict[str, Any]] = {
    "KHR_materials_ior": {"ior": 1.33},
    "KHR_materials_specular": {
        "specularFactor": 0.25, "specularColorFactor": [1.0, 0.5, 0.25],
        "specularTexture": {"index": 0}, "specularColorTexture": {"index": 0},
    },
    "KHR_materials_clearcoat": {
        "clearcoatFactor": 0.8, "clearcoatRoughnessFactor": 0.1, "clearcoatTexture": {"index": 0},
        "clearcoatRoughnessTexture": {"index": 0}, "clearcoatNormalTexture": {"index": 0, "scale": 0.5},
    },
    "KHR_materials_transmission": {"transmissionFactor": 0.9, "transmissionTexture": {"index": 0}},
    "KHR_materials_volume": {
        "thicknessFactor": 0.02, "attenuationDistance": 0.5, "attenuationColor": [0.9, 0.8, 0.7], "thicknessTexture": {"index": 0},
    },
    "KHR_materials_sheen": {
        "sheenColorFactor": [0.5, 0.25, 0.0], "sheenRoughnessFactor": 0.4, "sheenColorTexture": {"index": 0},
        "sheenRoughnessTexture": {"index": 0},
    },
    "KHR_materials_iridescence": {
        "iridescenceFactor": 1.0, "iridescenceIor": 1.8, "iridescenceThicknessMinimum": 150.0, "iridescenceThicknessMaximum": 500.0,
        "iridescenceTexture": {"index": 0}, "iridescenceThicknessTexture": {"index": 0},
    },
    "KHR_materials_anisotropy": {"anisotropyStrength": 0.6, "anisotropyRotation": 1.57, "anisotropyTexture": {"index": 0}},
    "KHR_materials_dispersion": {"dispersion": 0.1},
    "KHR_materials_diffuse_transmission": {
        "diffuseTransmissionFactor": 0.3, "diffuseTransmissionColorFactor": [0.2, 0.9, 0.2],
        "diffuseTransmissionTexture": {"index": 0}, "diffuseTransmissionColorTexture": {"index": 0},
    },
}  # fmt: skip
PIXELS = np.tile(np.array([[[255, 128, 64]]], np.uint8), (4, 4, 1))


def written(path: Path, tables: dict[str, dict[str, Any]], maps: bool = True) -> Path:
    """A cube whose material says these extensions, in a file made by hand."""
    picture = Image(key("image", 0), "map", Encoded(encoded(PIXELS, "png"), "image/png"), uri="map.png")
    plain = Material(
        key("material", 0), "glass", roughness=0.6, metallic=0.0, textures={"emissive": TextureUse(0)}
    )
    made = saved(replace(scene_of(replace(cube(), material=0)), materials=(plain,), images=(picture,)), path)
    body = json.loads(made.read_text())
    cleaned = {
        name: {k: v for k, v in table.items() if maps or not k.endswith("Texture")}
        for name, table in tables.items()
    }
    body["materials"][0]["extensions"] = cleaned
    body["extensionsUsed"] = sorted(cleaned)
    made.write_text(json.dumps(body))
    return made


def read(path: Path) -> Scene:
    return read_scene(Source(path))


def test_the_table_has_what_the_extensions_say() -> None:
    khronos = [x for x in LAYERS if x is not TOON]
    assert {x.extension for x in khronos} == set(SAID)
    for layer in khronos:
        names = {f.said for f in layer.factors} | {m.said for m in layer.maps}
        assert names == set(SAID[layer.extension]), layer.extension
    assert REST["ior"] == 1.5 and REST["iridescence_ior"] == 1.3 and math.isinf(REST["attenuation_distance"])  # type: ignore[arg-type]


@pytest.mark.parametrize("name", SAID)
def test_what_a_file_says_is_read_and_written_again(name: str, tmp_path: Path) -> None:
    scene = read(written(tmp_path / "in" / "thing.gltf", {name: SAID[name]}))
    assert not scene.unknown and extensions_used(scene) == [name]
    again = saved(scene, tmp_path / "out" / "thing.gltf")
    body = json.loads(again.read_text())
    assert body["materials"][0]["extensions"] == {name: SAID[name]} and body["extensionsUsed"] == [name]
    # What says nothing but what is so anyway needs no extension.
    rest = {f.said: list(f.rest) if isinstance(f.rest, tuple) else f.rest
            for x in LAYERS if x.extension == name for f in x.factors if f.rest != math.inf}  # fmt: skip
    bare = read(written(tmp_path / "bare" / "thing.gltf", {name: rest}))
    assert not bare.materials[0].layers and not extensions_used(bare)


def test_the_validator_has_no_complaint_about_all_of_them_together(tmp_path: Path) -> None:
    scene = read(written(tmp_path / "in" / "thing.gltf", SAID))
    path = saved(scene, tmp_path / "out" / "thing.gltf")
    complaints = [
        c for c in validate([path]) if "UNDECLARED" in c or "SCHEMA" in c or "VALUE" in c or "UNEXPECTED" in c
    ]
    assert not complaints


@pytest.mark.parametrize(("name", "value", "word"), [
    ("KHR_materials_clearcoat", {"clearcoatFactor": 2}, "clearcoatFactor"),
    ("KHR_materials_sheen", {"sheenColorFactor": [1, 2]}, "sheenColorFactor"),
    ("KHR_materials_sheen", {"sheenColorFactor": [-1, 0, 0]}, "sheenColorFactor"),
    ("KHR_materials_iridescence", {"iridescenceIor": 0.5}, "iridescenceIor"),
    ("KHR_materials_transmission", {"transmissionTexture": {"index": 9}}, "index"),
])  # fmt: skip
def test_what_cannot_be_is_said_with_its_place(
    name: str, value: dict[str, Any], word: str, tmp_path: Path
) -> None:
    from customs.errors import CustomsError

    with pytest.raises(CustomsError) as problem:
        read(written(tmp_path / "thing.gltf", {name: value}))
    assert name in str(problem.value) and word in str(problem.value)


def test_thickness_and_attenuation_are_lengths(tmp_path: Path) -> None:
    scene = read(written(tmp_path / "thing.gltf", SAID))
    there = change_convention(scene, replace(WORKING, metres_per_unit=0.01), WORKING)
    m, n = scene.materials[0].layers, there.materials[0].layers
    assert n["thickness"] == pytest.approx(2.0) and n["attenuation_distance"] == pytest.approx(50.0)
    assert {k: v for k, v in n.items() if k not in ("thickness", "attenuation_distance")} == {
        k: v for k, v in m.items() if k not in ("thickness", "attenuation_distance")
    }
    back = change_convention(there, WORKING).materials[0].layers
    assert back["thickness"] == pytest.approx(0.02)


# -- the nearest look


def glass(**layers: Any) -> Material:
    return Material(
        key("material", 0),
        "glass",
        base_colour=(0.8, 0.6, 0.4, 1.0),
        metallic=0.0,
        roughness=0.6,
        layers=layers,
    )


def test_the_nearest_look_by_the_equations() -> None:
    # Half of what a coated dielectric reflects comes from its coat (both reflect 4 %): 0.6 + ½ · 0.8 · (0.1 − 0.6).
    coated, gone = nearest(glass(clearcoat=0.8, clearcoat_roughness=0.1), ())
    assert (
        coated.roughness == pytest.approx(0.4)
        and [x.title for x in gone] == ["clearcoat"]
        and not coated.layers
    )
    # αb = 0.36, αt = 0.36 + 0.64 · 0.5² (KHR_materials_anisotropy): √αt·αb under another root.
    brushed, _ = nearest(glass(anisotropy=0.5), ())
    assert brushed.roughness == pytest.approx((0.36 * 0.52) ** 0.25)
    # T = c^(x/d) (KHR_materials_volume): half an attenuation distance of (0.25, 1, 0.81).
    thick = glass(
        transmission=0.75, thickness=0.1, attenuation_distance=0.2, attenuation_colour=(0.25, 1.0, 0.81)
    )
    clear, gone = nearest(thick, ())
    assert clear.base_colour == pytest.approx((0.4, 0.6, 0.36, 0.25)) and clear.alpha_mode == "blend"
    assert [x.title for x in gone] == ["transmission", "volume"]
    velvet, _ = nearest(glass(sheen_tint=(0.5, 0.25, 0.0)), ())
    assert velvet.base_colour == pytest.approx((0.85, 0.625, 0.4, 1.0))
    # Metal lets nothing through, and no coat hides what it reflects.
    metal, _ = nearest(replace(glass(transmission=1.0, clearcoat=1.0), metallic=1.0), ())
    assert (
        metal.base_colour == (0.8, 0.6, 0.4, 1.0) and metal.alpha_mode == "opaque" and metal.roughness == 0.6
    )
    # What stays, stays whole.
    kept, gone = nearest(thick, ("KHR_materials_volume", "KHR_materials_transmission"))
    assert kept is thick and not gone


def test_a_texture_of_transmission_becomes_one_of_opacity(tmp_path: Path) -> None:
    scene = read(
        written(tmp_path / "thing.gltf", {"KHR_materials_transmission": SAID["KHR_materials_transmission"]})
    )
    step = get_step("nearest-look")
    out = step.run(scene, step.settings(), {}, Job())
    m = out.scene.materials[0]
    assert set(m.textures) == {"emissive", "opacity"} and m.alpha_mode == "blend" and not m.layers
    # 1 − 0.9 · 255/255 of 255.
    assert np.all(image_pixels(out.scene.images[m.textures["opacity"].image]) == round(25.5))
    assert any("transmission" in r.text and "alpha" in r.text for r in out.remarks)


def rows(ledger: Ledger, requirement: str) -> list[str]:
    return [r.verdict for r in ledger.rows if r.requirement == requirement]


@pytest.mark.breadth(2)
@pytest.mark.parametrize("sheet", model_sheets())
def test_every_extension_is_kept_turned_or_said_by_every_sheet(sheet: str, tmp_path: Path) -> None:
    """The table of extension and sheet."""
    wanted = find_sheet(sheet)
    for name, table in SAID.items():
        path = written(tmp_path / name / "thing.gltf", {name: table}, maps=False)
        result = run(Request(path, path.parent, wanted, out=tmp_path / f"out {name}"))
        assert result.error is None and result.route is not None
        turned = any(s.step == "nearest-look" and s.on for s in result.route.stops)
        takes = wanted.model.format in ("glb", "gltf") and (
            wanted.model.extensions is None or name in wanted.model.extensions
        )
        assert turned != takes and set(rows(result.ledger, "material-layers")) == {"cleared"}, (name, sheet)
        said = " ".join(result.left)
        assert ("material extensions" in said) == turned, (name, said)
        if result.folder is not None and takes:
            model = next(p for p in result.folder.rglob("*") if p.suffix in (".glb", ".gltf"))
            assert extensions_used(read(model)) == [name]


def test_a_look_whose_texture_has_no_place_is_turned_whole(tmp_path: Path) -> None:
    tables = {n: SAID[n] for n in ("KHR_materials_transmission", "KHR_materials_ior")}
    path = written(tmp_path / "in" / "thing.gltf", tables)
    sheet = find_sheet("packed-parameters-kit")
    assert sheet.textures.roles is not None and "transmission" not in sheet.textures.roles
    result = run(Request(path, path.parent, sheet, out=tmp_path / "out"))
    assert result.folder is not None and result.accepted, result.ledger.open()
    material = landed_scene(result.folder, sheet).materials[0]
    # Nine tenths of the light would go through all of it, were the numbers kept without their texture.
    assert dict(material.layers) == {"ior": 1.33} and material.alpha_mode == "blend"
    assert material.base_colour[3] == 1.0 and "base_colour" in material.textures


def test_what_is_beyond_the_core_stays_out_of_an_atlas_and_of_merging(tmp_path: Path) -> None:
    first = read(
        written(tmp_path / "thing.gltf", {"KHR_materials_clearcoat": {"clearcoatFactor": 1.0}}, maps=False)
    )
    plain = replace(first.materials[0], key=key("material", 1), name="plain", layers={})
    parts = tuple(replace(p, material=k, texcoords=(frozen(p.positions[:, :2] * 0 + 0.5),))
                  for k, p in enumerate(first.meshes[0].primitives * 2))  # fmt: skip
    scene = replace(
        first, materials=(first.materials[0], plain), meshes=(replace(first.meshes[0], primitives=parts),)
    )
    assert not same_materials(scene)
    step = get_step("atlas")
    out = step.run(scene, step.settings(), {}, Job())
    assert out.scene is scene and any("beyond the core" in r.text for r in out.remarks)
    # A kind of material is a whole: what was beyond the core goes with the rest.
    assert not apply_preset(first.materials[0], next(iter(presets().values()))).layers


def test_alpha_that_a_look_is_read_from_is_kept(tmp_path: Path) -> None:
    scene = read(written(tmp_path / "thing.gltf", {"KHR_materials_sheen": SAID["KHR_materials_sheen"]}))
    facts = scene_facts(scene)
    assert alpha_used(facts, scene.materials[0].textures["sheen_roughness"].image)


TOON_SAID = {
    "specVersion": "1.0", "shadeColorFactor": [0.5, 0.4, 0.6], "shadingShiftFactor": -0.2, "shadingToonyFactor": 0.95,
    "transparentWithZWrite": True, "renderQueueOffsetNumber": -2, "outlineWidthMode": "worldCoordinates",
    "outlineWidthFactor": 0.002, "outlineColorFactor": [0.1, 0.1, 0.1], "parametricRimColorFactor": [0.2, 0.2, 0.3],
    "shadeMultiplyTexture": {"index": 0}, "shadingShiftTexture": {"index": 0, "scale": 0.5},
}  # fmt: skip
"""Values by "VRMC_materials_mtoon 1.0"."""


def test_toon_values_stay_with_an_avatar_and_are_turned_elsewhere(tmp_path: Path) -> None:
    scene = read(written(tmp_path / "in" / "thing.gltf", {"VRMC_materials_mtoon": TOON_SAID}))
    assert not scene.unknown and scene.materials[0].model == "unlit" and "toon" in scene.materials[0].layers
    body = json.loads(saved(scene, tmp_path / "out" / "thing.gltf").read_text())
    assert body["materials"][0]["extensions"]["VRMC_materials_mtoon"] == TOON_SAID
    assert change_convention(scene, replace(WORKING, metres_per_unit=0.01), WORKING).materials[0].layers[
        "toon_outline_width"
    ] == pytest.approx(0.2)
    # One that says nothing but that it is toon is toon still.
    bare = read(written(tmp_path / "bare" / "thing.gltf", {"VRMC_materials_mtoon": {"specVersion": "1.0"}}))
    assert extensions_used(bare) == ["KHR_materials_unlit", "VRMC_materials_mtoon"]
    # Without bones it is no avatar.
    path = tmp_path / "in" / "thing.gltf"
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr"), out=tmp_path / "port"))
    assert any(s.step == "nearest-look" for s in result.route.stops), result.ledger.open()  # type: ignore[union-attr]
    assert any("toon" in text for text in result.changed) or any(
        "material extensions" in t for t in result.left
    )


def test_an_avatar_keeps_its_toon_look(tmp_path: Path) -> None:
    def toon(document: dict[str, Any]) -> None:
        values = {k: v for k, v in TOON_SAID.items() if not k.endswith("Texture")}
        document["materials"][0]["extensions"] = {"KHR_materials_unlit": {}, "VRMC_materials_mtoon": values}
        document["extensionsUsed"] += ["KHR_materials_unlit", "VRMC_materials_mtoon"]

    path = rewritten(avatar(tmp_path), toon)
    result = run(Request(path, tmp_path, find_sheet("humanoid-avatar-kit"), out=tmp_path / "out"))
    assert result.folder is not None and result.accepted, result.ledger.open()
    landed = read(next(result.folder.rglob("*.glb")))
    looks = [m.layers for m in landed.materials if "toon" in m.layers]
    assert looks and looks[0]["toon_outline"] == "worldCoordinates" and looks[0]["toon_queue"] == -2
