"""Whatever writes is killed: what stands there is whole, and the next start leaves nothing else. `scripts/kills` does it many times."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.killing import WRITERS, Sitting


@pytest.mark.breadth(2)
@pytest.mark.parametrize("what", WRITERS)
def test_killed_at_any_moment_what_stands_is_whole(what: str, tmp_path: Path) -> None:
    sitting = Sitting(WRITERS[what], tmp_path)
    sitting.kill()
    tally = sitting.end()
    assert tally.kills == 1 and not tally.broken and not tally.left, tally
