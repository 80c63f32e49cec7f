"""Colours, fonts, icons, style sheet."""

from __future__ import annotations

import contextlib
import os
import tempfile
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import (
    QAction,
    QColor,
    QFont,
    QFontDatabase,
    QGuiApplication,
    QIcon,
    QPainter,
    QPalette,
    QPixmap,
)
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QAbstractButton, QApplication

HERE = Path(__file__).parent
FAMILY = "Barlow Semi Condensed"
LEAST_POINTS = 10.5
"""Points of the letters, where the desktop has smaller ones."""


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
    bar_model: str
    bar_texture: str
    bar_clips: str
    bar_other: str


DAY = Colours(
    paper="#F3EFE4", card="#FBF9F2", shade="#FDF8EA", desk="#E8E2CF", ink="#1F2D33", soft="#5A676E", rule="#D9D1BD",
    teal="#0F6A6C", teal_soft="#DCEAE6", on_teal="#FFFFFF", cleared="#2E7A4D", cleared_soft="#E3EFE3", query="#B5761A",
    query_text="#8A5A0F", held="#B4371F", bar="#1F2D33", bar_text="#F3EFE4", stripe="#F5F1E6", view="#D3DAD9",
    bar_model="#8FB0AC", bar_texture="#DCC896", bar_clips="#B8A8CC", bar_other="#D2CDC0",
)  # fmt: skip
EVENING = Colours(
    paper="#1C2327", card="#242D32", shade="#20282C", desk="#161C1F", ink="#ECE7DA", soft="#A9B4B6", rule="#3B474C",
    teal="#63BDB6", teal_soft="#24413F", on_teal="#10201F", cleared="#7FCB9D", cleared_soft="#22382C", query="#E3AE52",
    query_text="#EBBD6C", held="#F08A70", bar="#11171A", bar_text="#ECE7DA", stripe="#283237", view="#252F34",
    bar_model="#3F6F6C", bar_texture="#7A6636", bar_clips="#5E5074", bar_other="#4A4F50",
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
    """A colour of the variant in force, the caller's own to change."""
    return QColor.fromRgba(_rgba(getattr(_Current.colours, name)))


@cache
def _rgba(text: str) -> int:
    return QColor(text).rgba()


def load_fonts() -> None:
    """Register the shipped fonts."""
    for path in sorted((HERE / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def wear_letters(app: QApplication, text: float = 1.0) -> None:
    """The shipped fonts as the application's own, `text` times as large as the desktop's letters, which count as 10.5 points at least."""
    load_fonts()
    _font.cache_clear()
    base = app.font()
    base.setFamily(FAMILY)
    base.setPointSizeF(max(base.pointSizeF(), LEAST_POINTS) * text)
    base.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    app.setFont(base)


def font(size: float = 0.0, weight: int = 400) -> QFont:
    """The interface font, `size` points larger than the desktop's own, figures all of one width; the caller's own to change."""
    points = QApplication.font().pointSizeF()
    return QFont(_font((points if points > 0 else 11.0) + size, weight))


@cache
def _font(points: float, weight: int) -> QFont:
    """Kept, as every cell of a table asks for one, and what draws its letters is found once for all copies."""
    out = QFont(FAMILY)
    out.setPointSizeF(points)
    out.setWeight(QFont.Weight(weight))
    # Hinting a bold letter of this size runs the dot of an i into its stem.
    out.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    if hasattr(out, "setFeature") and hasattr(QFont, "Tag"):
        out.setFeature(QFont.Tag("tnum"), 1)
    return out


USUAL_POINTS = 10.5
"""Points of text the sizes of the window's parts are meant for."""


def span(pixels: float, share: float = 1.0) -> int:
    """`pixels` for text of the usual size, larger with larger text by `share` of what it is larger."""
    larger = max(1.0, QApplication.font().pointSizeF() / USUAL_POINTS) - 1.0
    return round(pixels * (1.0 + larger * share))


NO_ICON = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 24"><path d="M5 5h14v14H5z" fill="none" stroke="currentColor"/></svg>'


@cache
def _svg(name: str) -> str:
    try:
        return (HERE / "icons" / f"{name}.svg").read_text("utf-8")
    except OSError:
        # A copy that was cut short works all the same: what stands beside the icon says what it does.
        return NO_ICON


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
    path = folder / f"{name}-{tone.lstrip('#')}.svg"
    with contextlib.suppress(OSError):
        folder.mkdir(mode=0o700, exist_ok=True)
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
        (QPalette.ColorRole.Link, c.teal), (QPalette.ColorRole.LinkVisited, c.teal),
    ):  # fmt: skip
        palette.setColor(role, QColor(value))
    app.setPalette(palette)
    # To set the same again dresses every widget anew.
    if (text := sheet(c)) != app.styleSheet():
        app.setStyleSheet(text)
    _redress()


def sheet(colours: Colours) -> str:
    """Qt style sheet of a variant: `window.qss` with its colours filled in."""
    text = (HERE / "window.qss").read_text("utf-8")
    return text.format(
        c=colours,
        family=FAMILY,
        chevron=_tinted("chevron-down", colours.soft),
        before=_tinted("chevron-left", colours.ink),
        after=_tinted("chevron-right", colours.ink),
        tick=_tinted("check", colours.on_teal),
    )


def wants_evening(choice: str) -> bool:
    """True when the dark variant is to be used."""
    if choice != "desktop":
        return choice == "evening"
    hints = QGuiApplication.styleHints()
    return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
