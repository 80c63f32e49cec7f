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
    QTableWidgetItem,
    QTextBrowser,
    QTreeWidget,
    QVBoxLayout,
    QWidget,
)

from customs.dispatch.documents import all_planned
from customs.dispatch.sizes import planned_sizes
from customs.job import Job
from customs.ledger.names import KINDS
from customs.scene.prune import prune
from customs.words import byte_text
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.dispatch.documents_page import DocumentsPage
from customs_desktop.desks.dispatch.kit_tools import KitTools
from customs_desktop.office import Office
from customs_desktop.style.theme import font
from customs_desktop.widgets.basics import button, label, row
from customs_desktop.widgets.marks import Mark
from customs_desktop.widgets.tables import fill_tree, listing, stretched
from customs_desktop.worker import Task


class NamesPage(QWidget):
    """Old and new names."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.table = listing(["Kind", "As received", "As delivered"], "Names", (100, 260))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.table)

    def refresh(self) -> None:
        """Pair names through keys."""
        result = self.session.result
        rows: list[tuple[str, str, str]] = []
        if result is not None and result.taken is not None and result.passed:
            scene = prune(result.passed[-1].scene)
            rows.append(("asset", result.taken.scene.name, scene.name))
            for kind, attribute in KINDS:
                old = {x.key: x.name for x in getattr(result.taken.scene, attribute)}
                for item in getattr(scene, attribute):
                    known = [old[k] for k in (item.key, *getattr(item, "made_from", ())) if k in old]
                    rows.append(
                        (kind, ", ".join(known[:3]) + (" …" if len(known) > 3 else "") or "–", item.name)
                    )
        self.table.setRowCount(len(rows))
        for i, cells in enumerate(rows):
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setFont(font(0, 600 if j == 2 and cells[1] != text else 400))
                self.table.setItem(i, j, item)


Planned = tuple[tuple[tuple[str, str], ...], dict[str, int], int]
"""Files of a package with what they are, bytes of its textures, bytes of its models."""


class PackagePage(QWidget):
    """The tree of files to be."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Package")
        self.tree.setHeaderLabels(["File", "What it is", "About"])
        stretched(self.tree, 0)
        self.total = label("", "soft", -0.5, wrap=True)
        self.total.setContentsMargins(10, 2, 10, 6)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.tree)
        box.addWidget(self.total)

    def refresh(self) -> None:
        """List deliverables with what they will take, worked out in the background; nothing is encoded for
        it.
        """
        self.tree.clear()
        self.total.setText("")
        result, sheet = self.session.result, self.session.sheet
        if result is None or not result.passed:
            return
        scene = result.passed[-1].scene

        def run(job: Job) -> Planned:
            return all_planned(scene, sheet), *planned_sizes(scene, sheet)

        def done(found: Planned) -> None:
            if self.session.result is result:
                self._show(scene.name, *found)

        self.session.worker.submit(Task(3, key="package", title="Package", run=run, done=done))

    def _show(
        self, name: str, files: tuple[tuple[str, str], ...], textures: dict[str, int], models: int
    ) -> None:
        rows = [*files, ("docket.html", "docket, to read"), ("docket.json", "docket, as data")]
        self.tree.clear()
        items = fill_tree(self.tree, name, rows)
        first = next((path for path, what in files if what == "model"), "")
        for path, size in {**textures, first: models}.items():
            if path in items:
                items[path].setText(2, f"≈ {byte_text(size)}")
        whole = sum(textures.values()) + models
        self.total.setText(
            f"About {byte_text(whole)} in all, beside the docket; textures that go out as they came are exact."
        )


class DocketPage(QTextBrowser):
    """The docket of the last dispatch of the selected asset."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName("Docket")
        self.setOpenLinks(False)
        self.setFrameShape(QTextBrowser.Shape.NoFrame)

    def refresh(self) -> None:
        """Show the page."""
        folder = self.session.packages.get(self.session.current)
        page = folder / "docket.html" if folder else None
        if page is None or not page.is_file():
            self.setPlainText("There is no docket yet: it is written with the package.")
            return
        self.setHtml(page.read_text("utf-8"))


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
        self.one = button("Dispatch this one", self._one, "main", "stamp")
        self.every = button("Dispatch all that are cleared", self._all)
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
        self.commands = (
            ("Dispatch this one", self._one, "Ctrl+D"), ("Dispatch all that are cleared", self._all, "Ctrl+Shift+Return"),
            ("Stop what is running", session.cancel, "Ctrl+."),
        )  # fmt: skip

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

    def _one(self) -> None:
        out = self._target()
        if out is not None:
            self.session.jobs.dispatch([self.session.current], out, self.replace.isChecked())

    def _all(self) -> None:
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
            self.last.setText(f"{folder}\n{len(body['files'])} files, {size / 1e6:.1f} MB, with its docket.")
        except (OSError, ValueError):
            self.last.setText(str(folder))
        self.last.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.docket.refresh()
        self.kit.refresh()
        self.documents.again()
