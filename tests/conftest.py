"""Fixtures for all tests: a home of their own, the demo goods, small assets."""

from __future__ import annotations

import gc
import os
import time
import uuid
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from customs.demo.samples import write as write_samples
from customs.demo.write import GOODS, Good, write_goods
from customs.scene.model import Scene
from tests.assets import lettered

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("NUMBA_BOUNDSCHECK", "1")
WHOLE = bool(os.environ.get("CUSTOMS_WHOLE"))
# The same examples every time: a run that is red is red for everyone.
settings.register_profile("house", max_examples=50 if WHOLE else 15, deadline=None, derandomize=True)
settings.load_profile("house")
GOOD = {g.id: g for g in GOODS}


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Of wide tables some rows are run, the same ones every time; all of them where CUSTOMS_WHOLE is set."""
    if WHOLE:
        return
    spared = [
        i
        for i in items
        if (m := i.get_closest_marker("breadth")) and zlib.crc32(i.nodeid.encode()) % m.args[0]
    ]
    if spared:
        config.hook.pytest_deselected(items=spared)
        gone = {id(i) for i in spared}
        items[:] = [i for i in items if id(i) not in gone]


def pytest_collection_finish(session: pytest.Session) -> None:
    """Thousands of tests are no garbage: they are not looked through for it each time."""
    gc.collect()
    gc.freeze()


@pytest.fixture(autouse=True)
def own_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """No test touches a person's configuration."""
    # A number of its own would be looked for among thousands.
    home = tmp_path_factory.mktemp(f"home-{uuid.uuid4().hex}", numbered=False)
    monkeypatch.setenv("CUSTOMS_HOME", str(home))
    yield home


def once(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], object]) -> Path:
    """A folder made once for all processes of a run, and for the runs of `scripts/test`; whoever comes second waits for it."""
    base = factory.getbasetemp()
    base = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    folder = Path(os.environ.get("CUSTOMS_TESTS_SHARED") or base) / name
    made = folder.with_suffix(".made")
    try:
        folder.with_suffix(".begun").touch(exist_ok=False)
    except FileExistsError:
        end = time.monotonic() + 200
        while not made.exists():
            assert time.monotonic() < end, f"{folder} was begun by another process and never made"
            time.sleep(0.1)
    else:
        folder.mkdir()
        make(folder)
        made.touch()
    return folder


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What `customs goods` writes, for tests that read it or copy it."""
    return once(tmp_path_factory, "guide-demo", lambda place: write_samples(place / "demo")) / "demo"


@pytest.fixture(scope="session")
def goods(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """The demo goods as files, by id."""
    return write_goods(once(tmp_path_factory, "demo-goods", write_goods))


@pytest.fixture(scope="session")
def letter() -> Scene:
    """The lettered, asymmetric, skinned and animated asset."""
    return lettered()


def good(id_: str) -> Good:
    """One of the demo goods."""
    return GOOD[id_]
