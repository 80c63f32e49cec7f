"""One window for what is opened from the file manager: a second start hands its files to the window that has them, or can take them."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

from customs.work.places import config_folder

PATIENCE = 1500
"""Milliseconds a window may take to answer: one that does not is as good as none."""
MOST = 1 << 20
"""Bytes of one question."""


def server_name() -> str:
    """One for each person, each folder of settings and each display."""
    told = f"{os.getuid()} {config_folder()} {os.environ.get('DISPLAY', '')} {os.environ.get('WAYLAND_DISPLAY', '')}"
    return f"customs-{hashlib.sha256(told.encode('utf-8', 'surrogateescape')).hexdigest()[:16]}"


class Listener(QObject):
    """Hears of files other starts were asked to open. `taken` says whether this window took them."""

    def __init__(self, taken: Callable[[Sequence[Path]], bool]) -> None:
        super().__init__()
        self._taken = taken
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._met)
        name = server_name()
        # A window that was killed leaves its name behind; one that lives answers and keeps it. Listening alone would take
        # the name from it.
        if not _answers(name):
            QLocalServer.removeServer(name)
            self._server.listen(name)

    @property
    def listens(self) -> bool:
        """False where another window has the name."""
        return self._server.isListening()

    def close(self) -> None:
        """No more."""
        self._server.close()

    def _met(self) -> None:
        socket = self._server.nextPendingConnection()
        if socket is None:
            return
        socket.disconnected.connect(socket.deleteLater)
        heard = bytearray()

        def read() -> None:
            heard.extend(socket.readAll().data())
            if not heard.endswith(b"\n") and len(heard) <= MOST:
                return
            answer = b"no\n"
            try:
                paths = [Path(p) for p in json.loads(heard) if isinstance(p, str)]
                answer = b"yes\n" if self._taken(paths) else b"no\n"
            except (ValueError, TypeError):
                pass
            socket.write(answer)
            socket.disconnectFromServer()

        socket.readyRead.connect(read)


def handed_over(paths: Sequence[Path]) -> bool:
    """Whether a window that is there took these files."""
    socket = QLocalSocket()
    socket.connectToServer(server_name())
    if not socket.waitForConnected(PATIENCE):
        return False
    socket.write(json.dumps([os.path.abspath(p) for p in paths]).encode() + b"\n")
    socket.waitForBytesWritten(PATIENCE)
    if not socket.canReadLine():
        socket.waitForReadyRead(PATIENCE)
    answer = socket.readAll().data()
    socket.disconnectFromServer()
    return answer == b"yes\n"


def _answers(name: str) -> bool:
    socket = QLocalSocket()
    socket.connectToServer(name)
    there = socket.waitForConnected(PATIENCE)
    socket.abort()
    return there
