"""What is this?: where the guide explains what has the keyboard, or what the pointer is on."""

from __future__ import annotations

from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QWidget

from customs.guide.places import about_field, about_row, about_stop
from customs_desktop.office import Office
from customs_desktop.views.deck import Deck
from customs_desktop.views.goods import GoodsPanel
from customs_desktop.views.ledger import LedgerView
from customs_desktop.views.route_strip import RouteStrip
from customs_desktop.views.settings_form import SettingsForm
from customs_desktop.views.twin import TwinView
from customs_desktop.widgets.fold import Fold

Place = tuple[str, str, str]
"""Page, anchor, and the term that is explained there."""
GUESTS = {
    "Learn": ("learning", ""),
    "Queue": ("recipes", "in-the-window"),
    "History": ("window", "undo-and-history"),
}


def place_of(widget: QWidget | None, session: Office, desk: str, deck: Deck) -> Place:
    """Where the guide explains a widget: the first of it and what holds it that the guide knows."""
    term, at = name_of(widget), widget
    while at is not None:
        found = _known(at, term, session, desk, deck)
        if found is not None:
            return found
        at = at.parentWidget()
    return desk or "window", "", ""


def _known(at: QWidget, term: str, session: Office, desk: str, deck: Deck) -> Place | None:
    if isinstance(at, SettingsForm):
        return (*about_stop(at.stop.step), term)
    if isinstance(at, RouteStrip):
        asset = session.asset
        stops = [s for s in asset.stops if s.id == session.stop] if asset is not None else []
        return (*about_stop(stops[0].step), "") if stops else ("window", "the-route", "")
    if isinstance(at, LedgerView):
        row = at.current_row()
        return (*about_row(row.requirement), "") if row is not None else ("window", "the-ledger", "")
    if isinstance(at, GoodsPanel):
        return "window", "the-goods", ""
    if isinstance(at, TwinView):
        return "window", "the-views", ""
    if isinstance(at, Fold):
        return (*about_field(desk, at.title), term)
    if isinstance(at, Deck):
        title = next((t for t, w in deck.pages if w is deck.stack.currentWidget()), "")
        return (*GUESTS[title], term) if title in GUESTS else (*about_field(desk, title), term)
    return None


def name_of(widget: QWidget | None) -> str:
    """What a widget is called on the screen or by a screen reader."""
    if widget is None or (isinstance(widget, QComboBox) and not widget.accessibleName()):
        return ""
    if widget.accessibleName():
        return widget.accessibleName()
    return widget.text() if isinstance(widget, QAbstractButton | QLabel) else ""
