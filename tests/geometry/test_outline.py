"""Points inside outlines: Qt as judge, and plain squares."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPolygonF

from customs.geometry.outline import inside_outline


@pytest.mark.parametrize("seed", range(6))
def test_agrees_with_qt_on_wild_outlines(seed: int) -> None:
    """Qt's QPolygonF::containsPoint with the odd-even rule is the judge; outlines cross themselves."""
    rng = np.random.default_rng(seed)
    outline = rng.uniform(0, 100, (3 + seed * 4, 2))
    points = rng.uniform(-10, 110, (800, 2))
    judge = QPolygonF([QPointF(*p) for p in outline])
    wanted = [judge.containsPoint(QPointF(*p), Qt.FillRule.OddEvenFill) for p in points]
    assert inside_outline(points, outline).tolist() == wanted


def test_nothing_is_inside_less_than_a_triangle_and_no_nan_is_inside() -> None:
    assert not inside_outline([[0, 0]], [[0, 0], [1, 1]]).any()
    assert inside_outline([[0.5, 0.2], [np.nan, 0.2]], [[0, 0], [1, 0], [1, 1]]).tolist() == [True, False]
    assert inside_outline(np.zeros((0, 2)), [[0, 0], [1, 0], [1, 1]]).shape == (0,)


def test_a_square_holds_what_lies_between_its_sides() -> None:
    points = np.random.default_rng(0).uniform(-1, 2, (1000, 2))
    whole = inside_outline(points, [[0, 0], [1, 0], [1, 1], [0, 1]])
    assert (whole == ((points > 0) & (points < 1)).all(axis=1)).all()
