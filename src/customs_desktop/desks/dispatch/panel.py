"""The desk Dispatch: names, package tree, docket, and off it goes."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QLineEdit,
    QWidget,
)

from customs.words import many
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.dispatch.docket_page import DocketPage
from customs_desktop.desks.dispatch.documents_page import DocumentsPage
from customs_desktop.desks.dispatch.kit_tools import KitTools
from customs_desktop.desks.dispatch.names_page import NamesPage
from customs_desktop.desks.dispatch.package_page import PackagePage
from customs_desktop.office import Office
from customs_desktop.style.theme import font
from customs_desktop.widgets.basics import button, label, row
from customs_desktop.widgets.marks import Mark


class DispatchPanel(DeskPanel):
    """Where to, what is ready, and the two buttons."""

    def __init__(self, session: Office) -> None:
        super().__init__("Dispatch", "all or nothing")
        self.session = session
        self.names, self.package, self.docket = NamesPage(session), PackagePage(session), DocketPage(session)
        self.documents = DocumentsPage(session)
        self.out = QLineEdit()
        self.section("WHERE TO", self.out.text, ("names-legal", "names-unique", "names-pattern"))
        self.out.setAccessibleName("Folder the packages go to")
        self.out.setPlaceholderText("a folder")
        self.out.editingFinished.connect(self._keep_out)
        self.add(row(self.out, button("…", self._choose, "", "", "Choose a folder")))
        self.replace = QCheckBox("Replace packages that are there")
        self.replace.setFont(font())
        self.add(self.replace)
        self.kit = KitTools(session)
        self.kit_fold = self.section("KIT FOLDER", self.kit.said)
        self.add(self.kit)
        self.section("READY", self._ready_said, ("left-behind", "allowed-extensions"))
        self.marks: dict[str, tuple[Mark, object]] = {}
        for verdict in ("cleared", "query", "held"):
            text = label("")
            self.marks[verdict] = (Mark(verdict), text)
            self.add(row(self.marks[verdict][0], text, 1))
        self.why = label("", "soft", -0.5, wrap=True)
        self.add(self.why)
        self.one = button("Dispatch this one", self.dispatch_one, "main", "stamp")
        self.every = button("Dispatch all that are cleared", self.dispatch_all)
        self.add(self.one)
        self.add(self.every)
        self.last = label("Nothing has left yet.", "soft", -0.5, wrap=True)
        self.section("LAST DISPATCH", lambda: Path(self.last.text().partition("\n")[0]).name)
        self.add(self.last)
        self.finish()
        self.follow(session.changed, session.selected, session.evaluated, session.opened)
        session.dispatched.connect(self._done)
        session.landed.connect(lambda _: self.kit.refresh())
        self.refresh()
        if session.packages:
            self._done(next(reversed(session.packages)))

    def _ready_said(self) -> str:
        return ", ".join(text.text() for _, text in self.marks.values())  # type: ignore[attr-defined]

    def pages(self) -> list[tuple[str, QWidget]]:
        return [
            ("Names", self.names),
            ("Package", self.package),
            ("Documents", self.documents),
            ("Docket", self.docket),
        ]

    def opened(self) -> None:
        self.refresh()

    def refresh(self, *_: object) -> None:
        """Show what is ready."""
        state, results = self.session.state, self.session.results
        if not self.out.hasFocus():
            self.out.setText(state.out)
        self.kit.refresh()
        self.kit_fold.setVisible(self.kit.used)
        self.arrange_soon()
        verdicts = [
            results[a.id].ledger.verdict for a in state.goods if a.id in results and results[a.id].judged
        ]
        for verdict, (_, text) in self.marks.items():
            words = {"cleared": "cleared", "query": "with queries left", "held": "held"}[verdict]
            text.setText(f"{verdicts.count(verdict)} {words}")  # type: ignore[attr-defined, arg-type]
        result = self.session.result
        held = [r for r in result.ledger.open() if r.verdict == "held"] if result else []
        self.one.setEnabled(result is not None and result.judged and not held and result.error is None)
        self.every.setEnabled("cleared" in verdicts)
        self.why.setText(f"Held: {held[0].title} {held[0].subject_name}. {held[0].note}" if held else "")
        if self.isVisible():
            self.refresh_pages()

    def refresh_pages(self) -> None:
        """Bring the deck's pages up to date."""
        for page in (self.names, self.package, self.documents, self.docket):
            page.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh_pages()

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder the packages go to", self.out.text())
        if name:
            self.out.setText(name)
            self._keep_out()

    def _keep_out(self) -> None:
        text = self.out.text().strip()
        if text != self.session.state.out:
            self.session.edit("Folder of packages", lambda s: replace(s, out=text))

    def _target(self) -> Path | None:
        if not self.out.text().strip():
            self._choose()
        text = self.out.text().strip()
        if not text:
            self.session.said.emit("Choose a folder the packages go to first.", "query")
            self.out.setFocus()
            return None
        self._keep_out()
        return Path(text).expanduser()

    def dispatch_one(self) -> None:
        """Dispatch the selected asset; asks for a folder where none is known."""
        out = self._target()
        if out is not None:
            self.session.jobs.dispatch([self.session.current], out, self.replace.isChecked())

    def dispatch_all(self) -> None:
        """Dispatch all that are cleared; asks for a folder where none is known."""
        out = self._target()
        results = self.session.results
        ids = [
            a.id
            for a in self.session.state.goods
            if a.id in results and results[a.id].judged and results[a.id].ledger.verdict == "cleared"
        ]
        if out is not None:
            self.session.jobs.dispatch(ids, out, self.replace.isChecked())

    def _done(self, id_: str) -> None:
        folder = self.session.packages[id_]
        try:
            body = json.loads((folder / "docket.json").read_text("utf-8"))
            size = sum(f["size"] for f in body["files"])
            self.last.setText(
                f"{folder}\n{many(len(body['files']), 'file')}, {size / 1e6:.1f} MB, with its docket."
            )
        except (OSError, ValueError):
            self.last.setText(str(folder))
        self.last.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.docket.again()
        self.kit.refresh()
        self.documents.again()
