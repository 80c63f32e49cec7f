"""Proposals for the unit an asset was made in, from its size against a yardstick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

STANDING_FIGURE = 1.80
"""Height of the standing figure (m); common practice."""
METRE_CUBE = 1.0
FACTORS: tuple[tuple[float, str], ...] = (
    (1.0, "as it is"),
    (0.01, "made in centimetres"),
    (0.0254, "made in inches"),
    (0.001, "made in millimetres"),
    (0.3048, "made in feet"),
    (0.1, "made in decimetres"),
    (10.0, "read ten times too small"),
    (39.37007874015748, "metres read as inches"),
    (100.0, "metres read as centimetres"),
    (1000.0, "metres read as millimetres"),
)
"""Exact by definition of the units (inch 25.4 mm, foot 304.8 mm); the choice of candidates is common
practice.
"""


@dataclass(frozen=True)
class Proposal:
    """A factor, the height it gives (m), its share of the yardstick, and why."""

    factor: float
    height: float
    share: float
    reason: str

    def text(self) -> str:
        """One line for a person."""
        return f"× {self.factor:.6g} gives {self.height:.3f} m, {self.share * 100:.1f} % of the yardstick: {self.reason}"


def proposals(height: float, yardstick: float) -> list[Proposal]:
    """Factors ranked by how close they bring `height` to `yardstick` (both metres, over 0), the exact ratio
    last.

    Closeness is the ratio's distance from one on a log scale: half as high is as far off as twice as high.
    """
    if height <= 0 or yardstick <= 0 or not np.isfinite([height, yardstick]).all():
        return []
    named = [Proposal(f, height * f, height * f / yardstick, reason) for f, reason in FACTORS]
    named.sort(key=lambda p: abs(np.log(p.share)))
    exact = yardstick / height
    return [*named, Proposal(exact, yardstick, 1.0, "exactly the yardstick")]
