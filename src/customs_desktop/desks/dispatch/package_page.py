"""The page Package: the tree of files to be, with what they will take."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QTreeWidget, QVBoxLayout, QWidget

from customs.later import later
from customs.words import byte_text, many
from customs_desktop.office import Office
from customs_desktop.widgets.basics import label
from customs_desktop.widgets.tables import fill_tree, stretched
from customs_desktop.worker import Task

if TYPE_CHECKING:
    from customs.work.expected import Expected

expected = later("customs.work.expected")


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

        def done(found: tuple[Expected, ...]) -> None:
            if self.session.result is result:
                self._show(result.passed[-1].scene.name, found)

        self.session.worker.submit(
            Task(
                3,
                key="package",
                title="Package",
                run=lambda job: expected.expected_files(result, sheet),
                done=done,
            )
        )

    def _show(self, name: str, files: tuple[Expected, ...]) -> None:
        rows = [(f.path, f.kind) for f in files]
        rows += [("docket.html", "docket, to read"), ("docket.json", "docket, as data")]
        self.tree.clear()
        items = fill_tree(self.tree, name, rows)
        for f in files:
            if f.size is not None and f.path in items:
                items[f.path].setText(2, f"{'' if f.exact else '≈ '}{byte_text(f.size)}")
        whole = sum(f.size or 0 for f in files)
        rest = sum(f.size is None for f in files)
        more = f", and {many(rest, 'file')} whose size shows once made" if rest else ""
        own = self.session.own_sheet
        goes = (
            f" In the kit: {own.kit.target(name)}." if own.kit.place and self.session.kit is not None else ""
        )
        self.total.setText(
            f"About {byte_text(whole)} in all, beside the docket{more}; textures that go out as they came are exact.{goes}"
        )
