"""Files from the file manager: a window that is there takes them, shows its own shipment, or leaves them to another."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

from pytestqt.qtbot import QtBot

from customs.shipment.file import Shipment
from customs_desktop.handover import Listener, server_name
from customs_desktop.start import portal_there
from tests.desktop.conftest import Rig

ASK = "import sys; from pathlib import Path; from PyQt6.QtCore import QCoreApplication; app = QCoreApplication([]); from customs_desktop.handover import handed_over; print(handed_over([Path(p) for p in sys.argv[1:]]))"


def asked(rig_wait, paths: Sequence[Path]) -> str:  # type: ignore[no-untyped-def]
    """What a second start hears."""
    child = subprocess.Popen([sys.executable, "-c", ASK, *map(str, paths)], stdout=subprocess.PIPE, text=True)
    rig_wait(lambda: child.poll() is not None)
    out, _ = child.communicate()
    return out.strip()


def test_a_window_takes_models_and_shows_its_own_shipment(small: Rig, tmp_path: Path) -> None:
    listener = Listener(small.window.shipments.take_over)
    assert listener.listens
    s = small.session
    assert s.shipment is not None
    assert asked(small.wait, [s.shipment.path]) == "True" and len(s.state.goods) == 2
    Shipment.create(tmp_path / "other.customs").close()
    assert asked(small.wait, [tmp_path / "other.customs"]) == "False", (
        "another shipment has a window of its own"
    )
    assert s.shipment.path.name == "small.customs"
    assert asked(small.wait, [tmp_path / "goods" / "bar.glb"]) == "True"
    small.wait(lambda: len(s.state.goods) == 3)
    small.settle()
    listener.close()
    assert asked(small.wait, [tmp_path / "goods" / "bar.glb"]) == "False"


def test_a_killed_window_leaves_its_name_and_the_next_takes_it(qtbot: QtBot) -> None:
    code = "import sys, os, signal; from PyQt6.QtCore import QCoreApplication; app = QCoreApplication([]); from customs_desktop.handover import Listener; l = Listener(lambda p: True); print(l.listens, flush=True); os.kill(os.getpid(), signal.SIGKILL)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert done.stdout.strip() == "True"
    heard: list[Sequence[Path]] = []
    first = Listener(lambda paths: bool(heard.append(paths)) or True)
    second = Listener(lambda paths: True)
    assert first.listens and not second.listens, "one window has the name"
    assert asked(lambda what: qtbot.waitUntil(lambda: bool(what()), timeout=60_000), [Path("/a b")]) == "True"
    assert heard == [[Path("/a b")]]
    first.close()


def test_what_is_said_to_it_is_not_believed(qtbot: QtBot) -> None:
    from PyQt6.QtNetwork import QLocalSocket

    heard: list[Sequence[Path]] = []
    listener = Listener(lambda paths: bool(heard.append(paths)))
    for words in (b"{\n", b"3\n", b'{"a": 1}\n', b"\xff\xfe\n"):
        socket = QLocalSocket()
        socket.connectToServer(server_name())
        assert socket.waitForConnected(2000)
        socket.write(words)
        qtbot.waitUntil(lambda s=socket: s.bytesAvailable() > 0, timeout=5000)
        assert socket.readAll().data() == b"no\n"
        socket.abort()
    assert heard in ([], [[]], [["a"]], [[Path("a")]])
    listener.close()


def test_the_desktops_portal_is_used_where_there_is_one(tmp_path: Path, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setenv("XDG_DATA_DIRS", f"{tmp_path / 'a'}:{tmp_path / 'b'}")
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere")
    assert not portal_there()
    services = tmp_path / "b" / "dbus-1" / "services"
    services.mkdir(parents=True)
    (services / "org.freedesktop.portal.Desktop.service").write_text("")
    assert portal_there()
    monkeypatch.delenv("DBUS_SESSION_BUS_ADDRESS")
    assert not portal_there()
