"""Copying a sheet and editing it, with errors shown where they are."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QColor, QFontDatabase, QTextCursor, QTextFormat
from PyQt6.QtWidgets import QLineEdit, QPlainTextEdit, QSplitter, QTextEdit, QVBoxLayout, QWidget

from customs.errors import CustomsError, SheetError
from customs.parts import write_whole
from customs.sheet.load import copy_text, parse_sheet, sheet_digest
from customs.sheet.model import Sheet
from customs.sheet.schema import with_key
from customs.work.places import sheets_folder
from customs.work.requests.effect import Effect, effect_text, effects
from customs_desktop.office import Office
from customs_desktop.sheet_completion import Completion
from customs_desktop.sheet_form import SheetForm
from customs_desktop.style.theme import colour
from customs_desktop.widgets.basics import button, label, row
from customs_desktop.worker import Task


class SheetEditor(QWidget):
    """A window with the TOML of a person's own sheet. Saving is possible once it is well formed."""

    def __init__(self, session: Office, base: str, path: Path | None = None) -> None:
        super().__init__()
        self.session, self.base = session, base
        self._effect_of = ""
        self.setWindowTitle("Destination sheet")
        self.resize(1060, 660)
        self.id = QLineEdit(path.stem if path else f"my-{base}")
        self.id.setAccessibleName("Name of the sheet")
        self.text = QPlainTextEdit()
        self.text.setAccessibleName("Sheet text")
        fixed = QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont)
        self.text.setFont(fixed)
        # The window's own style says another font for everything.
        self.text.setStyleSheet(f'QPlainTextEdit {{ font-family: "{fixed.family()}", monospace; }}')
        self.text.setPlainText(
            path.read_text("utf-8") if path else copy_text(base, self.id.text(), "My sheet", sheets_folder())
        )
        self.problem = label("", "", 0, 500, wrap=True)
        self.save = button("Save and use", self._save, "main")
        self.form = SheetForm(self._set_key)
        self.effect = label("", "soft", -0.5, wrap=True)
        self.completion = Completion(self.text)
        halves = QSplitter(Qt.Orientation.Horizontal)
        halves.setChildrenCollapsible(False)
        halves.addWidget(self.text)
        halves.addWidget(self.form)
        halves.setSizes([520, 520])
        box = QVBoxLayout(self)
        box.addWidget(row(label("Kept as"), self.id, ".toml", 1))
        box.addWidget(halves, 1)
        box.addWidget(self.problem)
        box.addWidget(self.effect)
        box.addWidget(row(1, button("Close", self.close), self.save))
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(250)
        self._wait.timeout.connect(self.check)
        self.text.textChanged.connect(self._wait.start)
        self.id.textEdited.connect(self._renamed)
        self.check()

    def _renamed(self, name: str) -> None:
        text = re.sub(r'(?m)^id = ".*"$', f'id = "{name}"', self.text.toPlainText(), count=1)
        self.text.setPlainText(text)

    def check(self) -> bool:
        """Check what is written; show the first error at its line."""
        self.text.setExtraSelections([])
        try:
            sheet = parse_sheet(self.text.toPlainText(), f"{self.id.text()}.toml", sheets_folder())
            if sheet.id != self.id.text():
                raise SheetError(
                    f"{sheet.id!r}", f"the id {self.id.text()!r}", file=f"{self.id.text()}.toml", where="id"
                )
        except CustomsError as problem:
            line = line_of(self.text.toPlainText(), problem)
            self.problem.setText(f"Line {line + 1}: {problem}" if line >= 0 else str(problem))
            self.problem.setStyleSheet(f"color: {colour('held').name()};")
            self._mark(line)
            self.save.setEnabled(False)
            self.effect.setText("")
            return False
        self.form.show_sheet(sheet)
        self._show_effect(sheet)
        self.problem.setText(f"Well formed: {sheet.title}, {sheet.ticket()}.")
        self.problem.setStyleSheet(f"color: {colour('cleared').name()};")
        self.save.setEnabled(True)
        return True

    def _set_key(self, path: str, value: str) -> None:
        """A value typed in the form goes into the text, as one step that can be undone."""
        new = with_key(self.text.toPlainText(), path, value)
        cursor = QTextCursor(self.text.document())
        cursor.beginEditBlock()
        cursor.select(QTextCursor.SelectionType.Document)
        cursor.insertText(new)
        cursor.endEditBlock()
        self.check()

    def _show_effect(self, sheet: Sheet) -> None:
        """What the sheet does to the goods of this shipment, worked out beside."""
        goods = [r for r in self.session.results.values() if r.judged]
        told = sheet_digest(sheet)
        self._effect_of = told
        if not goods:
            return

        def done(found: list[Effect]) -> None:
            if self._effect_of == told:
                self.effect.setText(f"Of the goods of this shipment {effect_text(found)}.")

        self.session.worker.submit(
            Task(
                1,
                key="effect",
                title="Effect of the sheet",
                run=lambda job: effects(goods, sheet, job),
                done=done,
                failed=self.session.fail,
            )
        )

    def _mark(self, line: int) -> None:
        document = self.text.document()
        if line < 0 or document is None:
            return
        selection = QTextEdit.ExtraSelection()
        tint = QColor(colour("held"))
        tint.setAlpha(60)
        selection.format.setBackground(tint)
        selection.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
        selection.cursor = QTextCursor(document.findBlockByNumber(line))
        self.text.setExtraSelections([selection])

    def _save(self) -> None:
        if not self.check():
            return
        try:
            write_whole(sheets_folder() / f"{self.id.text()}.toml", self.text.toPlainText().encode())
        except OSError as problem:
            self.problem.setText(f"Cannot be saved ({problem.strerror}).")
            return
        self.session.set_sheet(self.id.text())
        self.close()


def line_of(text: str, problem: CustomsError) -> int:
    """The line (from 0) a sheet error is about, or −1."""
    if problem.line:
        return problem.line - 1
    *tables, key = str(problem.where).split(".") or [""]
    table = ""
    fallback = -1
    for i, line in enumerate(text.splitlines()):
        head = re.match(r"\s*\[([\w.-]+)\]", line)
        if head:
            table = head[1]
            if table == ".".join([*tables, key]) or (tables and table == tables[0]):
                fallback = i if fallback < 0 else fallback
        elif re.match(rf"\s*{re.escape(key)}\s*=", line) and (not tables or table == tables[0]):
            return i
    return fallback
