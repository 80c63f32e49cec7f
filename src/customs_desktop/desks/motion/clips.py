"""Clip tools: limits, what is done to the picked clip, how clips are delivered."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QVBoxLayout, QWidget

from customs.motion.curves.track import frame_rate
from customs.motion.rig.leftovers import joint_use
from customs.route.route import Route
from customs.route.step import get_step
from customs.route.steps.motion.rig.pose import moment
from customs_desktop.desks.motion.bench import Bench
from customs_desktop.style.theme import span
from customs_desktop.widgets.basics import Chips, Flow, NameLabel, NumberField, button, label, row

FILES = (("first-with-mesh", "First with mesh"), ("only", "Clips only"), ("together", "One file"), ("each", "A file each"),
         ("none", "No clips"), ("still", "A still, no skin"))  # fmt: skip


class ClipTools:
    """Every button is a stop or a setting of one. `limits`, `clip`, `still` and `deliver` are what stands in
    the sections.
    """

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.session = bench.session
        self.limits, self.clip, self.still, self.deliver = (QWidget() for _ in range(4))
        self._fill_limits(_lines(self.limits))
        self._fill_clip(_lines(self.clip))
        self._fill_still(_lines(self.still))
        self.files = Chips(FILES)
        self.files.chosen.connect(self._files)
        self.add_stop = button("Add a stop …", self._add, "", "plus")
        box = _lines(self.deliver)
        box.addWidget(self.files)
        box.addWidget(row(1, self.add_stop))

    def _fill_limits(self, box: QVBoxLayout) -> None:
        session = self.session
        self.influences = NumberField(1, 16, 0, "Influences per vertex")
        self.joints = NumberField(1, 4096, 0, "Joints")
        for field in (self.influences, self.joints):
            field.setFixedWidth(span(58))
        self.influences.entered.connect(lambda v: session.set_step("weights", limit=int(v)))
        self.joints.entered.connect(lambda v: session.set_step("merge-joints", limit=int(v)))
        self.worst, self.count = label("", "soft"), label("", "soft")
        box.addWidget(row(label("Influences per vertex"), 1, self.influences, self.worst))
        box.addWidget(row(label("Joints"), 1, self.joints, self.count))

    def _fill_clip(self, box: QVBoxLayout) -> None:
        self.which = NameLabel()
        box.addWidget(row(self.which))
        holder = QWidget()
        flow = Flow(holder)
        for text, step, values, tip in (
            ("Close the loop", "loop", {}, "Lead the end to the beginning"),
            ("On the spot", "travel", {"way": "drop-drift"}, "Take the way along the ground out"),
            ("Backwards", "retime", {"backwards": True}, "From the end to the beginning"),
            ("Reduce keys", "reduce", {}, "Drop keys others stand for, within 0.2 mm and 0.05°"),
        ):
            flow.addWidget(button(text, lambda s=step, v=values: self.do(s, v), "chip", "", tip))
        box.addWidget(holder)
        self.speed = NumberField(0.01, 100, 2, "Played as fast")
        self.speed.setFixedWidth(span(58))
        self.speed.entered.connect(lambda v: self.do("retime", {"speed": v}))
        box.addWidget(row(label("Played"), 1, self.speed, label("times as fast", "soft")))

    def _fill_still(self, box: QVBoxLayout) -> None:
        self.joint = NameLabel()
        self.turns = [NumberField(-360, 360, 1, f"Turn about its {axis}, in degrees") for axis in "XYZ"]
        for field in self.turns:
            field.setFixedWidth(span(58))
            field.entered.connect(lambda _: self.turn())
        tip = "The rest pose becomes the moment the playhead is at"
        self.standing = button("Stand like this moment", self.stand, "chip", "", tip)
        self.rest = button("Rest pose", self.unpose, "chip", "", "Back to the pose it came with")
        holder = QWidget()
        flow = Flow(holder)
        flow.addWidget(self.standing)
        flow.addWidget(self.rest)
        box.addWidget(holder)
        axes = [w for axis, field in zip("XYZ", self.turns) for w in (label(axis, "soft"), field)]
        box.addWidget(row(self.joint))
        box.addWidget(row(*axes, label("°", "soft"), 1))

    # -- in words

    def limits_said(self) -> str:
        """State of the limits."""
        return f"{self.influences.value() or 0:g} influences, {self.joints.value() or 0:g} joints"

    def still_said(self) -> str:
        """State of the rest pose."""
        asset = self.session.asset
        posed = asset is not None and asset.route.of_step("pose") is not None
        return "posed here" if posed else "as it came"

    def deliver_said(self) -> str:
        """How clips leave."""
        return next((name.lower() for id_, name in FILES if self.files.buttons[id_].isChecked()), "")

    # -- keeping up

    def refresh(self) -> None:
        """Values of the selected asset."""
        result, asset = self.bench.result, self.session.asset
        scene = result.at(None) if result is not None else None
        if scene is None or asset is None or result is None:
            return
        weights, merge = asset.route.of_step("weights"), asset.route.of_step("merge-joints")
        rig = self.session.sheet.rig
        self.influences.show_value(getattr(weights.settings, "limit", 4) if weights else rig.influences)
        use = joint_use(scene)
        self.joints.show_value(getattr(merge.settings, "limit", 0) or len(use) if merge else len(use) or 0)
        self.count.setText(f"of {rig.max_joints}" if rig.max_joints else "")
        told = [r.values for a in result.passed if a.stop.step == "weights" for r in a.remarks]
        far = next((v["metres"] for v in told if "metres" in v), None)
        self.worst.setText(f"{far * 1000:.2f} mm" if far is not None else "")
        dropped = asset.route.of_step("static")
        how = (
            {"clips": "none", "skins-and-clips": "still"}.get(getattr(dropped.settings, "drop", ""))
            if dropped
            else None
        )
        self.files.show_chosen(how or scene.wishes.clips or rig.clip_files[0])
        self.refresh_joint()
        self.refresh_clip()

    def refresh_clip(self) -> None:
        """Which clip is picked."""
        stretch = self.bench.player.stretch
        take = self.bench.take
        name = stretch.name or stretch.take if stretch is not None else ""
        self.which.setText(
            " · ".join(filter(None, (name, f"{frame_rate(take):g} frames/s received")))
            if take is not None
            else "No clips"
        )
        self.speed.show_value(1.0)

    def refresh_joint(self) -> None:
        """How far the picked joint is turned by hand."""
        asset, joint = self.session.asset, self.bench.overlay.joint
        pose = asset.route.of_step("pose") if asset is not None else None
        said = {t[0]: t[1:] for t in getattr(pose.settings, "turns", ())} if pose is not None else {}
        # A body on a donor's skeleton takes the donor's pose over, so a pose of its own would be lost.
        free = asset is not None and asset.route.of_step("donor") is None
        self.joint.setText((joint or "No joint picked") if free else "Stands like the donor")
        self.standing.setEnabled(free)
        self.rest.setEnabled(pose is not None)
        for field, value in zip(self.turns, said.get(joint, (0.0, 0.0, 0.0))):
            field.show_value(value)
            field.setEnabled(bool(joint) and free)

    def stand(self) -> None:
        """The moment the playhead is at as rest pose."""
        take, stretch = self.bench.take, self.bench.player.stretch
        if take is not None and stretch is not None:
            self.session.set_step("pose", **moment(take, stretch.start + self.bench.player.seconds))

    def turn(self) -> None:
        """Turns of the picked joint from the three fields."""
        asset, joint = self.session.asset, self.bench.overlay.joint
        if asset is None or not joint:
            return
        pose = asset.route.of_step("pose")
        others = [t for t in getattr(pose.settings, "turns", ()) if t[0] != joint] if pose is not None else []
        values = tuple(f.value() or 0.0 for f in self.turns)
        mine = [(joint, *values)] if any(values) else []
        self.session.set_step("pose", turns=(*others, *mine))

    def unpose(self) -> None:
        """The pose it came with."""
        asset = self.session.asset
        pose = asset.route.of_step("pose") if asset is not None else None
        if pose is not None:
            self.session.change_route("Rest pose", lambda r: r.removed(pose.id))

    def target(self) -> tuple[str, ...]:
        """Key of the delivered clip that is picked; nothing stands for all."""
        stretch, result = self.bench.player.stretch, self.bench.result
        scene = result.at(None) if result is not None else None
        if stretch is None or scene is None or not stretch.name:
            return ()
        names = (stretch.name, stretch.name.lower().replace(" ", "_"))
        return tuple(str(c.key) for c in scene.clips if c.name in names)

    def do(self, step: str, values: dict[str, object]) -> None:
        """Add a stop for the picked clip, or for all when the take is picked."""
        target = self.target()
        self.session.change_route(
            "Change a clip", lambda r: r.added(step, {**values, "targets": target}, by="person")
        )

    def _files(self, how: str) -> None:
        asset = self.session.asset
        if asset is None:
            return
        static = asset.route.of_step("static")
        if how in ("none", "still"):
            self.session.set_step("static", drop="clips" if how == "none" else "skins-and-clips")
            return

        def change(route: Route) -> Route:
            out = route if static is None else route.removed(static.id)
            return out.set("clip-files", {"how": how})

        self.session.change_route("Deliver clips", change)

    def _add(self) -> None:
        self.stops_menu().popup(self.add_stop.mapToGlobal(self.add_stop.rect().bottomLeft()))

    def stops_menu(self) -> QMenu:
        """Steps of this desk to add by hand."""
        menu = QMenu(self.add_stop)
        for id_ in (
            "bind",
            "leftovers",
            "bind-pose",
            "merge-joints",
            "rigid",
            "humanoid",
            "retarget",
            "reduce",
            "numbers",
        ):
            step = get_step(id_)
            action = menu.addAction(f"{step.name}: {step.about}")
            assert action is not None
            action.triggered.connect(
                lambda _=False, i=id_: self.session.change_route(
                    "Add a stop", lambda r: r.added(i, {}, by="person")
                )
            )
        return menu


def _lines(widget: QWidget) -> QVBoxLayout:
    box = QVBoxLayout(widget)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(5)
    return box
