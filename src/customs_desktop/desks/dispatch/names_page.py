"""The page Names: every name as it came and as it is delivered, searched, and what another pattern would make of them."""

from __future__ import annotations

from typing import NamedTuple

from PyQt6.QtWidgets import QLineEdit, QTableWidgetItem, QWidget

from customs.ledger.names import KINDS
from customs.scene.prune import prune
from customs.work.naming import names_by, pattern_of
from customs_desktop.office import Office
from customs_desktop.style.theme import colour, font, span
from customs_desktop.widgets.basics import button, combo, label, page_of, row, search_field
from customs_desktop.widgets.tables import listing
from customs_desktop.worker import Task


class Named(NamedTuple):
    """A row: what it is, its Key as text, its name as it came and as it is delivered."""

    kind: str
    key: str
    old: str
    new: str


class NamesPage(QWidget):
    """Old and new names."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.rows: list[Named] = []
        self.tried: dict[str, str] = {}
        self.table = listing(
            ["Kind", "As received", "As delivered", "By the pattern"], "Names", (80, 210, 210)
        )
        self.find = search_field("Find a name", "find a name", lambda _: self._fill())
        self.find.setMinimumWidth(80)
        self.find.setMaximumWidth(span(150))
        self.kind = combo(
            (("", "Pattern of …"), *((k, k) for k in ("asset", *(k for k, _ in KINDS)))),
            "Kind",
            lambda _: self._chosen(),
        )
        self.kind.setMinimumWidth(span(106))
        self.pattern = QLineEdit()
        self.pattern.setAccessibleName("Pattern of names")
        self.pattern.setPlaceholderText("{part}_{place}_{side}")
        self.pattern.setToolTip(
            "{asset} {name} {index} {material} {role} {later} {part} {side} {place} {order}: the page Patterns of the guide says what each stands for"
        )
        self.pattern.textEdited.connect(lambda _: self._try())
        self.take = button("Name them so", self._take, "chip", "", "Makes it a setting of the stop Names")
        self.told = label("", "soft", -0.5)
        self.pattern.setMinimumWidth(60)
        head = row(self.find, self.kind, self.pattern, self.take)
        head.setContentsMargins(10, 4, 10, 2)
        foot = row(self.told, 1)
        foot.setContentsMargins(10, 0, 10, 4)
        page_of(self, head, self.table, foot)

    def refresh(self) -> None:
        """Pair names through keys."""
        result = self.session.result
        self.rows = []
        if result is not None and result.taken is not None and result.passed:
            scene = prune(result.passed[-1].scene)
            self.rows.append(Named("asset", "asset", result.taken.scene.name, scene.name))
            for kind, attribute in KINDS:
                old = {x.key: x.name for x in getattr(result.taken.scene, attribute)}
                for item in getattr(scene, attribute):
                    known = [old[k] for k in (item.key, *getattr(item, "made_from", ())) if k in old]
                    came = ", ".join(known[:3]) + (" …" if len(known) > 3 else "") or "–"
                    self.rows.append(Named(kind, str(item.key), came, item.name))
        self.tried = {}
        self._try()
        self._fill()

    def _fill(self) -> None:
        wanted = self.find.text().strip().casefold()
        shown = [
            r
            for r in self.rows
            if not wanted or any(wanted in t.casefold() for t in (r.old, r.new, self.tried.get(r.key, "")))
        ]
        self.table.setRowCount(len(shown))
        for i, r in enumerate(shown):
            tried = self.tried.get(r.key, "")
            for j, text in enumerate((r.kind, r.old, r.new, tried)):
                item = QTableWidgetItem(text)
                changed = (j == 2 and r.old != text) or (j == 3 and bool(tried) and tried != r.new)
                item.setFont(font(0, 600 if changed else 400))
                if j == 3 and not changed:
                    item.setForeground(colour("soft"))
                item.setToolTip(text)
                self.table.setItem(i, j, item)
        new = sum(r.old != r.new for r in self.rows)
        tried_new = sum(self.tried.get(r.key, r.new) != r.new for r in self.rows)
        more = f"; {tried_new} would change by the pattern" if self.tried else ""
        self.told.setText(f"{len(shown)} of {len(self.rows)} names, {new} differ from those received{more}")
        self.take.setEnabled(bool(self.tried))

    def _chosen(self) -> None:
        kind, asset = str(self.kind.currentData() or ""), self.session.asset
        self.pattern.setText(pattern_of(asset.route, kind) if kind and asset is not None else "")
        self._try()

    def _try(self) -> None:
        """What the pattern would make of the names, beside the window's work."""
        kind, pattern, asset = (
            str(self.kind.currentData() or ""),
            self.pattern.text().strip(),
            self.session.asset,
        )
        result = self.session.result
        same = asset is not None and pattern == pattern_of(asset.route, kind)
        if not kind or not pattern or same or result is None or not result.passed:
            self.tried = {}
            self._fill()
            return

        def done(found: dict[str, str] | str) -> None:
            if (kind, pattern) != (self.kind.currentData(), self.pattern.text().strip()):
                return
            self.tried = found if isinstance(found, dict) else {}
            self._fill()
            if isinstance(found, str):
                self.told.setText(found)

        passed, sheet = result.passed, self.session.own_sheet
        self.session.worker.submit(
            Task(
                1,
                key="names",
                title="Names",
                run=lambda job: names_by(passed, sheet, kind, pattern),
                done=done,
                failed=self.session.fail,
            )
        )

    def _take(self) -> None:
        kind, pattern = str(self.kind.currentData() or ""), self.pattern.text().strip()
        if self.tried and kind:
            self.session.set_step("rename", **{kind: pattern})
