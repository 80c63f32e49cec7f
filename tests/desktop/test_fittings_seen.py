"""The desk Fittings in the real window: goods that hang at posts, pictures framed in the view, both as they have landed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint
from PyQt6.QtTest import QTest

from customs.geometry.counts import counts
from customs.picture.camera import project
from customs.picture.icon import ANGLES
from customs_desktop.desks.fittings.panel import FittingsPanel
from customs_desktop.desks.landing.panel import LandingPanel
from tests.desktop.conftest import Rig
from tests.desktop.test_fittings_desk import LEFT, PLAIN, end, ready, values


@pytest.mark.goods("hedgehog", "bell_lantern")
def test_goods_hang_at_a_post_are_seen_in_place_and_taken_down(demo: Rig, tmp_path: Path) -> None:
    demo.session.set_sheet("metre-yup-pbr")
    demo.session.select("hedgehog")
    demo.settle()
    demo.window.open_desk("fittings")
    panel, twin, s = demo.window.panel("fittings"), demo.window.twin, demo.session
    assert isinstance(panel, FittingsPanel)
    demo.window.deck.open("Posts")
    page = panel.posts
    assert not page.hang.isEnabled() and not page.unhang.isVisible()
    page._press("Place", [("back", (0.0, 0.3, 0.0), (0.0, 0.0, 1.0), "", "props/bell.glb")])
    demo.settle()
    demo.wait(lambda: page.rows and page.hang.isEnabled())
    lantern = s.state.asset("bell_lantern")
    assert lantern is not None
    page._hang(lantern)
    demo.settle()
    demo.wait(lambda: page.rows and page.rows[0].thing == "Bell lantern" and "right" in twin.drawn)
    own = counts(end(demo))["triangles"]
    assert counts(twin.drawn["right"])["triangles"] > own and page.unhang.isVisible()
    # Another name of the post takes along what hangs there.
    page.name.setText("perch")
    page.name.editingFinished.emit()
    demo.settle()
    demo.wait(lambda: page.rows and page.rows[0].name == "perch")
    assert page.rows[0].thing == "Bell lantern"
    s.jobs.dispatch(["hedgehog"], tmp_path)
    demo.settle()
    demo.wait(lambda: "hedgehog" in s.logs)
    assert s.logs["hedgehog"].accepted
    demo.window.open_desk("landing")
    landing = demo.window.panel("landing")
    assert isinstance(landing, LandingPanel)
    demo.wait(lambda: landing.fittings.any)
    assert landing.fittings.posts.text() == "perch holds props/bell.glb" and len(twin.lines) == 1
    demo.window.open_desk("fittings")
    assert not twin.landing
    page.unhang.click()
    demo.settle()
    demo.wait(lambda: page.rows and not page.rows[0].thing and not twin.drawn)
    s.undo()
    demo.settle()
    demo.wait(lambda: page.rows and page.rows[0].thing == "Bell lantern")


@pytest.mark.goods("hedgehog")
def test_the_picture_is_framed_in_the_view_and_seen_as_landed(demo: Rig, tmp_path: Path) -> None:
    panel, twin, s = ready(demo, "hedgehog"), demo.window.twin, demo.session
    stood = twin.yaw, twin.pitch
    demo.window.deck.open("Pictures")
    page = panel.pictures
    demo.wait(lambda: len(page.shown) == 3 and len(page.frame.points) > 0)
    assert twin.overlay is page.frame and (twin.yaw, twin.pitch) == ANGLES["three-quarter"]
    demo.wait(lambda: s.painter.idle)
    assert not page.frame.turned(twin.orbits()["right"])
    page.angles.buttons["side"].click()
    demo.settle()
    demo.wait(lambda: page.frame.wish.angle == "side")
    assert (twin.yaw, twin.pitch) == ANGLES["side"]
    twin.yaw += 30
    assert page.frame.turned(twin.orbits()["right"])
    page.angles.buttons["side"].click()
    assert not page.frame.turned(twin.orbits()["right"]), (
        "a press on where it is taken from turns the view back"
    )
    before = page.shown[0][2]
    page.lights.setCurrentIndex(page.lights.findData("side"))
    page.lights.activated.emit(page.lights.currentIndex())
    demo.settle()
    demo.wait(lambda: (page.shown[0][2] != before).any())
    assert values(demo, "picture")["light"] == "side"
    demo.window.deck.open("Posts")
    assert twin.overlay is panel.overlay and (twin.yaw, twin.pitch) == stood
    s.jobs.dispatch(["hedgehog"], tmp_path)
    demo.settle()
    demo.wait(lambda: "hedgehog" in s.logs)
    demo.window.open_desk("landing")
    landing = demo.window.panel("landing")
    assert isinstance(landing, LandingPanel)
    demo.wait(lambda: landing.fittings.any)
    assert landing.fittings.said() == "icon, plot" and landing.fittings.grid.isVisible()
    before_letters = landing.fittings.grid.letters.copy()
    QTest.mouseClick(landing.fittings.grid, LEFT, PLAIN, landing.fittings.grid.middle_of((1, 1)).toPoint())
    assert (landing.fittings.grid.letters == before_letters).all(), "what has landed is only looked at"


@pytest.mark.goods("house_warden")
def test_a_post_goes_where_the_choice_says(demo: Rig) -> None:
    demo.session.set_sheet("metre-yup-pbr")
    demo.session.select("house_warden")
    demo.settle()
    demo.window.open_desk("fittings")
    demo.window.twin.set_figure(False)
    panel, twin = demo.window.panel("fittings"), demo.window.twin
    assert isinstance(panel, FittingsPanel)
    demo.window.deck.open("Posts")
    page = panel.posts
    demo.wait(lambda: "right" in twin.pictures and demo.session.painter.idle)
    for k, on in enumerate(("joint", "vertex"), 1):
        page.on.setCurrentIndex(page.on.findData(on))
        if not page.place.isChecked():
            page.place.click()
        demo.wait(lambda: page.work.chooser is not None)
        rect, orbit = twin.areas()["right"], twin.pictures["right"].orbit
        chooser = page.work.chooser
        assert chooser is not None
        # A large face in front: nothing hides it, and it is met.
        whole = chooser.whole
        corners = whole.points[whole.faces]
        room = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
        near = whole.centres @ orbit.back()
        at = whole.centres[np.where(near > np.quantile(near, 0.9), room, 0).argmax()]
        flat = project(at[None], orbit, int(rect.width()), int(rect.height()))[0]
        QTest.mouseClick(twin, LEFT, PLAIN, QPoint(int(flat[0] + rect.x()), int(flat[1] + rect.y())))
        demo.wait(lambda k=k: len(values(demo, "posts").get("posts", ())) == k)  # type: ignore[arg-type]
        demo.settle()
        demo.wait(lambda k=k: len(page.rows) == k)
    first, second = values(demo, "posts")["posts"]  # type: ignore[misc]
    scene = end(demo)
    assert first[3] in {scene.nodes[j].name for s in scene.skins for j in s.joints} and second[3] == ""
    assert np.linalg.norm(whole.points - np.array(second[1]), axis=1).min() < 1e-4
