"""Plots: footprints against counting by hand, drawing on both sides, files in three forms, landing's mistakes."""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import PIL.Image
import pytest

from customs.changes.plot import NONE, Footprint, footprint_of, letters_of, plotted, proposed, rows_of
from customs.landing.land import land
from customs.ledger.row import About, Case, requirements
from customs.scene.arrays import frozen
from customs.scene.model import Scene
from customs.scene.wishes import PlotWish
from customs.sheet.model import Sheet
from customs.work.lookup import find_sheet
from customs.work.plotting import given, met
from tests.assets import cube, scene_of
from tests.changes.test_coarser import ball
from tests.landing.test_fittings import KIT, fitted, sheet
from tests.landing.test_rules import delivered, exchange_file, refusals

AREAS = ("A", "B", "C")


def test_a_box_covers_its_cells_and_a_ball_its_circle() -> None:
    box = footprint_of(scene_of(cube(2.0)), 0.5)
    assert (
        box is not None
        and box.inside.shape == (4, 4)
        and box.inside.all()
        and box.low == pytest.approx((-1, -1))
    )
    disc = footprint_of(scene_of(ball(4)), 0.05)
    assert disc is not None and disc.inside.sum() * 0.05**2 == pytest.approx(np.pi, rel=0.02)
    assert np.array_equal(disc.inside, disc.inside[:, ::-1]) and np.array_equal(
        disc.inside, disc.inside[::-1]
    )


def test_rows_run_from_the_back_and_columns_from_minus_x() -> None:
    """An L: a bar at the back, and a leg to the front at +X."""
    bar = replace(
        cube(1.0), positions=frozen(cube(1.0).positions * np.float32([4, 1, 1]) + np.float32([0, 0, -1.5]))
    )
    leg = replace(
        cube(1.0, 1), positions=frozen(cube(1.0).positions * np.float32([1, 1, 4]) + np.float32([1.5, 0, 0]))
    )
    found = footprint_of(scene_of(bar, leg), 1.0)
    assert found is not None
    assert rows_of(np.where(found.inside, "x", NONE)) == ("xxxx", "...x", "...x", "...x")


@pytest.mark.parametrize(
    "scene", [scene_of(), scene_of(replace(cube(), mode="points", indices=None)), scene_of(cube(1e4))]
)
def test_nothing_and_too_much_has_no_footprint(scene: Scene) -> None:
    assert footprint_of(scene, 0.1) is None


def ground(*rows: str) -> Footprint:
    return Footprint(1.0, (0.0, 0.0), np.array([[c == "x" for c in r] for r in rows]))


def test_a_plot_is_held_against_its_footprint() -> None:
    found = plotted(("AAB", ".D", "CCC", "A"), ground("xxx", "xx.", "xxx"), AREAS)
    assert found.counts == {"A": 2, "B": 1, "C": 3} and found.strange == ("D",)
    assert (found.left_over, found.outside, found.uneven) == (1, 1, 1)


@pytest.mark.parametrize("rows", [("xxx", "xxx", "xxx"), (".x.", "xxx", "xxx", ".x."), ("x",), ("xx",) * 9])
def test_a_proposal_fills_it_and_is_alike_on_both_sides(rows: tuple[str, ...]) -> None:
    found = plotted(proposed(ground(*rows), AREAS), ground(*rows), AREAS)
    assert (found.left_over, found.outside, found.uneven, found.strange) == (0, 0, 0, ())
    if len(rows) > 2:
        assert min(found.counts.values()) >= 1


def test_hands_draw_on_both_sides() -> None:
    inside = np.ones((4, 5), bool)
    blank = np.full((4, 5), NONE)
    for tool, way, cells in (
        ("brush", [(0, 0), (0, 2), (2, 2)], {(0, 0), (0, 1), (0, 2), (1, 2), (2, 2), (0, 3), (0, 4)}),
        ("line", [(0, 0), (9, 9), (3, 0)], {(r, c) for r in range(4) for c in (0, 4)}),
        ("rectangle", [(3, 1), (2, 0)], {(r, c) for r in (2, 3) for c in (0, 1, 3, 4)}),
        ("fill", [(0, 0)], {(r, c) for r in range(4) for c in range(5)}),
    ):
        out = given(blank, inside, met(tool, blank, inside, way), "A", True)  # type: ignore[arg-type]
        assert {(int(r), int(c)) for r, c in np.argwhere(out == "A")} == cells, tool
    split = given(blank, inside, met("line", blank, inside, [(0, 2), (3, 2)]), "B", False)
    assert (given(split, inside, met("fill", split, inside, [(1, 0)]), "A", False) == "A").sum() == 8
    inside[0] = False
    assert not (
        given(blank, inside, met("rectangle", blank, inside, [(-3, -3), (0, 9)]), "A", True) == "A"
    ).any()
    for tool in ("brush", "line", "rectangle", "fill"):
        assert not met(tool, blank, inside, []).any() and not met(tool, blank, inside, [(-9, -9)]).any()  # type: ignore[arg-type]


@pytest.fixture
def package(tmp_path: Path) -> Path:
    folder = delivered(fitted(), KIT, tmp_path)
    log = land(folder, find_sheet)
    assert log.accepted, refusals(log)
    return folder


def again(package: Path, data: bytes) -> None:
    exchange_file(package, "ball_plot.json", data)


def other(rows: list[str], r: int, c: int, letter: str) -> list[str]:
    return [row[:c] + letter + row[c + 1 :] if k == r else row for k, row in enumerate(rows)]


WRONG: dict[str, tuple[Callable[[dict[str, Any]], object], str]] = {
    "a cell outside": (lambda b: b.update(rows=other(b["rows"], 0, 0, "A")), "1 cell outside the footprint"),
    "a strange area": (lambda b: b.update(rows=other(b["rows"], 9, 9, "Q")), "areas Q are not known here"),
    "a row less": (lambda b: b["rows"].pop(), "has 19 rows"),
    "a row too short": (
        lambda b: b.update(rows=[b["rows"][0][:-1], *b["rows"][1:]]),
        "the footprint 20 of 20",
    ),
    "other cells": (lambda b: b.update(cell=0.2), "cells of 0.2 m"),
    "another asset": (lambda b: b.update(asset="cube"), "it is of 'cube'"),
    "no rows": (lambda b: b.pop("rows"), "cannot be read as a plot"),
    "rows that are none": (lambda b: b.update(rows=[1, 2]), "rows that are no text"),
}


@pytest.mark.parametrize("name", WRONG)
def test_a_plot_that_is_wrong_is_named(name: str, package: Path) -> None:
    change, said = WRONG[name]
    body = json.loads((package / "ball_plot.json").read_text("utf-8"))
    change(body)
    again(package, json.dumps(body).encode())
    assert said in refusals(land(package, find_sheet)), refusals(land(package, find_sheet))


def test_what_is_left_over_or_uneven_is_remarked_on(package: Path) -> None:
    body = json.loads((package / "ball_plot.json").read_text("utf-8"))
    body["rows"] = other(other(body["rows"], 9, 9, "."), 10, 3, "A")
    again(package, json.dumps(body).encode())
    log = land(package, find_sheet)
    text = " ".join(line.text for line in log.lines if line.level == "remark")
    assert log.accepted and "1 cell given to nobody" in text and "unlike on the other side" in text
    for data, said in ((b"[", "cannot be read"), (b"\xff", "cannot be read")):
        again(package, data)
        assert said in refusals(land(package, find_sheet))
    (package / "ball_plot.json").unlink()
    assert "the plot is not there" in refusals(land(package, find_sheet))


@pytest.mark.parametrize("form", ["rows", "picture"])
def test_other_forms_land_too(form: str, tmp_path: Path) -> None:
    rules = sheet(plot={"form": form})
    folder = delivered(fitted(), rules, tmp_path)
    assert land(folder, find_sheet, rules).accepted
    wish = fitted().wishes.plot
    assert wish is not None
    if form == "rows":
        assert tuple((folder / "ball_plot.txt").read_text("utf-8").splitlines()) == wish.rows
    else:
        with PIL.Image.open(io.BytesIO((folder / "ball_plot.png").read_bytes())) as opened:
            assert opened.size == (20, 20) and len(set(np.asarray(opened).reshape(-1).tolist())) == 4


def test_a_sheet_says_which_areas_there_are() -> None:
    for wrong in (
        {"form": "json", "areas": {}},
        {"areas": {"AB": "x"}},
        {"areas": {"A": "x"}, "least": {"B": 1}},
        {"cell": 0},
    ):
        with pytest.raises(ValueError):
            Sheet.model_validate(KIT.model_dump() | {"plot": wrong})
    assert letters_of(("AB",), (2, 3))[0].tolist() == [["A", "B", "."], [".", ".", "."]]


def test_a_row_for_each_area_and_for_what_is_wrong() -> None:
    scene, rules = fitted(), sheet(plot={"least": {"A": 5, "B": 1000}})
    rule = requirements()["plot"]

    def rows(rows_: tuple[str, ...]) -> dict[str, tuple[str, str]]:
        wish = PlotWish(KIT.plot.cell, rows_)
        now = replace(scene, wishes=replace(scene.wishes, plot=wish))
        found = rule.judge(rule, Case(now, now, now, rules, About()))
        return {
            r.subject: (r.delivering.text if hasattr(r.delivering, "text") else str(r.delivering), r.verdict)
            for r in found
        }

    wish = scene.wishes.plot
    assert wish is not None
    good = rows(wish.rows)
    assert list(good) == ["area aft", "area middle", "area fore", "both sides", "left over", "outside"]
    assert good["area aft"][1] == "cleared" and good["area middle"][1] == "held"
    assert [good[k] for k in ("both sides", "left over", "outside")] == [
        ("0 cells unlike", "cleared"),
        ("0 cells", "cleared"),
        ("0 cells", "cleared"),
    ]
    bad = rows(tuple(other(other(other(list(wish.rows), 9, 9, "."), 10, 3, "A"), 0, 0, "Q")))
    assert bad["left over"] == ("1 cell", "query") and bad["both sides"][1] == "query"
    assert bad["outside"][1] == "held" and "areas Q not known" in bad["outside"][0]
