"""The desk Intake: what is in files, folders and archives, before anything is taken."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from customs.conventions.origin import Origin
from customs.demo.place import demo_path
from customs.intake.heap import Entry
from customs.intake.origins import Explained
from customs.intake.through import outer
from customs.later import later
from customs.words import byte_text, many
from customs.work.places import data_folder
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.intake.along import Along
from customs_desktop.desks.intake.heap_page import HeapPage
from customs_desktop.desks.intake.heap_thumbs import HeapThumbs
from customs_desktop.desks.intake.pairs_box import PairsBox
from customs_desktop.desks.intake.preview import Preview, Shown
from customs_desktop.desks.intake.slip import Slip
from customs_desktop.desks.intake.work import HeapWork
from customs_desktop.jobs import Wanted
from customs_desktop.office import Office
from customs_desktop.widgets.basics import NameLabel, button, combo, label, row, show_choice

stores = later("customs.demo.stores")
AT_ONCE = 12
"""Models of a folder or an archive that are taken in without asking which."""


def _seconds(seconds: float) -> str:
    return f"{seconds:.0f} s, " if seconds >= 1 else "under a second, " if seconds else ""


class IntakePanel(DeskPanel):
    """What goes along with the chosen, its cost, the origin, taking in; the rights slip of the selected asset."""

    def __init__(self, session: Office) -> None:
        super().__init__("Intake", "open, understand, complete")
        self.session = session
        self.work = HeapWork(session)
        self.page = HeapPage()
        self.preview = Preview(session)
        self.thumbs = HeapThumbs(session, self.work, self.page)
        self._where()
        self._along()
        self._cost()
        self._origin()
        self._pairs()
        self._rights()
        self.take_button = button("Take in", self._take, "main", "arrow-down-to-line")
        self.foot = row(self.take_button)
        self.finish()
        self.box.addWidget(self.foot)
        self._wire()
        self._looking = False
        self._origins: object = None
        self._best: Explained | None = None
        self.refresh()
        self._show_chosen()
        self._say_origin()

    def _wire(self) -> None:
        session, work, page = self.session, self.work, self.page
        self.follow(session.changed, session.opened, session.selected)
        session.evaluated.connect(self._read)
        session.selected.connect(lambda _: self._look_at(False))
        work.listed.connect(self._listed)
        work.closed.connect(self._show_chosen)
        work.choosing.connect(self._say_take)
        work.read.connect(self._shown)
        work.told.connect(self._told)
        work.matched.connect(self._show_pairs)
        page.picked.connect(self._picked)
        page.asked.connect(work.toggle)
        page.unlock.connect(work.unlock)
        page.fold.connect(work.fold_twins)
        work.folded.connect(page.show_folded)
        self.along.given.connect(work.give)
        self.preview.step.connect(page.step)

    def pages(self) -> list[tuple[str, QWidget]]:
        return [("Heap", self.page)]

    @property
    def in_place(self) -> QWidget | None:
        return self.preview if self._looking and self.work.browsed.entries else None

    # -- sections

    def _where(self) -> None:
        self.section("WHERE FROM", self._where_said, ("source-changed", "version-stamp"))
        self.add(
            row(
                button("Files …", self._files, "", "file-box"),
                button("Folder …", self._folder, "", "folder"),
                1,
                button("Clear", self.work.clear, "flat"),
            )
        )
        self.drop_hint = label(
            "Or drop files, folders and archives anywhere on the window.", "soft", -0.5, wrap=True
        )
        self.add(self.drop_hint)
        self.stores = button("The stores of the glasshouse", self._stores, "flat", "crate")
        self.add(self.stores)
        self.again = button("Take again from its changed file", self._again, "", "arrow-down-to-line")
        self.add(self.again)

    def _where_said(self) -> str:
        count = sum(e is not None and e.kind != "archive" for e in self.work.browsed.entries)
        return many(count, "file") if count else "nothing yet"

    def _along(self) -> None:
        self.along_fold = self.section("WHAT GOES ALONG", self._along_said, ("companions",))
        self.nothing = label("Choose models in the heap: double-click, or Space.", "soft", -0.5, wrap=True)
        self.add(self.nothing)
        self.along = Along()
        self.add(self.along)
        self.find = button("Find missing …", self._folder)
        self.which = button("Choose …", self._which)
        self.wanting = row(self.find, self.which, 1)
        self.add(self.wanting)

    def _along_said(self) -> str:
        spent = self.work.chosen.cost
        return (
            f"{many(spent.files, 'file')} · {byte_text(spent.size)}"
            if spent is not None and spent.files
            else "nothing chosen"
        )

    def _cost(self) -> None:
        self.cost_fold = self.section("COST", lambda: "before anything is written")
        self.costs = {}
        for name in ("Unpacked", "Free on this disk", "About", "Left where it is"):
            value = label("", "", 0, 600)
            self.costs[name] = value
            self.add(row(label(name, "soft"), 1, value))

    def _origin(self) -> None:
        self.section("ORIGIN", self._origin_said)
        self.why = label("", "soft", -0.5, wrap=True)
        self.add(self.why)
        self.origin = combo([("", "As the files say")], "Origin", lambda _: self._say_origin())
        self.this_origin = button("Take this origin", self._take_origin)
        self.add(self.origin)
        self.add(row(self.this_origin, 1))

    def _origin_said(self) -> str:
        best = self._best
        if best is None or best.origin == str(self.origin.currentData() or ""):
            return self.origin.currentText()
        origin = self.session.origins().get(best.origin)
        return f"{origin.title if origin else 'as the files say'} fits best"

    def _pairs(self) -> None:
        self.pairs = PairsBox(self.work)
        self.pair_fold = self.section("PAIRS", self.pairs.words)
        self.add(self.pairs)
        self.pair_fold.hide()

    def _show_pairs(self) -> None:
        self.pairs.refresh()
        self.pair_fold.setVisible(bool(self.work.pairs))
        self.arrange_soon()

    def _rights(self) -> None:
        self.slip = Slip(self.session)
        self.section("RIGHTS SLIP", self._rights_said, ("rights",))
        self.found_slip = NameLabel(-0.5, 400, "soft")
        self.add(self.found_slip)
        for field in self.slip.fields():
            self.add(field)

    def _rights_said(self) -> str:
        found = [s for s in self.work.chosen.slips if s is not None]
        if found:
            return " · ".join(filter(None, (found[0].author, found[0].licence)))
        return self.slip.words()

    # -- showing

    def refresh(self, *_: object) -> None:
        """Show origins and the slip, and whether the source has changed."""
        self._show_origins()
        self.slip.refresh()
        s = self.session
        changed = (
            any(r.requirement == "source-changed" for r in s.result.ledger.open()) if s.result else False
        )
        self.again.setVisible(changed)
        demo = s.shipment is not None and s.shipment.path == demo_path(data_folder())
        self.drop_hint.setVisible(not self.work.browsed.entries)
        self.stores.setVisible(demo and not self.work.browsed.entries)

    def _show_origins(self) -> None:
        if (origins := self.session.origins()) is self._origins:
            return
        chosen = self.origin.currentData() if self.origin.count() > 1 else self.session.state.last_origin
        self._origins = origins
        self.origin.clear()
        self.origin.addItem("As the files say", "")
        for id_, o in origins.items():
            self.origin.addItem(o.title, id_)
        show_choice(self.origin, str(chosen or ""))

    def _read(self, id_: str) -> None:
        """What the file itself says of its licence is known once it has been read."""
        if id_ == self.session.current and not self.slip.busy():
            self.refresh()

    def _listed(self, fresh: bool, shown: bool) -> None:
        self.page.show_heap(self.work.browsed, fresh, shown)
        if shown:
            self._look_at(bool(self.work.browsed.entries))
        self.refresh()
        self.arrange_soon()

    def _show_chosen(self) -> None:
        chosen = self.work.chosen
        self.page.model.show_chosen(self.work.picked)
        self.along.show_closures(chosen.closures)
        any_ = bool(chosen.closures)
        self.along.setVisible(any_)
        self.nothing.setVisible(not any_)
        wanting = self.along.wanting()
        several = [x for x in wanting if x.candidates]
        self.wanting.setVisible(bool(wanting))
        self.which.setVisible(bool(several))
        if several:
            self.which.setText(f"Choose {Path(several[0].name).stem[:10]} …")
        self.cost_fold.setVisible(any_)
        if (spent := chosen.cost) is not None:
            spared = sum(spent.spared.values())
            kinds = ", ".join(sorted(spent.spared))
            said = (
                f"{byte_text(spent.size)} of {byte_text(spent.whole)}",
                byte_text(spent.free),
                f"{_seconds(spent.seconds)}{byte_text(spent.memory)} of memory",
                f"{byte_text(spared)}: {kinds}" if spared else "–",
            )
            for value, text in zip(self.costs.values(), said):
                value.setText(text)
        slip = next((s for s in chosen.slips if s is not None), None)
        self.found_slip.setVisible(slip is not None)
        if slip is not None:
            self.found_slip.setText(
                f"{Path(slip.place).name}: {', '.join(filter(None, (slip.author, slip.licence)))}"
            )
        self._say_take()
        self.arrange_soon()

    def _say_take(self) -> None:
        count = len(self.work.picked)
        self.take_button.setText(f"Take in {many(count, 'asset')}" if count else "Take in")
        self.take_button.setEnabled(bool(count) and self.work.settled)

    def _look_at(self, heap: bool) -> None:
        """The view shows what was picked last: a file of the heap, or one of the goods."""
        if heap != self._looking:
            self._looking = heap
            self.view_changed.emit()

    def _picked(self, entry: Entry | None) -> None:
        self._look_at(True)
        if entry is not None and entry.kind != "archive":
            self.preview.wait_for(entry.path.name)
        self.work.preview(entry)

    def _shown(self, shown: Shown | None) -> None:
        if shown is None or shown.place == self.page.current_place():
            self.preview.show_file(shown)

    def _told(self, ranked: list[Explained]) -> None:
        self._best = ranked[0] if ranked else None
        self._say_origin()

    def _say_origin(self) -> None:
        best = self._best
        self.why.setVisible(best is not None)
        origin = self.session.origins().get(best.origin) if best is not None else None
        self.this_origin.setVisible(best is not None and str(self.origin.currentData() or "") != best.origin)
        if best is not None:
            self.why.setText(f"{origin.title if origin else 'As the files say'}. {best.reason}")
        self.arrange_soon()

    # -- hands

    def _stores(self) -> None:
        self.work.look_into(lambda: stores.write_stores(demo_path(data_folder()).parent))

    def _again(self) -> None:
        if self.session.asset is not None:
            self.session.jobs.take_again(self.session.asset)

    def _files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Choose files")
        if names:
            self.look([Path(n) for n in names])

    def _folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Choose a folder")
        if name:
            self.look([Path(name)])

    def look(self, paths: Sequence[Path]) -> None:
        """List what is in files, folders and archives, in the background."""
        self.work.look(paths)

    def _which(self) -> None:
        several = [x for x in self.along.wanting() if x.candidates]
        if several:
            self.along.choose(several[0], self.which)

    def _take_origin(self) -> None:
        if self._best is not None:
            show_choice(self.origin, self._best.origin)
            self._say_origin()

    def chosen_origin(self) -> Origin | None:
        """The origin goods are taken in with."""
        return self.session.origins().get(str(self.origin.currentData() or ""))

    def bring(self, paths: list[Path]) -> None:
        """What a person brought to the window: listed; files, and the few models of a folder or an archive, are
        taken in with the chosen origin.
        """
        plain = [p for p in paths if p.is_file() and outer(p) is None]
        rest = [p for p in paths if p not in plain]
        if plain:
            # What is taken in is looked at as one of the goods: it is read and drawn once.
            self.work.look(plain, shown=False)
            self.session.jobs.take_in(plain, self.chosen_origin())
        if rest:
            self.work.look(rest, self._brought)

    def _brought(self, models: list[Entry]) -> None:
        if models and len(models) <= AT_ONCE:
            self.session.jobs.take_models(
                [Wanted(e.path, Path(e.root)) for e in models], self.chosen_origin()
            )
            return
        self.desk_wanted.emit("intake")
        if not models:
            self.session.said.emit("No model in there.", "query")

    def _take(self) -> None:
        chosen = self.work.chosen
        wanted = [
            Wanted(c.model.path, Path(c.model.root), dict(c.given), self.pairs.of(c.model.place), slip)
            for c, slip in zip(chosen.closures, chosen.slips)
        ]
        if wanted:
            self.session.jobs.take_models(wanted, self.chosen_origin())
            self.work.let_go()
