"""The window of preferences: how much room unpacked archives may take."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from customs.intake.spill import forget_unheld, spill_folder, used
from customs.preferences import LEAST, MOST, keep_preferences, preferences
from customs.words import byte_text
from customs_desktop.widgets.basics import NumberField, button, label, row

GB = 1 << 30


class PreferencesDialog(QDialog):
    """Each field is kept as soon as it is entered."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("Preferences")
        self.setModal(False)
        self.limit = NumberField(LEAST / GB, MOST / GB, 2, "Gigabytes unpacked archives may take")
        self.limit.show_value(preferences().unpacked / GB)
        self.limit.entered.connect(self._keep)
        self.about = label("", "soft", -0.5, wrap=True)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 16, 18, 14)
        box.addWidget(label("UNPACKED ARCHIVES", "section", -0.5, 700))
        box.addWidget(row("May take at most", self.limit, "GiB of this disk", 1))
        box.addWidget(self.about)
        box.addWidget(row(button("Forget what is unpacked", self._forget), 1))
        box.addStretch(1)
        self.resize(420, 190)
        self._say()

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
