"""Windows of help: the list of shortcuts, and what this program is."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from customs import __version__
from customs_desktop.style import theme


def shortcuts_dialog(parent: QWidget, shortcuts: list[tuple[str, str]]) -> QDialog:
    """The list of shortcuts, in a window of its own."""
    rows = "".join(
        f"<tr><td style='padding:2px 18px 2px 0'>{n}</td><td><b>{k}</b></td></tr>" for n, k in shortcuts
    )
    more = (
        "<p>In the view: drag turns, drag with the right button or Shift moves, the wheel comes nearer, a click "
        "says what is there and goes to its row and material, a double click shows the whole asset.<br>On the route: Left and Right pick a stop, Space switches it off, Delete "
        "removes it.<br>In the ledger: Return presses the remedy of the row.</p>"
    )
    return _dialog(parent, "Shortcuts", f"<table>{rows}</table>{more}", 480, 640)


def about_dialog(parent: QWidget) -> QDialog:
    """What this is, and whose work is in it."""
    text = (
        f"<h3>Customs {__version__}</h3><p>Where an asset is put right, seen beside what it was, proved against the "
        "destination's rules and written down before it leaves.</p><p>Type: Barlow Semi Condensed, SIL Open Font "
        "License. Icons: Lucide, ISC License. Both licences lie beside the files.</p>"
    )
    return _dialog(parent, "About Customs", text, 420, 220)


def _dialog(parent: QWidget, title: str, html: str, width: int, height: int) -> QDialog:
    dialog = QDialog(parent)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.setWindowTitle(title)
    dialog.resize(width, height)
    box = QVBoxLayout(dialog)
    text = QTextBrowser()
    text.setHtml(html)
    text.setFont(theme.font())
    box.addWidget(text)
    dialog.setModal(False)
    dialog.show()
    return dialog
