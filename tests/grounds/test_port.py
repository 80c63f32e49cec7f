"""The palm court to both destinations for levels: landed, and where an independent assembly finds it."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from customs.demo.court import MISSING, PLACED
from customs.landing.land import land
from customs.work.lookup import find_sheet
from tests.grounds.assembly import lists_of, placed_by_list, placed_in_file
from tests.outside.judges import validate
from tests.work.test_cli import call


def test_the_court_is_as_large_as_it_says(court_files: tuple[Path, Path, Path]) -> None:
    body = json.loads(court_files[0].read_text("utf-8"))
    assert len(body["world"]["objects"]) == PLACED == 1204


@pytest.mark.parametrize("sheet", ["level-kit", "one-file-level-kit"])
def test_it_lands_and_stands_where_others_find_it(sheet: str, ported: dict[str, tuple[Path, dict]]) -> None:  # type: ignore[type-arg]
    folder, told = ported[sheet]
    assert land(folder, find_sheet).accepted
    docket = json.loads((folder / "docket.json").read_text("utf-8"))
    if sheet == "level-kit":
        low, high, triangles, matrices = placed_by_list(folder)
        assert len(matrices) > 1000
    else:
        model = folder / docket["models"][0]["path"]
        assert validate([model]) == []
        low, high, triangles = placed_in_file(model)
    box = np.array([docket["box"]["low"], docket["box"]["high"]])
    reach = float(np.linalg.norm(box[1] - box[0]))
    assert np.abs(np.stack([low, high]) - box).max() < 1e-5 * reach
    assert triangles == docket["after"]["triangles"]
    steps = [s["step"] for s in told["route"]]
    assert {"kinds", "terrain", "rig", "finest-levels", "alpha", "light"} <= set(steps)


def test_every_placement_stands_where_the_source_said(
    court_files: tuple[Path, Path, Path],
    ported: dict[str, tuple[Path, dict]],  # type: ignore[type-arg]
) -> None:
    """Worked from the source list by hand: inches to metres, Z up and facing −Y to Y up and facing +Z."""
    folder, _ = ported["level-kit"]
    said = [
        row
        for row in json.loads(court_files[0].read_text("utf-8"))["world"]["objects"]
        if row["mesh"] == "mosaic_tile"
    ]
    meant = np.array([[x, z, -y] for x, y, z in (r["at"] for r in said)]) * 0.0254
    found = np.array(
        [
            np.array(r["matrix"]).reshape(4, 4).T[:3, 3]
            for one in lists_of(folder)
            for r in one.get("placements", [])
            if r["name"] == "meshes/mosaic_tile.gltf"
        ]
    )
    assert len(found) == len(meant) == 192
    order = np.lexsort(np.round(meant, 4).T), np.lexsort(np.round(found, 4).T)
    assert np.abs(meant[order[0]] - found[order[1]]).max() < 1e-5


def test_what_is_missing_is_said(ported: dict[str, tuple[Path, dict]]) -> None:  # type: ignore[type-arg]
    _, told = ported["level-kit"]
    rows = {r["requirement"]: r for r in told["rows"]}
    assert rows["stand-ins"]["received"] == f"{len(MISSING) + 2} names"
    assert any("stand-ins left out" in r for r in told["remarks"])


def test_a_delivered_level_is_read_again(ported: dict[str, tuple[Path, dict]], tmp_path: Path) -> None:  # type: ignore[type-arg]
    """The list of a package is a level itself, with its lights."""
    folder, _ = ported["level-kit"]
    code, text = call(
        "port", folder / "palm_court.json", "--to", "one-file-level-kit", "--out", tmp_path, "--json"
    )
    (told,) = json.loads(text)
    assert code == 0 and told["package"], text
    before = json.loads((folder / "docket.json").read_text("utf-8"))
    after = json.loads((Path(told["package"]) / "docket.json").read_text("utf-8"))
    assert after["after"]["triangles"] == before["after"]["triangles"]
    assert np.allclose(after["box"]["low"], before["box"]["low"], atol=1e-4)
