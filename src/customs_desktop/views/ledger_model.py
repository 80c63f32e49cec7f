"""The ledger as a table: of one asset, and of all goods."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from customs.ledger.ledger import Ledger, effective, worst
from customs.ledger.row import RANK, Row, requirements
from customs_desktop.session import Session
from customs_desktop.style.theme import colour, font

Role = Qt.ItemDataRole
COLUMNS = ("Requirement", "Received", "Required", "Delivering", "Remedy")
AT_STOP = ("Requirement", "Received", "Required", "At stop", "Delivering", "Remedy")


class LedgerModel(QAbstractTableModel):
    """Rows of the selected asset, worst first, filtered."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: list[Row] = []
        self.at_stop: dict[str, str] = {}
        self.verdicts = {"cleared", "query", "held"}
        self.desk = ""
        self.search = ""

    @property
    def columns(self) -> tuple[str, ...]:
        """Headings; one more while a stop before the end is picked."""
        return AT_STOP if self.at_stop else COLUMNS

    def refresh(self) -> None:
        """Take over the ledger as it is."""
        self.beginResetModel()
        result = self.session.result
        rows = list(result.ledger.rows) if result else []
        words = self.search.lower().split()
        self.rows = [
            r
            for r in rows
            if effective(r) in self.verdicts
            and (not self.desk or r.desk == self.desk)
            and all(w in f"{r.title} {r.subject_name} {r.note}".lower() for w in words)
        ]
        self.rows.sort(key=lambda r: (-RANK[effective(r)], not r.done_at))
        self.endResetModel()

    def show_at_stop(self, values: dict[str, str]) -> None:
        """What each row (by id) had at the picked stop; empty hides the column."""
        self.beginResetModel()
        self.at_stop = values
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Role.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return self.columns[section]
        if role == Role.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if not index.isValid() or index.row() >= len(self.rows):
            return None
        r, column = self.rows[index.row()], self.columns[index.column()]
        if role == Role.UserRole:
            return r
        if role == Role.DisplayRole:
            return self.text(r, column)
        if role == Role.ToolTipRole:
            return self._tip(r)
        if role == Role.ForegroundRole:
            return self._tone(r, column)
        if role == Role.FontRole and column == "Requirement":
            return font(0, 500)
        return None

    def text(self, row: Row, column: str) -> str:
        """Text of a cell."""
        if column == "Requirement":
            return f"{row.title} · {row.subject_name}" if row.subject_name else row.title
        if column == "Remedy":
            if row.waived:
                return f"waived: {row.waived}"
            if row.remedy is not None and effective(row) != "cleared":
                return row.remedy.label
            return (
                f"done at {row.done_at}" if row.done_at else row.note if effective(row) != "cleared" else ""
            )
        if column == "At stop":
            return self.at_stop.get(row.id, "–")
        return {"Received": row.received, "Required": row.required, "Delivering": row.delivering}[column]

    def _tone(self, row: Row, column: str) -> object:
        if column == "Required" or (column == "Remedy" and (row.done_at or row.waived)):
            return colour("soft")
        if column == "Delivering" and effective(row) != "cleared":
            return colour("query_text" if row.verdict == "query" else "held")
        return colour("ink")

    @staticmethod
    def _tip(row: Row) -> str:
        parts = [
            f"{row.title}: {row.verdict}",
            row.note,
            f"Required {row.required}, delivering {row.delivering}.",
        ]
        return "\n".join(p for p in parts if p)


class GoodsLedgerModel(QAbstractTableModel):
    """Requirements × goods, a cell the worst verdict."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.ids: list[str] = []
        self.names: list[str] = []
        self.rules: list[tuple[str, str]] = []
        self.only_open = False
        self._known: dict[str, Ledger] = {}
        self._cells: dict[str, dict[str, list[Row]]] = {}
        self._ranks: dict[str, dict[str, int]] = {}

    def refresh(self) -> None:
        """Take over all ledgers; only those that are others than before are gone through."""
        self.beginResetModel()
        goods, results = self.session.state.goods, self.session.results
        self.ids, self.names = [a.id for a in goods], [a.name for a in goods]
        now = {a.id: results[a.id].ledger for a in goods if a.id in results}
        for id_ in [i for i, ledger in self._known.items() if now.get(i) is not ledger]:
            self._forget(id_)
        for id_, ledger in now.items():
            if id_ not in self._known:
                self._take(id_, ledger)
        order = {k: i for i, k in enumerate(requirements())}
        found = {k: max(ranks.values()) for k, ranks in self._ranks.items() if ranks}
        rules = sorted(found, key=lambda k: (-found[k], order.get(k, -1)))
        self.rules = [(k, _title(self._cells[k])) for k in rules if found[k] > 0 or not self.only_open]
        self.endResetModel()

    def _forget(self, id_: str) -> None:
        for table in (*self._cells.values(), *self._ranks.values()):
            table.pop(id_, None)
        del self._known[id_]

    def _take(self, id_: str, ledger: Ledger) -> None:
        self._known[id_] = ledger
        for r in ledger.rows:
            self._cells.setdefault(r.requirement, {}).setdefault(id_, []).append(r)
            ranks = self._ranks.setdefault(r.requirement, {})
            ranks[id_] = max(ranks.get(id_, 0), RANK[effective(r)])

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.rules)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 1 + len(self.ids)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Role.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return "Requirement" if section == 0 else self.names[section - 1]
        if role == Role.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    def rows_at(self, index: QModelIndex) -> list[tuple[str, Row]]:
        """(asset, row) pairs of a cell; of the whole line for the first column."""
        if not index.isValid() or index.row() >= len(self.rules):
            return []
        rule = self.rules[index.row()][0]
        ids = self.ids if index.column() == 0 else [self.ids[index.column() - 1]]
        return [(i, r) for i in ids for r in self._cells.get(rule, {}).get(i, [])]

    def data(self, index: QModelIndex, role: int = 0) -> object:
        if not index.isValid() or index.row() >= len(self.rules):
            return None
        rule, title = self.rules[index.row()]
        if index.column() == 0:
            return title if role == Role.DisplayRole else font(0, 500) if role == Role.FontRole else None
        rows = self._cells.get(rule, {}).get(self.ids[index.column() - 1], [])
        verdict = worst(rows) if rows else "none"
        if role == Role.UserRole:
            return verdict
        if role == Role.DisplayRole:
            open_rows = [r for r in rows if effective(r) != "cleared"]
            return open_rows[0].delivering if open_rows else ""
        if role in (Role.ToolTipRole, Role.AccessibleTextRole):
            lines = [
                f"{r.subject_name or r.title}: {r.delivering} (required {r.required}), {r.verdict}"
                for r in rows[:8]
            ]
            return "\n".join([f"{title}: {verdict}", *lines])
        return None


def _title(cells: dict[str, list[Row]]) -> str:
    return next(iter(cells.values()))[0].title


Press = Callable[[Row], object]
