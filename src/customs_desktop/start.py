"""Starting the application."""

from __future__ import annotations

import argparse
import gc
import os
import sys
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QApplication

from customs.integration.place import ID
from customs.kernels.store import begin
from customs.later import later
from customs.preferences import preferences
from customs.work.places import config_folder, data_folder
from customs_desktop.handover import Listener, handed_over
from customs_desktop.office import Office
from customs_desktop.style import theme
from customs_desktop.window import MainWindow

many = later("customs.demo.many")
TURN = 0.001
"""Seconds: with work on every core the window asks for its turn more often than the interpreter gives it by itself."""


def portal_there() -> bool:
    """Whether the desktop offers its own windows for choosing files, by the service it would start."""
    service = "dbus-1/services/org.freedesktop.portal.Desktop.service"
    folders = os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share"
    return bool(os.environ.get("DBUS_SESSION_BUS_ADDRESS")) and any(
        (Path(f) / service).is_file() for f in folders.split(":") if f
    )


def make_application(arguments: list[str]) -> QApplication:
    """The application, dressed. Without a display the window opens offscreen."""
    if portal_there():
        os.environ.setdefault("QT_QPA_PLATFORMTHEME", "xdgdesktopportal")
    if not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")
    ):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    sys.setswitchinterval(TURN)
    app = QApplication([sys.argv[0], *arguments])
    app.setApplicationName("Customs")
    app.setDesktopFileName(ID)
    icon = QPixmap(str(resources.files("customs.integration") / "files" / f"{ID}-256.png"))
    if not icon.isNull():
        app.setWindowIcon(QIcon(icon))
    app.setStyle("Fusion")
    theme.wear_letters(app, preferences().text)
    settings = QSettings(str(config_folder() / "window.ini"), QSettings.Format.IniFormat)
    theme.apply(app, theme.wants_evening(str(settings.value("paper", "desktop"))))
    return app


def open_window() -> tuple[Office, MainWindow]:
    """The window and its session, shown. What was made until here stays as long as the window: it is not looked through
    for garbage again, which was not collected at all meanwhile where the command has said so.
    """
    session = Office()
    window = MainWindow(session)
    window.show()
    gc.freeze()
    gc.enable()
    return session, window


def _compile_kernels(window: MainWindow) -> None:
    """At the first start, in a process of its own: said at the foot, and waited for by nobody."""
    child = begin()
    if child is None:
        return
    window.say("Compiling the quick readers, once. Until that is done large files take longer.", "query")
    timer = QTimer(window)

    def look() -> None:
        code = child.poll()
        if code is not None:
            timer.stop()
            done = (
                "The quick readers are ready."
                if code == 0
                else "The quick readers cannot be kept here; all works, more slowly."
            )
            window.say(done, "note" if code == 0 else "query")

    timer.timeout.connect(look)
    timer.start(500)


def main(arguments: list[str]) -> int:
    """Open the window on a shipment, or on files that are taken in. `--demo` opens the demo, `--many` takes in an asset of 3,000 materials, `--shot FILE`
    saves a picture and exits, `--shots DIR` remakes the docs'.
    """
    parser = argparse.ArgumentParser(prog="customs")
    parser.add_argument("files", nargs="*", type=Path)
    parser.add_argument("--demo", action="store_true")
    parser.add_argument("--many", action="store_true")
    parser.add_argument("--shot", type=Path)
    parser.add_argument("--shots", type=Path)
    options = parser.parse_args(arguments)
    app = make_application([])
    if options.files and handed_over(options.files):
        return 0
    session, window = open_window()
    QTimer.singleShot(0, window.panels.furnish)
    listener = Listener(window.shipments.take_over)
    QTimer.singleShot(0, lambda: _compile_kernels(window))
    if options.shots:
        from customs_desktop.shots import take_all

        return take_all(app, window, options.shots)
    if options.files:
        window.shipments.drop([Path(os.path.abspath(p)) for p in options.files])
    elif options.demo:
        session.open_demo()
    elif options.many:
        session.jobs.take_in([many.write(data_folder() / "many")], None)
    else:
        window.offer_tour()
    if options.shot:
        from customs_desktop.shots import settled

        def save() -> None:
            window.grab().save(str(options.shot))
            window.close()
            app.quit()

        window.resize(1280, 800)
        QTimer.singleShot(0, lambda: (settled(app, window), save()))
    code = app.exec()
    listener.close()
    session.close()
    return code
