"""Chosen vertices are kept as bytes by digest, whatever their number."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from customs.errors import ShipmentError, StepError
from customs.job import Job
from customs.ledger.row import About
from customs.route.route import Route, Stop, evaluate
from customs.route.step import get_step, make_settings
from customs.scene.selection import PREFIX, names_in, packed_rows, ranges_in, ranges_of_rows, rows_in
from customs.work.selections import FOLDER, keep_selection, kept_selections
from tests.assets import DIGEST
from tests.motion.rigs import bar


@pytest.mark.parametrize("seed", range(5))
def test_rows_come_back_as_they_were_chosen(seed: int) -> None:
    rows = np.flatnonzero(np.random.default_rng(seed).random(5_000) < (0.0, 0.01, 0.5, 0.99, 1.0)[seed])
    name, body = packed_rows(ranges_of_rows(rows))
    assert (rows_in(ranges_in(body), 5_000) == rows).all() and packed_rows(ranges_of_rows(rows))[0] == name
    assert (rows_in(ranges_in(body), 100) == rows[rows < 100]).all(), (
        "of a mesh with fewer vertices only those it has"
    )


def test_ranges_may_touch_and_lie_over_each_other() -> None:
    ranges = np.array([(4, 9), (0, 2), (6, 12), (2, 3), (5, 5)])
    assert rows_in(ranges, 20).tolist() == [0, 1, 2, *range(4, 12)]


@pytest.mark.parametrize("body", [b"1234567", np.array([5, 3], "<u4").tobytes()])
def test_bytes_that_are_no_ranges_are_refused(body: bytes) -> None:
    with pytest.raises(ValueError, match=r"ranges|ends before"):
        ranges_in(body)


def test_names_are_found_wherever_a_setting_holds_them() -> None:
    one, other = f"{PREFIX}a", f"{PREFIX}b"
    assert list(names_in((("key", 1.0, one), [("x", (other,))], "plain"))) == [one, other]


def painted(store: Path, said: object) -> Route:
    """A route that sets the weights of chosen vertices of a bar."""
    p = bar().meshes[0].primitives[0]
    return Route((Stop("arrive@1", "arrive"),)).set(
        "paint", {"edits": ((str(p.key), "bone_1", "set", 1.0, said),)}
    )


def test_a_painted_selection_does_what_its_ranges_did(tmp_path: Path) -> None:
    ranges = ((0, 6), (8, 10))
    name = keep_selection(tmp_path, ranges)
    assert keep_selection(tmp_path, ranges) == name and len(list((tmp_path / FOLDER).iterdir())) == 1
    by_name, by_ranges = painted(tmp_path, name), painted(tmp_path, ranges)
    about = About(selections=kept_selections(tmp_path, by_name.stops))
    a, b = (evaluate(bar(), DIGEST, r, None, about.resources)[-1] for r in (by_name, by_ranges))
    assert a.error is None and b.error is None and a.scene is not bar()
    assert np.array_equal(*(x.scene.meshes[0].primitives[0].weights for x in (a, b)))  # type: ignore[arg-type]


def test_one_that_is_gone_or_damaged_is_said(tmp_path: Path) -> None:
    name = keep_selection(tmp_path, ((0, 6),))
    route = painted(tmp_path, name)
    (tmp_path / FOLDER / name.removeprefix(PREFIX)).unlink()
    lost = evaluate(bar(), DIGEST, route, None, kept_selections(tmp_path, route.stops))[-1]
    assert (
        isinstance(lost.error, StepError) and "no longer there" in str(lost.error) and name in str(lost.error)
    )
    step = get_step("paint")
    with pytest.raises(StepError, match="damaged"):
        step.run(bar(), make_settings(step, dict(route.stops[-1].values)), {name: b"123"}, Job())


def test_where_nothing_can_be_kept_it_is_said(tmp_path: Path) -> None:
    (tmp_path / FOLDER).write_text("in the way")
    with pytest.raises(ShipmentError, match="cannot be kept"):
        keep_selection(tmp_path, ((0, 1),))
    assert replace(About(), author="x").resources == {}
