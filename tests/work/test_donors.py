"""Donors: read from files of any format, kept with the shipment, used from the command line."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from customs.conventions.origin import Origin
from customs.errors import CustomsError
from customs.intake.take import take
from customs.ledger.ledger import judge
from customs.motion.skeleton.skeleton import skeleton_of
from customs.planning.plan import fresh_route
from customs.route.route import evaluate
from customs.work.donors import keep_donor, kept_donor, read_donor
from customs.work.lookup import find_origin, find_sheet
from tests.outside.judges import judge_scene, validate
from tests.work.test_cli import call


def test_a_donor_is_read_kept_once_and_missed_clearly(goods: dict[str, Path], tmp_path: Path) -> None:
    donor = read_donor(goods["house_warden"], find_origin("metre-yup"))
    assert donor.name == "house_warden" and len(skeleton_of(donor.scene).names) == 21
    keep_donor(tmp_path, donor)
    place = tmp_path / "donors" / f"{donor.digest}.glb"
    before = place.stat().st_mtime_ns
    keep_donor(tmp_path, donor)
    assert place.stat().st_mtime_ns == before and [p.name for p in place.parent.iterdir()] == [place.name]
    again = kept_donor(tmp_path, donor.digest, donor.name)
    assert again.data == donor.data and validate([place]) == []
    with pytest.raises(CustomsError, match="donor cannot be read") as caught:
        kept_donor(tmp_path, "f" * 12, "gone")
    assert "Choose the donor again" in str(caught.value)


def test_a_donor_arrives_by_its_origin(goods: dict[str, Path]) -> None:
    small = read_donor(goods["house_warden"], find_origin("inch-zup"))
    plain = read_donor(goods["house_warden"], find_origin("metre-yup"))
    a, b = (skeleton_of(d.scene).rest[:, :3, 3] for d in (small, plain))
    reach_a, reach_b = (np.linalg.norm(p - p[0], axis=1) for p in (a, b))
    assert np.abs(reach_a / 0.0254 - reach_b).max() < 1e-5 and small.digest != plain.digest


@pytest.mark.parametrize("id_", ["fern_bed", "spring_basin"])
def test_what_has_no_skeleton_is_no_donor(id_: str, goods: dict[str, Path]) -> None:
    with pytest.raises(CustomsError, match="no skeleton") as caught:
        read_donor(goods[id_])
    assert caught.value.file == goods[id_]


def test_a_body_goes_on_a_donors_skeleton_from_the_command_line(
    goods: dict[str, Path], tmp_path: Path
) -> None:
    out = tmp_path / "out"
    words = ("--to", "donor-skeleton-kit", "--donor", goods["house_warden"], "--out", out)
    code, text = call("port", goods["lamplighter"], *words)
    assert code == 0 and "0 held" in text
    model = out / "lamplighter" / "lamplighter.glb"
    delivered, donor = (take(p).scene for p in (model, goods["house_warden"]))
    names = [[s.nodes[j].name for j in s.skins[0].joints] for s in (delivered, donor)]
    assert names[0] == names[1], "names and order are the donor's"
    assert np.abs(delivered.skins[0].inverse_bind - donor.skins[0].inverse_bind).max() < 1e-5
    assert sorted(n for _, n in numbers_of(delivered)) == sorted(n for _, n in numbers_of(donor))
    judged = judge_scene(model)
    assert sum(len(s.joints) for s in judged.skins) == len(names[0])
    docket = json.loads((model.parent / "docket.json").read_text("utf-8"))
    assert any(stop["id"] == "donor@1" for stop in docket["route"])
    code, text = call("land", out)
    assert code == 0 and "accepts" in text


def numbers_of(scene) -> list[tuple[str, int]]:  # type: ignore[no-untyped-def]
    """(joint, number) of all joints that carry one."""
    return [(n.name, n.extras["number"]) for n in scene.nodes if "number" in n.extras]


def test_a_donor_that_cannot_be_read_stops_the_call(goods: dict[str, Path], tmp_path: Path) -> None:
    bad = tmp_path / "bad.glb"
    bad.write_bytes(goods["house_warden"].read_bytes()[:400])
    for donor in (bad, tmp_path / "none.glb", goods["fern_bed"]):
        code, text = call("check", goods["lamplighter"], "--to", "donor-skeleton-kit", "--donor", donor)
        assert code in (2, 3) and donor.name in text.replace("\n", ""), text


def test_without_a_donor_a_donor_sheet_says_so(goods: dict[str, Path]) -> None:
    code, text = call("check", goods["lamplighter"], "--to", "donor-skeleton-kit", "--json")
    rows = {r["requirement"]: r for r in json.loads(text)[0]["rows"]}
    assert (
        code == 1
        and rows["donor-known"]["verdict"] == "held"
        and "donor" in rows["donor-known"]["note"].lower()
    )


def test_an_origin_that_overrules_a_files_own_unit_is_asked_about(goods: dict[str, Path]) -> None:
    """FBX says its unit itself (UnitScaleFactor); an origin of metres on a file of centimetres is a
    hundredfold giant.
    """
    taken = take(goods["lamplighter"])
    sheet = find_sheet("metre-yup-pbr")

    def unit(origin: Origin | None) -> tuple[str, str]:
        passed = evaluate(taken.scene, taken.digest, fresh_route(origin))
        row = next(r for r in judge(taken.scene, passed, sheet).rows if r.requirement == "unit-stated")
        return row.verdict, row.note

    assert unit(None) == ("cleared", "") and unit(find_origin("centimetre-zup")) == ("cleared", "")
    verdict, note = unit(find_origin("metre-yup"))
    assert verdict == "query" and "1 unit = 0.01 m" in note and "origin" in note
