"""What the ledger finds in the demo goods without being told, as they arrive and before any stop has put it
right.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from customs.changes.footing import footing_point
from customs.intake.take import take
from customs.ledger.ledger import judge
from customs.ledger.row import Row
from customs.planning.plan import fresh_route
from customs.route.route import evaluate
from customs.work.asset import Request, prepare
from customs.work.lookup import find_origin, find_sheet
from tests.conftest import good


def open_rows(asset: str, goods: dict[str, Path], sheet: str = "metre-yup-pbr") -> list[Row]:
    """Rows that are not cleared on arrival."""
    path = goods[asset]
    taken = take(path, path.parent)
    passed = evaluate(taken.scene, taken.digest, fresh_route(find_origin(good(asset).origin)))
    return judge(taken.scene, passed, find_sheet(sheet)).open()


@pytest.mark.parametrize(
    ("asset", "requirement", "subject", "step", "sure"),
    [
        ("mosaic_floor", "green-direction", "grate_n", "green", False),
        ("mosaic_floor", "colour-space", "grate_orm", "colour-space", True),
        ("mosaic_floor", "material-model", "mosaic", "spec-gloss", True),
        ("mosaic_floor", "alpha-lost", "puddle", "alpha", True),
        ("fern_bed", "alpha-lost", "fern leaf", "alpha", True),
        ("potting_bench", "texture-missing", "bench_wood_c", "find-textures", True),
        ("potting_bench", "texture-missing", "bench_slate_c", "find-textures", False),
        ("bell_lantern", "skins-nearby", "winter", "variants", False),
    ],
)
def test_it_is_found_with_the_right_remedy(
    asset: str, requirement: str, subject: str, step: str, sure: bool, goods: dict[str, Path]
) -> None:
    found = [r for r in open_rows(asset, goods) if r.requirement == requirement and r.subject_name == subject]
    assert len(found) == 1 and found[0].remedy is not None
    assert (found[0].remedy.step, found[0].remedy.sure) == (step, sure) and found[0].note


def test_only_the_wrong_map_is_called_wrong_and_only_where_it_is(goods: dict[str, Path]) -> None:
    for asset, wrong in (("bell_lantern", 0), ("watering_stork", 0), ("mosaic_floor", 1)):
        assert sum(r.requirement == "green-direction" for r in open_rows(asset, goods)) == wrong
    for asset, wrong in (("bell_lantern", 1), ("mosaic_floor", 1)):
        assert (
            sum(r.requirement == "green-direction" for r in open_rows(asset, goods, "centimetre-zup-lh"))
            == wrong
        )


def test_a_leaf_is_cut_and_a_puddle_blends(goods: dict[str, Path]) -> None:
    modes = {}
    for asset in ("fern_bed", "mosaic_floor"):
        for r in open_rows(asset, goods):
            if r.requirement == "alpha-lost" and r.remedy is not None:
                modes[r.subject_name] = dict(r.remedy.values)["mode"]
    assert modes == {"fern leaf": "mask", "puddle": "blend"}


@pytest.mark.parametrize("name", ["huesitos", "animation_with_skeleton"])
def test_a_body_whose_weights_do_not_sum_to_one_still_stands_where_it_should(name: str) -> None:
    """Models of Debian's assimp-testmodels: a sum off one moves a vertex by more or less than its joints are
    moved, so the sums are put right before anything is measured; what marks the end of a joint is no leftover
    transform.
    """
    path = Path(f"/usr/share/assimp/models/FBX/{name}.fbx")
    planned = prepare(Request(path, path.parent, find_sheet("metre-yup-pbr"))).plan
    order = [a.stop.step for a in planned.passed]
    assert order.index("weight-sums") < order.index("settle") < order.index("footing")
    assert "brought to a sum of one" in planned.passed[order.index("weight-sums")].remarks[0].text
    assert np.abs(footing_point(planned.passed[-1].scene, "base-centre", (0, 0, 0))).max() < 1e-6  # type: ignore[arg-type]
    assert not [r for r in planned.ledger.open() if r.verdict == "held"]
