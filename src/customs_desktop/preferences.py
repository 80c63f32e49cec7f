"""The window of preferences: paper, text, cores and memory, what is unpacked, folders, keys."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QFileDialog,
    QHeaderView,
    QKeySequenceEdit,
    QLineEdit,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from customs.intake.spill import forget_unheld, spill_folder, used
from customs.preferences import BOUNDS, LEAST, MOST, Preferences, keep_preferences, preferences
from customs.words import byte_text
from customs.work.places import origins_folder, sheets_folder
from customs_desktop.menus import Menus
from customs_desktop.style.theme import font, span
from customs_desktop.widgets.basics import NumberField, button, combo, label, row, search_field, show_choice
from customs_desktop.widgets.tables import listing

GB = 1 << 30
LATER = "Shown at the next start."
FOLDERS = (
    ("out", "Folder new packages go to"),
    ("sheets", "Folder of your sheets"),
    ("origins", "Folder of your origins"),
)
Papers = tuple[tuple[str, str], ...]


class PreferencesDialog(QDialog):
    """Each field is kept as soon as it is entered. `paper` is the one that is chosen, `set_paper` chooses another."""

    def __init__(
        self, parent: QWidget, menus: Menus, papers: Papers, paper: str, set_paper: Callable[[str], object]
    ) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Preferences")
        self.setModal(False)
        self.menus = menus
        self.about = label("", "soft", -0.5, wrap=True)
        self.limit = NumberField(LEAST / GB, MOST / GB, 2, "Gigabytes unpacked archives may take")
        self.limit.show_value(preferences().unpacked / GB)
        self.limit.entered.connect(self._keep)
        self.paper = combo(papers, "Paper", set_paper)
        self.paper.setMinimumWidth(span(150))
        show_choice(self.paper, paper)
        self.told = label("", "soft", -0.5, wrap=True)
        tabs = QTabWidget()
        tabs.setFont(font())
        tabs.addTab(self._looks(), "Looks and work")
        tabs.addTab(self._places(), "Folders")
        tabs.addTab(self._keys(), "Keys")
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 12, 12, 10)
        box.addWidget(tabs, 1)
        box.addWidget(row(self.told, 1, button("Close", self.close, "flat")))
        self.resize(span(520), span(440))
        self._say()

    # -- looks and work

    def _looks(self) -> QWidget:
        self.text = self._number("text", 2, "Text size, times the desktop's", LATER)
        self.side = self._number("side", 0, "Assets side by side", LATER)
        self.memory = self._number("memory", 1, "Gigabytes of memory one asset may take")
        return _column(
            label("LOOKS", "section", -0.5, 700),
            row("Paper", self.paper, 1),
            row("Text size", self.text, "times the desktop's", 1),
            label("WORK", "section", -0.5, 700),
            row("Assets side by side", self.side, "0 is one a core", 1),
            row("One asset may take", self.memory, "GB of memory, 0 is what there is, shared out", 1),
            label("UNPACKED ARCHIVES", "section", -0.5, 700),
            row("May take at most", self.limit, "GiB of this disk", 1),
            self.about,
            row(button("Forget what is unpacked", self._forget), 1),
        )

    def _number(self, name: str, decimals: int, title: str, told: str = "") -> NumberField:
        field = NumberField(*BOUNDS[name], decimals, title)
        field.show_value(getattr(preferences(), name))
        whole = isinstance(getattr(Preferences(), name), int)
        field.entered.connect(lambda v: self._change(told, **{name: int(v) if whole else v}))
        return field

    def _change(self, told: str, **values: Any) -> bool:
        try:
            keep_preferences(replace(preferences(), **values))
        except OSError as problem:
            self.told.setText(f"This could not be kept: {problem.strerror}.")
            return False
        self.told.setText(told)
        return True

    def _say(self, problem: str = "") -> None:
        base = spill_folder()
        self.about.setText(
            problem or f"{byte_text(used(base))} now, in {base}. The longest unused goes first."
        )

    def _keep(self, value: float) -> None:
        try:
            keep_preferences(replace(preferences(), unpacked=int(value * GB)))
        except OSError as problem:
            self._say(f"This could not be kept: {problem.strerror}.")
            return
        self._say()

    def _forget(self) -> None:
        forget_unheld(spill_folder())
        self._say()

    # -- folders

    def _places(self) -> QWidget:
        self.folders: dict[str, QLineEdit] = {}
        rows: list[QWidget] = []
        usual = {
            "out": "each shipment says it",
            "sheets": str(sheets_folder()),
            "origins": str(origins_folder()),
        }
        for name, title in FOLDERS:
            line = QLineEdit(getattr(preferences(), name))
            line.setFont(font())
            line.setAccessibleName(title)
            line.setPlaceholderText(usual[name])
            line.editingFinished.connect(lambda n=name, x=line: self._folder(n, x.text()))
            self.folders[name] = line
            rows += [
                label(title, "section", -0.5, 600),
                row(line, button("…", lambda n=name: self._choose(n), "", "", f"Choose: {title}")),
            ]
        return _column(*rows)

    def _choose(self, name: str) -> None:
        found = QFileDialog.getExistingDirectory(self, dict(FOLDERS)[name], self.folders[name].text())
        if found:
            self.folders[name].setText(found)
            self._folder(name, found)

    def _folder(self, name: str, text: str) -> None:
        text = text.strip()
        if text == getattr(preferences(), name):
            return
        if text and not Path(text).is_dir():
            self.told.setText(f"{text}: there is no such folder. Nothing was changed.")
            return
        self._change("" if name != "out" else "New shipments deliver there.", **{name: str(Path(text).absolute()) if text else ""})  # fmt: skip

    # -- keys

    def _keys(self) -> QWidget:
        self.find = search_field("Search commands", "command or keys", lambda _: self._fill())
        self.table = listing(["Command", "Keys"], "Commands and their keys", (250,))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.itemSelectionChanged.connect(self._picked)
        head = self.table.horizontalHeader()
        assert head is not None
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.keys = QKeySequenceEdit()
        self.keys.setMaximumSequenceLength(1)
        self.keys.setAccessibleName("New keys")
        self.keys.setFont(font())
        out = _column(
            self.find, self.table,
            row(self.keys, button("Set", self._set, "main"), button("None", lambda: self._use("")), button("As it was made", self._usual)),
            stretch=False,
        )  # fmt: skip
        self._fill()
        return out

    def _fill(self) -> None:
        words = self.find.text().lower().split()
        shown = [
            (n, a.shortcut().toString()) for n, a in self.menus.actions.items()
            if all(w in f"{n} {a.shortcut().toString()}".lower() for w in words)
        ]  # fmt: skip
        self.table.setRowCount(len(shown))
        for k, (name, keys) in enumerate(shown):
            for j, text in enumerate((name, keys)):
                item = QTableWidgetItem(text)
                item.setFont(font(0, 600 if j and keys != self.menus.usual[name] else 400))
                self.table.setItem(k, j, item)

    def _command(self) -> str:
        item = self.table.item(self.table.currentRow(), 0)
        return item.text() if item is not None else ""

    def _picked(self) -> None:
        if self._command():
            self.keys.setKeySequence(self.menus.actions[self._command()].shortcut())

    def _set(self) -> None:
        self._use(self.keys.keySequence().toString())

    def _usual(self) -> None:
        if self._command():
            self._use(self.menus.usual[self._command()])

    def _use(self, keys: str) -> None:
        name, at = self._command(), self.table.currentRow()
        if not name:
            self.told.setText("Pick a command first.")
            return
        other = self.menus.taken(QKeySequence(keys), name)
        if other:
            self.told.setText(f"{keys} is {other} already. Give that other keys first.")
            return
        try:
            self.menus.set_keys(name, keys)
        except OSError as problem:
            self.told.setText(f"This could not be kept: {problem.strerror}.")
            return
        self.told.setText(f"{name}: {keys or 'no keys'}.")
        self._fill()
        self.table.selectRow(at)


def _column(*widgets: QWidget, stretch: bool = True) -> QWidget:
    out = QWidget()
    box = QVBoxLayout(out)
    box.setContentsMargins(12, 10, 12, 10)
    for widget in widgets:
        box.addWidget(widget)
    if stretch:
        box.addStretch(1)
    return out
