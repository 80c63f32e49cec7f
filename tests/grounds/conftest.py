"""The palm court, written and read once."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from customs.conventions.convert import change_convention
from customs.demo.court import court_mapping, write_court
from customs.scene.convention import WORKING
from customs.scene.model import Scene
from customs.work.levels import Composed, composed
from tests.work.test_cli import call


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


@pytest.fixture(scope="session")
def ported(
    court_files: tuple[Path, Path, Path], tmp_path_factory: pytest.TempPathFactory
) -> dict[str, tuple[Path, dict]]:  # type: ignore[type-arg]
    """Package and what was said, by sheet, through the command line."""
    listed, mapping, library = court_files
    out = {}
    for sheet in ("level-kit", "one-file-level-kit"):
        to = tmp_path_factory.mktemp(sheet)
        code, text = call(
            "port", listed, "--mapping", mapping, "--library", library, "--to", sheet, "--out", to, "--json"
        )
        (told,) = json.loads(text)
        assert code == 0 and told["package"], text
        out[sheet] = Path(told["package"]), told
    return out
