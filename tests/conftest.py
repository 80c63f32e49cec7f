"""Fixtures for all tests: a home of their own, the demo goods, small assets."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest

from customs.demo.write import GOODS, Good, write_goods
from customs.scene.model import Scene
from tests.assets import lettered

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
GOOD = {g.id: g for g in GOODS}


@pytest.fixture(autouse=True)
def own_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """No test touches a person's configuration."""
    home = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("CUSTOMS_HOME", str(home))
    yield home


@pytest.fixture(scope="session")
def goods(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """The demo goods as files, by id."""
    return write_goods(tmp_path_factory.mktemp("goods"))


@pytest.fixture(scope="session")
def letter() -> Scene:
    """The lettered, asymmetric, skinned and animated asset."""
    return lettered()


def good(id_: str) -> Good:
    """One of the demo goods."""
    return GOOD[id_]
