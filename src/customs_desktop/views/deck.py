"""The lower deck: tabs by desk, the ledger always first."""

from __future__ import annotations

from PyQt6.QtWidgets import QStackedWidget, QTabBar, QVBoxLayout, QWidget

from customs_desktop.style.theme import font


class Deck(QWidget):
    """Tabs over a stack; which of them show depends on the desk."""

    def __init__(self, ledger: QWidget) -> None:
        super().__init__()
        self.setObjectName("deck")
        self.bar = QTabBar()
        self.bar.setAccessibleName("Pages of the deck")
        self.bar.setDrawBase(False)
        self.bar.setExpanding(False)
        self.bar.setFont(font(0.5))
        self.stack = QStackedWidget()
        self.ledger = ledger
        self.pages: list[tuple[str, QWidget]] = []
        self.guests: list[tuple[str, QWidget]] = []
        """Pages of no desk: they stay while desks change, until they are let go."""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.bar)
        box.addWidget(self.stack, 1)
        self.bar.currentChanged.connect(self._turn)
        self.stack.addWidget(ledger)

    def show_pages(self, pages: list[tuple[str, QWidget]], first: int = 0) -> None:
        """Show the ledger and a desk's own pages, opening page `first` of all."""
        wanted = [("Ledger", self.ledger), *pages, *self.guests]
        for _, widget in wanted:
            if self.stack.indexOf(widget) < 0:
                self.stack.addWidget(widget)
        self.bar.blockSignals(True)
        while self.bar.count():
            self.bar.removeTab(0)
        for name, _ in wanted:
            self.bar.addTab(name)
        self.pages = wanted
        self.bar.setCurrentIndex(first)
        self.bar.blockSignals(False)
        self.bar.setVisible(len(wanted) > 1)
        self._turn(first)

    def take_guest(self, name: str, widget: QWidget) -> None:
        """Show a page of no desk behind the others, and open it."""
        own = [p for p in self.pages[1:] if p not in self.guests]
        self.guests = [*(g for g in self.guests if g[1] is not widget), (name, widget)]
        self.show_pages(own)
        self.open(name)

    def let_go(self, widget: QWidget) -> None:
        """A guest leaves; the ledger is opened."""
        own = [p for p in self.pages[1:] if p not in self.guests]
        self.guests = [g for g in self.guests if g[1] is not widget]
        self.show_pages(own)

    def open(self, name: str) -> None:
        """Open a page by name."""
        for i, (title, _) in enumerate(self.pages):
            if title == name:
                self.bar.setCurrentIndex(i)

    def _turn(self, index: int) -> None:
        if 0 <= index < len(self.pages):
            self.stack.setCurrentWidget(self.pages[index][1])
