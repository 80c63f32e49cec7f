"""Pictures of the window for the documentation, made from the demo shipment."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QDialog

from customs.demo.hundreds import write_hundreds
from customs.scene.floor_plan import Mark
from customs.scene.notes import Note
from customs_desktop.widgets.basics import show_choice
from customs_desktop.window import MainWindow

LONGEST = 120.0
QUIET = 0.9
GUIDE = 800
"""Pixels a picture of the guide is wide."""


def settled(app: QApplication, window: MainWindow) -> bool:
    """Run the event loop until nothing is being worked on and the view has its pictures. False when that
    takes too long.
    """
    session = window.session
    end, quiet = time.monotonic() + LONGEST, 0.0
    while time.monotonic() < end:
        app.processEvents()
        time.sleep(0.01)
        goods = session.state.goods
        ready = (
            session.worker.waiting == 0
            and (session.painter.idle or bool(session.painter.problem))
            and bool(goods)
            and all(
                a.id in session.results and session.results[a.id].asset is a and session.results[a.id].judged
                for a in goods
            )
            and (bool(window.twin.pictures) or bool(window.twin.problem) or window.twin.right is None)
        )
        quiet = quiet + 0.01 if ready else 0.0
        if quiet > QUIET:
            return True
    return False


def take_all(app: QApplication, window: MainWindow, folder: Path) -> int:
    """Remake every picture of the documentation. Returns an exit code."""
    folder.mkdir(parents=True, exist_ok=True)
    chosen = str(window.settings.value("paper", "desktop"))
    window.set_paper("day")
    window.resize(1280, 800)
    window.split.setSizes([470, 225])
    window.session.open_demo()
    settled(app, window)
    place = Path(tempfile.mkdtemp(prefix="customs-shots-"))
    for name, arrange in _views(window, place).items():
        shown = arrange()
        settled(app, window)
        window.notice.hide()
        app.processEvents()
        drawn = (shown if isinstance(shown, QDialog) else window).grab().toImage()
        drawn.save(str(folder / f"{name}.png"))
        # The guide goes along with the program, its pictures smaller.
        small = folder.absolute().parents[1] / "src/customs/guide/pages/pictures" / f"{name}.png"
        if small.is_file():
            drawn.scaledToWidth(GUIDE, Qt.TransformationMode.SmoothTransformation).save(str(small))
    window.set_paper(chosen)
    shutil.rmtree(place, ignore_errors=True)
    window.close()
    return 0


def _grounds(window: MainWindow) -> None:
    """The palm court, its leaves faint, a few names nobody has."""
    s, panel = window.session, window.panel("grounds")
    window.open_desk("grounds")
    page, app = panel.lists, QApplication.instance()
    page.court()
    while app is not None and (page.explored is None or not page.paths):
        app.processEvents()
    before = len(s.state.goods)
    page.take()
    while app is not None and len(s.state.goods) == before:
        app.processEvents()
    s.set_sheet("level-kit")
    window.deck.open("Kinds")


def _floor_plan(window: MainWindow) -> None:
    """The court cut above its gallery, marked, as a plan."""
    panel, app = window.panel("grounds"), QApplication.instance()
    assert isinstance(app, QApplication)
    settled(app, window)
    panel.storeys.keep_cut(4.4)
    marks = (
        ("entry", (0.0, 3.2, 5.2), "Stair"),
        ("find", (3.0, 3.2, -5.0), "Seed tags"),
        ("note", (-6.0, 3.2, -5.2), "Loose rail"),
    )
    panel.storeys.decide("Mark", marks=tuple(Mark(sign=k, at=at, text=text) for k, at, text in marks))
    window.deck.open("Plan")
    panel.unfold("STOREYS AND PLAN")
    settled(app, window)


def _views(window: MainWindow, place: Path) -> dict[str, Callable[[], object]]:
    """Name and arrangement of each picture, in order."""
    s, twin = window.session, window.twin

    def fit() -> None:
        window.open_desk("fit")
        s.select("watering_stork")

    def all_goods() -> None:
        window.open_desk("fit")
        window.deck.open("Ledger")
        s.select("pane_wall")
        twin.set_mode("twin")
        window.ledger.all.click()

    def evening() -> None:
        s.set_sheet("metre-yup-pbr")
        window.open_desk("fit")
        s.select("bell_lantern")
        window.set_paper("evening")

    return {
        "fit": fit, "intake": lambda: _heap(window),
        "all-goods": all_goods, **_surface_views(window), **_motion_views(window), **_sent_views(window, place), **_hand_views(window),
        **_fitting_views(window), "grounds": lambda: _grounds(window), "floor-plan": lambda: _floor_plan(window),
        "evening": evening, "queue": lambda: _queue(window, place), "voxels": lambda: _voxels(window), **_help_views(window),
    }  # fmt: skip


def _heap(window: MainWindow) -> None:
    """The stores on the desk Intake, some of them chosen."""
    window.open_desk("intake")
    panel, app = window.panel("intake"), QApplication.instance()
    assert isinstance(app, QApplication)
    panel._stores()
    settled(app, window)
    stores = str(panel.work.paths[0])
    panel.work.toggle(
        [f"{stores}/{p}" for p in ("props.zip/cart", "props.zip/bench", "figures.zip/hedgehog")]
    )
    settled(app, window)
    panel.page.go_to(f"{stores}/props.zip/cart/seed_cart.gltf")


def _queue(window: MainWindow, place: Path) -> None:
    """A run of a recipe on small things of the potting shed, some of them broken, ended before its last ones."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    goods = place / "potting_shed"
    write_hundreds(goods, 24)
    shutil.rmtree(goods / "shelf")
    window.set_paper("day")
    window.open_desk("dispatch")
    window.session.select("fern_bed")
    window.guests.show_queue()
    page, running = window.guests.queue, window.session.running
    page.open_recipe(goods / "hundreds.toml")
    page.inputs.setText(str(goods))
    page.out.setText(str(place / "ready"))
    page.start()
    while sum(running.counts().get(k, 0) for k in ("done", "held", "failed")) < 34:
        app.processEvents()
        time.sleep(0.01)
    running.cancel()
    while running.goes:
        app.processEvents()
        time.sleep(0.01)
    page.refresh()
    page.decisions.selectRow(0)


def _voxels(window: MainWindow) -> None:
    """The fern bed as unit cells, seen into, its thin parts marked."""
    s, app = window.session, QApplication.instance()
    assert isinstance(app, QApplication)
    window.deck.let_go(window.guests.queue)
    s.select("fern_bed")
    window.open_desk("fit")
    s.set_step("voxels", side=90, colours=48)
    settled(app, window)
    tools = window.panel("fit").by_hand.voxels
    window.panel("fit").unfold("VOXELS")
    tools.slider.setValue(30)
    tools.thin.setChecked(True)
    settled(app, window)


def _sent_views(window: MainWindow, place: Path) -> dict[str, Callable[[], object]]:
    """Those of the desks Dispatch and Landing."""
    s, twin = window.session, window.twin

    def dispatch() -> None:
        twin.set_look(shading="surface")
        s.select("bell_lantern")
        window.open_desk("dispatch")
        window.deck.open("Package")

    def landing() -> None:
        s.select("watering_stork")
        s.jobs.dispatch(["watering_stork"], place)
        window.open_desk("landing")
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        settled(app, window)
        window.panel("landing").clips.choose(1)
        window.panel("landing").clips.player.seek(0.35)

    return {"dispatch": dispatch, "landing": landing}


def _fitting_views(window: MainWindow) -> dict[str, Callable[[], object]]:
    """Those of the desk Fittings, on the way to a kit that asks for shapes and levels."""
    s, app = window.session, QApplication.instance()
    assert isinstance(app, QApplication)

    def shapes() -> None:
        s.set_sheet("plan-plot-kit")
        s.select("watering_stork")
        window.open_desk("fittings")
        settled(app, window)
        window.panel("fittings").shapes.table.selectRow(0)

    def levels() -> None:
        s.select("spring_basin")
        window.deck.open("LODs")
        settled(app, window)
        page = window.panel("fittings").levels
        page.prepare.click()
        settled(app, window)
        page.slider.setValue(450)

    return {"fittings": shapes, "fittings-levels": levels}


def _help_views(window: MainWindow) -> dict[str, Callable[[], object]]:
    """The history of the shipment, and the guide beside it."""

    def history() -> None:
        window.open_desk("fit")
        window.session.select("watering_stork")
        window.guests.show_history()

    def guide() -> QDialog | None:
        window.deck.let_go(window.guests.history)
        window.helping.show_guide("surface", "pack", "Packing pattern")
        return window.helping.guide

    return {"history": history, "guide": guide}


def _hand_views(window: MainWindow) -> dict[str, Callable[[], object]]:
    """Those of the sections by hand."""
    s, twin, panel = window.session, window.twin, window.panel("fit")
    hand, app = panel.by_hand, QApplication.instance()
    assert isinstance(app, QApplication)

    def by_hand() -> None:
        """The hedgehog's snout held, and pulled long."""
        window.open_desk("fit")
        s.select("hedgehog")
        settled(app, window)
        twin.set_figure(False)
        settled(app, window)
        for title in ("BY HAND", "SOFT MOVE"):
            panel.unfold(title)
        chooser = hand.work.chooser
        # The snout: what lies furthest forward.
        chooser.box((-1.0, 0.0, 0.12), (1.0, 1.0, 1.0))
        hand.work.show()
        hand.soft.take.click()
        for field, value in (
            (hand.soft.reach, "0.12"),
            (hand.soft.move_by[2], "0.02"),
            (hand.soft.move_by[1], "0.04"),
        ):
            field.setText(value)
            field._finish()

    def joined() -> None:
        """A lantern in the warden's hand, measured."""
        hand.soft.let_go()
        s.select("house_warden")
        settled(app, window)
        for title in ("MEASURE", "FROM OTHER GOODS"):
            panel.unfold(title)
        settled(app, window)
        tools = hand.joining
        show_choice(tools.other, "bell_lantern")
        tools._chosen()
        tools.binds.buttons["rigid"].click()
        tools.refresh()
        show_choice(tools.joint, "PalmRight")
        for field, value in zip((*tools.move_by, tools.scale_by), (-0.82, 0.98, 0.02, 0.75)):
            field.setText(str(value))
        tools.join.click()
        settled(app, window)
        note = Note("distance", ((0.0, 0.0, 0.1), (0.0, 1.715, 0.1)), 1.715)
        s.change_asset("Measure", lambda a: replace(a, notes=(note,)))

    return {"by-hand": by_hand, "joined": joined}


def _surface_views(window: MainWindow) -> dict[str, Callable[[], object]]:
    """Those of the desk Surface."""
    s = window.session
    app = QApplication.instance()
    assert isinstance(app, QApplication)

    def surface() -> None:
        window.ledger.one.click()
        window.open_desk("surface")
        s.select("mosaic_floor")
        settled(app, window)
        window.panel("surface").roles.pick(1, "normal")
        window.panel("surface").unfold("TEXTURE")
        window.panel("surface").wipe.setValue(50)

    return {"surface": surface}


def _motion_views(window: MainWindow) -> dict[str, Callable[[], object]]:
    """Those of the desk Motion."""
    s, twin = window.session, window.twin
    app = QApplication.instance()
    assert isinstance(app, QApplication)

    def motion() -> None:
        twin.set_look(shading="surface")
        window.open_desk("motion")
        s.select("watering_stork")
        settled(app, window)
        window.panel("motion").find_clips()
        settled(app, window)
        takes = window.panel("motion").bench.takes
        assert takes is not None
        names = ("idle", "stride", "watering")
        window.panel("motion").keep_rows(
            [(n, a, b, t) for n, (_, a, b, t) in zip(names, takes.ranges)], "Name clips"
        )
        settled(app, window)
        window.panel("motion").page.band.pick(1)
        window.panel("motion").pick_joint("neck_02")
        window.panel("motion").player.seek(0.6)

    def donor() -> None:
        s.select("lamplighter")
        settled(app, window)
        window.panel("motion").donor.pair("head", "Head1")
        settled(app, window)
        window.panel("motion").pick_joint("ArmUpperLeft")
        window.panel("motion").unfold("WEIGHTS")
        window.panel("motion").weights.map.setChecked(True)
        window.deck.open("Joints")
        window.panel("motion").refresh()

    return {"motion": motion, "motion-donor": donor}
