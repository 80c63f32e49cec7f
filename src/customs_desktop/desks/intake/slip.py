"""The rights slip of the selected asset."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QLineEdit

from customs_desktop.office import Office
from customs_desktop.widgets.basics import combo, show_choice

USES = (
    ("", "not said"),
    ("deliver", "may be delivered"),
    ("private", "private use"),
    ("study", "study only"),
)


class Slip:
    """Author, licence, allowed use: three fields of a panel."""

    def __init__(self, session: Office) -> None:
        self.session = session
        self.author, self.licence = QLineEdit(), QLineEdit()
        for field, name in ((self.author, "Author"), (self.licence, "Licence")):
            field.setPlaceholderText(name.lower())
            field.setAccessibleName(name)
            field.editingFinished.connect(self.keep)
        self.use = combo(USES, "Allowed use", lambda _: self.keep())

    def fields(self) -> tuple[QLineEdit, QLineEdit, object]:
        """What stands in the panel, in order."""
        return self.author, self.licence, self.use

    def words(self) -> str:
        """The slip in a line."""
        if self.session.asset is None:
            return ""
        return " · ".join(filter(None, (self.author.text(), self.licence.text())))

    def refresh(self) -> None:
        """Show the slip of the selected asset."""
        asset = self.session.asset
        for field in (self.author, self.licence, self.use):
            field.setEnabled(asset is not None)
        if asset is not None:
            self.author.setText(asset.author)
            self.licence.setText(asset.licence or self._carried())
            for field in (self.author, self.licence):
                field.setCursorPosition(0)
            show_choice(self.use, asset.use)

    def busy(self) -> bool:
        """True while a person is at it."""
        return any(f.hasFocus() for f in (self.author, self.licence, self.use))

    def keep(self) -> None:
        """Keep what was typed, as a decision."""
        asset = self.session.asset
        if asset is None:
            return
        author, licence, use = self.author.text(), self.licence.text(), str(self.use.currentData() or "")
        licence = "" if licence == self._carried() else licence
        if (author, licence, use) == (asset.author, asset.licence, asset.use):
            return
        self.session.change_asset(
            "Rights slip", lambda a: replace(a, author=author, licence=licence, use=use)
        )

    def _carried(self) -> str:
        result = self.session.result
        return result.taken.scene.copyright if result and result.taken else ""
