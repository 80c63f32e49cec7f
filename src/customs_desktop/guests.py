"""Pages of no desk in the deck, each made when it is first shown: what was learned, runs, and the history."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QSplitter, QWidget

from customs.later import later
from customs_desktop.desk import Command
from customs_desktop.history_page import HistoryPage, KeptPictures
from customs_desktop.office import Office
from customs_desktop.views.deck import Deck

if TYPE_CHECKING:
    from customs_desktop.learning_page import LearningPage
    from customs_desktop.queue_page import QueuePage

learning_page, queue_page = later("customs_desktop.learning_page"), later("customs_desktop.queue_page")
TABLE = 330
"""Pixels of height a page with a table asks for."""


class Guests:
    """The pages, and what opens them. `picture` is how an asset looks now, None while nobody has drawn it."""

    def __init__(
        self, session: Office, deck: Deck, split: QSplitter, picture: Callable[[str], QPixmap | None]
    ) -> None:
        self.session, self.deck, self.split = session, deck, split
        self.pictures = KeptPictures(session, picture)
        self.commands: tuple[Command, ...] = (
            ("Run a recipe …", lambda: self.queue.run_recipe(), "Ctrl+R"),
            ("Queue", self.show_queue, "Ctrl+Shift+R"),
            ("Keep as a recipe …", lambda: self.queue.keep_recipe(), ""),
        )

    @cached_property
    def learning(self) -> LearningPage:
        """The page Learn."""
        return learning_page.LearningPage(self.session, lambda: self.deck.let_go(self.learning))  # type: ignore[no-any-return]

    @cached_property
    def queue(self) -> QueuePage:
        """The page Queue."""
        return queue_page.QueuePage(self.session, self.show_queue, lambda: self.deck.let_go(self.queue))  # type: ignore[no-any-return]

    @cached_property
    def history(self) -> HistoryPage:
        """The page History."""
        page = HistoryPage(self.session, lambda: self.deck.let_go(self.history))
        self.pictures.kept.connect(page.draw_again)
        return page

    def learn_from(self, paths: Sequence[Path]) -> None:
        """Open the page Learn on packages a destination already has."""
        self.deck.take_guest("Learn", self.learning)
        self.learning.learn(paths)

    def show_queue(self) -> None:
        """Open the page Queue."""
        self._show("Queue", self.queue)

    def show_history(self) -> None:
        """Open the page History."""
        self._show("History", self.history)

    def _show(self, name: str, page: QWidget) -> None:
        """With room for its table."""
        self.deck.take_guest(name, page)
        view, deck = self.split.sizes()
        if deck < TABLE:
            self.split.setSizes([view + deck - TABLE, TABLE])
