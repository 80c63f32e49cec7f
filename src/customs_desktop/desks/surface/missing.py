"""Missing textures: files that may be meant, one to be taken, folders to search; and the suffixes names are
read by.
"""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QDialog, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from customs.conventions.origin import Origin, shipped_origins
from customs.ledger.ranking import Candidate, candidates
from customs.route.route import Route
from customs.scene.model import SLOTS
from customs.surface.suffixes import COMMON
from customs.words import many
from customs.work.roles import title
from customs_desktop.desks.surface.edit import SurfaceEdit
from customs_desktop.desks.surface.parts import Section
from customs_desktop.office import Office
from customs_desktop.widgets.basics import button, empty, label, row

MOST = 5


class MissingPart(Section):
    """Candidates for the picked texture when it is missing, the likeliest first."""

    def __init__(self, edit: SurfaceEdit, ask_folder: Callable[[], object]) -> None:
        super().__init__(edit)
        self.holder = QWidget()
        self.list = QVBoxLayout(self.holder)
        self.list.setContentsMargins(0, 0, 0, 0)
        self.list.setSpacing(2)
        self.found: list[Candidate] = []
        self.box.addWidget(self.holder)
        self.box.addWidget(
            row(button("Search a folder …", ask_folder, "", "search"), button("Suffixes …", self.suffixes), 1)
        )
        self.dialog: SuffixDialog | None = None

    def said(self) -> str:
        if self.scene is None:
            return ""
        lost = sum(not im.there for im in self.scene.images)
        return f"{many(len(self.scene.images), 'texture')} named, {lost} missing"

    def fill(self, session: Office) -> None:
        empty(self.list)
        lost = self.image is not None and not self.image.there
        self.found = (
            candidates(self.scene, self.image)[:MOST]
            if lost and self.scene is not None and self.image is not None
            else []
        )
        if lost and not self.found:
            self.list.addWidget(
                label("No file of its name was found near the asset.", "soft", -0.5, wrap=True)
            )
        for c in self.found:
            take = button("Take", lambda c=c: self.take(c), "flat")
            text = label(c.image.uri, "", -0.5)
            text.setToolTip(f"{c.image.uri}: {c.reason}, {c.score * 100:.0f} %")
            text.setMinimumWidth(20)
            self.list.addWidget(row(take, text, 1))

    def take(self, candidate: Candidate) -> None:
        """Let a file stand in for the picked texture."""
        if self.image is None:
            return
        pair, lost = (str(self.image.key), str(candidate.image.key)), str(self.image.key)

        def change(route: Route) -> Route:
            stop = route.of_step("find-textures")
            old = tuple(tuple(p) for p in dict(stop.values).get("pairs", ())) if stop is not None else ()
            return route.set("find-textures", {"pairs": (*(p for p in old if p[0] != lost), pair)})

        self.edit.session.change_route(f"Take {candidate.image.uri}", change)

    def suffixes(self) -> None:
        """Edit what names of textures from this asset's origin tell."""
        session = self.edit.session
        origin = session.origins().get(session.asset.origin) if session.asset is not None else None
        if origin is None:
            self.edit.say("Choose an origin first: suffixes are kept with it.")
            return
        self.dialog = SuffixDialog(session, origin, self)
        self.dialog.show()


class SuffixDialog(QDialog):
    """A line of suffixes and prefixes for each role."""

    def __init__(self, session: Office, origin: Origin, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.origin = session, origin
        self.setWindowTitle(f"Suffixes of {origin.title}")
        self.resize(430, 560)
        form = QFormLayout()
        self.fields: dict[str, QLineEdit] = {}
        for role in SLOTS:
            field = QLineEdit(", ".join(origin.suffixes.get(role, ())))
            field.setPlaceholderText(", ".join(COMMON.get(role, ())[:6]))
            field.setAccessibleName(f"Suffixes for {title(role)}")
            self.fields[role] = field
            form.addRow(label(title(role)), field)
        box = QVBoxLayout(self)
        box.addWidget(
            label(
                "Parts of a texture's name that tell its role, with commas between. They come before the usual ones.",
                "soft",
                -0.5,
                wrap=True,
            )
        )
        box.addLayout(form)
        box.addWidget(row(1, button("Keep with the origin", self.keep, "main")))

    def keep(self) -> None:
        """Keep them with the origin (an origin of one's own where this one ships) and let the asset come from
        it.
        """
        table = {
            r: tuple(w.strip() for w in f.text().split(",") if w.strip()) for r, f in self.fields.items()
        }
        update: dict[str, object] = {"suffixes": {r: names for r, names in table.items() if names}}
        if self.origin.id in shipped_origins():
            update |= {"id": f"{self.origin.id}-own", "title": f"{self.origin.title} · own names"}
        self.session.keep_origin(self.origin.model_copy(update=update))
        self.close()
