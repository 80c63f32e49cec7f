"""Clips in files of their own and other skins: which of them go along with the chosen."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QSizePolicy, QVBoxLayout, QWidget

from customs.words import many
from customs_desktop.desks.intake.work import HeapWork
from customs_desktop.widgets.basics import empty

LONG = 26
"""Characters of a file's name in a line."""


class PairsBox(QWidget):
    """A box to tick for each file that fits one of the chosen."""

    def __init__(self, work: HeapWork) -> None:
        super().__init__()
        self.work = work
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)

    def words(self) -> str:
        """What goes along, in a line."""
        along = [p for p in self.work.pairs if (p.model, p.place) in self.work.along]
        clips, skins = (sum(p.count for p in along if p.kind == kind) for kind in ("clips", "skin"))
        parts = [many(n, thing) for n, thing in ((clips, "clip"), (skins, "skin")) if n]
        return f"{' and '.join(parts)} go along" if parts else "none goes along"

    def of(self, model: str) -> tuple[str, ...]:
        """Places of the files that go along with a model."""
        mine = [p.place for p in self.work.pairs if p.model == model]
        return tuple(p for p in mine if (model, p) in self.work.along)

    def refresh(self) -> None:
        """Show what was found."""
        empty(self.box)
        for pair in self.work.pairs:
            name = Path(pair.place).name
            tick = QCheckBox(f"{name if len(name) <= LONG else name[: LONG - 1] + '…'}: {pair.words()}")
            tick.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            tick.setToolTip(f"{pair.place}\nfor {pair.model}")
            tick.setChecked((pair.model, pair.place) in self.work.along)
            tick.toggled.connect(lambda on, p=pair: self.work.pair(p, on))
            self.box.addWidget(tick)
