"""Some of the three hundred goods: what is well is delivered, all that is not is said, and nothing else is disturbed."""

from __future__ import annotations

from pathlib import Path

from customs.demo.hundreds import BRITTLE, BROKEN, HEAVY, SLEEPY, write_hundreds
from customs.runs.children import Limits
from customs.runs.report import report
from tests.hundreds import killed_again_and_again, packages, ran, told

LIMITS = Limits(10.0, 1 << 30)


def test_what_is_well_is_delivered_and_the_rest_is_said(tmp_path: Path) -> None:
    write_hundreds(tmp_path / "goods", 10)
    heavy = tmp_path / "goods" / "shelf" / f"{HEAVY}.stl"
    assert heavy.stat().st_size > 3e9 and heavy.stat().st_blocks < 100, "it takes no room on the disk"
    rows = ran(tmp_path / "goods", tmp_path / "out", limits=LIMITS)
    states = {Path(r.path).name: r.state for r in rows}
    assert told(rows)["done"] == 10 and len(rows) == 10 + len(BROKEN) + 3 and len(BROKEN) == 17
    assert {states[n] for n in BROKEN} == {"failed", "held"}
    for name, why in (
        (f"{HEAVY}.stl", "GB of memory"),
        (f"{SLEEPY}.glb", "still not done"),
        (f"{BRITTLE}.glb", "SIGSEGV"),
    ):
        row = next(r for r in rows if Path(r.path).name == name)
        assert row.state == "broken" and why in row.told["error"]["found"]  # type: ignore[index]
    body = report("Some", rows)
    assert all(x["said"] for x in body["broken"]) and all(d["goods"] for d in body["decisions"])
    assert len(packages(tmp_path / "out")) >= 10
    # Killed with all its processes and gone on with: the same bytes.
    hit = killed_again_and_again(tmp_path / "goods", tmp_path / "killed", 1, LIMITS)
    assert hit == 1 and packages(tmp_path / "killed") == packages(tmp_path / "out")
