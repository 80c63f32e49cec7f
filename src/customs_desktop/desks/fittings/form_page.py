"""The page Form: the destination's own fields, checked as they are typed, with what is wrong beside the field."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from customs.ledger.kit_facts import KitFacts
from customs.sheet.form import FieldRules, problem_of, text_of, value_of
from customs.work.forms import proposed, remembered
from customs_desktop.office import Office
from customs_desktop.style.theme import font
from customs_desktop.widgets.basics import button, combo, label, row, show_choice

KIT_ROWS = ("number-free", "made-after")


class FormPage(QWidget):
    """What a person fills in is kept with the asset."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.inputs: dict[str, QWidget] = {}
        self.hints: dict[str, Any] = {}
        self._of: tuple[object, ...] = ()
        self.inner = QWidget()
        self.grid = QGridLayout(self.inner)
        self.grid.setContentsMargins(12, 8, 12, 8)
        area = QScrollArea()
        area.setWidget(self.inner)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.over = button("Take over", self._take_over, "chip")
        self.told = label("", "soft", -0.5, wrap=True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        head = row(self.told, self.over)
        head.setContentsMargins(12, 6, 12, 0)
        box.addWidget(head)
        box.addWidget(area, 1)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """The fields of the sheet with what the asset says; a field somebody types in stays as it is."""
        if not self.isVisible():
            return
        fields, asset = self.session.sheet.form, self.session.asset
        if fields != self._of:
            self._of = fields
            self._build(fields)
        values = dict(asset.form) if asset is not None else {}
        for field in fields:
            self._fill(field, values.get(field.id))
        empty = [f.title for f in fields if f.required and f.id not in values]
        said = f"Still to fill in: {', '.join(empty)}." if empty else "All that has to be there is filled in."
        self.told.setText(said if fields else "This destination has no form.")
        offered, name = (
            remembered(self.session.state, asset, self.session.sheet) if asset is not None else ({}, "")
        )
        self.over.setVisible(bool(offered))
        self.over.setText(f"As {name}")
        self.over.setToolTip("Takes over what is empty here: " + ", ".join(offered))

    def _build(self, fields: tuple[FieldRules, ...]) -> None:
        while (item := self.grid.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self.inputs.clear()
        self.hints.clear()
        for k, field in enumerate(fields):
            title = label(
                field.title + (" *" if field.required else ""), "", 0, 600 if field.required else 400
            )
            self.inputs[field.id] = self._input(field)
            self.hints[field.id] = label("", "soft", -0.5, wrap=True)
            self.grid.addWidget(title, k, 0)
            self.grid.addWidget(self.inputs[field.id], k, 1)
            self.grid.addWidget(self.hints[field.id], k, 2)
        self.grid.setColumnStretch(1, 2)
        self.grid.setColumnStretch(2, 1)
        self.grid.setRowStretch(len(fields), 1)

    def _input(self, field: FieldRules) -> QWidget:
        if field.kind in ("choice", "region"):
            options = (("", "–"), *((o, o) for o in field.options))
            return combo(options, field.title, lambda text: self._typed(field, text))
        if field.kind == "choices":
            return Several(field, lambda text: self._typed(field, text))
        if field.kind == "existing":
            return Existing(field, lambda text: self._typed(field, text))
        line = QLineEdit()
        line.setAccessibleName(field.title)
        line.setPlaceholderText(field.about or field.unit)
        line.textEdited.connect(lambda text: self._check(field, text))
        line.editingFinished.connect(lambda: self._typed(field, line.text()))
        if field.kind == "id" and field.taken:
            return Numbered(line, lambda: self._take_free(field))
        return line

    def _fill(self, field: FieldRules, value: Any) -> None:
        widget, text = self.inputs[field.id], "" if value is None else text_of(value)
        if isinstance(widget, QComboBox) and not isinstance(widget, Existing):
            show_choice(widget, text)
        elif isinstance(widget, Several):
            widget.show_chosen(value if isinstance(value, list) else [])
        elif isinstance(widget, Existing):
            widget.show_options(
                self._facts.existing.get(field.id, ()) if self._facts is not None else (), text
            )
        elif isinstance(widget, Numbered):
            widget.show_number(text, self._free(field))
        elif isinstance(widget, QLineEdit) and not widget.hasFocus():
            widget.setText(text)
        self._say(field, problem_of(field, value) if value is not None else "")
        if value is not None and not problem_of(field, value):
            self._say_row(field)

    def _say(self, field: FieldRules, problem: str) -> None:
        hint = self.hints[field.id]
        hint.setProperty("role", "held" if problem else "soft")
        hint.setText(f"It takes {problem}." if problem else field.unit)
        if (style := hint.style()) is not None:
            style.polish(hint)

    @property
    def _facts(self) -> KitFacts | None:
        result = self.session.result
        return result.about.kit if result is not None else None

    def _free(self, field: FieldRules) -> int | None:
        """The least number nobody has, in the kit and in this shipment."""
        facts, asset = self._facts, self.session.asset
        if facts is None or asset is None or field.id in facts.problems:
            return None
        return proposed(self.session.state, asset, self.session.sheet, facts, field)

    def _take_free(self, field: FieldRules) -> None:
        number = self._free(field)
        if number is not None:
            self._typed(field, str(number))

    def _say_row(self, field: FieldRules) -> None:
        """What the ledger says of a number, or of what the asset is made after."""
        result = self.session.result
        rows = result.ledger.rows if result is not None else ()
        row = next((r for r in rows if r.requirement in KIT_ROWS and r.subject == field.id), None)
        if row is None or row.verdict == "cleared":
            return
        hint = self.hints[field.id]
        hint.setProperty("role", row.verdict if row.verdict == "held" else "soft")
        hint.setText(row.note)
        if (style := hint.style()) is not None:
            style.polish(hint)

    def _check(self, field: FieldRules, text: str) -> bool:
        """Say what is wrong with what stands there now; True for nothing."""
        problem = ""
        if text.strip():
            try:
                value_of(field, text)
            except ValueError as found:
                problem = str(found)
        self._say(field, problem)
        return not problem

    def _typed(self, field: FieldRules, text: str) -> None:
        asset = self.session.asset
        if asset is None or not self._check(field, text):
            return
        form = {k: v for k, v in asset.form.items() if k != field.id}
        if text.strip():
            form[field.id] = value_of(field, text)
        if form == dict(asset.form):
            return
        if field.kind == "id":
            # Its number is in names and folders: they are planned anew with it, as one decision.
            now = replace(asset, form=form)
            self.session.plans.decide(
                f"Form: {field.title}: {asset.name}", lambda s: s.with_asset(now), [asset.id]
            )
        else:
            self.session.change_asset(f"Form: {field.title}", lambda a: replace(a, form=form))

    def _take_over(self) -> None:
        asset = self.session.asset
        if asset is not None:
            values, name = remembered(self.session.state, asset, self.session.sheet)
            self.session.change_asset(f"Form as {name}", lambda a: replace(a, form={**a.form, **values}))


class Several(QWidget):
    """Several of some options."""

    def __init__(self, field: FieldRules, chosen: Callable[[str], None]) -> None:
        super().__init__()
        self.boxes: dict[str, QCheckBox] = {}
        self.chosen = chosen
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        for option in field.options:
            check = self.boxes[option] = QCheckBox(option)
            check.setFont(font())
            check.clicked.connect(self._clicked)
            box.addWidget(check)
        box.addStretch(1)

    def show_chosen(self, values: list[Any]) -> None:
        """Show which are chosen without telling anyone."""
        for option, check in self.boxes.items():
            check.setChecked(option in values)

    def _clicked(self) -> None:
        self.chosen(", ".join(o for o, check in self.boxes.items() if check.isChecked()))


class Numbered(QWidget):
    """A number, and the next one nobody has."""

    def __init__(self, line: QLineEdit, take: Callable[[], object]) -> None:
        super().__init__()
        self.line, self.free = line, button("Next free", take, "chip")
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(line, 1)
        box.addWidget(self.free)

    def show_number(self, text: str, free: int | None) -> None:
        """The number as it stands, and what would be taken."""
        if not self.line.hasFocus():
            self.line.setText(text)
        self.free.setText(f"Take {free}" if free is not None else "Next free")
        self.free.setEnabled(free is not None and str(free) != text)
        self.free.setToolTip(
            "The least number nobody has"
            if free is not None
            else "Choose the kit folder on the desk Dispatch: numbers are read there"
        )


class Existing(QComboBox):
    """One of the things a kit has, or a name typed."""

    def __init__(self, field: FieldRules, chosen: Callable[[str], object]) -> None:
        super().__init__()
        self.setEditable(True)
        self.setFont(font())
        self.setAccessibleName(field.title)
        if (line := self.lineEdit()) is not None:
            line.setPlaceholderText(field.about)
            line.editingFinished.connect(lambda: chosen(self.currentText()))
        self.activated.connect(lambda _: chosen(self.currentText()))

    def show_options(self, names: Sequence[str], text: str) -> None:
        """What may be chosen, and what is."""
        line = self.lineEdit()
        if line is not None and line.hasFocus():
            return
        if [self.itemText(k) for k in range(self.count())] != list(names):
            self.clear()
            self.addItems(list(names))
        self.setCurrentIndex(self.findText(text))
        self.setEditText(text)
