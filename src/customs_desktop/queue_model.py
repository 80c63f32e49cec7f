"""The goods of a run as a table: what runs, waits, is done, needs a person."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from customs.runs.report import wrong
from customs.words import byte_text
from customs_desktop.running import Running
from customs_desktop.style.theme import colour, font
from customs_desktop.widgets.marks import mark_icon

Role = Qt.ItemDataRole
COLUMNS = ("", "Asset", "What is said of it", "Time")
SHOWN = {"done": "cleared", "skipped": "cleared", "held": "held", "failed": "held", "broken": "held"}
GROUPS = {
    "all": ("running", "waiting", "held", "failed", "broken", "done", "skipped"),
    "runs": ("running",),
    "waits": ("waiting",),
    "person": ("held", "failed", "broken"),
    "done": ("done", "skipped"),
}
WORDS = {"failed": "not done", "broken": "process ended"}
"""States as a person reads them, where they are other words."""


class QueueModel(QAbstractTableModel):
    """Rows of one group of states, or those `only` one decision is about; what runs first, then what waits."""

    def __init__(self, running: Running) -> None:
        super().__init__()
        self.running = running
        self.group = "all"
        self.only: frozenset[str] | None = None
        self.paths: list[str] = []
        self._at: dict[str, int] = {}

    def refresh(self) -> None:
        """Which rows there are, in their order."""
        states = {p: self.running.state(p) for p in self.running.rows}
        wanted = GROUPS[self.group]
        order = {s: k for k, s in enumerate(GROUPS["all"])}
        paths = [p for p, s in states.items() if s in wanted and (self.only is None or p in self.only)]
        paths.sort(key=lambda p: order[states[p]])
        if paths == self.paths:
            self.changed(set(paths))
            return
        self.beginResetModel()
        self.paths, self._at = paths, {p: k for k, p in enumerate(paths)}
        self.endResetModel()

    def changed(self, paths: set[str]) -> None:
        """Rows that say something else now."""
        rows = sorted(self._at[p] for p in paths if p in self._at)
        if rows:
            self.dataChanged.emit(self.index(rows[0], 0), self.index(rows[-1], len(COLUMNS) - 1))

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.paths)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Role.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section]
        return None

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if not index.isValid() or index.row() >= len(self.paths):
            return None
        path = self.paths[index.row()]
        if role == Role.UserRole:
            return path
        if role == Role.DisplayRole:
            return self.text(path, index.column())
        if role == Role.ToolTipRole:
            return self.tip(path)
        if role == Role.AccessibleTextRole and index.column() == 0:
            return self.running.state(path)
        if role == Role.DecorationRole and index.column() == 0:
            return self.mark(path)
        if role == Role.FontRole:
            return font()
        if role == Role.ForegroundRole and self.running.state(path) in ("waiting", "skipped"):
            return colour("soft")
        return None

    def mark(self, path: str) -> object:
        """The verdict mark of one that has ended."""
        verdict = SHOWN.get(self.running.state(path))
        if verdict == "cleared" and self._asks(path):
            verdict = "query"
        return mark_icon(verdict) if verdict else None

    def _asks(self, path: str) -> bool:
        told = self.running.rows[path].told or {}
        return any(r["verdict"] == "query" and not r.get("waived") for r in told.get("rows", []))

    def text(self, path: str, column: int) -> str:
        """What a cell says."""
        row, state, doing = self.running.rows[path], self.running.state(path), self.running.doing.get(path)
        if column == 1:
            return Path(path).name
        if column == 2:
            return (
                doing[0] or "begins"
                if doing
                else state
                if state == "waiting"
                else said_of(row.told or {}, state)
            )
        seconds = doing[1] if doing else row.seconds
        return f"{seconds:,.1f} s" if column == 3 and seconds and state != "waiting" else ""

    def tip(self, path: str) -> str:
        """All of it: file, state, what is said, how much memory it took and how often it was tried."""
        row, state, doing = self.running.rows[path], self.running.state(path), self.running.doing.get(path)
        peak = doing[2] if doing else row.peak
        cost = [byte_text(peak) + " of memory"] if peak else []
        cost += [f"tried {row.attempt} times"] if row.attempt > 1 else []
        said = self.text(path, 2)
        return "\n".join(
            [path, WORDS.get(state, state) + (f": {said}" if said and said != state else ""), *cost]
        )


def said_of(told: dict[str, object], state: str) -> str:
    """What came of an asset, in a line."""
    error = told.get("error")
    if isinstance(error, dict):
        return wrong(error)
    if told.get("skipped"):
        return str(told["skipped"])
    rows = told.get("rows")
    open_ = [r for r in rows if not r.get("waived")] if isinstance(rows, list) else []
    held = [r["title"] for r in open_ if r["verdict"] == "held"]
    if state == "held":
        return ", ".join(dict.fromkeys(held))
    if state in ("done", "skipped") and not open_:
        return "delivered and landed" if state == "done" else "none of the goods meant"
    asks = list(dict.fromkeys(r["title"] for r in open_ if r["verdict"] == "query"))
    return ", ".join(asks)
