"""Keys and values offered while a sheet's text is typed: those of the table the line stands in."""

from __future__ import annotations

import re

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QTextCursor
from PyQt6.QtWidgets import QCompleter, QPlainTextEdit

from customs.sheet.schema import sheet_keys

KEYS = (Qt.Key.Key_Enter, Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Escape)


class Completion(QObject):
    """Offers what fits the beginning of a word, from two letters on, and everything on Ctrl+Space."""

    def __init__(self, text: QPlainTextEdit) -> None:
        super().__init__(text)
        self.text = text
        self.list = QCompleter([], self)
        self.list.setWidget(text)
        self.list.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.list.activated[str].connect(self._take)
        text.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        popup = self.list.popup()
        if popup is not None and popup.isVisible() and event.key() in KEYS:
            # The list takes it.
            event.ignore()
            return True
        asked = event.key() == Qt.Key.Key_Space and event.modifiers() == Qt.KeyboardModifier.ControlModifier
        if asked:
            self.offer(0)
            return True
        if event.text().isalpha() or event.text() == "_":
            self.text.keyPressEvent(event)
            self.offer(2)
            return True
        return False

    def offered(self) -> list[str]:
        """What may stand where the cursor is: keys of the table, values behind an equals sign, tables in brackets."""
        cursor = self.text.textCursor()
        line = cursor.block().text()[: cursor.positionInBlock()]
        before = self.text.toPlainText()[: cursor.position()]
        tables = re.findall(r"(?m)^\s*\[([\w.]+)\]", before)
        table = tables[-1] if tables else ""
        if re.match(r"\s*\[[\w.]*$", line):
            return sorted({k.table for k in sheet_keys() if k.table})
        if "=" in line:
            name = line.partition("=")[0].strip()
            return [o for k in sheet_keys() if (k.table, k.name) == (table, name) for o in k.options if o]
        return [k.name for k in sheet_keys() if k.table == table]

    def word(self) -> str:
        """The word in front of the cursor."""
        cursor = self.text.textCursor()
        found = re.search(r"[\w.-]*$", cursor.block().text()[: cursor.positionInBlock()])
        return found[0] if found is not None else ""

    def offer(self, least: int) -> None:
        """Show what begins as the word does, where it has `least` letters."""
        word, popup = self.word(), self.list.popup()
        fitting = [o for o in self.offered() if o.lower().startswith(word.lower()) and o != word]
        if popup is None or len(word) < least or not fitting:
            if popup is not None:
                popup.hide()
            return
        model = self.list.model()
        model.setStringList(fitting)  # type: ignore[union-attr]
        self.list.setCompletionPrefix(word)
        place = self.text.cursorRect()
        place.setWidth(220)
        self.list.complete(place)

    def _take(self, chosen: str) -> None:
        cursor = self.text.textCursor()
        cursor.movePosition(QTextCursor.MoveOperation.Left, QTextCursor.MoveMode.KeepAnchor, len(self.word()))
        cursor.insertText(chosen)
        self.text.setTextCursor(cursor)
