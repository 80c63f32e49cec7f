"""The form beside a sheet's text: every key with what it means, what it takes and what it is; a value typed here goes into the text."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QTableWidgetItem, QVBoxLayout, QWidget

from customs.sheet.model import Sheet
from customs.sheet.schema import Key, sheet_keys, value_in
from customs_desktop.style.theme import colour, font
from customs_desktop.widgets.basics import label, search_field
from customs_desktop.widgets.tables import listing


class SheetForm(QWidget):
    """A row for each key; `changed` hears of a key and its value as TOML."""

    def __init__(self, changed: Callable[[str, str], object]) -> None:
        super().__init__()
        self._changed = changed
        self.keys: tuple[Key, ...] = ()
        self.values: dict[str, str] = {}
        self.find = search_field("Find a key", "find a key", lambda _: self._fill())
        self.table = listing(["Key", "Value", "What it means"], "Keys of the sheet", (150, 110))
        self.table.itemChanged.connect(self._typed)
        self.table.currentCellChanged.connect(lambda row, *_: self._explain(row))
        self.told = label("", "soft", -0.5, wrap=True)
        self.told.setMinimumHeight(34)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.find)
        box.addWidget(self.table, 1)
        box.addWidget(self.told)

    def show_sheet(self, sheet: Sheet) -> None:
        """The values of a sheet that is well formed."""
        values = {k.path: value_in(sheet, k.path) for k in sheet_keys()}
        if values != self.values:
            self.values = values
            self._fill()

    def _fill(self) -> None:
        wanted = self.find.text().strip().casefold()
        self.keys = tuple(
            k for k in sheet_keys() if not wanted or wanted in f"{k.path} {k.meaning}".casefold()
        )
        self.table.blockSignals(True)
        self.table.setRowCount(len(self.keys))
        for i, k in enumerate(self.keys):
            value = self.values.get(k.path, k.default)
            unit = f" ({k.unit})" if k.unit else ""
            for j, text in enumerate((k.path, value, f"{k.meaning}{unit}")):
                item = QTableWidgetItem(text)
                editable = j == 1 and "table" not in k.takes
                flags = item.flags() | Qt.ItemFlag.ItemIsEditable
                item.setFlags(flags if editable else flags & ~Qt.ItemFlag.ItemIsEditable)
                item.setFont(font(0, 600 if j == 1 and value != k.default else 400))
                if j != 1 or value == k.default:
                    item.setForeground(colour("ink" if j == 0 else "soft"))
                item.setToolTip(
                    f"{k.path}: {k.meaning}{unit}\n{k.takes}; {k.default or 'nothing'} where it is not said"
                )
                self.table.setItem(i, j, item)
        self.table.blockSignals(False)

    def _explain(self, row: int) -> None:
        if 0 <= row < len(self.keys):
            k = self.keys[row]
            unit = f", in {k.unit}" if k.unit else ""
            self.told.setText(
                f"{k.path}: {k.meaning}. It takes {k.takes}{unit}; {k.default or 'nothing'} where it is not said."
            )

    def _typed(self, item: QTableWidgetItem) -> None:
        if item.column() != 1 or item.row() >= len(self.keys):
            return
        key, text = self.keys[item.row()], item.text().strip()
        if text != self.values.get(key.path, key.default):
            self._changed(key.path, as_toml(key, text))


def as_toml(key: Key, text: str) -> str:
    """What was typed as TOML: texts and choices may come without their quotes."""
    plain = key.default.startswith('"') or (
        bool(key.options) and "true" not in key.options and not key.takes.startswith("a list")
    )
    if text and plain and not text.startswith(('"', "'")):
        escaped = text.replace("\\", "\\\\").replace('"', '\\"')
        return f'"{escaped}"'
    return text
