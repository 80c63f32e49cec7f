"""The palm court, written and read once."""

from __future__ import annotations

from pathlib import Path

import pytest

from customs.conventions.convert import change_convention
from customs.demo.court import court_mapping, write_court
from customs.scene.convention import WORKING
from customs.scene.model import Scene
from customs.work.levels import Composed, composed


@pytest.fixture(scope="session")
def court_files(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path, Path]:
    return write_court(tmp_path_factory.mktemp("court"))


@pytest.fixture(scope="session")
def court(court_files: tuple[Path, Path, Path]) -> Composed:
    listed, _, library = court_files
    return composed([listed], court_mapping(), [library])


@pytest.fixture(scope="session")
def arrived(court: Composed) -> Scene:
    """The palm court in the working frame."""
    scene = court.scene()
    return change_convention(scene, WORKING, scene.convention)
