"""The desk Motion: the time band with both halves playing, joints, weights, the donor, how clips are
delivered.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QWidget

from customs.changes.donor import Donor
from customs.errors import CustomsError
from customs.motion.clips.ranges import Take
from customs.scene.model import Clip, Scene
from customs.work.donors import kept_donor
from customs.work.motion import Facing, Takes, clip_facts, facing, found_ranges, look_at_take, takes_of
from customs.work.requests.evaluate import Evaluated
from customs_desktop.desk import DeskPanel
from customs_desktop.desks.motion.band import Span, Strip
from customs_desktop.desks.motion.band_page import BandPage
from customs_desktop.desks.motion.bench import Bench
from customs_desktop.desks.motion.clips import ClipTools
from customs_desktop.desks.motion.curves import CurvesPage, lines_of
from customs_desktop.desks.motion.donor import DonorSection
from customs_desktop.desks.motion.joints import JointsPage
from customs_desktop.desks.motion.sections import sections_of
from customs_desktop.desks.motion.weights import WeightTools
from customs_desktop.office import Office
from customs_desktop.player import Stretch
from customs_desktop.views.twin import TwinView
from customs_desktop.worker import Task


class MotionPanel(DeskPanel):
    """Turns what a person does into settings of stops, and shows what the core answers."""

    def __init__(self, session: Office, twin: TwinView) -> None:
        super().__init__("Motion", "skeleton, weights, clips")
        self.session, self.twin, self.bench = session, twin, Bench(session, twin)
        self.player, self.overlay = self.bench.player, self.bench.overlay
        self.page, self.joints, self.curves = BandPage(self.player), JointsPage(), CurvesPage()
        self._looks: dict[str, Take] = {}
        self.donor = DonorSection(session)
        self.weights = WeightTools(self.bench)
        self.clips = ClipTools(self.bench)
        for title, part, state, rules in sections_of(self.donor, self.weights, self.clips):
            self.section(title, state, rules)
            self.add(part)
        self.finish()
        band = self.page.band
        for signal, slot in (
            (band.changed, self._spans), (band.picked, self._pick), (band.picked, self.arrange_soon),
            (band.sought, self._seek), (self.page.find, self.find_clips), (self.page.rate, self._rate),
            (self.page.take, self._take), (self.player.moved, self._moved), (self.joints.picked, self.pick_joint),
            (self.joints.boned, self.say_bone), (self.donor.joint, self.pick_joint),
            (self.donor.choose, self.choose_donor), (twin.joint_picked, self.pick_joint),
        ):  # fmt: skip
            signal.connect(slot)
        for signal in (session.changed, session.selected, session.seen, session.picked, session.opened):
            signal.connect(self.refresh)
        self.refresh()

    # -- what is shown

    def pages(self) -> list[tuple[str, QWidget]]:
        return [("Band", self.page), ("Joints", self.joints), ("Curves", self.curves)]

    def opened(self) -> None:
        self.bench.open = True
        self.twin.set_overlay(self.overlay)
        self.refresh()

    def left(self) -> None:
        self.bench.open = False
        if self.player.playing:
            self.player.pause()
        self.twin.set_overlay(None)

    def refresh(self, *_: object) -> None:
        """Take over the selected asset and the picked stop."""
        if not self.bench.open:
            return
        result = self.bench.result
        if result is None:
            self.bench.takes = None
            self.page.band.show_strip(Strip("", 0.0))
            self.joints.show_scene(None, {})
            self.player.show(None, 30.0)
            return
        self.bench.takes = takes_of(result.passed, result.asset.route)
        self._show_takes()
        pairs = self._facing(result)
        scene = result.at(self.session.stop)
        self.joints.show_scene(scene, pairs.counterparts(scene) if pairs and scene else {})
        self.donor.show_facing(result.asset, pairs)
        self.weights.refresh()
        self.clips.refresh()
        self._beside(result)
        self._strip()
        self._pick(self.page.band.current)

    def _show_takes(self) -> None:
        box, clips = self.page.takes, self.bench.takes.clips if self.bench.takes else ()
        self.bench.take_number = min(self.bench.take_number, max(len(clips) - 1, 0))
        box.blockSignals(True)
        box.clear()
        for k, clip in enumerate(clips):
            box.addItem(clip.name, str(k))
        box.setCurrentIndex(self.bench.take_number)
        box.blockSignals(False)
        box.setVisible(len(clips) > 1)
        if self.bench.takes is not None:
            self.page.per_second.show_value(self.bench.takes.rate)

    def _facing(self, result: Evaluated) -> Facing | None:
        donor = self._donor(result)
        return facing(result.passed, result.asset.route, donor) if donor is not None else None

    def _donor(self, result: Evaluated) -> Donor | None:
        asset, store = result.asset, self.session.shipment.store if self.session.shipment else None
        if not asset.donor or store is None:
            return None
        try:
            return kept_donor(store, asset.donor, asset.donor_name)
        except CustomsError as problem:
            self.session.said.emit(str(problem), "held")
            return None

    def _beside(self, result: Evaluated) -> None:
        """The donor beside, where its skeleton or its clips are taken over."""
        route = result.asset.route
        asked = route.of_step("donor") is not None or route.of_step("retarget") is not None
        donor = self._donor(result) if asked else None
        self.twin.show_beside(
            donor.scene if donor is not None else None,
            f"Donor · {result.asset.donor_name.replace('_', ' ').capitalize()}",
        )

    def _strip(self) -> None:
        take, takes = self.bench.take, self.bench.takes
        if take is None or takes is None:
            self.page.band.show_strip(Strip("", 0.0))
            return
        spans = tuple(Span(n, a, b) for n, a, b, _ in takes.of(take))
        known = self._looks.get(self._look_key(take))
        rests = tuple((a * takes.rate, b * takes.rate) for a, b in known.rests) if known else ()
        strip = Strip(take.name, take.seconds * takes.rate, spans, rests, known.pace if known else None)
        self.page.band.show_strip(strip)
        if known is None:
            self._look(takes, take)

    def _look_key(self, take: Clip) -> str:
        return (
            f"{self.session.current} {take.key} {id(take)} {self.bench.takes.rate if self.bench.takes else 0}"
        )

    def _look(self, takes: Takes, take: Clip) -> None:
        key = self._look_key(take)

        def done(found: Take) -> None:
            self._looks = {**dict(list(self._looks.items())[-8:]), key: found}
            if self.bench.open:
                self._strip()

        self.session.worker.submit(
            Task(
                4,
                key="take",
                title="Looking at the take",
                run=lambda job: look_at_take(takes, take),
                done=done,
            )
        )

    # -- playing

    def _pick(self, number: int) -> None:
        take, takes, band = self.bench.take, self.bench.takes, self.page.band
        if take is None or takes is None:
            self.player.show(None, 30.0)
            self.twin.show_poses({}, False)
            self.page.facts.setText("")
            return
        if 0 <= number < len(band.strip.spans):
            span = band.strip.spans[number]
            stretch = Stretch(span.name, span.first / takes.rate, span.last / takes.rate, take.name)
        else:
            stretch = Stretch("", 0.0, take.seconds, take.name)
        self.player.show(stretch, takes.rate)
        self.clips.refresh_clip()
        self._facts(stretch)
        self._curve()

    def _moved(self) -> None:
        if not self.bench.open:
            return
        stretch, takes = self.player.stretch, self.bench.takes
        if stretch is None or takes is None:
            return
        at = stretch.start + self.player.seconds
        self.page.band.show_head(at * takes.rate)
        frame, last = round(self.player.seconds * takes.rate), round(self.player.length * takes.rate)
        self.page.where.setText(
            f"{stretch.name or stretch.take}   {frame} of {last} · {self.player.seconds:.2f} s"
        )
        self.curves.show_head(self.player.seconds if stretch.name else at)
        self.twin.show_poses(self.poses(stretch, at), self.player.playing)

    def poses(self, stretch: Stretch, at: float) -> dict[str, tuple[int | None, float]]:
        """(clip, seconds) of both halves: the received take at its time, the delivered clip at its own."""
        out: dict[str, tuple[int | None, float]] = {}
        take = self.bench.take
        if take is None:
            return out
        sources = {take.key, *take.made_from}
        if self.twin.left is not None:
            clips = self.twin.left.scene.clips
            found = next((i for i, c in enumerate(clips) if c.key in sources), None)
            out["left"] = (found, at) if found is not None else (None, 0.0)
        if self.twin.right is not None:
            out["right"] = self._right(self.twin.right.scene, stretch, at, sources)
        if self.twin.beside is not None:
            names = [c.name for c in self.twin.beside.scene.clips]
            name = stretch.name or stretch.take
            out["beside"] = (names.index(name), self.player.seconds) if name in names else (None, 0.0)
        return out

    def _right(
        self, scene: Scene, stretch: Stretch, at: float, sources: set[Any]
    ) -> tuple[int | None, float]:
        spans, rate = self.page.band.strip.spans, self.bench.takes.rate if self.bench.takes else 30.0
        mine = [
            (s.name, s.first / rate, s.last / rate)
            for s in spans
            if s.name == stretch.name or not stretch.name
        ]
        for name, a, b in mine:
            if a - 1e-6 <= at <= b + 1e-6:
                for i, c in enumerate(scene.clips):
                    if _same_name(c.name, name):
                        return i, at - a
        whole = next(
            (
                i
                for i, c in enumerate(scene.clips)
                if sources & {c.key, *c.made_from} and c.seconds >= at - 1e-3
            ),
            None,
        )
        return (whole, at) if whole is not None and not (spans and not stretch.name) else (None, 0.0)

    def _seek(self, frame: float) -> None:
        stretch, takes = self.player.stretch, self.bench.takes
        if stretch is not None and takes is not None:
            at = frame / takes.rate
            if stretch.name and not stretch.start - 1e-6 <= at <= stretch.end + 1e-6:
                self.page.band.pick(-1)
                stretch = self.player.stretch or stretch
            self.player.seek(at - stretch.start)

    def _facts(self, stretch: Stretch) -> None:
        result = self.bench.result
        scene = result.at(self.session.stop) if result is not None else None
        clip = (
            next((c for c in scene.clips if _same_name(c.name, stretch.name or stretch.take)), None)
            if scene is not None
            else None
        )
        if scene is None or clip is None:
            self.page.facts.setText("")
            return
        found = (scene, clip)
        self.session.worker.submit(
            Task(
                5,
                key="clip facts",
                title="Measuring the clip",
                run=lambda job: f"{clip.name}   {clip_facts(*found)}",
                done=self.page.facts.setText,
            )
        )

    def _curve(self) -> None:
        stretch, result = self.player.stretch, self.bench.result
        scene = result.at(self.session.stop) if result is not None else None
        clip = None
        if scene is not None and stretch is not None:
            clip = next((c for c in scene.clips if _same_name(c.name, stretch.name or stretch.take)), None)
        lines = (
            lines_of(scene, clip, self.overlay.joint)
            if scene is not None and clip is not None and self.overlay.joint
            else []
        )
        self.curves.show_lines(
            f"{self.overlay.joint} in {clip.name}" if clip is not None and self.overlay.joint else "", lines
        )

    # -- decisions

    def _spans(self, spans: tuple[Span, ...], word: str) -> None:
        """The rows of this take are those on the band; rows of other takes stay."""
        take, takes = self.bench.take, self.bench.takes
        if take is None or takes is None:
            return
        mine = set(takes.of(take))
        rows = [(s.name, s.first, s.last, str(take.key)) for s in spans]
        self.keep_rows([*(r for r in takes.ranges if r not in mine), *rows], word)

    def keep_rows(self, rows: list[tuple[str, float, float, str]], word: str) -> None:
        """Make `rows` (name, first, last, take) the table of the stop Clips, as one decision."""
        takes, asset = self.bench.takes, self.session.asset
        if takes is None or asset is None:
            return
        values = {"ranges": tuple(rows), "unit": "frames", "rate": takes.rate, "find": False}
        self.session.change_route(word, lambda r: r.set("clips", values))

    def find_clips(self) -> None:
        """Cut the take at its rests and repeated poses, as one decision."""
        take, takes = self.bench.take, self.bench.takes
        if take is None or takes is None:
            return

        def done(rows: tuple[tuple[str, float, float, str], ...]) -> None:
            if len(rows) < 2:
                self.session.said.emit(
                    "No rest and no repeated pose was found in this take; cut it by hand on the band.",
                    "query",
                )
                return
            mine = set(takes.of(take))
            self.keep_rows([*(r for r in takes.ranges if r not in mine), *rows], "Find clips")

        self.session.worker.submit(
            Task(2, key="find", title="Finding clips", run=lambda job: found_ranges(takes, take), done=done)
        )

    def _rate(self, rate: float) -> None:
        """Frames are counted at another rate; clips stay where they are in seconds."""
        takes = self.bench.takes
        if takes is None:
            return
        factor = rate / takes.rate
        rows = tuple((n, a * factor, b * factor, t) for n, a, b, t in takes.ranges)
        if rows:
            self.session.set_step("clips", ranges=rows, unit="frames", rate=rate)
        else:
            self.session.set_step("clips", rate=rate)

    def _take(self, number: int) -> None:
        self.bench.take_number = number
        self._strip()
        self.page.band.pick(-1)

    def pick_joint(self, name: str) -> None:
        """Mark a joint everywhere."""
        if not self.bench.open:
            return
        self.overlay.joint = name
        self.donor.map.joint = name
        self.donor.map.update()
        self.joints.show_joint(name)
        self.weights.refresh()
        self.clips.refresh_joint()
        self._curve()
        self.twin.update()
        self.arrange_soon()

    def say_bone(self, joint: str, bone: str) -> None:
        """A person's word on which bone a joint is: one setting of the stop Humanoid."""
        asset, result = self.session.asset, self.bench.result
        scene = result.at(self.session.stop) if result is not None else None
        if asset is None or scene is None:
            return
        stop = asset.route.of_step("humanoid")
        said = dict(dict(stop.values).get("bones", ())) if stop is not None else {}
        before = next((n.bone for n in scene.nodes if n.name == joint), "")
        said = {b: j for b, j in said.items() if j != joint}
        if bone:
            said[bone] = joint
        elif before:
            said[before] = ""
        self.session.set_step("humanoid", bones=tuple(sorted(said.items())))

    def choose_donor(self, path: str = "") -> None:
        """Let a person choose the file of a donor."""
        chosen = (
            path
            or QFileDialog.getOpenFileName(
                self, "Choose a donor: an asset of the destination", str(Path.home())
            )[0]
        )
        if chosen:
            self.session.jobs.take_donor(Path(chosen))


def _same_name(delivered: str, name: str) -> bool:
    """True when a delivered clip is the one called `name`, be it in the letters of the sheet."""
    return delivered == name or delivered.lower() == name.lower().replace(" ", "_")
