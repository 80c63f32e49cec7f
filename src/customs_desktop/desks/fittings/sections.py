"""The sections of the desk Fittings: how shapes and levels are made."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from customs.changes.shapes import PURPOSES
from customs.errors import StepError
from customs.ledger.row import remedy
from customs.route.step import get_step, make_settings
from customs.scene.model import Scene
from customs.work.fittings import settings_at, stop_of
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.basics import Chips, NumberField, button, label, row

BY = (("ratios", "By share"), ("triangles", "By triangles"), ("errors", "By error"))
UNITS = {"ratios": "% of the triangles", "triangles": "triangles", "errors": "mm"}


def column(widget: QWidget) -> QVBoxLayout:
    """The layout of a section's part."""
    box = QVBoxLayout(widget)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(5)
    return box


def looked_at(session: Office, twin: TwinView) -> Scene | None:
    """What the right half stands for: the asset after the picked stop."""
    result = session.result
    return result.at(session.stop) if result is not None and not twin.landing else None


class Wished(QWidget):
    """A part whose fields are settings of one stop."""

    step = ""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session

    @property
    def settings(self) -> Any:
        """The stop's settings as they are; the step's own without one."""
        asset = self.session.asset
        return (
            settings_at(asset.route, self.step)
            if asset is not None
            else make_settings(get_step(self.step), {})
        )

    def wish(self, text: str, /, **values: Any) -> None:
        """Settings of the stop, which is made where there is none."""
        if self.session.asset is None:
            return
        try:
            make_settings(get_step(self.step), values)
        except StepError as problem:
            self.session.said.emit(f"{problem.expected}; {problem.found} is not.", "query")
            return
        fix = remedy(self.step, text, True, **values)
        if fix is not None:
            self.session.press(fix, [self.session.current])


class ShapeTools(Wished):
    """How bodies are fitted, for all purposes."""

    step = "shapes"

    def __init__(self, session: Office) -> None:
        super().__init__(session)
        box = column(self)
        self.by = Chips((("whole", "For the whole"), ("part", "For each part")))
        self.by.chosen.connect(lambda by: self.wish("Shapes " + by, by=by))
        box.addWidget(self.by)
        self.fields: dict[str, NumberField] = {}
        for name, text, low, high, places in (
            ("corners", "Corners of a hull", 4, 4096, 0), ("hulls", "Hulls at most", 2, 256, 0),
            ("triangles", "Triangles simplified", 4, 1e7, 0), ("out", "May stick out (%)", 0, 49.9, 2),
        ):  # fmt: skip
            field = self.fields[name] = NumberField(low, high, places, text)
            field.setFixedWidth(span(70, 0.5))
            field.entered.connect(lambda v, name=name: self._typed(name, v))
            box.addWidget(row(label(text), 1, field))

    def _typed(self, name: str, value: float) -> None:
        self.wish("Shapes", **{name: value / 100 if name == "out" else int(value)})

    def said(self) -> str:
        """Its state in words."""
        made = [p for p in PURPOSES if getattr(self.settings, p)] if self.session.asset is not None else []
        asked = self.session.sheet.shapes.purposes if self.session.sheet.shapes.form != "none" else ()
        if asked:
            return f"{len(set(made) & set(asked))} of {len(asked)} asked for"
        return f"{len(made)} made" if made else "none asked"

    def refresh(self) -> None:
        """The numbers of the stop."""
        settings = self.settings
        self.by.show_chosen(settings.by)
        for name, field in self.fields.items():
            if not field.hasFocus():
                value = getattr(settings, name)
                field.show_value(value * 100 if name == "out" else value)


class LevelTools(Wished):
    """Which levels there are, and how far each is seen."""

    step = "lods"

    def __init__(self, session: Office) -> None:
        super().__init__(session)
        box = column(self)
        self.by = Chips(BY)
        self.by.chosen.connect(lambda _: self._show())
        box.addWidget(self.by)
        self.levels = QLineEdit()
        self.levels.setAccessibleName("Levels beside the finest")
        self.levels.returnPressed.connect(self.make)
        self.unit = label("", "soft")
        box.addWidget(row(self.levels, self.unit))
        self.field = NumberField(2, 178, 1, "Vertical field of view (°)")
        self.last = NumberField(0.001, 1e9, 1, "Last distance (m)")
        for text, field, name in (
            ("Field of view (°)", self.field, "field"),
            ("Last distance (m)", self.last, "last"),
        ):
            field.setFixedWidth(span(84, 0.5))
            field.entered.connect(lambda v, name=name: self.wish("LODs", **{name: v}))
            box.addWidget(row(label(text), 1, field))
        box.addWidget(
            row(
                button("Make levels", self.make, "main"),
                button(
                    "Distances anew", self._anew, "flat", "", "By the share of the picture each level fills"
                ),
                1,
            )
        )
        self.by.show_chosen("ratios")

    @property
    def measure(self) -> str:
        """What levels are made by."""
        return next((id_ for id_, chip in self.by.buttons.items() if chip.isChecked()), "ratios")

    def said(self) -> str:
        """Its state in words."""
        asset = self.session.asset
        if asset is None or stop_of(asset.route, self.step) is None:
            rules = self.session.sheet.levels
            return (
                f"{rules.least} to {rules.most} asked for"
                if rules.form != "none" and rules.least > 1
                else "none"
            )
        settings = self.settings
        return f"{settings.count + 1} levels, last {settings.last:,.0f} m"

    def refresh(self) -> None:
        """The numbers of the stop."""
        settings = self.settings
        said = "errors" if settings.errors else "triangles" if settings.triangles else "ratios"
        self.by.show_chosen(said)
        for field, value in ((self.field, settings.field), (self.last, settings.last)):
            if not field.hasFocus():
                field.show_value(value)
        self._show()

    def _show(self) -> None:
        values = getattr(self.settings, self.measure)
        if not self.levels.hasFocus():
            self.levels.setText(
                "  ".join(f"{v * 100:g}" if self.measure == "ratios" else f"{v:g}" for v in values)
            )
        self.unit.setText(UNITS[self.measure])

    def make(self) -> None:
        """Levels as the line says."""
        words = self.levels.text().replace(",", " ").replace(";", " ").split()
        try:
            values = tuple(float(w) for w in words)
        except ValueError:
            self.session.said.emit(
                f"Numbers with spaces between them; “{self.levels.text()}” is not.", "query"
            )
            return
        if not values:
            self.session.said.emit("Say how coarse each level is, for example 50 20 5.", "query")
            return
        wished: dict[str, Any] = {name: () for name, _ in BY if name != "ratios"}
        if self.measure == "ratios":
            wished["ratios"] = tuple(v / 100 for v in values)
        else:
            wished[self.measure] = tuple(int(v) for v in values) if self.measure == "triangles" else values
        self.wish(f"Make {len(values)} levels", **wished, distances=())

    def _anew(self) -> None:
        self.wish("Distances anew", distances=())
