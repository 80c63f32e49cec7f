"""What the desk Motion asks of an evaluated asset: its takes, the clips cut from them, the skeletons and
their pairs.
"""

from __future__ import annotations

from dataclasses import dataclass

from customs.changes.clips import clips_meant, keys_of
from customs.changes.donor import Donor
from customs.motion.clips.loop import seam
from customs.motion.clips.ranges import Take, look_at
from customs.motion.clips.travel import travel_of
from customs.motion.curves.track import frame_rate
from customs.motion.posing.dual import squeeze
from customs.motion.skeleton.pairing import Pair, propose
from customs.motion.skeleton.skeleton import Skeleton, skeleton_of
from customs.route.route import At, Route
from customs.route.step import get_step, step_of
from customs.route.steps.motion.clips.clips import Clips, Range
from customs.scene.model import Clip, Scene

PAINT_ORDER = 55


@dataclass(frozen=True, eq=False)
class Takes:
    """Clips as they come to the stop Clips, the rate its table counts in, and the table."""

    scene: Scene
    clips: tuple[Clip, ...]
    rate: float
    ranges: tuple[Range, ...]

    def of(self, clip: Clip) -> tuple[Range, ...]:
        """Rows of the table cut from one of them, first and last in frames."""
        first = self.clips[:1] == (clip,)
        return tuple(
            r for r in self.ranges if (not r[3] and first) or (r[3] and clip in clips_meant(self.clips, r[3]))
        )


def takes_of(passed: tuple[At, ...], route: Route) -> Takes:
    """The takes of an evaluated asset: what stands before its stop Clips, or at the end where it has none."""
    stop = route.of_step("clips")
    at = next((k for k, a in enumerate(passed) if stop is not None and a.stop.id == stop.id), len(passed))
    scene = passed[max(at - 1, 0)].scene
    settings = (
        stop.settings if stop is not None else Clips(rate=frame_rate(scene.clips[0]) if scene.clips else 30.0)
    )
    assert isinstance(settings, Clips)
    factor = 1.0 if settings.unit == "frames" else settings.rate
    rows = tuple((n, a * factor, b * factor, t) for n, a, b, t in settings.ranges)
    return Takes(scene, scene.clips, settings.rate, rows)


def look_at_take(takes: Takes, clip: Clip) -> Take:
    """Pace, rests and stretches of a take at the table's rate."""
    return look_at(takes.scene, clip, takes.rate)


def found_ranges(takes: Takes, clip: Clip) -> tuple[Range, ...]:
    """A row for each stretch found in a take, in whole frames."""
    found = look_at_take(takes, clip).found
    return tuple(
        (
            f"{clip.name} {k + 1}",
            float(round(f.start * takes.rate)),
            float(round(f.end * takes.rate)),
            str(clip.key),
        )
        for k, f in enumerate(found)
    )


def clip_facts(scene: Scene, clip: Clip) -> str:
    """One line about a clip: its seam, its keys, its way along the ground."""
    travel = travel_of(scene, clip)
    parts = [
        f"{clip.seconds:.2f} s",
        f"seam {seam(scene, clip, travel=False) * 1000:.1f} mm",
        f"{keys_of(clip):,} keys in {len(clip.channels)} channels",
    ]
    parts.append(
        f"travels {travel.speed:.2f} m/s" if travel is not None and travel.speed > 0.02 else "on the spot"
    )
    squeezed = squeeze(scene, clip)
    if squeezed > 0.001:
        parts.append(f"twists squeeze up to {squeezed * 1000:.0f} mm")
    return " · ".join(parts)


@dataclass(frozen=True, eq=False)
class Facing:
    """The arriving skeleton, the donor's, and the pairs a stop Donor would work with."""

    arriving: Skeleton
    donor: Skeleton
    pairs: tuple[Pair, ...]

    def counterparts(self, scene: Scene) -> dict[str, str]:
        """The donor's joint by the name of a joint of `scene`; once the donor's skeleton is taken, each is
        its own.
        """
        taken = bool(scene.skins) and skeleton_of(scene, (0,)).names == self.donor.names
        return (
            dict(zip(self.donor.names, self.donor.names))
            if taken
            else {p.arriving: p.donor for p in self.pairs}
        )


def facing(passed: tuple[At, ...], route: Route, donor: Donor) -> Facing | None:
    """Both skeletons as they stand before the stop Donor; None where the asset has none."""
    stop = route.of_step("donor")
    order = get_step("donor").order
    at = next((k for k, a in enumerate(passed) if step_of(a.stop.step).order >= order), len(passed))
    scene = passed[max(at - 1, 0)].scene
    if not scene.skins:
        return None
    values = dict(stop.values) if stop is not None else {}
    mine, theirs = skeleton_of(scene), skeleton_of(donor.scene, (0,))
    return Facing(
        mine, theirs, propose(mine, theirs, dict(values.get("pairs", ())), tuple(values.get("unpaired", ())))
    )


def weights_scene(passed: tuple[At, ...]) -> Scene:
    """The scene whose vertices the stop Paint counts: at it, or at the last stop before its place."""
    before = [a for a in passed if step_of(a.stop.step).order <= PAINT_ORDER]
    return before[-1].scene if before else passed[0].scene
