"""The table of roles, compression looked at, and sheets that ask for what cannot be."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.errors import CustomsError, SheetError
from customs.job import Job
from customs.ledger.row import Row, remedy
from customs.planning.plan import take_remedy
from customs.route.route import Route, Stop
from customs.scene.model import Image, TextureUse
from customs.scene.wishes import Delivery, Wishes
from customs.sheet.blocks import compressed, wanted_block
from customs.sheet.load import load_sheet, parse_sheet
from customs.sheet.model import Blocks
from customs.surface.compare import psnr
from customs.work.compression import compressed_look
from customs.work.roles import role_table, title
from tests.assets import key
from tests.ledger.test_surface_rows import image, speckled, two_materials, with_roles

BASE = 'version = 1\nid = "mine"\ntitle = "Mine"\n'


def test_rows_are_materials_and_columns_the_roles_there_are() -> None:
    scene = two_materials()
    table = role_table(scene)
    assert [r.name for r in table.rows] == [m.name for m in scene.materials]
    assert table.columns[:5] == ("base_colour", "normal", "metallic_roughness", "occlusion", "emissive")
    cell = table.rows[0].cells["base_colour"]
    assert (cell.name, cell.about, cell.verdict) == ("ink_c", "16", "")
    loose = role_table(with_roles({"roughness": image(0, "ink_r", speckled())}))
    assert (
        "roughness" in loose.columns
        and title("metallic_roughness") == "Rough.·metal"
        and title("height") == "Height"
    )


def test_marks_come_from_the_ledger_the_worst_first() -> None:
    scene = two_materials()
    material, texture = scene.materials[0], scene.images[0]
    said = [
        Row(
            "role-doubt",
            "Doubtful roles",
            "surface",
            "a",
            "b",
            "c",
            "query",
            f"{material.key} base_colour",
            note="Why.",
        ),
        Row(
            "texture-missing",
            "Missing",
            "surface",
            "a",
            "b",
            "gone",
            "held",
            f"{material.key} base_colour",
            note="Gone.",
        ),
        Row(
            "alpha-lost", "Alpha", "surface", "a", "b", "c", "query", str(scene.materials[1].key), note="Box."
        ),
        Row("welded", "Welded", "fit", "a", "b", "c", "held", str(texture.key), note="Not of this desk."),
        Row("x", "X", "surface", "a", "b", "c", "query", str(texture.key), note="w", waived="it is meant"),
    ]
    table = role_table(scene, said)
    cell = table.rows[0].cells["base_colour"]
    assert cell.verdict == "held" and cell.note == "Missing: gone. Gone."
    assert table.rows[1].verdict == "query" and table.rows[1].cells["base_colour"].verdict == ""


def test_missing_and_compressed_textures_say_so() -> None:
    lost = with_roles({"base_colour": Image(key("image", 0), "x", problem="not there")})
    assert role_table(lost).rows[0].cells["base_colour"].about == "missing"
    packed = with_roles({"base_colour": image(0, "x", np.zeros((8, 16, 3), np.uint8))})
    packed = replace(packed, wishes=Wishes({packed.images[0].key: (Delivery("dds", "bc1"),)}))
    assert role_table(packed).rows[0].cells["base_colour"].about == "16×8 BC1"
    cut = with_roles({}, alpha_mode="mask", alpha_cutoff=0.25)
    assert role_table(cut).rows[0].alpha == "mask, cut 0.25"


@pytest.mark.parametrize(("block", "least"), [("bc1", 28), ("bc3", 28), ("bc7", 33)])
def test_compression_is_looked_at_as_it_will_be_read(block: str, least: float) -> None:
    y, x = np.mgrid[0:64, 0:64]
    smooth = np.uint8(np.stack([x * 3, y * 2, (x + y)], -1))
    made, original = compressed_look(image(0, "x", smooth), Delivery("dds", block, "quick"), None)
    assert psnr(original, made) > least and made.shape[:2] == (64, 64)
    with pytest.raises(CustomsError, match="without block compression"):
        compressed_look(image(0, "x", smooth), Delivery("png"), None, Job())


def test_which_compression_goes_with_what_a_texture_holds() -> None:
    blocks = Blocks(colour="bc1", alpha="bc3", normal="bc5", packed="bc7", grey="bc4")
    wanted = {("base_colour",): ("bc1", "bc3"), ("normal",): ("bc5", "bc5"), ("metallic_roughness", "occlusion"): ("bc7", "bc7"),
              ("roughness",): ("bc4", "bc4"), ("specular_glossiness",): ("bc3", "bc3"), (): ("bc1", "bc3")}  # fmt: skip
    for roles, (solid, clear) in wanted.items():
        assert (wanted_block(blocks, roles, False), wanted_block(blocks, roles, True)) == (solid, clear), (
            roles
        )
    assert compressed(blocks) and not compressed(Blocks())


@pytest.mark.parametrize(
    ("text", "where", "said"),
    [
        ('[textures]\nformats = ["dds"]\n', "textures.formats", "one of png, jpeg"),
        ('[model]\nformat = "obj"\ntextures = "apart"\n[textures]\nformats = ["png"]\n[textures.blocks]\ncolour = "bc1"\n',
         "textures.blocks.colour", "one of none"),
        ('[model]\nformat = "obj"\ntextures = "apart"\n[textures]\nalso = ["exr"]\n', "textures.also", "png"),
        ('[textures]\nalso = ["tga"]\n', "textures", "one of"),
        ('[textures]\nroles = ["shine"]\n', "textures.roles", "base_colour"),
        ('[textures]\nroles = ["height"]\n', "textures.roles", "one of base_colour"),
        ('[textures]\npack = "R=shine"\n', "textures.pack", "shine"),
        ('[textures]\ndensity = [1.0]\n', "textures.density", ""),
    ],
)  # fmt: skip
def test_sheets_that_ask_for_what_cannot_be_are_told(text: str, where: str, said: str) -> None:
    with pytest.raises(SheetError) as told:
        parse_sheet(BASE + text, Path("mine.toml"))
    assert where in str(told.value) and said in str(told.value), str(told.value)


def test_the_three_kits_ask_for_what_they_are_for() -> None:
    split, twin, packed = (
        load_sheet(s) for s in ("split-texture-kit", "twin-format-kit", "packed-parameters-kit")
    )
    assert (
        split.textures.unused_channels == "forbidden"
        and "{later}" in split.names.image
        and split.textures.suffixes
    )
    assert twin.textures.formats == ("dds",) and twin.textures.also == ("tga",) and twin.textures.mips
    assert packed.textures.required == ("base_colour", "parameters", "normal") == packed.textures.roles
    assert packed.materials.max_count == 1 and packed.textures.pack == "R=roughness G=metallic B=occlusion"


def test_remedies_of_one_kind_are_brought_together_and_a_later_word_takes_over() -> None:
    route = Route((Stop("arrive@1", "arrive").with_values(),))
    route = take_remedy(route, remedy("alpha", "cut", mode="mask", targets=("a",)))
    route = take_remedy(route, remedy("alpha", "cut", mode="mask", targets=("b",)))
    assert [dict(s.values)["targets"] for s in route.stops[1:]] == [("a", "b")]
    route = take_remedy(route, remedy("alpha", "blend", mode="blend", targets=("b",)))
    assert [(dict(s.values)["mode"], dict(s.values)["targets"]) for s in route.stops[1:]] == [
        ("mask", ("a",)),
        ("blend", ("b",)),
    ]
    route = take_remedy(route, remedy("alpha", "blend", mode="blend", targets=("a",)))
    assert [dict(s.values)["targets"] for s in route.stops[1:]] == [("b", "a")], (
        "what is left without a target leaves"
    )
    lists = take_remedy(route, remedy("roles", "use", uses=(("m", "normal", "i"),)))
    lists = take_remedy(lists, remedy("roles", "use", uses=(("m", "emissive", "j"),)))
    assert len(dict(lists.of_step("roles").values)["uses"]) == 2  # type: ignore[union-attr]


def test_a_persons_stop_is_never_let_go() -> None:
    route = Route((Stop("arrive@1", "arrive").with_values(),)).added(
        "alpha", {"mode": "mask", "targets": ("a",)}, by="person"
    )
    route = take_remedy(route, remedy("alpha", "blend", mode="blend", targets=("a",)))
    assert [s.by for s in route.stops[1:]] == ["person", "plan"]
    assert route.by_person(route.stops[2].id).stops[2].by == "person"


def test_uses_share_an_image_only_once() -> None:
    scene = two_materials()
    shared = replace(scene.materials[0], textures={"base_colour": TextureUse(0), "emissive": TextureUse(0)})
    row = role_table(replace(scene, materials=(shared, scene.materials[1]))).rows[0]
    assert row.cells["emissive"].image == row.cells["base_colour"].image == 0
