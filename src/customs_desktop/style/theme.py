"""Colours, fonts, icons, style sheet."""

from __future__ import annotations

import os
import tempfile
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QAction, QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QAbstractButton, QApplication

HERE = Path(__file__).parent
FAMILY = "Barlow Semi Condensed"


@dataclass(frozen=True)
class Colours:
    """One variant of the paper."""

    paper: str
    card: str
    shade: str
    desk: str
    ink: str
    soft: str
    rule: str
    teal: str
    teal_soft: str
    on_teal: str
    cleared: str
    cleared_soft: str
    query: str
    query_text: str
    held: str
    bar: str
    bar_text: str
    stripe: str
    view: str


DAY = Colours(
    paper="#F3EFE4", card="#FBF9F2", shade="#FDF8EA", desk="#E8E2CF", ink="#1F2D33", soft="#5A676E", rule="#D9D1BD",
    teal="#0F6A6C", teal_soft="#DCEAE6", on_teal="#FFFFFF", cleared="#2E7A4D", cleared_soft="#E3EFE3", query="#B5761A",
    query_text="#8A5A0F", held="#B4371F", bar="#1F2D33", bar_text="#F3EFE4", stripe="#F5F1E6", view="#D3DAD9",
)  # fmt: skip
EVENING = Colours(
    paper="#1C2327", card="#242D32", shade="#20282C", desk="#161C1F", ink="#ECE7DA", soft="#A9B4B6", rule="#3B474C",
    teal="#63BDB6", teal_soft="#24413F", on_teal="#10201F", cleared="#7FCB9D", cleared_soft="#22382C", query="#E3AE52",
    query_text="#EBBD6C", held="#F08A70", bar="#11171A", bar_text="#ECE7DA", stripe="#283237", view="#252F34",
)  # fmt: skip


class _Current:
    colours: Colours = DAY


def colours() -> Colours:
    """The variant in force."""
    return _Current.colours


def is_evening() -> bool:
    """True for the dark variant."""
    return _Current.colours is EVENING


def colour(name: str) -> QColor:
    """A colour of the variant in force."""
    return QColor(getattr(_Current.colours, name))


def load_fonts() -> None:
    """Register the shipped fonts."""
    for path in sorted((HERE / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def font(size: float = 0.0, weight: int = 400) -> QFont:
    """The interface font, `size` points larger than the desktop's own, figures all of one width."""
    base = QApplication.font()
    out = QFont(FAMILY)
    points = base.pointSizeF() if base.pointSizeF() > 0 else 11.0
    out.setPointSizeF(points + size)
    out.setWeight(QFont.Weight(weight))
    if hasattr(out, "setFeature") and hasattr(QFont, "Tag"):
        out.setFeature(QFont.Tag("tnum"), 1)
    return out


@cache
def _svg(name: str) -> str:
    return (HERE / "icons" / f"{name}.svg").read_text("utf-8")


@cache
def pixmap(name: str, colour_name: str, size: int, ratio: float = 1.0) -> QPixmap:
    """An icon in one colour."""
    text = _svg(name).replace("currentColor", colour_name)
    out = QPixmap(int(size * ratio), int(size * ratio))
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    QSvgRenderer(QByteArray(text.encode())).render(painter, QRectF(0, 0, size * ratio, size * ratio))
    painter.end()
    out.setDevicePixelRatio(ratio)
    return out


def icon(name: str, role: str = "ink", size: int = 18) -> QIcon:
    """An icon in a colour of the variant in force, named by its role."""
    return QIcon(pixmap(name, getattr(colours(), role), size, 2.0))


def wear(thing: QAbstractButton | QAction, name: str, role: str = "ink") -> None:
    """Give an icon to something that keeps it through a change of paper."""
    thing.setProperty("icon_name", name)
    thing.setProperty("icon_role", role)
    thing.setIcon(icon(name, role))


def _redress() -> None:
    """Icons anew, in the colours of the variant now in force."""
    for widget in QApplication.allWidgets():
        for thing in (widget, *widget.actions()):
            name = thing.property("icon_name")
            if name and isinstance(thing, QAbstractButton | QAction):
                thing.setIcon(icon(str(name), str(thing.property("icon_role"))))


@cache
def _tinted(name: str, tone: str) -> str:
    """Path of an icon in one colour, for the style sheet, which can only name files."""
    folder = Path(tempfile.gettempdir()) / f"customs-icons-{os.getuid()}"
    folder.mkdir(mode=0o700, exist_ok=True)
    path = folder / f"{name}-{tone.lstrip('#')}.svg"
    path.write_text(_svg(name).replace("currentColor", tone), "utf-8")
    return path.as_posix()


def apply(app: QApplication, evening: bool) -> None:
    """Dress the application."""
    _Current.colours = EVENING if evening else DAY
    c = colours()
    palette = QPalette()
    for role, value in (
        (QPalette.ColorRole.Window, c.paper), (QPalette.ColorRole.Base, c.card), (QPalette.ColorRole.Text, c.ink),
        (QPalette.ColorRole.WindowText, c.ink), (QPalette.ColorRole.Button, c.card), (QPalette.ColorRole.ButtonText, c.ink),
        (QPalette.ColorRole.Highlight, c.teal), (QPalette.ColorRole.HighlightedText, c.on_teal),
        (QPalette.ColorRole.AlternateBase, c.stripe), (QPalette.ColorRole.PlaceholderText, c.soft),
        (QPalette.ColorRole.ToolTipBase, c.bar), (QPalette.ColorRole.ToolTipText, c.bar_text),
    ):  # fmt: skip
        palette.setColor(role, QColor(value))
    app.setPalette(palette)
    app.setStyleSheet(sheet(c))
    _redress()


def sheet(c: Colours) -> str:
    """Qt style sheet of a variant."""
    return f"""
* {{ font-family: "{FAMILY}"; color: {c.ink}; }}
QMainWindow, QDialog {{ background: {c.paper}; }}
QToolTip {{ background: {c.bar}; color: {c.bar_text}; border: none; padding: 4px 7px; }}
QMenuBar {{ background: {c.bar}; spacing: 14px; }}
QMenuBar::item {{ color: {c.bar_text}; background: transparent; padding: 7px 10px; }}
QMenuBar::item:selected {{ background: {c.teal}; }}
QMenu {{ background: {c.card}; border: 1px solid {c.rule}; padding: 5px; }}
QMenu::item {{ padding: 5px 26px 5px 14px; border-radius: 4px; }}
QMenu::item:selected {{ background: {c.teal_soft}; }}
QMenu::item:disabled {{ color: {c.soft}; }}
QMenu::separator {{ height: 1px; background: {c.rule}; margin: 5px 8px; }}
QMenu::indicator {{ width: 14px; height: 14px; margin-left: 4px; }}
QLabel {{ background: transparent; }}
QLabel[role="title"] {{ font-weight: 700; }}
QLabel[role="soft"] {{ color: {c.soft}; }}
QLabel[role="section"] {{ color: {c.soft}; font-weight: 600; }}
QLabel[role="bar"] {{ color: {c.bar_text}; }}
QLineEdit, QDoubleSpinBox, QSpinBox, QComboBox, QPlainTextEdit, QTextBrowser {{
  background: {c.card}; border: 1px solid {c.rule}; border-radius: 4px; padding: 4px 7px; selection-background-color: {c.teal};
  selection-color: {c.on_teal}; }}
QLineEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus, QComboBox:focus, QPlainTextEdit:focus {{ border: 2px solid {c.teal}; padding: 3px 6px; }}
QLineEdit[wrong="true"], QPlainTextEdit[wrong="true"] {{ border: 2px solid {c.held}; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ image: url({_tinted("chevron-down", c.soft)}); width: 13px; height: 13px; }}
QComboBox QAbstractItemView {{ background: {c.card}; border: 1px solid {c.rule}; selection-background-color: {c.teal_soft};
  selection-color: {c.ink}; outline: none; }}
QDoubleSpinBox::up-button, QDoubleSpinBox::down-button, QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
QPushButton {{ background: {c.card}; border: 1px solid {c.rule}; border-radius: 4px; padding: 5px 12px; }}
QPushButton:hover {{ border-color: {c.teal}; }}
QPushButton:focus {{ border: 2px solid {c.teal}; padding: 4px 11px; }}
QPushButton:disabled {{ color: {c.soft}; background: {c.paper}; }}
QPushButton[kind="main"] {{ background: {c.teal}; color: {c.on_teal}; border: 1px solid {c.teal}; font-weight: 600; }}
QPushButton[kind="main"]:focus {{ border: 2px solid {c.ink}; }}
QPushButton[kind="main"]:disabled {{ background: {c.rule}; border-color: {c.rule}; color: {c.soft}; }}
QPushButton[kind="chip"] {{ border-radius: 13px; padding: 4px 11px; }}
QPushButton[kind="chip"]:checked {{ background: {c.teal}; color: {c.on_teal}; border-color: {c.teal}; font-weight: 600; }}
QPushButton[kind="flat"], QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 4px; padding: 3px 6px; }}
QPushButton[kind="flat"]:hover, QToolButton:hover {{ background: {c.teal_soft}; }}
QPushButton[kind="flat"]:checked, QToolButton:checked {{ background: {c.teal_soft}; border-color: {c.teal}; }}
QPushButton[kind="flat"]:focus, QToolButton:focus {{ border: 1px solid {c.teal}; }}
QCheckBox::indicator {{ width: 15px; height: 15px; border: 1px solid {c.soft}; border-radius: 3px; background: {c.card}; }}
QCheckBox::indicator:checked {{ background: {c.teal}; border-color: {c.teal}; image: url({_tinted("check", c.on_teal)}); }}
QCheckBox:focus {{ color: {c.teal}; }}
QTableView, QTreeView, QListView {{ background: {c.card}; alternate-background-color: {c.stripe}; border: none; outline: none;
  selection-background-color: {c.teal_soft}; selection-color: {c.ink}; gridline-color: {c.rule}; }}
QTableView::item, QTreeView::item {{ padding: 2px 4px; }}
QTableView::item:selected, QTreeView::item:selected, QListView::item:selected {{ background: {c.teal_soft}; color: {c.ink}; }}
QTableView:focus, QTreeView:focus, QListView:focus {{ border: 1px solid {c.teal}; }}
QHeaderView {{ background: {c.card}; }}
QHeaderView::section {{ text-align: left; background: {c.card}; color: {c.soft}; border: none; border-bottom: 1px solid {c.rule}; padding: 4px; font-weight: 600; }}
QTabBar {{ background: transparent; }}
QTabBar::tab {{ background: transparent; color: {c.soft}; padding: 7px 12px 5px 12px; border-bottom: 3px solid transparent; }}
QTabBar::tab:selected {{ color: {c.teal}; border-bottom-color: {c.teal}; font-weight: 600; }}
QTabBar::tab:focus {{ color: {c.ink}; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {c.rule}; border-radius: 4px; min-height: 26px; min-width: 26px; margin: 1px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; height: 0; width: 0; }}
QScrollArea {{ background: transparent; border: none; }}
QScrollArea > QWidget > QWidget {{ background: transparent; }}
QSplitter::handle {{ background: {c.rule}; }}
QProgressBar {{ background: {c.card}; border: 1px solid {c.rule}; border-radius: 4px; text-align: center; height: 16px; }}
QProgressBar::chunk {{ background: {c.teal}; border-radius: 3px; }}
#panel {{ background: {c.shade}; border-left: 1px solid {c.rule}; }}
#goods {{ background: {c.paper}; border-right: 1px solid {c.rule}; }}
#deck {{ background: {c.card}; }}
#strip {{ background: {c.shade}; border-bottom: 1px solid {c.rule}; }}
#head {{ background: {c.paper}; border-bottom: 1px solid {c.rule}; }}
#card {{ background: {c.teal_soft}; border-radius: 4px; }}
#rule {{ background: {c.rule}; }}
#barname, #kept {{ color: {c.bar_text}; background: {c.bar}; }}
#kept {{ padding-right: 14px; }}
#mode {{ border: none; border-radius: 12px; padding: 4px 13px; background: transparent; }}
#mode:checked {{ background: {c.ink}; color: {c.card}; }}
#mode:focus {{ border: 1px solid {c.teal}; }}
#notice QPushButton {{ color: {c.bar_text}; }}
#notice {{ background: {c.bar}; }}
#notice QLabel {{ color: {c.bar_text}; }}
"""
