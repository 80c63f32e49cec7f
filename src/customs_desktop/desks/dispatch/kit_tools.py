"""The section Kit folder of the desk Dispatch: where the destination's own folder is, what of ours stands in it, how it is undone."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QFileDialog, QLineEdit, QVBoxLayout, QWidget

from customs_desktop.office import Office
from customs_desktop.widgets.basics import button, label, row


class KitTools(QWidget):
    """Kept by sheet: each destination has its own."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.folder = QLineEdit()
        self.folder.setAccessibleName("The destination's own folder")
        self.folder.setPlaceholderText("the kit's own folder")
        self.folder.editingFinished.connect(self._keep)
        self.about = label("", "soft", -0.5, wrap=True)
        self.back = button(
            "Withdraw this one", self._withdraw, "flat", "", "Every original back, every new file away"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(row(self.folder, button("…", self._choose, "", "", "Choose the kit's folder")))
        box.addWidget(self.about)
        box.addWidget(row(self.back, 1))

    @property
    def used(self) -> bool:
        """True where the destination has a kit folder."""
        return self.session.sheet.goes_into_kit

    def said(self) -> str:
        """Its state in words."""
        kit = self.session.kit
        return kit.name if kit is not None else "none chosen"

    def refresh(self) -> None:
        """What the shipment keeps for this sheet."""
        kit = self.session.kit
        if not self.folder.hasFocus():
            self.folder.setText(self.session.state.kits.get(self.session.sheet.id, ""))
        landed = self.session.landed_whole.get(self.session.current)
        there = kit is not None and landed is not None and landed.kit == kit
        self.back.setVisible(there)
        if kit is None:
            self.about.setText("Without one only the package is written.")
        elif not kit.is_dir():
            self.about.setText("There is no such folder.")
        else:
            ours = "This asset's dispatch stands in it." if there else "Nothing of this asset's stands in it."
            self.about.setText(f"{ours} New files never overwrite; every original is kept.")

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "The kit's own folder", self.folder.text())
        if name:
            self.folder.setText(name)
            self._keep()

    def _keep(self) -> None:
        text, id_ = self.folder.text().strip(), self.session.sheet.id
        if text != self.session.state.kits.get(id_, ""):
            self.session.edit("Kit folder", lambda s: replace(s, kits={**s.kits, id_: text}))

    def _withdraw(self) -> None:
        self.session.jobs.withdraw(self.session.current)
