"""Every table of a sheet with a value it cannot have: the error names the key, and the file."""

from __future__ import annotations

import pytest

from customs.errors import SheetError
from customs.sheet.load import parse_sheet
from tests.sheet.test_sheets import BASE

WRONG = [
    ("[axes]\nmetres_per_unit = 0\n", "axes.metres_per_unit"),
    ("[axes]\nmetres_per_unit = -1\n", "axes.metres_per_unit"),
    ('[axes]\nhand = "both"\n', "axes.hand"),
    ('[axes]\nfront = "in"\n', "axes.front"),
    ('[axes]\ngreen = "left"\n', "axes.green"),
    ('[model]\nfooting = "corner"\n', "model.footing"),
    ("[model]\nmax_depth = 0\n", "model.max_depth"),
    ('[model]\nsettled = "mostly"\n', "model.settled"),
    ('[model]\ncameras = "some"\n', "model.cameras"),
    ("[model]\nmin_size = [1, 1]\n", "model.min_size"),
    ('[model]\ntextures = "beside"\n', "model.textures"),
    ("[mesh]\nmax_vertices = 2\n", "mesh.max_vertices"),
    ("[mesh]\nmax_triangles = 0\n", "mesh.max_triangles"),
    ("[mesh]\nnormal_angle = 181\n", "mesh.normal_angle"),
    ('[mesh]\ntangents = "always"\n', "mesh.tangents"),
    ("[mesh]\nmax_texcoord_sets = 0\n", "mesh.max_texcoord_sets"),
    ('[mesh]\nwelded = "yes please"\n', "mesh.welded"),
    ("[materials]\nmax_count = 0\n", "materials.max_count"),
    ('[materials]\nmodels = ["velvet"]\n', "materials.models"),
    ('[textures]\nformats = ["gif"]\n', "textures.formats"),
    ("[textures]\nmax_edge = 0\n", "textures.max_edge"),
    ("[textures]\nmax_edge = 20000\n", "textures.max_edge"),
    ('[textures]\nbits = ["eight"]\n', "textures.bits"),
    ('[textures]\nroles = ["shine"]\n', "textures.roles"),
    ('[textures]\nrequired = ["shine"]\n', "textures.required"),
    ('[textures]\npack = "r:moon"\n', "textures.pack"),
    ('[textures]\nmissing = "ignored"\n', "textures.missing"),
    ("[textures]\ndensity = [1]\n", "textures.density"),
    ('[textures.blocks]\ncolour = "bc9"\n', "textures.blocks.colour"),
    ("[rig]\ninfluences = 0\n", "rig.influences"),
    ("[rig]\ninfluences = 17\n", "rig.influences"),
    ("[rig]\nmax_joints = 0\n", "rig.max_joints"),
    ("[rig]\nmax_mesh_joints = 1\n", "rig.max_mesh_joints"),
    ("[rig]\nclip_files = []\n", "rig.clip_files"),
    ('[rig]\nclip_files = ["some"]\n', "rig.clip_files"),
    ('[rig]\nfiles = "three"\n', "rig.files"),
    ("[rig]\nmax_clip_seconds = 0\n", "rig.max_clip_seconds"),
    ("[rig]\nrate = 0\n", "rig.rate"),
    ("[rig]\nrate = 2000\n", "rig.rate"),
    ('[rig]\nbind_pose = "maybe"\n', "rig.bind_pose"),
    ("[rig]\ndonor_version = 0\n", "rig.donor_version"),
    ('[rig]\nhumanoid = "half"\n', "rig.humanoid"),
    ("[rig]\nskins = 3\n", "rig.skins"),
    ('[rig]\none_skeleton = "one"\n', "rig.one_skeleton"),
    ('[rig]\nloops = "idle"\n', "rig.loops"),
    ("[names]\nmax_length = 0\n", "names.max_length"),
    ("[names]\nmax_length = 300\n", "names.max_length"),
    ('[names]\nclip = ""\n', "names.clip"),
]
"""(lines of TOML, the key that is wrong)."""


@pytest.mark.parametrize(("text", "where"), WRONG)
def test_the_key_is_named(text: str, where: str) -> None:
    with pytest.raises(SheetError) as problem:
        parse_sheet(BASE + text, "mine.toml")
    assert problem.value.where is not None and problem.value.where.startswith(where), problem.value.where
    assert "mine.toml" in str(problem.value) and problem.value.expected


@pytest.mark.parametrize(
    "table", ["axes", "model", "mesh", "materials", "textures", "rig", "names", "layout"]
)
def test_a_key_nobody_knows_is_named_in_every_table(table: str) -> None:
    with pytest.raises(SheetError) as problem:
        parse_sheet(f"{BASE}[{table}]\nmoonlight = true\n", "mine.toml")
    assert problem.value.where == f"{table}.moonlight"
