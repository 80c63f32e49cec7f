"""One graphics context for all pictures."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from customs.picture.renderer import Renderer


@pytest.fixture(scope="module")
def renderer() -> Iterator[Renderer]:
    """One context for all."""
    made = Renderer()
    yield made
    made.release()
