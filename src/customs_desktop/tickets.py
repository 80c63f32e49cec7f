"""The two tickets over the route: menus of origins and destinations, and the editor of sheets."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from customs.sheet.load import sheet_texts
from customs.work.lookup import read_sheets
from customs.work.places import sheets_folder
from customs_desktop.office import Office
from customs_desktop.sheet_editor import SheetEditor
from customs_desktop.widgets.choices import Choice


class Tickets:
    """Menus are children of `parent`; `editor` is open while a sheet is edited."""

    def __init__(self, session: Office, parent: QWidget) -> None:
        self.session, self.parent = session, parent
        self.editor: SheetEditor | None = None
        self.learn: Callable[[Sequence[Path]], object] = lambda paths: None

    def origin_menu(self) -> QMenu:
        """Origins to choose for the selected asset."""
        menu = QMenu(self.parent)
        asset = self.session.asset
        entries: list[tuple[str, str]] = [
            ("", "As the file says"),
            *((k, o.title) for k, o in self.session.origins().items()),
        ]
        for id_, title in entries:
            action = QAction(title, menu)
            action.setCheckable(True)
            action.setChecked(asset is not None and asset.origin == id_)
            action.triggered.connect(
                lambda _=False, i=id_: self.session.set_origin(
                    self.session.origins().get(i), [self.session.current]
                )
            )
            menu.addAction(action)
        return menu

    def sheet_menu(self) -> QMenu:
        """Destinations to choose, and editing."""
        menu = QMenu(self.parent)
        good, broken = read_sheets()
        for id_, sheet in good.items():
            ticket = f"{sheet.model.format.upper()}  ·  {sheet.ticket()}"
            entry = Choice(menu, sheet.title, ticket, sheet.summary, id_ == self.session.sheet.id)
            entry.triggered.connect(lambda _=False, i=id_: self.session.set_sheet(i))
            menu.addAction(entry)
        for id_, problem in broken.items():
            wrong = QAction(f"{id_}: {problem.found}", menu)
            wrong.setEnabled(False)
            menu.addAction(wrong)
        menu.addSeparator()
        copy = QAction("Copy this sheet and edit …", menu)
        copy.triggered.connect(lambda: self.edit_sheet(self.session.sheet.id))
        menu.addAction(copy)
        path = sheet_texts(sheets_folder()).get(self.session.sheet.id, ("", None))[1]
        mine = QAction("Edit this sheet …", menu)
        mine.setEnabled(path is not None)
        mine.triggered.connect(lambda: self.edit_sheet(self.session.sheet.id, path))
        menu.addAction(mine)
        learn = QAction("Learn from packages …", menu)
        learn.setToolTip("A new sheet, read off packages the destination already has")
        learn.triggered.connect(self._choose_packages)
        menu.addAction(learn)
        return menu

    def _choose_packages(self) -> None:
        # The demo has some.
        shipment = self.session.shipment
        beside = shipment.path.parent / "unknown" if shipment is not None else Path()
        start = str(beside) if beside.is_dir() else ""
        title = "A folder of packages the destination already has"
        name = QFileDialog.getExistingDirectory(self.parent, title, start)
        if name:
            self.learn([Path(name)])

    def edit_sheet(self, base: str, path: Path | None = None) -> SheetEditor:
        """Open the editor on a copy of `base`, or on a person's own sheet."""
        self.editor = SheetEditor(self.session, base, path)
        self.editor.show()
        return self.editor

    def close(self) -> None:
        """Close the editor."""
        if self.editor is not None:
            self.editor.close()
