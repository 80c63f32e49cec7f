"""The gulls of the roof: every compressed and modern form is delivered as its plain twin is."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial import cKDTree

from customs.demo.gulls import FORMS, LOOKS
from customs.formats.registry import read_scene
from customs.formats.source import Source
from customs.landing.land import landed_scene
from customs.motion.posing.pose import posed_scene_points
from customs.scene.model import Scene
from customs.surface.pixels import image_pixels
from customs.work.asset import Request, Result, run
from customs.work.lookup import find_sheet

SHEETS = ("metre-yup-pbr", "one-mesh-kit", "centimetre-zup-lh")
COMPRESSED = ("draco", "meshopt", "quantised", "webp", "etc1s", "uastc")
LOSSY = {"webp": 6.0, "etc1s": 24.0, "uastc": 4.0}
"""Most a texture's mean may be off, in parts of 255."""
made = cache(lambda name: FORMS[name]())


def ported(name: str, sheet: str, folder: Path) -> tuple[Result, Scene]:
    path = folder / "in" / name / "gull.glb"
    path.parent.mkdir(parents=True)
    path.write_bytes(made(name))
    result = run(Request(path, path.parent, find_sheet(sheet), out=folder / name))
    assert result.error is None and result.folder is not None and result.accepted, result.ledger.open()
    return result, landed_scene(result.folder, find_sheet(sheet))


@pytest.mark.parametrize("sheet", SHEETS)
def test_every_compressed_form_is_delivered_as_its_plain_twin(sheet: str, tmp_path: Path) -> None:
    plain, want = ported("plain", sheet, tmp_path)
    side = max(float(np.ptp(p, axis=0).max()) for p in posed_scene_points(want))
    for name in COMPRESSED:
        result, got = ported(name, sheet, tmp_path)
        verdicts = [[(r.requirement, r.verdict) for r in x.ledger.rows] for x in (plain, result)]
        assert verdicts[0] == verdicts[1], name
        for clip, twin in [(None, None), *zip(want.clips, got.clips, strict=True)]:
            for t in (0.0, 0.3):
                a, b = (
                    np.concatenate(list(posed_scene_points(s, c, t))) for s, c in ((want, clip), (got, twin))
                )
                assert len(a) == len(b) and cKDTree(a).query(b)[0].max() < side / 20_000, (name, t)
        for one, other in zip(want.images, got.images, strict=True):
            x, y = (image_pixels(im)[..., :3].astype(float) for im in (one, other))
            assert x.shape == y.shape and np.abs(x - y).mean() <= LOSSY.get(name, 0.0), name


def test_the_flock_stands_where_its_instances_are(tmp_path: Path) -> None:
    path = tmp_path / "gull.glb"
    path.write_bytes(made("flock"))
    scene = read_scene(Source(path))
    assert len(scene.placements) == 120 and not scene.unknown
    result, landed = ported("flock", "metre-yup-pbr", tmp_path)
    assert len(landed.placements) == 120 and "material extensions" not in " ".join(result.left)


@pytest.mark.parametrize("name", LOOKS)
def test_a_look_beyond_the_core_is_kept_or_said(name: str, tmp_path: Path) -> None:
    result, landed = ported(name, "metre-yup-pbr", tmp_path / "kept")
    assert dict(landed.materials[0].layers) == LOOKS[name] and not result.left
    result, landed = ported(name, "centimetre-zup-lh", tmp_path / "turned")
    assert not landed.materials[0].layers and "material extensions" in " ".join(result.left)
