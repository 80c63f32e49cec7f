"""The page Documents: what a dispatch changes in the kit's documents, as they are beside what they become, before it does."""

from __future__ import annotations

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidgetItem, QVBoxLayout, QWidget

from customs.words import many
from customs.work.kits import Preview, document_previews
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import combo, label, row
from customs_desktop.widgets.tables import listing
from customs_desktop.worker import Task

SIGNS = {"same": "", "changed": "±", "gone": "−", "new": "+", "skipped": "⋯"}
"""What becomes of a line: never told by colour alone."""


class DocumentsPage(QWidget):
    """One document at a time, chosen by its path."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.previews: tuple[Preview, ...] = ()
        self._of: tuple[object, ...] = ()
        self.choice = combo((), "Document", lambda _: self._show())
        self.told = label("", "soft", -0.5, wrap=True)
        self.table = listing(["", "", "As it is", "", "As it becomes"], "Difference", (26, 44, 300, 44))
        if (across := self.table.horizontalHeader()) is not None:
            for column in (2, 4):
                across.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.choice.setFixedWidth(span(230, 0.5))
        self.head = row(self.choice, self.told)
        self.head.setContentsMargins(10, 4, 10, 4)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.head)
        box.addWidget(self.table, 1)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def again(self) -> None:
        """Look at the kit anew: something has changed in it."""
        self._of = ()
        self.refresh()

    def refresh(self) -> None:
        """The documents of the sheet, filled in beside the window's work."""
        result, sheet, kit = self.session.result, self.session.sheet, self.session.kit
        scene = result.passed[-1].scene if result is not None and result.passed else None
        asset = self.session.asset
        form = dict(asset.form) if asset is not None else {}
        source = asset.source if asset is not None else ""
        told = (scene, sheet, kit, form, source)
        if told == self._of or not self.isVisible():
            return
        self._of = told
        if scene is None or not sheet.documents:
            self._take((), told)
            return
        self.session.worker.submit(
            Task(
                1,
                key="documents",
                title="Documents of the kit",
                run=lambda job: document_previews(scene, sheet, kit, form, source),
                done=lambda found: self._take(found, told),
                failed=self.session.fail,
                apart=True,
            )
        )

    def _take(self, previews: tuple[Preview, ...], told: tuple[object, ...]) -> None:
        if told != self._of:
            return
        was, self.previews = self.choice.currentText(), previews
        self.choice.clear()
        for k, p in enumerate(previews):
            self.choice.addItem(p.path, str(k))
        self.choice.setVisible(bool(previews))
        at = self.choice.findText(was)
        self.choice.setCurrentIndex(max(at, 0) if previews else -1)
        self._show()

    def _show(self) -> None:
        at = self.choice.currentIndex()
        preview = self.previews[at] if 0 <= at < len(self.previews) else None
        self.told.setText(self._said(preview))
        lines = preview.lines if preview is not None else ()
        self.table.setRowCount(len(lines))
        for r, line in enumerate(lines):
            cells = (
                SIGNS[line.kind],
                "" if line.old_number is None else str(line.old_number),
                line.old.expandtabs(4),
                "" if line.new_number is None else str(line.new_number),
                line.new.expandtabs(4),
            )
            changed = line.kind not in ("same", "skipped")
            for c, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setFont(font(-0.5, 600 if changed and c in (0, 2, 4) else 400))
                item.setForeground(
                    colour("soft" if c in (1, 3) or not changed else "teal" if c == 4 or c == 0 else "ink")
                )
                item.setToolTip(text.strip())
                self.table.setItem(r, c, item)

    def _said(self, preview: Preview | None) -> str:
        if preview is None:
            return "" if self.session.sheet.documents else "This destination has no documents of its own."
        if preview.problem:
            return preview.problem
        if not preview.lines:
            return "It says all of this already: nothing changes."
        new = sum(x.kind in ("new", "changed") for x in preview.lines)
        gone = sum(x.kind in ("gone", "changed") for x in preview.lines)
        told = f"{many(new, 'line')} new, {gone} gone; all others stay byte for byte"
        return "a new document" if preview.new else told
