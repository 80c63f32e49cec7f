"""The first port by keyboard alone, and by what the window says: no widget is asked for but by its name on the screen."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from customs_desktop.desk import DESKS
from customs_desktop.what import name_of
from tests.desktop.conftest import Rig

MOST = 400
"""Tabs after which a name is not reached."""
CONTROL, ALT, PLAIN = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.NoModifier,
)


class Keys:
    """Hands that have a keyboard and no mouse."""

    def __init__(self, rig: Rig) -> None:
        self.rig, self.window = rig, rig.window
        self.window.activateWindow()
        rig.wait(lambda: QApplication.activeWindow() is self.window)

    @property
    def at(self) -> QWidget:
        """What has the keyboard."""
        found = QApplication.focusWidget()
        assert found is not None
        return found

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = PLAIN) -> None:
        QTest.keyClick(self.at, key, modifier)

    def type(self, text: str) -> None:
        self.press(Qt.Key.Key_A, CONTROL)
        QTest.keyClicks(self.at, text)

    def tab_to(self, name: str) -> None:
        """Go on by Tab until the name is reached."""
        seen = []
        for _ in range(MOST):
            if name_of(self.at) == name:
                return
            seen.append(name_of(self.at))
            self.press(Qt.Key.Key_Tab)
        raise AssertionError(f"{name!r} is not reached: {list(dict.fromkeys(seen))}")


@pytest.mark.goods("watering_stork", "bell_lantern")
def test_the_first_port_by_keyboard_alone(demo: Rig, tmp_path: Path) -> None:
    keys, s = Keys(demo), demo.session
    s.select("bell_lantern")
    keys.press(Qt.Key.Key_F8)
    assert name_of(keys.at) == "Goods"
    keys.press(Qt.Key.Key_Up)
    assert s.current == "watering_stork"
    demo.settle()
    # The route: from the end to Footing, and that one taken out.
    keys.press(Qt.Key.Key_F6)
    asset = s.asset
    assert asset is not None
    while next(x for x in asset.stops if x.id == (s.stop or asset.stops[-1].id)).step != "footing":
        keys.press(Qt.Key.Key_Left)
    keys.press(Qt.Key.Key_Delete)
    assert "footing" not in demo.steps()
    demo.settle()
    assert demo.row("footing").verdict == "held"
    # The ledger: the next open row, and its remedy.
    keys.press(Qt.Key.Key_F3)
    row = demo.window.ledger.current_row()
    assert row is not None and row.requirement == "footing"
    keys.press(Qt.Key.Key_Return)
    demo.wait(lambda: "footing" in demo.steps())
    demo.settle()
    assert demo.row("footing").verdict == "cleared"
    # Undone and done again.
    keys.press(Qt.Key.Key_Z, CONTROL)
    assert "footing" not in demo.steps()
    keys.press(Qt.Key.Key_Z, CONTROL | Qt.KeyboardModifier.ShiftModifier)
    assert "footing" in demo.steps()
    demo.settle()
    # Dispatch, and the landing.
    keys.press(Qt.Key.Key_7, ALT)
    keys.tab_to("Folder the packages go to")
    keys.type(str(tmp_path / "out"))
    keys.press(Qt.Key.Key_Return)
    assert s.state.out == str(tmp_path / "out")
    keys.tab_to("Dispatch this one")
    keys.press(Qt.Key.Key_Space)
    demo.wait(lambda: "watering_stork" in s.logs)
    assert s.logs["watering_stork"].accepted and (tmp_path / "out/watering_stork/docket.json").is_file()
    keys.press(Qt.Key.Key_8, ALT)
    assert demo.window.desk == "landing"
    demo.settle()


def test_all_of_every_desk_is_reached_by_tab(small: Rig) -> None:
    """Everything that is shown and can be used has its turn, and a name that a screen reader says."""
    keys, w = Keys(small), small.window
    for id_, desk in DESKS.all().items():
        w.open_desk(id_)
        small.settle()
        w.goods.list.setFocus()
        reached = list[QWidget]()
        for _ in range(MOST):
            keys.press(Qt.Key.Key_Tab)
            if keys.at in reached:
                break
            reached.append(keys.at)
        panel = w.panel(id_)
        tabbed = Qt.FocusPolicy.TabFocus
        wanted = [
            x for x in panel.findChildren(QWidget)
            if x.isVisible() and x.isEnabled() and x.focusPolicy() & tabbed and x.focusProxy() is None and x.focusWidget() in (None, x)
        ]  # fmt: skip
        lost = [name_of(x) or type(x).__name__ for x in wanted if x not in reached and x is not keys.at]
        assert not lost, (desk.name, lost)
        silent = [type(x).__name__ for x in reached if not (name_of(x) or x.accessibleDescription())]
        assert not silent, (desk.name, silent)
