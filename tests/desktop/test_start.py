"""Starting: a process of its own opens a shipment, saves a picture of the window and ends."""

from __future__ import annotations

import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import PIL.Image
import pytest
from pytestqt.qtbot import QtBot

from customs_desktop.style import theme
from tests.assets import cube, saved, scene_of
from tests.desktop.conftest import Rig


def test_a_process_opens_what_it_is_given_and_ends(small: Rig, tmp_path: Path) -> None:
    path = small.session.shipment.path  # type: ignore[union-attr]
    small.session.shipment.close()  # type: ignore[union-attr]
    small.session.shipment = None
    shot = tmp_path / "shot.png"
    code = "import sys; from customs_desktop.start import main; sys.exit(main(sys.argv[1:]))"
    done = subprocess.run(
        [sys.executable, "-c", code, str(path), "--shot", str(shot)],
        capture_output=True, text=True, timeout=120, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    with PIL.Image.open(shot) as picture:
        assert picture.size == (1280, 800)
        assert len(picture.convert("RGB").resize((64, 40)).getcolors(4000) or []) > 40, "something is drawn"


def test_what_it_does_not_know_is_a_usage_error() -> None:
    code = "import sys; from customs_desktop.start import main; sys.exit(main(['--frobnicate']))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert done.returncode == 2 and "frobnicate" in done.stderr and "Traceback" not in done.stderr


def test_without_icons_and_fonts_the_window_is_there(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(theme, "HERE", tmp_path)
    (tmp_path / "window.qss").write_bytes((Path(theme.__file__).parent / "window.qss").read_bytes())
    for cached in (theme._svg, theme.pixmap, theme._tinted):
        cached.cache_clear()
    try:
        made = Rig(qtbot)
        drawn = made.window.grab().toImage()
        assert drawn.width() == 1280 and len({drawn.pixel(x, 60) for x in range(0, 1280, 9)}) > 2
        made.window.close()
        made.window.deleteLater()
    finally:
        for cached in (theme._svg, theme.pixmap, theme._tinted):
            cached.cache_clear()


def test_where_nothing_can_be_kept_the_window_is_there_and_says_so(
    qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("no folder")
    monkeypatch.setenv("CUSTOMS_HOME", str(tmp_path / "file" / "home"))
    made = Rig(qtbot)
    made.session.open_demo()
    made.wait(lambda: any(level == "held" for _, level in made.said))
    dialog = made.window.show_preferences()
    dialog.side.setText("3")  # type: ignore[attr-defined]
    dialog.side.editingFinished.emit()  # type: ignore[attr-defined]
    assert "could not be kept" in dialog.told.text()  # type: ignore[attr-defined]
    saved(replace(scene_of(cube(1.0)), name="pot"), tmp_path / "pot.glb")
    before = len(made.said)
    made.session.jobs.take_in([tmp_path / "pot.glb"], None)
    made.wait(lambda: len(made.said) > before and made.session.worker.waiting == 0)
    made.session.open(tmp_path / "mine.customs", create=True)
    made.session.jobs.take_in([tmp_path / "pot.glb"], None)
    made.wait(lambda: len(made.session.state.goods) == 1)
    made.settle()
    assert not (tmp_path / "file" / "home").exists()
    dialog.close()
    made.window.close()
    made.window.deleteLater()
