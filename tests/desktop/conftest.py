"""The real window, offscreen. A failing test saves a picture of it."""

from __future__ import annotations

import gc
import shutil
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6 import sip
from PyQt6.QtCore import QCoreApplication, QEvent, QObject
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from customs.demo.place import demo_path
from customs.demo.shipment import open_demo
from customs.route.route import SceneCache
from customs.scene.arrays import frozen
from customs.scene.model import Image, Material, TextureUse
from customs.shipment.file import Shipment
from customs.shipment.state import State
from customs_desktop.desk import DESKS
from customs_desktop.office import Office
from customs_desktop.style import theme
from customs_desktop.window import MainWindow
from tests.assets import cube, key, saved, scene_of
from tests.conftest import once
from tests.motion.rigs import bar

PATIENCE = 120_000
"""Milliseconds; the machines are small."""
CHEQUER = (
    np.kron(np.indices((4, 4)).sum(axis=0) % 2, np.ones((8, 8)))[..., None].repeat(3, 2).astype(np.uint8)
    * 200
    + 20
)
"""A texture of 32 × 32 pixels, four fields a side."""


@pytest.fixture(scope="session", autouse=True)
def _letters(qapp: QApplication) -> None:
    """As the application wears them: in others what is cut would not be seen to be."""
    theme.wear_letters(qapp)


class Rig:
    """A window with its session, and ways to wait for it."""

    def __init__(self, qtbot: QtBot) -> None:
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, False)
        self.qtbot = qtbot
        self.session = Office()
        self.window = MainWindow(self.session)
        self.said: list[tuple[str, str]] = []
        self.session.said.connect(lambda text, level: self.said.append((text, level)))
        self.window.resize(1280, 800)
        self.window.show()

    def wait(self, what: Callable[[], object]) -> None:
        """Until `what` is true."""
        self.qtbot.waitUntil(lambda: bool(what()), timeout=PATIENCE)

    def get_ready(self) -> None:
        """As the application does when its window is there, and until that is done."""
        self.window.panels.furnish()
        self.wait(lambda: len(self.window.panels.there) == len(DESKS.all()))

    def settle(self) -> None:
        """Until nothing is worked on, every asset is judged as it is now, and all of it is shown."""
        self.wait(self._quiet)
        # What was put into a layout is shown a round of events later.
        QCoreApplication.sendPostedEvents()
        self.wait(self._quiet)

    def _quiet(self) -> bool:
        s = self.session
        return s.worker.waiting == 0 and all(
            a.id in s.results and s.results[a.id].judged and s.results[a.id].asset is a for a in s.state.goods
        )

    def row(self, requirement: str):  # type: ignore[no-untyped-def]
        """The first row of a requirement on the selected asset."""
        assert self.session.result is not None
        return next(r for r in self.session.result.ledger.rows if r.requirement == requirement)

    def steps(self) -> list[str]:
        """Steps on the selected asset's route."""
        assert self.session.asset is not None
        return [s.step for s in self.session.asset.stops]


def set_aside() -> None:
    """What is there stays: it is not looked through any more."""
    gc.collect()
    gc.freeze()


def qt_objects() -> list[QObject]:
    """All that came since something was set aside, and that Qt has not deleted."""
    return [o for o in gc.get_objects() if isinstance(o, QObject) and not sip.isdeleted(o)]


def delete_now() -> None:
    """What is to be deleted is, here and now, not somewhere in the next test's event loop."""
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


@pytest.fixture
def rig(qtbot: QtBot, request: pytest.FixtureRequest) -> Iterator[Rig]:
    """An empty window."""
    before = {t.name for t in threading.enumerate()}
    set_aside()
    apart = QApplication.topLevelWidgets()
    made = Rig(qtbot)
    yield made
    outcome = getattr(request.node, "outcome", None)
    if outcome is not None and outcome.failed:
        folder = Path("failed-shots")
        folder.mkdir(exist_ok=True)
        made.window.grab().save(str(folder / f"{request.node.name}.png"))
    made.window.close()
    made.window.deleteLater()
    # Pages of desks nobody opened have no parent, and dressing the next window would dress them all.
    for widget in QApplication.topLevelWidgets():
        if widget not in apart:
            widget.deleteLater()
    del widget
    delete_now()
    # Signals hold what is connected to them, which the interpreter cannot see: without this a run holds all its windows.
    for left_over in qt_objects():
        if sip.ispyowned(left_over):
            sip.delete(left_over)
    delete_now()
    left = {
        t.name for t in threading.enumerate() if t.name.startswith("worker ") or t.name == "painter"
    } - before
    assert not left, f"threads left behind: {left}"


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_makereport(item: pytest.Item) -> Iterator[None]:
    """Let fixtures see how a test ended."""
    outcome = yield
    report = outcome.get_result()  # type: ignore[attr-defined]
    if report.when == "call":
        item.outcome = report  # type: ignore[attr-defined]


@pytest.fixture(scope="session")
def demo_data(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo shipment, made once; tests copy it."""
    return once(tmp_path_factory, "demo-shipment", lambda data: open_demo(data).close())


@pytest.fixture(scope="session")
def scenes() -> SceneCache:
    """What the goods are after each stop, worked out once for all windows; scenes never change."""
    return SceneCache()


@pytest.fixture
def demo(
    rig: Rig,
    demo_data: Path,
    tmp_path: Path,
    scenes: SceneCache,
    monkeypatch: pytest.MonkeyPatch,
    request: pytest.FixtureRequest,
) -> Rig:
    """A window with the demo shipment open and judged: all of it, or only what the mark `goods` names."""
    monkeypatch.setattr("customs_desktop.session.SceneCache", lambda: scenes)
    source = demo_path(demo_data)
    for path in (source, source.with_suffix(".store")):
        target = tmp_path / path.name
        if path.is_dir():
            shutil.copytree(path, target)
        else:
            shutil.copy(path, target)
    ship = Shipment(tmp_path / source.name)
    mark = request.node.get_closest_marker("goods")

    def fewer(state: State) -> State:
        kept = tuple(a for a in state.goods if mark is None or a.id in mark.args)
        return replace(state, goods=kept, out=str(tmp_path / "out"))

    ship.edit("folder", fewer)
    ship.close()
    rig.session.open(tmp_path / source.name)
    rig.settle()
    return rig


@pytest.fixture
def small(rig: Rig, tmp_path: Path) -> Rig:
    """A window with two small goods taken in: a textured block and a bar on four joints. Nothing of the demo
    is needed.
    """
    block = replace(
        scene_of(
            replace(cube(1.0, material=0), texcoords=(frozen(np.abs(cube(1.0).positions[:, :2])),)),
            materials=(
                Material(key("material", 0), "slate", textures={"base_colour": TextureUse(0)}, metallic=0.0),
            ),
            images=(Image(key("image", 0), "slate_c", pixels=CHEQUER),),
        ),
        name="block",
    )
    paths = [saved(block, tmp_path / "goods" / "block.glb"), saved(bar(), tmp_path / "goods" / "bar.glb")]
    rig.session.open(tmp_path / "small.customs", create=True)
    rig.session.jobs.take_in(paths, None)
    rig.wait(lambda: len(rig.session.state.goods) == 2)
    rig.settle()
    rig.session.select("block")
    rig.settle()
    return rig
