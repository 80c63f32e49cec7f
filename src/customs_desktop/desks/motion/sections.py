"""The sections of the desk Motion: what stands in each, and which requirements it is about."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from customs_desktop.desks.motion.clips import ClipTools
from customs_desktop.desks.motion.donor import DonorSection
from customs_desktop.desks.motion.weights import WeightTools

DONOR = ("donor-known", "donor-joints", "donor-bind", "donor-order", "donor-stretch")
WEIGHTS = ("weight-sum", "weight-sound", "weightless", "mesh-joints", "outlines")
LIMITS = ("influences", "joint-limit", "joints-idle")
CLIP = ("clip-length", "clip-loop", "clip-rate", "clip-twice", "clip-targets", "root-motion")


def sections_of(
    donor: DonorSection, weights: WeightTools, clips: ClipTools
) -> tuple[tuple[str, QWidget, Callable[[], str], tuple[str, ...]], ...]:
    """Title, what stands in it, its state in words, its requirements."""
    return (
        ("DONOR", donor, donor.said, DONOR),
        ("WEIGHTS", weights, weights.said, WEIGHTS),
        ("LIMITS", clips.limits, clips.limits_said, LIMITS),
        ("PICKED CLIP", clips.clip, clips.which.text, CLIP),
        ("STILL", clips.still, clips.still_said, ("rest-pose", "bind-pose")),
        ("DELIVER CLIPS", clips.deliver, clips.deliver_said, ("clips", "clip-files", "skins")),
    )
