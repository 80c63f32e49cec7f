"""The page Lists: a mapping made by picking from a list itself, and the level taken in through it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from customs.demo.place import demo_path
from customs.errors import CustomsError
from customs.later import later
from customs.levels.explore import Explored, explore, guessed
from customs.levels.library import Resolved
from customs.levels.mapping import Fields, Frame, Library, Mapping
from customs.levels.read import Listed, read_list, resolved_names
from customs.words import many
from customs.work.levels import composed
from customs.work.places import data_folder
from customs_desktop.desks.grounds.mapping_files import MappingFiles, plain
from customs_desktop.jobs import Wanted
from customs_desktop.office import Office
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import (
    NameLabel,
    NumberField,
    button,
    combo,
    label,
    lines_of,
    row,
    show_choice,
)
from customs_desktop.worker import Task

demo = later("customs.demo.court")
FIELDS = (
    ("name", "Name of the file"), ("matrix", "Matrix"), ("position", "Position"), ("rotation", "Rotation"), ("scale", "Scale"),
    ("id", "Number"), ("parent", "Hangs under"), ("visible", "Visible"), ("kind", "Kind"),
)  # fmt: skip
AXES = [(a, a.replace("-", "−")) for a in ("+X", "-X", "+Y", "-Y", "+Z", "-Z")]
TURNS = [
    ("quaternion-xyzw", "quaternion x y z w"), ("quaternion-wxyz", "quaternion w x y z"), ("euler", "angles"),
]  # fmt: skip
ORDERS = ("XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX")
EULER = [(o, f"{o}, own axes") for o in ORDERS] + [(o.lower(), f"{o}, fixed axes") for o in ORDERS]
NUMBERS = {"name": (0,), "position": (3,), "rotation": (3, 4), "scale": (1, 3), "matrix": (12, 16)}
APART = "x y z apart"


@dataclass(frozen=True, eq=False)
class Told:
    """What a mapping makes of the lists."""

    lists: tuple[Listed, ...]
    names: tuple[Resolved, ...]


class ListsPage(QWidget):
    """What is chosen here is a mapping; pressing takes the level in."""

    def __init__(self, session: Office) -> None:
        super().__init__()
        self.session = session
        self.paths: list[Path] = []
        self.libraries: list[Path] = []
        self.explored: Explored | None = None
        self._wanted: Mapping | None = None
        """A mapping that is known for what is being looked through."""
        self.files_of_mapping = MappingFiles(self)
        self._asked: dict[str, Task] = {}
        """The last of each kind of work."""
        self.files, self.told = NameLabel(0, 600), NameLabel(0, 400, "soft")
        self.entries = QComboBox()
        self.entries.setAccessibleName("Where the entries are")
        self.entries.activated.connect(lambda _: self._entries_chosen())
        grid = self._places()
        self._conventions()
        scroll = self._laid_out(grid)
        self.take_button = button("Take in", self.take, "main", "arrow-down-to-line")
        head = lines_of(
            button("Lists …", self._choose, "", "file-box"),
            button("Library …", self._library, "", "folder"),
            button("The palm court", self.court, "flat", "", "The level of the glasshouse, to try it on"),
            1,
            self.take_button,
        )
        head.setContentsMargins(12, 4, 12, 0)
        foot = QVBoxLayout()
        foot.setContentsMargins(12, 0, 12, 4)
        foot.setSpacing(0)
        foot.addWidget(self.files)
        foot.addWidget(self.told)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(head)
        whole.addWidget(scroll, 1)
        whole.addLayout(foot)
        self._show_files()

    def _places(self) -> QGridLayout:
        """A choice for each thing an entry may say."""
        self.fields: dict[str, QComboBox] = {}
        grid = QGridLayout()
        grid.setContentsMargins(12, 4, 12, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.addWidget(label("Entries"), 0, 0)
        grid.addWidget(self.entries, 0, 1)
        for k, (id_, title) in enumerate(FIELDS):
            box = self.fields[id_] = QComboBox()
            box.setAccessibleName(title)
            box.setMinimumWidth(span(120, 0.5))
            box.activated.connect(lambda _: self._changed())
            at = k + 1
            grid.addWidget(label(title), at % 5, 2 * (at // 5))
            grid.addWidget(box, at % 5, 2 * (at // 5) + 1)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        return grid

    def _conventions(self) -> None:
        """Choices of how numbers are written, and in what axes and unit."""
        changed = self._changed
        self.turns = combo(TURNS, "How rotations are written", lambda _: changed())
        self.euler = combo(EULER, "Order of the angles", lambda _: changed())
        self.order = combo(
            [("column", "by columns"), ("row", "by rows")], "How a matrix is written", lambda _: changed()
        )
        self.takes = combo(
            [("list", "things in the list's frame"), ("raw", "raw numbers of the files")],
            "What a transform takes",
            lambda _: changed(),
        )
        for choice, wide in ((self.turns, 140), (self.euler, 120), (self.order, 100), (self.takes, 190)):
            choice.setMinimumWidth(span(wide, 0.5))
        self.frames = {
            part: (
                combo(AXES, f"Up of the {part}", lambda _: changed()),
                combo(AXES, f"Front of the {part}", lambda _: changed()),
                combo(
                    [("right", "right-handed"), ("left", "left-handed")],
                    f"Hand of the {part}",
                    lambda _: changed(),
                ),
                NumberField(1e-9, 1e6, 4, f"Metres per unit of the {part}"),
            )
            for part in ("list", "files")
        }
        for up, front, hand, unit in self.frames.values():
            for choice, wide in ((up, 58), (front, 58), (hand, 112)):
                choice.setMinimumWidth(span(wide, 0.5))
            unit.setFixedWidth(span(58, 0.5))
            unit.entered.connect(lambda _: changed())

    def _laid_out(self, grid: QGridLayout) -> QScrollArea:
        """All choices below each other."""
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 2, 0, 4)
        column.setSpacing(4)
        column.addLayout(grid)
        for line in (
            row(
                label("Mapping"),
                button(
                    "Open …",
                    self.files_of_mapping.ask_open,
                    "flat",
                    "",
                    "A mapping that was saved, of lists or of figures",
                ),
                button("Save …", self.files_of_mapping.ask_save, "flat", "", "Save this mapping as a file"),
                1,
            ),
            row(label("Rotations"), self.turns, self.euler, label("Matrix"), self.order, 1),
            row(label("A transform takes"), self.takes, 1),
            *(
                row(
                    label(f"The {part}: up"),
                    *self.frames[part][:1],
                    label("front"),
                    *self.frames[part][1:],
                    label("m a unit"),
                    1,
                )
                for part in self.frames
            ),
        ):
            line.setContentsMargins(12, 0, 12, 0)
            column.addWidget(line)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(inner)
        return scroll

    # -- files

    def _choose(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, "Lists of placements", "", "Lists (*.json *.csv *.tsv *.xml *.txt);;All (*)"
        )
        if names:
            self.open_lists([Path(n) for n in names])

    def court(self) -> None:
        """The palm court of the glasshouse, its mapping made already."""

        def done(files: tuple[Path, Path, Path]) -> None:
            self.libraries = [files[2]]
            self._wanted = demo.court_mapping()
            self.open_lists([files[0]])

        folder = demo_path(data_folder()).parent / "court"
        self._aside("court", "Writing the palm court", lambda: demo.write_court(folder), done)

    def _library(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder of the files the names mean")
        if folder:
            self.add_library(Path(folder))

    def open_lists(self, paths: list[Path]) -> None:
        """Look through a list; further ones are read as it is."""
        self.paths = paths
        self._aside("explore", f"Looking through {paths[0].name}", lambda: explore(paths[0]), self._explored)

    def add_library(self, folder: Path) -> None:
        """A further folder of library files."""
        self.libraries = [*(f for f in self.libraries if f != folder), folder]
        self._show_files()
        self._changed()

    def _explored(self, found: Explored) -> None:
        self.explored = found
        self.entries.clear()
        for place, count in found.entries:
            self.entries.addItem(f"{place or 'rows'} ({count:,})", place)
        self._offer()
        guess, self._wanted = self._wanted or guessed(found), None
        if guess is not None:
            self.show_mapping(guess)
        self._show_files()
        self._changed()

    def _show_files(self) -> None:
        names = ", ".join(p.name for p in self.paths) or "no list chosen"
        where = ", ".join(f.name for f in self.libraries) or "no library"
        self.files.setText(f"{names} · {where}")
        self.take_button.setEnabled(bool(self.paths) and bool(self.libraries))

    # -- the mapping

    def _offer(self) -> None:
        """Places of an entry, to pick from."""
        explored, place = self.explored, self.entries.currentData()
        places = explored.places.get(place, ()) if explored is not None else ()
        names = {p.path.rpartition("/")[2].lower() for p in places}
        for id_, box in self.fields.items():
            box.clear()
            box.addItem("–", "")
            if id_ == "position" and {"x", "y", "z"} <= names:
                box.addItem(APART, APART)
            wanted = NUMBERS.get(id_)
            for p in places:
                if wanted is None or p.numbers in wanted:
                    box.addItem(f"{p.path}   {p.value}", p.path)

    def _entries_chosen(self) -> None:
        self._offer()
        guess = guessed(self.explored, self.entries.currentData()) if self.explored is not None else None
        if guess is not None:
            self.show_mapping(guess)
        self._changed()

    def want(self, mapping: Mapping) -> None:
        """A mapping from a file: of the list that is looked through, or of the next one."""
        self._wanted = mapping
        if self.explored is not None:
            self._explored(self.explored)

    def show_mapping(self, mapping: Mapping) -> None:
        """The choices of a mapping."""
        at = self.entries.findData(mapping.entries)
        if at >= 0 and at != self.entries.currentIndex():
            self.entries.setCurrentIndex(at)
            self._offer()
        for id_, box in self.fields.items():
            value = getattr(mapping.fields, id_)
            show_choice(box, value if isinstance(value, str) else APART if value else "")
        for choice, value in (
            (self.turns, mapping.rotation),
            (self.euler, mapping.euler),
            (self.order, mapping.order),
            (self.takes, mapping.takes),
        ):
            show_choice(choice, value)
        for part, frame in (("list", mapping.frame), ("files", mapping.library.frame)):
            up, front, hand, unit = self.frames[part]
            for choice, value in ((up, frame.up), (front, frame.faces), (hand, frame.hand)):
                show_choice(choice, value)
            unit.show_value(frame.metres_per_unit)

    def mapping(self) -> Mapping:
        """What is chosen. Raises ValueError where it is no mapping yet."""
        chosen: dict[str, Any] = {k: b.currentData() or "" for k, b in self.fields.items()}
        if chosen["position"] == APART:
            places = (
                self.explored.places.get(self.entries.currentData(), ()) if self.explored is not None else ()
            )
            chosen["position"] = tuple(
                next(p.path for p in places if p.path.rpartition("/")[2].lower() == axis) for axis in "xyz"
            )
        frames = {}
        for part, (up, front, hand, unit) in self.frames.items():
            frames[part] = Frame(
                up=up.currentData(),
                faces=front.currentData(),
                hand=hand.currentData(),
                metres_per_unit=unit.value() or 1.0,
            )
        return Mapping(
            entries=self.entries.currentData() or "",
            fields=Fields(**chosen),
            rotation=self.turns.currentData(),
            euler=self.euler.currentData(),
            order=self.order.currentData(),
            takes=self.takes.currentData(),
            frame=frames["list"],
            library=Library(frame=frames["files"]),
        )

    def _changed(self) -> None:
        """What the mapping makes of the lists, said below it."""
        if not self.paths or self.explored is None:
            return
        try:
            mapping = self.mapping()
        except ValueError as problem:
            self.told.setText(plain(problem))
            return
        paths, libraries = list(self.paths), list(self.libraries)

        def run() -> Told:
            lists = tuple(read_list(p, mapping) for p in paths)
            return Told(lists, tuple(resolved_names(lists, libraries, mapping)) if libraries else ())

        self._aside("mapping", "Reading lists", run, self._say)

    def _say(self, told: Told) -> None:
        count, problems = sum(map(len, told.lists)), [p for x in told.lists for p in x.problems]
        parts = [many(count, "placement")]
        if told.names:
            missing = sum(not r.files for r in told.names)
            unclear = sum(r.ambiguous for r in told.names)
            known = len(told.names) - missing - unclear
            parts.append(
                f"{many(len(told.names), 'name')}: {known} found, {missing} missing, {unclear} ambiguous"
            )
        self.told.setText(" · ".join([*parts, *problems[:2]]))

    # -- taking in

    def take(self) -> None:
        """The level, as one asset."""
        try:
            mapping = self.mapping()
        except ValueError as problem:
            self.session.said.emit(plain(problem), "query")
            return
        paths, libraries = list(self.paths), list(self.libraries)

        def done(level: Any) -> None:
            self.session.jobs.take_models([Wanted(level.path, level.path.parent, level.given)], None)

        self._aside("level", "Putting the level together", lambda: composed(paths, mapping, libraries), done)

    def _aside(self, key: str, title: str, run: Any, done: Any) -> None:
        """Work that takes a while. Threads may answer out of turn: what was asked before the last is let go."""

        def answered(result: Any) -> None:
            if self._asked.get(key) is task:
                done(result)

        def failed(problem: Exception) -> None:
            if self._asked.get(key) is not task:
                return
            if isinstance(problem, CustomsError):
                self.told.setText(str(problem))
            self.session.fail(problem)

        task = self._asked[key] = Task(
            0, key=f"lists {key}", title=title, run=lambda job: run(), done=answered, failed=failed, apart=True
        )  # fmt: skip
        self.session.worker.submit(task)
