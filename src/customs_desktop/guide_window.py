"""The guide in a window of its own: pages at the left, found sections under the search, the page at the right."""

from __future__ import annotations

import os
from pathlib import Path
from urllib.parse import unquote

from PyQt6.QtCore import Qt, QTimer, QUrl
from PyQt6.QtGui import (
    QDesktopServices,
    QKeySequence,
    QResizeEvent,
    QShortcut,
    QShowEvent,
    QTextBlock,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextFormat,
)
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from customs.guide.pages import Section, folder, pages, search, section
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import button, label, row, search_field

WIDE, HIGH, LIST = 860, 640, 230
MARGIN, PICTURE = 8, 620
CLOSE_TO = 8
"""Pixels above a heading that is gone to."""


class GuideWindow(QDialog):
    """Stays open beside the main window; `show_page` goes to a section of a page."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Guide")
        self.setModal(False)
        self.resize(min(span(WIDE), parent.width()), min(span(HIGH), parent.height()))
        self.page, self.marked = "", ""
        self._been: list[tuple[str, str]] = []
        self._at: tuple[Section | None, str] = (None, "")
        self._gone = False
        """The page has been shown at the place that was asked for: from then on a person scrolls it."""
        self._settled = QTimer(self)
        self._settled.setSingleShot(True)
        self._settled.setInterval(0)
        self._settled.timeout.connect(self._settle)
        self.search = search_field("Search the guide", "what you look for", self._search)
        self.list = QListWidget()
        self.list.setAccessibleName("Pages")
        self.list.setFont(font())
        self.list.setFixedWidth(span(LIST, 0.6))
        self.list.setWordWrap(True)
        self.list.setSpacing(2)
        self.list.currentItemChanged.connect(lambda now, before: self._chosen(now))
        self.text = QTextBrowser()
        self.text.setAccessibleName("Page of the guide")
        self.text.setOpenLinks(False)
        self.text.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.text.setFont(font(0.5))
        self.text.setSearchPaths([str(folder())])
        self.text.anchorClicked.connect(self._follow)
        self.back = button("Back", self.go_back, "flat")
        self.told = label("", "soft", -0.5)
        self.search.setMinimumWidth(span(LIST, 0.6))
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 10, 10, 10)
        box.addWidget(row(self.search, self.told, 1, self.back, button("Close", self.close, "flat")))
        line = QHBoxLayout()
        line.addWidget(self.list)
        line.addWidget(self.text, 1)
        box.addLayout(line, 1)
        QShortcut(QKeySequence("Alt+Left"), self, self.go_back)
        QShortcut(QKeySequence.StandardKey.Find, self, self.search.setFocus)
        self._search("")
        self.search.setFocus()

    def show_page(self, page: str, anchor: str = "", term: str = "") -> None:
        """Open a page at the section that is named so; `term` is marked in it."""
        found = section(page, anchor) if anchor else None
        if page not in pages():
            return
        if (page, anchor) != (self._been[-1] if self._been else None):
            self._been.append((page, anchor))
        self.back.setEnabled(len(self._been) > 1)
        if page != self.page:
            self.page = page
            self.text.setMarkdown(pages()[page].text)
            self._dress()
        self._pick(page)
        self._at, self._gone = (found, term), False
        self._go_to(found, term)
        # A page that has never been shown is not laid out yet: it is gone to once it is.
        self._settled.start()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Pictures as wide as the page is now."""
        super().resizeEvent(event)
        if self.page:
            self._settled.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._settled.start()

    def _settle(self) -> None:
        """Pictures as wide as the page is, and the place that was asked for."""
        self._fit_pictures()
        if not self._gone and self.isVisible():
            self._gone = True
            self._go_to(*self._at)

    def go_back(self) -> None:
        """To the place before."""
        if len(self._been) > 1:
            self._been.pop()
            self.show_page(*self._been.pop())

    # -- within

    def _search(self, words: str) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        found = search(words)
        if words.strip():
            for s in found:
                self._entry(s.title.replace("`", ""), (s.page, s.anchor), pages()[s.page].title)
            self.told.setText(f"{len(found)} found" if found else "nothing found: try one word of it")
        else:
            for page in pages().values():
                self._entry(page.title, (page.id, ""), "")
            self.told.setText("")
            self._pick(self.page)
        self.list.blockSignals(False)
        # What was looked for most likely is shown at once.
        if words.strip() and found:
            self.list.setCurrentRow(0)

    def _entry(self, title: str, place: tuple[str, str], below: str) -> None:
        item = QListWidgetItem(f"{title}\n    {below}" if below and below != title else title)
        item.setData(Qt.ItemDataRole.UserRole, place)
        self.list.addItem(item)

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            words = self.search.text().split()
            self.show_page(*item.data(Qt.ItemDataRole.UserRole), words[0] if words else "")

    def _pick(self, page: str) -> None:
        """The page in the list, without going there."""
        if self.search.text().strip():
            return
        for k in range(self.list.count()):
            item = self.list.item(k)
            if item is not None and item.data(Qt.ItemDataRole.UserRole)[0] == page:
                blocked = self.list.blockSignals(True)
                self.list.setCurrentRow(k)
                self.list.blockSignals(blocked)

    def _follow(self, url: QUrl) -> None:
        """A link within the guide; another opens where the desktop opens such things."""
        if url.scheme() in ("http", "https"):
            QDesktopServices.openUrl(url)
            return
        page = Path(unquote(url.path())).stem or self.page
        self.show_page(page, url.fragment())

    def _headings(self) -> list[int]:
        """Positions of the headings of the page, in their order."""
        document, out = self.text.document(), []
        assert document is not None
        block = document.begin()
        while block.isValid():
            if block.blockFormat().headingLevel():
                out.append(block.position())
            block = block.next()
        return out

    def _go_to(self, found: Section | None, term: str) -> None:
        bar, layout = self.text.verticalScrollBar(), self.text.document()
        assert bar is not None and layout is not None
        headings = self._headings()
        self.marked = ""
        if found is None or found.number >= len(headings):
            bar.setValue(0)
            self.text.setExtraSelections([])
            return
        cursor = QTextCursor(layout)
        cursor.setPosition(headings[found.number])
        end = headings[found.number + 1] if found.number + 1 < len(headings) else layout.characterCount() - 1
        shapes = layout.documentLayout()
        assert shapes is not None
        bar.setValue(int(shapes.blockBoundingRect(cursor.block()).top()) - CLOSE_TO)
        self._mark(cursor, end, term)

    def _mark(self, heading: QTextCursor, end: int, term: str) -> None:
        """The line a term is explained in, the heading where none is."""
        place = heading
        if term:
            document = self.text.document()
            assert document is not None
            for wanted in (f"{term}: ", f"{term},", term):
                found = document.find(wanted, heading.position())
                if not found.isNull() and found.position() <= end:
                    place = found
                    break
        self.marked = place.block().text()
        selection = QTextBrowser.ExtraSelection()
        selection.format.setBackground(colour("teal_soft"))
        selection.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
        selection.cursor = place
        selection.cursor.clearSelection()
        self.text.setExtraSelections([selection])

    def _fit_pictures(self) -> None:
        document, view = self.text.document(), self.text.viewport()
        assert document is not None and view is not None
        room, block = min(view.width() - 4 * MARGIN, span(PICTURE)), document.begin()
        while block.isValid():
            for piece in block.textFormats():
                if piece.format.isImageFormat():
                    picture = piece.format.toImageFormat()
                    picture.setWidth(room)
                    _part(block, piece.start, piece.length).mergeCharFormat(picture)
            block = block.next()

    def _quieten(self, block: QTextBlock) -> None:
        """Code stands as large as the words around it."""
        fence = block.blockFormat().hasProperty(QTextFormat.Property.BlockCodeFence)
        for piece in block.textFormats():
            if fence or piece.format.fontFixedPitch():
                made = QTextCharFormat()
                made.setFontPointSize(self.text.font().pointSizeF() * 0.88)
                _part(block, piece.start, piece.length).mergeCharFormat(made)

    def _dress(self) -> None:
        """Room around paragraphs, pictures no wider than the page."""
        document = self.text.document()
        assert document is not None
        document.setBaseUrl(QUrl.fromLocalFile(f"{os.fspath(str(folder()))}/"))
        block = document.begin()
        while block.isValid():
            cursor, made = QTextCursor(block), QTextBlockFormat(block.blockFormat())
            self._quieten(block)
            made.setBottomMargin(7 if not block.textList() else 3)
            made.setTopMargin(14 if made.headingLevel() else 0)
            # Long commands are folded, not cut.
            made.setNonBreakableLines(False)
            cursor.setBlockFormat(made)
            block = block.next()
        self._fit_pictures()


def _part(block: QTextBlock, start: int, length: int) -> QTextCursor:
    """A cursor over some characters of a block."""
    cursor = QTextCursor(block)
    cursor.setPosition(block.position() + start)
    cursor.setPosition(block.position() + start + length, QTextCursor.MoveMode.KeepAnchor)
    return cursor
