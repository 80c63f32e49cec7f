"""A form for the settings of any stop, made from their schema."""

from __future__ import annotations

import types
from typing import Any, Literal, Union, get_args, get_origin

from PyQt6.QtWidgets import QCheckBox, QFormLayout, QLabel, QLineEdit, QWidget

from customs.route.route import Stop
from customs.route.step import step_of
from customs_desktop.session import Session
from customs_desktop.style.theme import font, span
from customs_desktop.widgets.basics import NumberField, combo, label, show_choice

HIDDEN = {"targets", "stated"}


class SettingsForm(QWidget):
    """Fields for one stop; each change is a decision."""

    def __init__(self, session: Session, stop: Stop) -> None:
        super().__init__()
        self.session, self.stop = session, stop
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(5)
        step = step_of(stop.step)
        form.addRow(label(step.about, "soft", -0.5, wrap=True))
        values = stop.settings
        any_field = False
        for name, info in step.settings.model_fields.items():
            if name in HIDDEN:
                continue
            field = self._field(name, info.annotation, getattr(values, name))
            if field is None:
                continue
            any_field = True
            title: QLabel = label(name.replace("_", " ").capitalize())
            title.setToolTip(info.description or "")
            field.setToolTip(info.description or "")
            field.setAccessibleName(name)
            form.addRow(title, field)
        if not any_field:
            form.addRow(label("There is nothing to set.", "soft"))

    def _set(self, name: str, value: Any) -> None:
        self.session.set_stop(self.stop.id, **{name: value})

    def _field(self, name: str, kind: Any, value: Any) -> QWidget | None:
        plain = _without_none(kind)
        if plain is bool:
            box = QCheckBox()
            box.setChecked(bool(value))
            box.toggled.connect(lambda on: self._set(name, on))
            return box
        if get_origin(plain) is Literal:
            options = [(str(a), str(a).replace("-", " ")) for a in get_args(plain)]
            kinds = {str(a): a for a in get_args(plain)}
            if plain is not kind:
                options.insert(0, ("", "as the file says"))
            box2 = combo(options, name, lambda i: self._set(name, kinds.get(i)))
            show_choice(box2, "" if value is None else str(value))
            return box2
        if plain in (float, int):
            return self._number(name, plain, value)
        if get_origin(plain) is tuple and all(a is float for a in get_args(plain)):
            return self._numbers(name, value) if value is not None else None
        if plain is str:
            line = QLineEdit(str(value or ""))
            line.setFont(font())
            line.editingFinished.connect(
                lambda: line.text() != str(value or "") and self._set(name, line.text())
            )
            return line
        return None

    def _number(self, name: str, kind: type, value: Any) -> NumberField:
        field = NumberField(decimals=0 if kind is int else 4, name=name)
        if value is not None:
            field.show_value(float(value))
        else:
            field.setPlaceholderText("as it is")
        field.entered.connect(lambda v: self._set(name, kind(v)))
        return field

    def _numbers(self, name: str, value: tuple[float, ...]) -> QWidget:
        from customs_desktop.widgets.basics import row

        fields = []
        for i, v in enumerate(value):
            field = NumberField(decimals=3, name=f"{name} {'XYZ'[i]}")
            field.setFixedWidth(span(58))
            field.show_value(v)
            field.entered.connect(
                lambda new, i=i: self._set(name, tuple(new if k == i else x for k, x in enumerate(value)))
            )
            fields.append(field)
        return row(*fields, 1, spacing=4)


def _without_none(kind: Any) -> Any:
    if get_origin(kind) in (Union, types.UnionType):
        rest = [a for a in get_args(kind) if a is not type(None)]
        return rest[0] if len(rest) == 1 else kind
    return kind
