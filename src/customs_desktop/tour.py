"""The tour: the first port in six steps, done on the demo itself; a bar above the foot that can be left at any time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from customs.demo.place import NAME
from customs.route.route import Stop
from customs_desktop.office import Office
from customs_desktop.widgets.basics import button, label

ASSET, STEP = "watering_stork", "footing"
OFFER = "New here? Six steps through a first port, on goods of our own. It takes five minutes and can be left at any time. [Alt+N] goes on."
END = "That was a first port. The guide [F1] has the rest; the demo stays yours to try things on."


@dataclass(frozen=True)
class Leg:
    """A step of the tour: what to do, in words; `do` does it, `done` says whether it has been done."""

    text: str
    do: Callable[[], object]
    done: Callable[[], bool]


class Tour(QWidget):
    """Emits `left` when it is over. `to_desk` opens a desk, `press` takes the remedy of a requirement's row."""

    left = pyqtSignal()

    def __init__(
        self, session: Office, to_desk: Callable[[str], object], press: Callable[[str], object]
    ) -> None:
        super().__init__()
        self.session, self._to_desk, self._press = session, to_desk, press
        self.setObjectName("notice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.at = -1
        self._taken_out = False
        self._landed = ""
        self.legs = self._legs()
        self.text = label("", "bar", 0, 500, wrap=True)
        self.for_me = button("Do it for me", self.do, "flat")
        self.next = button("Next", self.go_on, "flat")
        self.leave = button("Leave the tour", self.end, "flat")
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 5, 8, 5)
        line.addWidget(self.text, 1)
        for b, keys in ((self.for_me, "Alt+M"), (self.next, "Alt+N"), (self.leave, "Alt+L")):
            b.setShortcut(keys)
            b.setToolTip(f"[{keys}]")
            line.addWidget(b)
        for signal in (session.changed, session.opened, session.seen, session.selected, session.picked):
            signal.connect(self._look)
        session.landed.connect(self._has_landed)
        self.hide()

    def _legs(self) -> tuple[Leg, ...]:
        s = self.session
        return (
            Leg("Open the demo: Shipment › Open the demo [Ctrl+Shift+D].", s.open_demo, self._demo),
            Leg("Pick the Watering stork in the goods [F8]. It stands twice: as received, and as it will be delivered.", self._pick, self._picked),
            Leg("Walk its route: press a stop above, or [F6] and the arrow keys. The right view shows the stork after that stop.",
                self._walk, lambda: self._picked() and s.stop is not None),
            Leg("Take the stop Footing off the route: pick it and press Delete. See the row Footing open in the ledger below.", self._take_out, self._open),
            Leg("Put it right again: pick the row Footing [F3] and press its remedy [Return]. The stop is back, the row is cleared.",
                lambda: self._press(STEP), lambda: self._taken_out and self._stop() is not None and self._known()),
            Leg("Dispatch it: the desk Dispatch [Alt+7], Dispatch this one. The package is written, read back as the destination would, and only then delivered.",
                self._dispatch, lambda: self._landed == ASSET),
        )  # fmt: skip

    # -- from outside

    def offer(self) -> None:
        """Ask whether it is wanted."""
        self.at = -1
        self._show()
        self.show()

    def begin(self) -> None:
        """The first step."""
        self.at, self._taken_out, self._landed = 0, False, ""
        self._show()
        self.show()

    def go_on(self) -> None:
        """The next step, the end after the last."""
        if self.at < 0:
            self.begin()
        elif self.at >= len(self.legs):
            self.end()
        else:
            self.at += 1
            self._show()

    def do(self) -> None:
        """What the step asks for, done as a person would."""
        if not 0 <= self.at < len(self.legs) or self.legs[self.at].done():
            return
        if self.at and not self._demo():
            self.session.said.emit("The tour is done on the demo: open it again, and go on.", "query")
            return
        self.legs[self.at].do()
        self._look()

    def end(self) -> None:
        """Over, wherever it is."""
        self.at = -1
        self.hide()
        self.left.emit()

    # -- within

    def _show(self) -> None:
        inside = 0 <= self.at < len(self.legs)
        self.for_me.setVisible(inside)
        self.next.setText("Begin" if self.at < 0 else "Next" if inside else "Close")
        self.leave.setText("Not now" if self.at < 0 else "Leave the tour")
        self.leave.setVisible(self.at < len(self.legs))
        if self.at < 0:
            self.text.setText(OFFER)
        elif inside:
            self.text.setText(f"{self.at + 1} of {len(self.legs)}.  {self.legs[self.at].text}")
            self._look()
        else:
            self.text.setText(END)

    def _look(self, *_: object) -> None:
        """Whether the step has been done meanwhile."""
        if not 0 <= self.at < len(self.legs):
            return
        leg = self.legs[self.at]
        if self.at == 3 and self._open():
            self._taken_out = True
        done = leg.done()
        self.for_me.setEnabled(not done)
        if done:
            self.text.setText(f"{self.at + 1} of {len(self.legs)}.  Done.  {leg.text}")

    def _has_landed(self, id_: str) -> None:
        log = self.session.logs.get(id_)
        if log is not None and log.accepted:
            self._landed = id_
            self._look()

    def _demo(self) -> bool:
        """The demo is open: nothing is tried on a person's own goods."""
        shipment = self.session.shipment
        named = shipment is not None and shipment.path.stem == NAME
        return named and self.session.state.asset(ASSET) is not None

    def _pick(self) -> None:
        self._to_desk("fit")
        self.session.select(ASSET)

    def _picked(self) -> bool:
        return self._demo() and self.session.current == ASSET

    def _stop(self) -> Stop | None:
        asset = self.session.state.asset(ASSET)
        return asset.route.of_step(STEP) if asset is not None else None

    def _open(self) -> bool:
        result = self.session.results.get(ASSET)
        return (
            self._stop() is None
            and result is not None
            and self._known()
            and any(r.requirement == STEP for r in result.ledger.open())
        )

    def _known(self) -> bool:
        """The asset is judged as it stands now: what comes next can be done at once."""
        result = self.session.results.get(ASSET)
        return result is not None and result.whole and result.asset is self.session.state.asset(ASSET)

    def _walk(self) -> None:
        self._pick()
        stop = self._stop()
        if stop is not None:
            self.session.pick(stop.id)

    def _take_out(self) -> None:
        self._pick()
        stop = self._stop()
        if stop is not None:
            self.session.change_route("Remove a stop", lambda r: r.removed(stop.id))

    def _dispatch(self) -> None:
        self._pick()
        self._to_desk("dispatch")
        s = self.session
        if s.shipment is not None:
            out = Path(s.state.out) if s.state.out else s.shipment.path.parent / "delivered"
            s.jobs.dispatch([ASSET], out, True)
