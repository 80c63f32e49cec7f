"""Starting: a process of its own opens a shipment, saves a picture of the window and ends."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import PIL.Image

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
