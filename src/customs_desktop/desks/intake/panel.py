"""The desk Intake: what is in files and folders, before anything is taken."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QLineEdit,
    QSizePolicy,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from customs.errors import CustomsError
from customs.intake.scan import Entry, scan
from customs.intake.take import take
from customs.job import Job
from customs.scene.model import Scene
from customs.words import many
from customs_desktop.desk import DeskPanel
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font
from customs_desktop.widgets.basics import button, combo, label, row, search_field, show_choice
from customs_desktop.widgets.tables import dressed
from customs_desktop.worker import Task

COLUMNS = ("Name", "Kind", "Size", "Folder")
USES = (
    ("", "not said"),
    ("deliver", "may be delivered"),
    ("private", "private use"),
    ("study", "study only"),
)
PREVIEW = 240


def size_text(size: int) -> str:
    """Bytes for a person."""
    for unit, scale in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if size >= scale:
            return f"{size / scale:.1f} {unit}"
    return f"{size} B"


class EntryModel(QAbstractTableModel):
    """Entries that match the search."""

    def __init__(self) -> None:
        super().__init__()
        self.entries: list[Entry] = []
        self.shown: list[Entry] = []
        self.search = ""

    def show_entries(self, entries: list[Entry]) -> None:
        """Take over a scan."""
        self.entries = entries
        self.refresh()

    def refresh(self) -> None:
        """Match again."""
        self.beginResetModel()
        words = self.search.lower().split()
        self.shown = [e for e in self.entries if all(w in f"{e.shown} {e.kind}".lower() for w in words)]
        self.endResetModel()

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        keys = (lambda e: e.path.name.lower(), lambda e: e.kind, lambda e: e.size, lambda e: e.shown)
        self.entries.sort(key=keys[column], reverse=order == Qt.SortOrder.DescendingOrder)
        self.refresh()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.shown)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(COLUMNS)

    def headerData(self, section_: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section_]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if not index.isValid():
            return None
        e = self.shown[index.row()]
        if role == Qt.ItemDataRole.UserRole:
            return e
        if role == Qt.ItemDataRole.DisplayRole:
            folder = e.shown.rpartition("/")[0] or e.root.name
            return (e.path.name, e.kind, size_text(e.size), folder)[index.column()]
        if role == Qt.ItemDataRole.ForegroundRole:
            return colour("ink" if e.takeable else "soft")
        if role == Qt.ItemDataRole.TextAlignmentRole and index.column() == 2:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.FontRole and index.column() == 0:
            return font(0, 500)
        return None


class ContentsPage(QWidget):
    """The table of what is there."""

    def __init__(self) -> None:
        super().__init__()
        self.model = EntryModel()
        self.table = dressed(QTableView(), "Contents")
        self.table.setModel(self.model)
        across = self.table.horizontalHeader()
        assert across is not None
        across.setSectionsClickable(True)
        across.sectionClicked.connect(self._sort)
        self._descending = True
        for column, width in enumerate((240, 150, 90)):
            self.table.setColumnWidth(column, width)
        self.search = search_field("Search contents", "name or kind", self._search, 190)
        self.about = label(
            "Nothing chosen yet. Choose files or a folder on the right, or drop them on the window.", "soft"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 2, 0, 0)
        self.about.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        head = row(self.about, self.search)
        head.layout().setContentsMargins(12, 2, 12, 2)  # type: ignore[union-attr]
        box.addWidget(head)
        box.addWidget(self.table, 1)

    def _search(self, text: str) -> None:
        self.model.search = text
        self.model.refresh()

    def _sort(self, column: int) -> None:
        self._descending = not self._descending
        order = Qt.SortOrder.DescendingOrder if self._descending else Qt.SortOrder.AscendingOrder
        self.model.sort(column, order)

    def chosen(self) -> list[Entry]:
        """Picked models, or all of them when none is picked."""
        selection = self.table.selectionModel()
        rows = selection.selectedRows() if selection is not None else []
        picked = [self.model.shown[i.row()] for i in rows]
        return [e for e in (picked or self.model.shown) if e.takeable]


class IntakePanel(DeskPanel):
    """Choosing, preview, origin, taking in; the rights slip of the selected asset."""

    def __init__(self, session: Office) -> None:
        super().__init__("Intake", "look before taking")
        self.session = session
        self.page = ContentsPage()
        self.section("WHERE FROM", lambda: self.page.about.text(), ("companions", "source-changed"))
        self.add(
            row(
                button("Choose files …", self._files, "", "file-box"),
                button("Choose a folder …", self._folder, "", "folder"),
                1,
            )
        )
        self.add(
            label(
                "Or drop files and folders anywhere on the window: they are taken in at once, with the origin below.",
                "soft",
                -0.5,
                wrap=True,
            )
        )
        self.section("PREVIEW", lambda: self.preview_about.text())
        self.picture = label("", "soft")
        self.picture.setFixedHeight(150)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.add(self.picture)
        self.preview_about = label("Pick a model in the table below the view.", "soft", -0.5, wrap=True)
        self.add(self.preview_about)
        self.section("ORIGIN", lambda: self.origin.currentText())
        self.origin = combo([("", "As the files say")], "Origin", lambda _: None)
        self.add(self.origin)
        self.take_button = button("Take in", self._take, "main", "arrow-down-to-line")
        self.add(row(self.take_button, 1))
        self._rights()
        self.finish()
        selection = self.page.table.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(self._picked)
        self.page.table.doubleClicked.connect(lambda _: self._take())
        self.follow(session.changed, session.opened, session.selected)
        session.evaluated.connect(self._read)
        session.arrived.connect(self.bring)
        session.painter.painted.connect(self._painted)
        self._previewed: Path | None = None
        self._scene: Scene | None = None
        self._origins: object = None
        self.refresh()

    def pages(self) -> list[tuple[str, QWidget]]:
        return [("Contents", self.page)]

    def bring(self, paths: list[Path]) -> None:
        """Files and folders that a person brought to the window: listed, and taken in with the chosen
        origin.
        """
        self.look(paths)
        self.session.jobs.take_in(paths, self.chosen_origin())

    def _rights(self) -> None:
        self.section("RIGHTS SLIP", self._rights_said, ("rights",))
        self.author, self.licence = QLineEdit(), QLineEdit()
        for field, name in ((self.author, "Author"), (self.licence, "Licence")):
            field.setPlaceholderText(name.lower())
            field.setAccessibleName(name)
            field.editingFinished.connect(self._slip)
            self.add(field)
        self.use = combo(USES, "Allowed use", lambda _: self._slip())
        self.add(self.use)

    def _rights_said(self) -> str:
        asset = self.session.asset
        return (
            " · ".join(filter(None, (self.author.text(), self.licence.text()))) if asset is not None else ""
        )

    def refresh(self, *_: object) -> None:
        """Show origins and the slip."""
        self._show_origins()
        asset = self.session.asset
        for field in (self.author, self.licence, self.use):
            field.setEnabled(asset is not None)
        if asset is not None:
            self.author.setText(asset.author)
            result = self.session.result
            carried = result.taken.scene.copyright if result and result.taken else ""
            self.licence.setText(asset.licence or carried)
            for field in (self.author, self.licence):
                field.setCursorPosition(0)
            show_choice(self.use, asset.use)

    def _show_origins(self) -> None:
        if (origins := self.session.origins()) is self._origins:
            return
        chosen = self.origin.currentData() if self.origin.count() > 1 else self.session.state.last_origin
        self._origins = origins
        self.origin.clear()
        self.origin.addItem("As the files say", "")
        for id_, o in origins.items():
            self.origin.addItem(o.title, id_)
        show_choice(self.origin, str(chosen or ""))

    def _read(self, id_: str) -> None:
        """What the file itself says of its licence is known once it has been read."""
        if id_ == self.session.current and not any(
            f.hasFocus() for f in (self.author, self.licence, self.use)
        ):
            self.refresh()

    def _slip(self) -> None:
        asset = self.session.asset
        if asset is None:
            return
        author, licence, use = self.author.text(), self.licence.text(), str(self.use.currentData() or "")
        result = self.session.result
        carried = result.taken.scene.copyright if result and result.taken else ""
        licence = "" if licence == carried else licence
        if (author, licence, use) == (asset.author, asset.licence, asset.use):
            return
        from dataclasses import replace

        self.session.change_asset(
            "Rights slip", lambda a: replace(a, author=author, licence=licence, use=use)
        )

    # -- looking

    def _files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Choose files")
        if names:
            self.look([Path(n) for n in names])

    def _folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Choose a folder")
        if name:
            self.look([Path(name)])

    def look(self, paths: Sequence[Path]) -> None:
        """List what is in files and folders, in the background."""

        def done(entries: list[Entry]) -> None:
            self.page.model.show_entries(entries)
            models = sum(e.takeable for e in entries)
            total = size_text(sum(e.size for e in entries))
            self.arrange_soon()
            self.page.about.setText(f"{many(len(entries), 'file')}, {many(models, 'model')}, {total}")
            if models:
                self.page.table.selectRow(0)

        task = Task(
            0, key="scan", title="Listing", run=lambda job: scan(paths), done=done, failed=self._failed
        )
        self.session.worker.submit(task)

    def _failed(self, problem: Exception) -> None:
        from customs_desktop.worker import explain

        self.preview_about.setText(explain(problem))

    def _picked(self, *_: object) -> None:
        picked = self.page.chosen() if self.page.table.selectionModel().selectedRows() else []  # type: ignore[union-attr]
        if not picked or picked[0].path == self._previewed:
            return
        entry = picked[0]
        self._previewed = entry.path

        def run(job: Job) -> tuple[Entry, Scene | CustomsError]:
            try:
                return entry, take(entry.path, entry.root).scene
            except CustomsError as problem:
                return entry, problem

        self.session.worker.submit(
            Task(0, key="preview", title="Preview", run=run, done=self._preview, failed=self._failed)
        )

    def _preview(self, answer: tuple[Entry, Scene | CustomsError]) -> None:
        self.arrange_soon()
        entry, scene = answer
        if isinstance(scene, CustomsError):
            self.picture.setText("cannot be read")
            self.preview_about.setText(str(scene))
            return
        self._scene = scene
        parts = ", ".join(
            many(len(v), thing)
            for v, thing in (
                (scene.meshes, "mesh"),
                (scene.materials, "material"),
                (scene.images, "texture"),
                (scene.clips, "clip"),
            )
        )
        self.preview_about.setText(f"{entry.path.name}: {parts}. Drawn with the file's own axes.")
        self.session.painter.ask_thumbnail("thumb-preview", scene, PREVIEW)

    def _painted(self, slot: str, image: QImage, tag: object) -> None:
        if slot == "thumb-preview":
            self.picture.setPixmap(
                QPixmap.fromImage(image).scaledToHeight(150, Qt.TransformationMode.SmoothTransformation)
            )

    # -- taking

    def chosen_origin(self):  # type: ignore[no-untyped-def]
        """The origin goods are taken in with."""
        return self.session.origins().get(str(self.origin.currentData() or ""))

    def _take(self) -> None:
        entries = self.page.chosen()
        if not entries:
            self.preview_about.setText("Choose files or a folder first.")
            return
        self.session.jobs.take_in([e.path for e in entries], self.chosen_origin())
