"""The page Form: the destination's own fields, checked as they are typed, with what is wrong beside the field."""

from __future__ import annotations

from collections.abc import Callable
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

from customs.sheet.form import FieldRules, problem_of, text_of, value_of
from customs.work.forms import remembered
from customs_desktop.office import Office
from customs_desktop.style.theme import font
from customs_desktop.widgets.basics import button, combo, label, row, show_choice


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
        line = QLineEdit()
        line.setAccessibleName(field.title)
        line.setPlaceholderText(field.about or field.unit)
        line.textEdited.connect(lambda text: self._check(field, text))
        line.editingFinished.connect(lambda: self._typed(field, line.text()))
        return line

    def _fill(self, field: FieldRules, value: Any) -> None:
        widget, text = self.inputs[field.id], "" if value is None else text_of(value)
        if isinstance(widget, QComboBox):
            show_choice(widget, text)
        elif isinstance(widget, Several):
            widget.show_chosen(value if isinstance(value, list) else [])
        elif isinstance(widget, QLineEdit) and not widget.hasFocus():
            widget.setText(text)
        self._say(field, problem_of(field, value) if value is not None else "")

    def _say(self, field: FieldRules, problem: str) -> None:
        hint = self.hints[field.id]
        hint.setProperty("role", "held" if problem else "soft")
        hint.setText(f"It takes {problem}." if problem else field.unit)
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
        if form != dict(asset.form):
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
