"""The menu Help: the guide, what something is, the tour, the list of shortcuts, and what this program is."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QMainWindow, QTextBrowser, QVBoxLayout, QWhatsThis, QWidget

from customs import __version__
from customs_desktop.desk import Command
from customs_desktop.guide_window import GuideWindow
from customs_desktop.office import Office
from customs_desktop.style import theme
from customs_desktop.views.deck import Deck
from customs_desktop.what import place_of


class Helping:
    """`desk` says which desk is open, `shortcuts` (name, keys) of every action that has them."""

    def __init__(
        self, session: Office, window: QMainWindow, deck: Deck, desk: Callable[[], str],
        shortcuts: Callable[[], list[tuple[str, str]]], tour: Callable[[], object],
    ) -> None:  # fmt: skip
        self.session, self.window, self.deck, self._desk = session, window, deck, desk
        self._shortcuts, self._tour = shortcuts, tour
        self.guide: GuideWindow | None = None
        session.asked.connect(self.show_guide)

    @property
    def commands(self) -> tuple[tuple[Command, ...], ...]:
        """Groups of commands for the menu."""
        return (
            (("Guide", lambda: self.show_guide("first-port"), "F1"), ("What is this?", self.explain_focus, "Shift+F1"),
             ("Point at it and ask", QWhatsThis.enterWhatsThisMode, "Ctrl+Shift+F1")),
            (("Tour", self._tour, ""),),
            (("Shortcuts", self.show_shortcuts, "Ctrl+F1"), ("About Customs", self.show_about, "")),
        )  # fmt: skip

    def show_guide(self, page: str, anchor: str = "", term: str = "") -> None:
        """The guide at a place."""
        if self.guide is None:
            self.guide = GuideWindow(self.window)
            self.guide.destroyed.connect(self._gone)
        self.guide.show_page(page, anchor, term)
        self.guide.show()
        self.guide.raise_()
        self.guide.activateWindow()

    def _gone(self) -> None:
        self.guide = None

    def explain_focus(self) -> None:
        """The guide at what has the keyboard."""
        self.explain(self.window.focusWidget())

    def explain(self, widget: QWidget | None) -> None:
        """The guide at what explains a widget."""
        self.show_guide(*place_of(widget, self.session, self._desk(), self.deck))

    def show_shortcuts(self) -> QDialog:
        """The list of shortcuts, in a window of its own."""
        return shortcuts_dialog(self.window, self._shortcuts())

    def show_about(self) -> QDialog:
        """What this is, and whose work is in it."""
        return about_dialog(self.window)


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
