"""The page Docket: as it will be, and as it was written."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMarginsF, QUrl
from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QShowEvent, QTextDocument
from PyQt6.QtWidgets import QFileDialog, QTextBrowser, QWidget

from customs.later import later
from customs_desktop.office import Office
from customs_desktop.widgets.basics import button, label, page_of, row
from customs_desktop.worker import Task

expected = later("customs.work.expected")


class DocketPage(QWidget):
    """The docket of the last dispatch of the selected asset, or as it would be now."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.page = QTextBrowser()
        self.page.setAccessibleName("Docket")
        self.page.setOpenLinks(False)
        self.page.setFrameShape(QTextBrowser.Shape.NoFrame)
        self.told = label("", "soft", -0.5)
        self.swap = button("As it would be now", self._swap, "chip")
        self.pdf = button("As PDF …", self._as_pdf, "chip", "", "The page as a PDF, A4")
        head = row(self.told, 1, self.swap, self.pdf)
        head.setContentsMargins(10, 4, 10, 4)
        page_of(self, head, self.page)
        self._before = False
        self._of: tuple[object, ...] = ()
        self.html = ""

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def again(self) -> None:
        """Something was dispatched: show what was written."""
        self._of, self._before = (), False
        self.refresh()

    def refresh(self) -> None:
        """Show the page; what is not written yet is worked out beside the window's work."""
        if not self.isVisible():
            return
        s = self.session
        folder = s.packages.get(s.current)
        written = folder / "docket.html" if folder is not None else None
        there = written is not None and written.is_file()
        self.swap.setVisible(there)
        self.swap.setText("As it was written" if self._before else "As it would be now")
        if there and not self._before and written is not None:
            self._show(written.read_text("utf-8"), f"Written in {folder}.", folder)
            return
        result, sheet, kit = s.result, s.sheet, s.kit
        told = (result, sheet, kit)
        if told == self._of:
            return
        self._of = told
        if result is None or result.taken is None or not result.judged:
            self._show("", "There is no docket yet: the asset is still being looked at.", None)
            return

        def done(html: str) -> None:
            if told == self._of:
                self._show(html, "As it will be: it is written with the package.", None)

        self.session.worker.submit(
            Task(
                2,
                key="docket",
                title="Docket",
                run=lambda job: expected.expected_docket(result, sheet, kit),
                done=done,
                failed=s.fail,
                apart=True,
            )
        )

    def _show(self, html: str, told: str, folder: Path | None) -> None:
        self.told.setText(told)
        self.pdf.setEnabled(bool(html))
        if html == self.html:
            return
        self.html = html
        # Pictures stand beside the page.
        self.page.setSearchPaths([str(folder)] if folder is not None else [])
        self.page.setHtml(html)

    def _swap(self) -> None:
        self._before, self._of = not self._before, ()
        self.refresh()

    def _as_pdf(self) -> None:
        name = self.session.current or "docket"
        path, _ = QFileDialog.getSaveFileName(self, "The docket as PDF", f"{name}_docket.pdf", "PDF (*.pdf)")
        if path:
            self.session.guard(lambda: self.print_to(Path(path)))

    def print_to(self, path: Path) -> None:
        """Write the page as a PDF, A4 with margins of 15 mm. Raises OSError."""
        # Opened here first: the writer says nothing of a place it cannot write to.
        with path.open("wb"):
            pass
        document = QTextDocument()
        folder = self.page.searchPaths()[:1]
        if folder:
            document.setBaseUrl(QUrl.fromLocalFile(f"{folder[0]}/"))
        document.setHtml(self.html)
        writer = QPdfWriter(str(path))
        writer.setTitle(f"Docket {self.session.current}")
        writer.setCreator("Customs")
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        writer.setPageMargins(QMarginsF(15, 15, 15, 15), QPageLayout.Unit.Millimeter)
        document.print(writer)
