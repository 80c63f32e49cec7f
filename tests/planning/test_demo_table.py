"""Every demo asset to every sheet: routes and verdicts as reviewed, delivered files before outside judges."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

import numpy as np
import PIL.Image
import pytest
import trimesh
from scipy.spatial import cKDTree

from customs.changes.donor import Donor
from customs.conventions.axes import between
from customs.demo.write import GOODS
from customs.dispatch.dispatch import Goods, dispatch
from customs.dispatch.fittings import with_fittings
from customs.geometry.counts import counts
from customs.geometry.shells import is_closed
from customs.geometry.triangles import triangles_of
from customs.geometry.weld import groups_near
from customs.intake.take import Taken, take
from customs.landing.land import land
from customs.ledger.row import About
from customs.motion.posing.bounds import world_bounds
from customs.motion.posing.pose import posed_scene_points
from customs.planning.plan import Plan, Subject, fresh_route, plan
from customs.route.route import SceneCache
from customs.scene.convention import WORKING
from customs.scene.model import Scene
from customs.scene.prune import prune
from customs.scene.tree import mesh_nodes
from customs.sheet.known import for_asset, known_of
from customs.sheet.load import shipped_texts
from customs.work.asset import Request, prepare, run
from customs.work.donors import read_donor
from customs.work.lookup import find_origin, find_sheet
from tests.conftest import good
from tests.grounds.assembly import placed_by_list
from tests.outside.judges import assimp_info, judge_scene, validate

LOST = "texture-missing"
LIMIT = "vertex-limit"
PLAIN = "every-face"
SKINS = "skins-nearby"
COUNT = "material-count"
FEW = "levels"
GREEN = "green-direction"
TABLE: dict[tuple[str, str], tuple[str, dict[str, str]]] = {
    ("watering_stork", "metre-yup-pbr"): ("footing weights tangents", {}),
    ("bell_lantern", "metre-yup-pbr"): ("footing convert-textures tangents", {SKINS: "query"}),
    ("fern_bed", "metre-yup-pbr"): ("footing alpha bleed", {}),
    ("pane_wall", "metre-yup-pbr"): ("drop-broken turn-outward", {}),
    ("seed_cart", "metre-yup-pbr"): ("settle footing rename", {LOST: "held"}),
    ("spring_basin", "metre-yup-pbr"): ("weld drop-broken footing normals", {PLAIN: "query"}),
    ("mosaic_floor", "metre-yup-pbr"): ("colour-space spec-gloss alpha tangents", {GREEN: "query"}),
    ("potting_bench", "metre-yup-pbr"): ("find-textures roles tangents", {LOST: "held"}),
    ("watering_stork", "one-mesh-kit"): ("static join footing resize tangents rename", {}),
    ("bell_lantern", "one-mesh-kit"): ("join footing resize convert-textures tangents rename", {SKINS: "query"}),
    ("fern_bed", "one-mesh-kit"): ("join footing alpha bleed resize rename", {}),
    ("pane_wall", "one-mesh-kit"): ("join drop-broken turn-outward rename", {}),
    ("seed_cart", "one-mesh-kit"): ("settle flatten join drop-empties footing resize rename", {LOST: "held"}),
    ("spring_basin", "one-mesh-kit"): ("weld drop-broken footing normals", {LIMIT: "held", PLAIN: "query"}),
    ("mosaic_floor", "one-mesh-kit"): ("join colour-space spec-gloss alpha tangents", {GREEN: "query"}),
    ("potting_bench", "one-mesh-kit"): ("join find-textures roles tangents", {LOST: "held"}),
    ("watering_stork", "split-texture-kit"): ("static footing split drop-roles rename", {}),
    ("bell_lantern", "split-texture-kit"): ("footing convert-textures rename", {}),
    ("fern_bed", "split-texture-kit"): ("footing alpha bleed convert-textures rename", {}),
    ("pane_wall", "split-texture-kit"): ("drop-broken turn-outward convert-textures rename", {}),
    ("seed_cart", "split-texture-kit"): ("settle flatten drop-empties footing rename", {LOST: "held"}),
    ("spring_basin", "split-texture-kit"): ("weld drop-broken footing normals", {PLAIN: "query"}),
    ("mosaic_floor", "split-texture-kit"): ("colour-space spec-gloss alpha split rename", {GREEN: "query"}),
    ("potting_bench", "split-texture-kit"): ("find-textures roles rename", {LOST: "held"}),
    ("watering_stork", "twin-format-kit"): ("static footing green split resize convert-textures convert-textures convert-textures rename", {}),
    ("bell_lantern", "twin-format-kit"): ("footing green resize convert-textures convert-textures rename", {}),
    ("fern_bed", "twin-format-kit"): ("footing alpha bleed resize convert-textures convert-textures rename", {}),
    ("pane_wall", "twin-format-kit"): ("drop-broken turn-outward convert-textures convert-textures rename", {}),
    ("seed_cart", "twin-format-kit"): ("settle flatten drop-empties footing resize convert-textures rename", {LOST: "held"}),
    ("spring_basin", "twin-format-kit"): ("weld drop-broken footing normals", {PLAIN: "query"}),
    ("mosaic_floor", "twin-format-kit"): (
        "colour-space spec-gloss alpha split convert-textures convert-textures convert-textures convert-textures rename",
        {GREEN: "query"},
    ),
    ("potting_bench", "twin-format-kit"): (
        "find-textures roles green convert-textures convert-textures rename", {LOST: "held"},
    ),
    ("watering_stork", "packed-parameters-kit"): (
        "footing weights fill-roles merge-textures pack tangents rename", {COUNT: "held"},
    ),
    ("bell_lantern", "packed-parameters-kit"): ("footing fill-roles merge-textures atlas pack tangents rename", {}),
    ("fern_bed", "packed-parameters-kit"): (
        "footing alpha fill-roles merge-textures pack bleed convert-textures tangents rename", {COUNT: "held"},
    ),
    ("pane_wall", "packed-parameters-kit"): (
        "drop-broken turn-outward fill-roles merge-textures pack convert-textures tangents rename", {COUNT: "held"},
    ),
    ("seed_cart", "packed-parameters-kit"): (
        "settle footing fill-roles merge-textures pack tangents rename", {COUNT: "held", LOST: "held"},
    ),
    ("spring_basin", "packed-parameters-kit"): ("weld drop-broken footing normals", {PLAIN: "query"}),
    ("mosaic_floor", "packed-parameters-kit"): (
        "colour-space spec-gloss alpha fill-roles merge-textures pack tangents rename", {COUNT: "held", GREEN: "query"},
    ),
    ("potting_bench", "packed-parameters-kit"): (
        "find-textures roles fill-roles merge-textures pack tangents rename", {COUNT: "held", LOST: "held"},
    ),
    ("watering_stork", "centimetre-zup-lh"): ("footing weights green split resize rename", {}),
    ("bell_lantern", "centimetre-zup-lh"): ("footing green resize convert-textures rename", {}),
    ("fern_bed", "centimetre-zup-lh"): ("footing alpha bleed resize convert-textures rename", {}),
    ("pane_wall", "centimetre-zup-lh"): ("drop-broken turn-outward convert-textures rename", {}),
    ("seed_cart", "centimetre-zup-lh"): ("settle flatten drop-empties footing resize rename", {LOST: "held"}),
    ("spring_basin", "centimetre-zup-lh"): ("weld drop-broken footing normals", {PLAIN: "query"}),
    ("mosaic_floor", "centimetre-zup-lh"): ("colour-space spec-gloss alpha split rename", {"uv-flipped": "query", GREEN: "query"}),
    ("potting_bench", "centimetre-zup-lh"): ("find-textures roles green rename", {LOST: "held", "uv-flipped": "query"}),
    ("gardener", "centimetre-zup-lh"): ("leave-out rigid drop-empties footing rename", {}),
    ("hedgehog", "centimetre-zup-lh"): ("rigid settle footing rename", {}),
    ("lamplighter", "centimetre-zup-lh"): ("footing normals rename", {}),
    ("moss_keeper", "centimetre-zup-lh"): ("footing normals rename", {}),
    ("house_warden", "centimetre-zup-lh"): ("footing rename", {}),
    ("gardener", "metre-yup-pbr"): ("footing", {}),
    ("hedgehog", "metre-yup-pbr"): ("settle footing", {}),
    ("lamplighter", "metre-yup-pbr"): ("footing normals", {}),
    ("moss_keeper", "metre-yup-pbr"): ("footing normals", {}),
    ("house_warden", "metre-yup-pbr"): ("footing", {}),
    ("gardener", "one-mesh-kit"): ("static leave-out join footing", {}),
    ("hedgehog", "one-mesh-kit"): ("static settle flatten join drop-empties footing", {}),
    ("lamplighter", "one-mesh-kit"): ("static footing normals", {}),
    ("moss_keeper", "one-mesh-kit"): ("static join footing normals", {"inward": "query"}),
    ("house_warden", "one-mesh-kit"): ("static footing", {}),
    ("gardener", "split-texture-kit"): ("static leave-out settle flatten drop-empties footing fill-roles rename", {}),
    ("hedgehog", "split-texture-kit"): ("static settle flatten drop-empties footing rename", {}),
    ("lamplighter", "split-texture-kit"): ("static footing normals rename", {}),
    ("moss_keeper", "split-texture-kit"): ("static footing normals fill-roles rename", {}),
    ("house_warden", "split-texture-kit"): ("static footing rename", {}),
    ("gardener", "twin-format-kit"): ("static leave-out settle flatten drop-empties footing convert-textures rename", {}),
    ("hedgehog", "twin-format-kit"): ("static settle flatten drop-empties footing convert-textures rename", {}),
    ("lamplighter", "twin-format-kit"): ("static footing normals convert-textures rename", {}),
    ("moss_keeper", "twin-format-kit"): (
        "static footing normals convert-textures rename", {"material-plain": "query"},
    ),
    ("house_warden", "twin-format-kit"): ("static footing convert-textures rename", {}),
    ("gardener", "packed-parameters-kit"): ("footing fill-roles merge-textures atlas pack tangents rename", {}),
    ("hedgehog", "packed-parameters-kit"): ("settle footing fill-roles merge-textures atlas pack tangents rename", {}),
    ("lamplighter", "packed-parameters-kit"): ("footing normals fill-roles pack tangents rename", {}),
    ("moss_keeper", "packed-parameters-kit"): (
        "footing normals fill-roles merge-textures atlas pack tangents rename", {},
    ),
    ("house_warden", "packed-parameters-kit"): ("footing fill-roles pack tangents rename", {}),
    ("watering_stork", "donor-skeleton-kit"): (
        "donor weights resize tangents numbers", {"donor-stretch": "query"},
    ),
    ("gardener", "donor-skeleton-kit"): ("leave-out donor numbers rename", {}),
    ("hedgehog", "donor-skeleton-kit"): ("rigid donor numbers", {"step": "held", "donor-joints": "held"}),
    ("lamplighter", "donor-skeleton-kit"): ("donor normals numbers", {}),
    ("moss_keeper", "donor-skeleton-kit"): ("leftovers donor normals numbers", {}),
    ("house_warden", "donor-skeleton-kit"): ("numbers", {"donor-stretch": "query"}),
    ("watering_stork", "split-rig-kit"): (
        "footing weights split resize convert-textures convert-textures convert-textures rename", {},
    ),
    ("gardener", "split-rig-kit"): ("leave-out footing convert-textures rename", {}),
    ("hedgehog", "split-rig-kit"): ("rigid settle footing convert-textures rename", {}),
    ("lamplighter", "split-rig-kit"): ("footing normals convert-textures rename", {}),
    ("moss_keeper", "split-rig-kit"): (
        "leftovers footing normals convert-textures rename", {"material-plain": "query"},
    ),
    ("house_warden", "split-rig-kit"): ("footing convert-textures rename", {}),
    ("watering_stork", "clips-apart-kit"): ("footing weights split retime rename", {}),
    ("gardener", "clips-apart-kit"): ("footing", {"clips": "held"}),
    ("hedgehog", "clips-apart-kit"): ("rigid settle footing retime rename", {}),
    ("lamplighter", "clips-apart-kit"): ("footing normals", {}),
    ("moss_keeper", "clips-apart-kit"): ("leftovers footing normals rename", {"clips": "held"}),
    ("house_warden", "clips-apart-kit"): ("footing rename", {}),
    ("watering_stork", "humanoid-avatar-kit"): ("static footing humanoid weights resize picture", {"humanoid-map": "held"}),
    ("gardener", "humanoid-avatar-kit"): ("footing picture", {}),
    ("hedgehog", "humanoid-avatar-kit"): ("static rigid footing humanoid picture", {"humanoid-map": "held"}),
    ("lamplighter", "humanoid-avatar-kit"): ("static footing normals humanoid picture", {"rights": "held", "rest-pose": "query"}),
    ("moss_keeper", "humanoid-avatar-kit"): ("leftovers footing normals humanoid picture", {"rest-pose": "query"}),
    ("house_warden", "humanoid-avatar-kit"): ("static footing humanoid picture", {}),
    ("watering_stork", "plan-plot-kit"): ("static join footing resize tangents lods shapes picture plot rename", {}),
    ("bell_lantern", "plan-plot-kit"): ("join footing resize convert-textures tangents lods shapes picture plot rename", {SKINS: "query"}),
    ("fern_bed", "plan-plot-kit"): ("join footing alpha bleed resize lods shapes picture plot rename", {}),
    ("pane_wall", "plan-plot-kit"): ("join drop-broken turn-outward lods shapes picture plot rename", {FEW: "query"}),
    ("seed_cart", "plan-plot-kit"): ("settle flatten join drop-empties footing resize lods shapes picture plot rename", {LOST: "held", FEW: "query"}),
    ("spring_basin", "plan-plot-kit"): ("weld drop-broken footing normals lods shapes picture plot", {LIMIT: "held", PLAIN: "query"}),
    ("mosaic_floor", "plan-plot-kit"): ("join colour-space spec-gloss alpha tangents lods shapes picture plot", {GREEN: "query", FEW: "query"}),
    ("potting_bench", "plan-plot-kit"): ("join find-textures roles tangents lods shapes picture plot", {LOST: "held", FEW: "query"}),
    ("gardener", "plan-plot-kit"): ("static leave-out join footing lods shapes picture plot", {}),
    ("hedgehog", "plan-plot-kit"): ("static settle flatten join drop-empties footing lods shapes picture plot", {}),
    ("lamplighter", "plan-plot-kit"): ("static footing normals lods shapes picture plot", {}),
    ("moss_keeper", "plan-plot-kit"): ("static join footing normals lods shapes picture plot", {"inward": "query"}),
    ("house_warden", "plan-plot-kit"): ("static footing lods shapes picture plot", {}),
    ("watering_stork", "attachment-kit"): ("static footing resize tangents rename", {}),
    ("bell_lantern", "attachment-kit"): ("footing resize convert-textures tangents rename", {SKINS: "query"}),
    ("fern_bed", "attachment-kit"): ("footing alpha bleed resize rename", {}),
    ("pane_wall", "attachment-kit"): ("drop-broken turn-outward rename", {}),
    ("seed_cart", "attachment-kit"): ("settle drop-empties footing resize rename", {LOST: "held"}),
    ("spring_basin", "attachment-kit"): ("weld drop-broken footing normals", {LIMIT: "held", PLAIN: "query"}),
    ("mosaic_floor", "attachment-kit"): ("colour-space spec-gloss alpha tangents", {GREEN: "query"}),
    ("potting_bench", "attachment-kit"): ("find-textures roles tangents", {LOST: "held"}),
    ("gardener", "attachment-kit"): ("static leave-out settle drop-empties footing", {}),
    ("hedgehog", "attachment-kit"): ("static settle footing", {}),
    ("lamplighter", "attachment-kit"): ("static footing normals", {}),
    ("moss_keeper", "attachment-kit"): ("static footing normals rename", {}),
    ("house_warden", "attachment-kit"): ("static footing", {}),
    ("watering_stork", "config-text-kit"): ("static footing resize tangents lods picture rename", {}),
    ("bell_lantern", "config-text-kit"): ("footing resize convert-textures tangents lods picture rename", {SKINS: "query"}),
    ("fern_bed", "config-text-kit"): ("footing alpha bleed resize lods picture rename", {FEW: "query"}),
    ("pane_wall", "config-text-kit"): ("drop-broken turn-outward lods picture rename", {FEW: "query"}),
    ("seed_cart", "config-text-kit"): ("settle drop-empties footing resize lods picture rename", {LOST: "held", FEW: "query"}),
    ("spring_basin", "config-text-kit"): ("weld drop-broken footing normals lods picture", {LIMIT: "held", PLAIN: "query"}),
    ("mosaic_floor", "config-text-kit"): ("colour-space spec-gloss alpha tangents lods picture", {GREEN: "query", FEW: "query"}),
    ("potting_bench", "config-text-kit"): ("find-textures roles tangents lods picture", {LOST: "held", FEW: "query"}),
    ("gardener", "config-text-kit"): ("static leave-out settle drop-empties footing lods picture", {}),
    ("hedgehog", "config-text-kit"): ("static settle footing lods picture", {FEW: "query"}),
    ("lamplighter", "config-text-kit"): ("static footing normals lods picture", {}),
    ("moss_keeper", "config-text-kit"): ("static footing normals lods picture rename", {FEW: "query"}),
    ("house_warden", "config-text-kit"): ("static footing lods picture", {}),
    ("watering_stork", "numbered-item-kit"): ("static footing resize tangents shapes picture rename", {"number-free": "query"}),
    ("bell_lantern", "numbered-item-kit"): ("footing resize convert-textures tangents shapes picture rename", {"number-free": "query"}),
    ("fern_bed", "numbered-item-kit"): ("footing alpha bleed resize shapes picture rename", {"number-free": "query"}),
    ("pane_wall", "numbered-item-kit"): ("drop-broken turn-outward shapes picture rename", {"number-free": "query"}),
    ("seed_cart", "numbered-item-kit"): ("settle drop-empties footing resize shapes picture rename", {LOST: "held", "number-free": "query"}),
    ("spring_basin", "numbered-item-kit"): ("weld drop-broken footing normals shapes picture rename", {LIMIT: "held", PLAIN: "query", "number-free": "query"}),
    ("mosaic_floor", "numbered-item-kit"): ("colour-space spec-gloss alpha tangents shapes picture rename", {GREEN: "query", "number-free": "query"}),
    ("potting_bench", "numbered-item-kit"): ("find-textures roles tangents shapes picture rename", {LOST: "held", "number-free": "query"}),
    ("gardener", "numbered-item-kit"): ("static leave-out settle drop-empties footing shapes picture rename", {"number-free": "query"}),
    ("hedgehog", "numbered-item-kit"): ("static settle footing shapes picture rename", {"number-free": "query"}),
    ("lamplighter", "numbered-item-kit"): ("static footing normals shapes picture rename", {"number-free": "query"}),
    ("moss_keeper", "numbered-item-kit"): ("static footing normals shapes picture rename", {"number-free": "query"}),
    ("house_warden", "numbered-item-kit"): ("static footing shapes picture rename", {"number-free": "query"}),
    ("watering_stork", "mirror-bundle-kit"): ("static footing resize tangents numbers rename", {}),
    ("bell_lantern", "mirror-bundle-kit"): ("footing resize convert-textures tangents numbers rename", {}),
    ("fern_bed", "mirror-bundle-kit"): ("footing alpha bleed resize numbers rename", {}),
    ("pane_wall", "mirror-bundle-kit"): ("drop-broken turn-outward numbers rename", {}),
    ("seed_cart", "mirror-bundle-kit"): ("settle drop-empties footing atlas resize numbers rename", {COUNT: "held", LOST: "held"}),
    ("spring_basin", "mirror-bundle-kit"): ("weld drop-broken footing normals numbers", {LIMIT: "held", PLAIN: "query"}),
    ("mosaic_floor", "mirror-bundle-kit"): ("colour-space spec-gloss alpha tangents numbers rename", {GREEN: "query"}),
    ("potting_bench", "mirror-bundle-kit"): ("find-textures roles tangents numbers rename", {LOST: "held"}),
    ("gardener", "mirror-bundle-kit"): ("static leave-out settle drop-empties footing numbers rename", {}),
    ("hedgehog", "mirror-bundle-kit"): ("static settle footing numbers rename", {}),
    ("lamplighter", "mirror-bundle-kit"): ("static footing normals numbers rename", {}),
    ("moss_keeper", "mirror-bundle-kit"): ("static footing normals numbers rename", {}),
    ("house_warden", "mirror-bundle-kit"): ("static footing numbers rename", {}),
    ("watering_stork", "level-kit"): ("static tangents rename", {}),
    ("bell_lantern", "level-kit"): ("convert-textures tangents rename", {SKINS: "query"}),
    ("fern_bed", "level-kit"): ("alpha bleed rename", {}),
    ("pane_wall", "level-kit"): ("drop-broken turn-outward rename", {}),
    ("seed_cart", "level-kit"): ("drop-empties rename", {LOST: "held"}),
    ("spring_basin", "level-kit"): ("drop-broken normals", {PLAIN: "query"}),
    ("mosaic_floor", "level-kit"): ("colour-space spec-gloss alpha tangents", {GREEN: "query"}),
    ("potting_bench", "level-kit"): ("find-textures roles tangents", {LOST: "held"}),
    ("gardener", "level-kit"): ("static leave-out drop-empties", {}),
    ("hedgehog", "level-kit"): ("static", {}),
    ("lamplighter", "level-kit"): ("static normals", {}),
    ("moss_keeper", "level-kit"): ("static normals rename", {}),
    ("house_warden", "level-kit"): ("static", {}),
    ("watering_stork", "one-file-level-kit"): ("static tangents", {}),
    ("bell_lantern", "one-file-level-kit"): ("convert-textures tangents", {SKINS: "query"}),
    ("fern_bed", "one-file-level-kit"): ("alpha bleed", {}),
    ("pane_wall", "one-file-level-kit"): ("drop-broken turn-outward", {}),
    ("seed_cart", "one-file-level-kit"): ("drop-empties", {LOST: "held"}),
    ("spring_basin", "one-file-level-kit"): ("drop-broken normals", {PLAIN: "query"}),
    ("mosaic_floor", "one-file-level-kit"): ("colour-space spec-gloss alpha tangents", {GREEN: "query"}),
    ("potting_bench", "one-file-level-kit"): ("find-textures roles tangents", {LOST: "held"}),
    ("gardener", "one-file-level-kit"): ("static leave-out drop-empties", {}),
    ("hedgehog", "one-file-level-kit"): ("static", {}),
    ("lamplighter", "one-file-level-kit"): ("static normals", {}),
    ("moss_keeper", "one-file-level-kit"): ("static normals", {}),
    ("house_warden", "one-file-level-kit"): ("static", {}),
    ("watering_stork", "study-kit"): ("weights", {}),
    ("bell_lantern", "study-kit"): ("convert-textures", {SKINS: "query"}),
    ("fern_bed", "study-kit"): ("alpha bleed", {}),
    ("pane_wall", "study-kit"): ("drop-broken turn-outward", {}),
    ("seed_cart", "study-kit"): ("", {LOST: "query"}),
    ("spring_basin", "study-kit"): ("drop-broken", {}),
    ("mosaic_floor", "study-kit"): ("colour-space alpha", {GREEN: "query"}),
    ("potting_bench", "study-kit"): ("find-textures roles", {LOST: "query"}),
    ("gardener", "study-kit"): ("", {}),
    ("hedgehog", "study-kit"): ("", {}),
    ("lamplighter", "study-kit"): ("normals", {}),
    ("moss_keeper", "study-kit"): ("normals", {}),
    ("house_warden", "study-kit"): ("", {}),
}  # fmt: skip
"""Reviewed. What stays open and why: the cart's brand plate texture is truly missing; the bench's slate is
there twice, in two folders alike, and a person must say which; the lantern's winter skin lies near and a
person must say whether it goes along; the basin is a sculpted STL without material (query), and its 102,002
vertices stay over the kits' 65,535 until a person lets it be simplified; wall, cart, floor and bench are made of boxes,
which have no coarser levels (query); textures that tile cannot share the one
material of the packed kit (stork, fern, wall, cart, floor, bench). FBX has no place for metallic-roughness
textures, so roughness goes as glossiness (split); mirrored UVs under a normal map are asked about where no
tangents can go along. A stork is no person: it has no hands for the humanoid kit, and on the donor's human
skeleton its neck is drawn long (query). The hedgehog's joints are like none of the donor's. The gardener and
the moss keeper have no clips for the clips-apart kit. The lamplighter's licence is not said anywhere, and it
rests in A-pose (query); so does the moss keeper, whose ink hull is plain black and, joined with the body, no
longer told from faces turned inward. The warden's own bow draws an edge over half as long again.
"""

CHARACTER_SHEETS = ("donor-skeleton-kit", "split-rig-kit", "clips-apart-kit", "humanoid-avatar-kit")
PROPS = (
    "bell_lantern",
    "fern_bed",
    "pane_wall",
    "seed_cart",
    "spring_basin",
    "mosaic_floor",
    "potting_bench",
)
"""Things without joints and without movement: every sheet for characters holds them for want of a
skeleton.
"""


def test_the_table_is_whole() -> None:
    props = {(p, s) for p in PROPS for s in CHARACTER_SHEETS}
    assert (
        set(TABLE) | props == {(g.id, s) for g in GOODS for s in shipped_texts() if s != "voxel-kit"}
        and not set(TABLE) & props
    )


@pytest.mark.parametrize("sheet", CHARACTER_SHEETS)
@pytest.mark.parametrize("asset", ["fern_bed", "pane_wall"])
def test_things_without_joints_are_held_for_character_sheets(
    asset: str, sheet: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    planned, folder = ported(asset, sheet, goods, tmp_path)
    row = next(r for r in planned.ledger.open() if r.requirement == "skins")
    assert (
        folder is None
        and row.verdict == "held"
        and "skeleton" in row.note
        and row.remedy
        and not row.remedy.sure
    )


def request(asset: str, sheet: str, goods: dict[str, Path], out: Path | None = None) -> Request:
    path = goods[asset]
    return Request(path, path.parent, find_sheet(sheet), find_origin(good(asset).origin), out=out)


FORMS = {
    "config-text-kit": {
        "title": "A thing",
        "region": "palm house",
        "decades": [1880, 1890],
        "licence": "CC0-1.0",
    },
    "numbered-item-kit": {"title": "A thing", "maker": 12, "number": 7, "like": "fern_lamp"},
    "mirror-bundle-kit": {"mirror": "props/glass"},
}
"""Forms filled in, by sheet."""
SCENES = SceneCache()
"""What the goods are after each stop, for all sheets: scenes never change, so what was measured of them holds
too.
"""


@cache
def taken_from(path: Path) -> Taken:
    """An asset, read once."""
    return take(path, path.parent)


@cache
def donor_from(path: Path) -> Donor:
    """The house warden as donor."""
    return read_donor(path, find_origin("metre-yup"))


def ported(asset: str, sheet: str, goods: dict[str, Path], out: Path) -> tuple[Plan, Path | None]:
    """The plan of a port, and the package where nothing is held."""
    taken, form = taken_from(goods[asset]), FORMS.get(sheet, {})
    rules = for_asset(find_sheet(sheet), known_of(find_sheet(sheet), form, str(goods[asset])))
    rights = taken.scene.rights
    about = About(
        rights.get("author", ""),
        rights.get("licence", ""),
        absent=taken.absent,
        donor=donor_from(goods["house_warden"]),
        form=form,
        source=str(goods[asset]),
    )
    planned = plan(
        Subject(taken.scene, taken.digest, rules, about), fresh_route(find_origin(good(asset).origin)), SCENES
    )
    if planned.ledger.verdict == "held":
        return planned, None
    return planned, dispatch(
        Goods(taken.scene, planned.passed, planned.ledger, rules, about, taken.source()), out
    ).folder


@pytest.mark.breadth(8)
@pytest.mark.parametrize(("asset", "sheet"), list(TABLE))
def test_routes_verdicts_and_outside_judges(
    asset: str, sheet: str, goods: dict[str, Path], tmp_path: Path
) -> None:
    route, left = TABLE[(asset, sheet)]
    planned, folder = ported(asset, sheet, goods, tmp_path)
    assert " ".join(s.step for s in planned.route.stops[1:]) == route
    assert {r.requirement: r.verdict for r in planned.ledger.open()} == left
    if folder is None:
        assert "held" in left.values() and list(tmp_path.iterdir()) == []
        return
    assert land(folder, find_sheet).accepted
    models = json.loads((folder / "docket.json").read_text("utf-8"))["models"]
    if find_sheet(sheet).grounds.form == "study":
        assert models == [] and {p.suffix for p in (folder / "plans").iterdir()} == {".png", ".svg", ".pdf"}
        return
    model = folder / models[0]["path"]
    _plays_as_received(taken_from(goods[asset]).scene, planned, sheet, asset)
    for picture in folder.rglob("*"):
        if picture.suffix in (".png", ".jpg", ".tga", ".dds"):
            with PIL.Image.open(picture) as judged:
                assert judged.convert("RGBA").size == judged.size
    if model.suffix == ".fbx":
        _same_as_the_library_reads(folder, planned.passed[-1].scene, sheet)
        return
    if model.suffix != ".obj":
        assert validate([model]) == []
    if find_sheet(sheet).grounds.form == "list":
        low, high, count, _ = placed_by_list(folder)
        box, triangles = world_bounds(planned.passed[-1].scene), counts(planned.passed[-1].scene)["triangles"]
        assert box is not None and np.allclose([low, high], box, atol=1e-5) and count == triangles
        return
    _same_as_judges_read(model, planned.passed[-1].scene, sheet)


def _plays_as_received(received: Scene, planned: Plan, sheet: str, asset: str) -> None:
    """Posed vertices at five times of every clip lie within 1 mm of the received ones, where no retarget is
    asked.
    """
    steps = {s.step for s in planned.route.stops}
    if "donor" in steps or not received.clips or not planned.passed[-1].scene.clips:
        return
    arrived, final = planned.passed[0].scene, planned.passed[-1].scene
    for one, other in zip(arrived.clips, final.clips):
        assert abs(one.seconds - other.seconds) < 0.05
        shift = posed_shift(arrived, final)
        for t in np.linspace(0, min(one.seconds, other.seconds), 5):
            # A sheet that wants another frame rate gets its own frames right; what is between them the docket
            # says.
            t = np.floor(t * other.extras["rate"]) / other.extras["rate"] if "rate" in other.extras else t
            a = np.concatenate(posed_scene_points(arrived, one, float(t))) + shift
            b = np.concatenate(posed_scene_points(final, other, float(t)))
            assert cKDTree(a).query(b)[0].max() < 0.001, (asset, sheet, other.name, t)


def posed_shift(a: Scene, b: Scene) -> np.ndarray:
    """How far the footing moved the whole, from the boxes at rest."""
    one, other = world_bounds(a), world_bounds(b)
    assert one is not None and other is not None
    return other[0] - one[0]


def _same_as_the_library_reads(folder: Path, scene: Scene, sheet: str) -> None:
    """libassimp, with its own collapse of pivots, finds the triangles, joints, clips and posed vertices of
    the delivered scene.
    """
    axes = find_sheet(sheet).axes
    p, k = between(WORKING, axes.convention("up"))
    models = json.loads((folder / "docket.json").read_text("utf-8"))["models"]
    judged = judge_scene(folder / models[0]["path"])
    used = prune(scene)
    triangles = sum(
        len(triangles_of(q))
        for n in mesh_nodes(used)
        for q in used.meshes[used.nodes[n].mesh or 0].primitives
    )
    assert sum(len(triangles_of(q)) for m in judged.meshes for q in m.primitives) == triangles
    assert sum(len(s.joints) for s in judged.skins) == sum(len(s.joints) for s in used.skins)
    points = np.concatenate(posed_scene_points(scene)) @ p.T * k
    reach = float(np.linalg.norm(np.ptp(points, axis=0)))
    assert cKDTree(points).query(np.concatenate(posed_scene_points(judged)))[0].max() < 1e-3 * reach
    for clip in judged.clips:
        mine = next(c for c in scene.clips if c.name == clip.name)
        assert abs(mine.seconds - clip.seconds) < 1e-4
        for t in np.linspace(0, clip.seconds, 3):
            a = np.concatenate(posed_scene_points(scene, mine, float(t))) @ p.T * k
            b = np.concatenate(posed_scene_points(judged, clip, float(t)))
            assert cKDTree(a).query(b)[0].max() < 1e-3 * reach


def _same_as_judges_read(model: Path, scene: Scene, sheet: str) -> None:
    """trimesh and assimp agree on triangles, bounds and outward orientation, in the destination's unit and
    axes.
    """
    axes = find_sheet(sheet).axes
    scene = with_fittings(scene, find_sheet(sheet))
    p, k = between(WORKING, axes.convention("down"))
    points = np.concatenate(posed_scene_points(scene)) @ p.T * k
    low, high = points.min(axis=0), points.max(axis=0)
    reach = float(np.linalg.norm(high - low))
    used = prune(scene)
    triangles = sum(
        len(triangles_of(q))
        for n in mesh_nodes(used)
        for q in used.meshes[used.nodes[n].mesh or 0].primitives
    )
    judge = trimesh.load(model, process=False, force="scene", skip_materials=True)
    read = [
        judge.geometry[g].copy().apply_transform(t)
        for t, g in (judge.graph[n] for n in judge.graph.nodes_geometry)
    ]
    prints = [q.positions.tobytes() for m in used.meshes for q in m.primitives]
    assert sum(len(m.faces) for m in read) == triangles
    # The stork is delivered at its bind pose, so its vertices stand where its skin holds them.
    corners = np.concatenate([m.vertices for m in read])
    assert np.abs(corners.min(axis=0) - low).max() < 1e-5 * reach
    assert np.abs(corners.max(axis=0) - high).max() < 1e-5 * reach
    info = assimp_info(model)
    if len(set(prints)) == len(prints):  # assimp's program counts equal parts (the hedgehog's legs) once
        assert info["faces"] == triangles
    if not scene.skins:  # assimp's program takes a skinned mesh's box through its joints
        assert (
            np.abs(info["minimum"] - low).max() < 1e-4 * reach
            and np.abs(info["maximum"] - high).max() < 1e-4 * reach
        )
    sign = round(np.linalg.det(p)) * (1 if axes.front == "ccw" else -1)
    for m in read:
        places = groups_near(m.vertices.astype(np.float32), 1e-6 * reach)
        first = np.unique(places, return_index=True)[1]
        welded = m.vertices[first].astype(np.float32)
        rank = np.zeros(int(places.max()) + 1, np.uint32)
        rank[np.unique(places)] = np.arange(len(first), dtype=np.uint32)
        faces = rank[places[m.faces]]
        if is_closed(welded, faces):
            assert np.sign(trimesh.Trimesh(welded, faces, process=False).volume) == sign


@pytest.mark.breadth(2)
@pytest.mark.parametrize("asset", ["watering_stork", "bell_lantern", "fern_bed", "pane_wall", "spring_basin"])
def test_round_trip_through_the_left_handed_sheet(asset: str, goods: dict[str, Path], tmp_path: Path) -> None:
    """Delivered to centimetre-zup-lh, taken in again from it and delivered to metre-yup-pbr: the direct
    delivery's points.
    """
    there = run(request(asset, "centimetre-zup-lh", goods, tmp_path / "a"))
    assert there.folder is not None
    model = next(there.folder.glob("*.fbx"))
    back = run(
        Request(
            model,
            there.folder,
            find_sheet("metre-yup-pbr"),
            find_origin("centimetre-zup-lh"),
            out=tmp_path / "b",
        )
    )
    assert back.folder is not None, [r.note for r in back.ledger.open()]
    direct = prepare(request(asset, "metre-yup-pbr", goods)).passed[-1].scene
    again = (
        prepare(Request(next(back.folder.glob("*.glb")), back.folder, find_sheet("metre-yup-pbr")))
        .passed[-1]
        .scene
    )
    a, b = _corners(direct), _corners(again)
    box = world_bounds(direct)
    assert box is not None
    reach = float(np.linalg.norm(box[1] - box[0]))
    assert len(a) == len(b)
    assert cKDTree(b).query(a)[0].max() < 1e-5 * reach and cKDTree(a).query(b)[0].max() < 1e-5 * reach


def _corners(scene: Scene) -> np.ndarray:
    """Corners of all faces as they stand at rest."""
    prims = [q for n in mesh_nodes(scene) for q in scene.meshes[scene.nodes[n].mesh or 0].primitives]
    return np.concatenate([p[triangles_of(q).reshape(-1)] for p, q in zip(posed_scene_points(scene), prims)])


@pytest.mark.parametrize("asset", ["bell_lantern", "seed_cart"])
def test_the_same_plan_every_time_and_none_on_a_planned_route(asset: str, goods: dict[str, Path]) -> None:
    done = prepare(request(asset, "one-mesh-kit", goods))
    taken, first, about = done.taken, done.plan, done.about
    sheet = find_sheet("one-mesh-kit")
    again = plan(
        Subject(taken.scene, taken.digest, sheet, about), fresh_route(find_origin(good(asset).origin))
    )
    assert again.route == first.route
    assert plan(Subject(taken.scene, taken.digest, sheet, about), first.route).route == first.route


def test_without_an_origin_the_size_is_asked_about(goods: dict[str, Path]) -> None:
    path = goods["watering_stork"]
    result = run(Request(path, path.parent, find_sheet("metre-yup-pbr")))
    size = next(r for r in result.ledger.rows if r.requirement == "size-plausible")
    assert size.verdict == "query" and size.remedy is not None and size.remedy.label == "Scale × 0.01"
    assert not size.remedy.sure and all(s.step != "scale" for s in result.route.stops)  # type: ignore[union-attr]


def test_stops_a_person_made_are_kept(goods: dict[str, Path]) -> None:
    done = prepare(request("pane_wall", "metre-yup-pbr", goods))
    taken, first, about = done.taken, done.plan, done.about
    mine = first.route.added("normals", {"only": "all", "angle": 10.0}, by="person")
    again = plan(Subject(taken.scene, taken.digest, find_sheet("metre-yup-pbr"), about), mine)
    assert dict(again.route.of_step("normals").values)["angle"] == 10.0  # type: ignore[union-attr]
