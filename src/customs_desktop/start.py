"""Starting the application."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path

from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QApplication

from customs.demo.many import write as write_many
from customs.kernels.store import begin
from customs.work.places import config_folder, data_folder
from customs_desktop.office import Office
from customs_desktop.style import theme
from customs_desktop.window import MainWindow


def make_application(arguments: list[str]) -> QApplication:
    """The application, dressed. Without a display the window opens offscreen."""
    if not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")
    ):
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    # With work on every core the window asks for its turn more often than the interpreter gives it by itself.
    sys.setswitchinterval(0.001)
    app = QApplication([sys.argv[0], *arguments])
    app.setApplicationName("Customs")
    app.setStyle("Fusion")
    theme.load_fonts()
    base = app.font()
    base.setFamily(theme.FAMILY)
    if base.pointSizeF() < 10.5:
        base.setPointSizeF(10.5)
    base.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    app.setFont(base)
    settings = QSettings(str(config_folder() / "window.ini"), QSettings.Format.IniFormat)
    theme.apply(app, theme.wants_evening(str(settings.value("paper", "desktop"))))
    return app


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
    """Open the window. `--demo` opens the demo, `--many` takes in an asset of 3,000 materials, `--shot FILE`
    saves a picture and exits, `--shots DIR` remakes the docs'.
    """
    parser = argparse.ArgumentParser(prog="customs")
    parser.add_argument("shipment", nargs="?", type=Path)
    parser.add_argument("--demo", action="store_true")
    parser.add_argument("--many", action="store_true")
    parser.add_argument("--shot", type=Path)
    parser.add_argument("--shots", type=Path)
    options = parser.parse_args(arguments)
    app = make_application([])
    session = Office()
    window = MainWindow(session)
    window.show()
    _compile_kernels(window)
    if options.shots:
        from customs_desktop.shots import take_all

        return take_all(app, window, options.shots)
    if options.shipment:
        session.open(options.shipment)
    elif options.demo:
        session.open_demo()
    elif options.many:
        session.jobs.take_in([write_many(data_folder() / "many")], None)
    if options.shot:
        from customs_desktop.shots import settled

        def save() -> None:
            window.grab().save(str(options.shot))
            window.close()
            app.quit()

        window.resize(1280, 800)
        QTimer.singleShot(0, lambda: (settled(app, window), save()))
    code = app.exec()
    session.close()
    return code
