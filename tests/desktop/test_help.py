"""The guide in the window, what is asked about, the tour, preferences and keys."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QPoint
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QFileDialog, QLineEdit, QSlider, QWidget

from customs.guide.pages import pages, section, sections
from customs.guide.places import about_field
from customs.preferences import Preferences, keep_preferences, preferences
from customs.route.step import steps
from customs.work.places import origins_folder, sheets_folder
from customs_desktop.desk import DESKS
from customs_desktop.menus import Menus
from customs_desktop.preferences import PreferencesDialog
from customs_desktop.tour import ASSET, Tour
from customs_desktop.views.settings_form import SettingsForm
from customs_desktop.what import name_of
from customs_desktop.widgets.fold import Fold, FoldHead
from tests.desktop.conftest import Rig

FIELDS = (QLineEdit, QComboBox, QAbstractButton, QSlider)


def fields_in(holder: QWidget) -> list[str]:
    """What a person can use in it, by its name on the screen."""
    found = [w for kind in FIELDS for w in holder.findChildren(kind)]
    inner = [
        w
        for w in found
        if not isinstance(w, FoldHead) and not isinstance(w.parent(), QComboBox | QLineEdit | SettingsForm)
    ]
    return [n for w in inner if (n := name_of(w)) and any(c.isalpha() for c in n)]


def explained(name: str, text: str) -> bool:
    """Whether the guide names a field; states in brackets and the demo's own buttons aside."""
    plain = re.sub(r"\s*\(space\)|: .*", "", name).lower()
    return plain in text.lower()


def test_every_section_and_field_of_every_desk_is_explained(rig: Rig) -> None:
    missing = []
    for id_ in DESKS.all():
        panel = rig.window.panel(id_)
        holders = [(f.title, f) for f in panel.folds] + panel.pages()
        for title, holder in holders:
            place = about_field(id_, title)
            found = section(*place)
            if found is None:
                missing.append(f"{id_}: {title}")
                continue
            missing += [f"{id_}, {title}: {n}" for n in fields_in(holder) if not explained(n, found.text)]
    assert not missing, missing


def test_the_guide_goes_to_pages_sections_and_terms(rig: Rig) -> None:
    help_ = rig.window.helping
    rig.window.menus.actions["Guide"].trigger()
    guide = help_.guide
    assert guide is not None and guide.page == "first-port" and guide.list.count() > 20
    guide.search.setText("packing pattern")
    assert guide.page == "surface" and guide.marked.startswith("Packing pattern")
    guide.close()
    rig.wait(lambda: help_.guide is None)
    # The first thing it is asked is gone to as well, and pictures are as wide as the page.
    help_.show_guide("surface", "pack", "Packing pattern")
    guide = help_.guide
    assert guide is not None
    bar, view = guide.text.verticalScrollBar(), guide.text.viewport()
    assert bar is not None and view is not None
    rig.wait(lambda: bar.value() > 100)
    assert guide.text.document().idealWidth() <= view.width()  # type: ignore[union-attr]
    guide.search.setText("qwertz")
    assert guide.list.count() == 0 and "nothing found" in guide.told.text()
    guide.search.setText("")
    help_.show_guide("rows", "footing")
    assert guide.page == "rows" and "Footing" in guide.marked and guide.text.verticalScrollBar().value() > 0  # type: ignore[union-attr]
    from PyQt6.QtCore import QUrl

    guide._follow(QUrl("stops.md#footing"))
    assert guide.page == "stops" and "Footing" in guide.marked
    guide.back.click()
    assert guide.page == "rows" and "Footing" in guide.marked
    for page in pages():
        guide.show_page(page)
        assert len(guide._headings()) == sum(s.page == page for s in sections()), page
    guide.resize(500, 400)
    guide.close()
    rig.wait(lambda: help_.guide is None)


def test_what_is_this_answers_for_rows_stops_fields_and_what_is_pointed_at(small: Rig) -> None:
    w, s, help_ = small.window, small.session, small.window.helping
    asked: list[tuple[str, str]] = []

    def heard() -> tuple[str, str, str]:
        guide = help_.guide
        assert guide is not None
        return guide.page, guide._been[-1][1], guide.marked

    w.ledger.table.setFocus()
    w.ledger.table.selectRow(0)
    row = w.ledger.current_row()
    assert row is not None
    w.menus.actions["What is this?"].trigger()
    assert heard()[:2] == ("rows", row.requirement)
    stop = s.asset.stops[-1]  # type: ignore[union-attr]
    s.pick(stop.id)
    w.strip.setFocus()
    w.activateWindow()
    help_.explain(w.strip)
    assert heard()[:2] == ("stops", stop.step)
    next(a for a in w.strip.menu_for(stop).actions() if a.text() == "What is this?").trigger()
    next(a for a in w.ledger.menu_for(row).actions() if a.text() == "What is this?").trigger()
    assert heard()[:2] == ("rows", row.requirement)
    w.open_desk("surface")
    panel = w.panel("surface")
    panel.unfold("PACK")
    field = next(x for x in panel.findChildren(QLineEdit) if x.accessibleName() == "Packing pattern")
    help_.explain(field)
    assert heard()[:2] == ("surface", "pack") and heard()[2].startswith("Packing pattern")
    # A setting of a stop is explained where the stop is.
    w.open_desk("fit")
    w.panel("fit").unfold("PICKED STOP")
    small.settle()
    form = w.panel("fit").findChild(SettingsForm)
    if form is not None and form.findChild(QLineEdit) is not None:
        help_.explain(form.findChild(QLineEdit))
        assert heard()[0] == "stops"
    # What is pointed at.
    point = QPoint(5, 5)
    w.open_desk("fit")
    event = QHelpEvent(QEvent.Type.WhatsThis, point, w.goods.list.mapToGlobal(point))
    assert w.event(QHelpEvent(QEvent.Type.QueryWhatsThis, point, point))
    QApplication.sendEvent(w, event)
    assert heard()[0] in ("window", "fit")
    for guest, show in (("Queue", w.guests.show_queue), ("History", w.guests.show_history)):
        show()
        help_.explain(w.deck.stack.currentWidget())
        assert heard()[0] == {"Queue": "recipes", "History": "window"}[guest]
    assert asked == []


def test_folds_of_every_desk_have_a_heading_in_the_guide(rig: Rig) -> None:
    for id_ in DESKS.all():
        for fold in rig.window.panel(id_).findChildren(Fold):
            assert about_field(id_, fold.title)[1], (id_, fold.title)
    assert len(steps()) > 100


@pytest.mark.goods("watering_stork", "bell_lantern")
def test_the_tour_does_a_first_port(demo: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    w, s, tour = demo.window, demo.session, demo.window.tour
    assert isinstance(tour, Tour) and tour.isHidden()
    w.settings.remove("tour")
    w.offer_tour()
    assert not tour.isHidden() and tour.next.text() == "Begin"
    tour.next.click()
    s.select("bell_lantern")
    decisions = len(s.shipment.decisions())  # type: ignore[union-attr]
    for k in range(6):
        assert tour.at == k
        tour.do()
        demo.wait(lambda k=k: tour.legs[k].done())
        assert "Done." in tour.text.text() and not tour.for_me.isEnabled(), k
        tour.next.click()
    assert s.logs[ASSET].accepted and (s.packages[ASSET] / "docket.json").is_file()
    assert len(s.shipment.decisions()) > decisions, "what it does is done: it can be undone"  # type: ignore[union-attr]
    assert not tour.isHidden() and "first port" in tour.text.text()
    tour.next.click()
    demo.settle()
    assert tour.isHidden()
    w.offer_tour()
    assert tour.isHidden(), "whoever has answered is not asked again"
    w.menus.actions["Tour"].trigger()
    assert tour.at == 0 and not tour.isHidden()
    tour.leave.click()
    assert tour.isHidden()


def test_preferences_are_kept_and_what_is_nonsense_is_not(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("CUSTOMS_HOME", str(tmp_path / "home"))
    dialog = rig.window.show_preferences()
    assert isinstance(dialog, PreferencesDialog)
    for field, value in ((dialog.text, 1.25), (dialog.side, 2), (dialog.memory, 3.5)):
        field.setText(str(value))
        field.editingFinished.emit()
    (tmp_path / "mine").mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a: str(tmp_path / "mine"))
    dialog._choose("sheets")
    dialog._choose("out")
    dialog.folders["origins"].setText("/nowhere/at/all")
    dialog.folders["origins"].editingFinished.emit()
    assert "no such folder" in dialog.told.text()
    kept = preferences()
    assert (kept.text, kept.side, kept.memory, kept.out) == (1.25, 2, 3.5, str(tmp_path / "mine"))
    assert sheets_folder() == tmp_path / "mine" and origins_folder() == tmp_path / "home/config/origins"
    rig.session.open(tmp_path / "new.customs", create=True)
    assert rig.session.state.out == str(tmp_path / "mine")
    (tmp_path / "home/config/preferences.json").write_text(
        '{"text": 99, "side": "x", "memory": -1, "out": "../up", "sheets": 3, "keys": {"Undo": 4, "Guide": "F9"}, "unpacked": null}'
    )
    assert preferences() == Preferences(text=2.0, memory=0.0, keys={"Guide": "F9"})
    dialog.close()


def test_keys_are_changed_kept_and_never_given_twice(
    rig: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("CUSTOMS_HOME", str(tmp_path / "home"))
    w = rig.window
    dialog = w.show_preferences()
    assert isinstance(dialog, PreferencesDialog)
    dialog._use("F4")
    assert "Pick a command" in dialog.told.text()
    dialog.find.setText("plan route")
    dialog.table.selectRow(0)
    dialog._use("Ctrl+Z")
    assert "Undo already" in dialog.told.text()
    dialog._use("Ctrl+Alt+P")
    name = dialog._command()
    assert w.menus.actions[name].shortcut().toString() == "Ctrl+Alt+P"
    assert Menus(w)._keys == {name: "Ctrl+Alt+P"}, "kept for the next start"
    dialog._use("")
    assert w.menus.actions[name].shortcut().isEmpty() and preferences().keys == {name: ""}
    dialog._usual()
    assert w.menus.actions[name].shortcut().toString() == w.menus.usual[name] and preferences().keys == {}
    dialog.close()
    keep_preferences(Preferences())


def test_keys_the_guide_names_are_those_of_the_window(rig: Rig) -> None:
    """`*Command* [keys]` in a page, where there is such a command."""
    actions = rig.window.menus.actions
    seen = 0
    for page in pages().values():
        for path, keys in re.findall(r"\*([^*\n]+)\* \[([^\]\n]+)\]", page.text):
            name = path.rpartition("› ")[2]
            if name in actions:
                assert actions[name].shortcut().toString() == keys, (page.id, name)
                seen += 1
    assert seen > 12
