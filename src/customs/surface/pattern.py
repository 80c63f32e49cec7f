"""Packing patterns: which value goes to which channel, as text such as `R=occlusion G=roughness B=1-metallic
A=1`.
"""

from __future__ import annotations

from dataclasses import dataclass

VALUES = ("occlusion", "roughness", "glossiness", "metallic", "specular", "opacity", "height")
"""Values a channel can hold, each 0..1."""
CHANNELS = "RGBA"


@dataclass(frozen=True)
class Part:
    """One channel: a value, inverted or not, or a constant (0..1) where `value` is ""."""

    channel: str
    value: str
    inverted: bool = False
    constant: float = 0.0

    def text(self) -> str:
        """As written in a pattern."""
        return f"{self.channel}={'1-' if self.inverted else ''}{self.value or f'{self.constant:g}'}"


def parse_pattern(text: str) -> tuple[Part, ...]:
    """The parts of a pattern, in channel order. Raises ValueError saying what is allowed."""
    parts: dict[str, Part] = {}
    for word in text.split():
        channel, equals, value = word.partition("=")
        if channel not in CHANNELS or not equals or not channel:
            raise ValueError(f"{word!r}: a channel R, G, B or A, then =, as in R=occlusion")
        if channel in parts:
            raise ValueError(f"channel {channel} is given twice")
        parts[channel] = _part(channel, value)
    if not parts:
        raise ValueError("at least one channel, as in R=occlusion G=roughness B=metallic")
    if list(sorted(parts, key=CHANNELS.index)) != list(CHANNELS[: len(parts)]):
        raise ValueError("channels without a gap: R, then G, then B, then A")
    return tuple(parts[c] for c in CHANNELS if c in parts)


def _part(channel: str, value: str) -> Part:
    inverted = value.startswith("1-")
    name = value[2:] if inverted else value
    if name in VALUES:
        return Part(channel, name, inverted)
    try:
        constant = float(value)
    except ValueError:
        constant = -1.0
    if not 0 <= constant <= 1:
        raise ValueError(
            f"{value!r}: one of {', '.join(VALUES)}, 1- before it to invert it, or a number from 0 to 1"
        )
    return Part(channel, "", constant=constant)


def pattern_text(parts: tuple[Part, ...]) -> str:
    """The pattern as text."""
    return " ".join(p.text() for p in parts)


def slot_of(parts: tuple[Part, ...]) -> str:
    """The role a texture of this pattern has in a material: glTF's own where its places fit, else
    `parameters`.
    """
    at = {p.channel: p for p in parts}
    red, green, blue = (at.get(c) for c in "RGB")

    def holds(part: Part | None, value: str) -> bool:
        return part is not None and part.value == value and not part.inverted

    if (
        holds(green, "roughness")
        and holds(blue, "metallic")
        and (red is None or not red.value or holds(red, "occlusion"))
    ):
        return "metallic_roughness"
    if len(parts) == 1 and holds(red, parts[0].value):
        return parts[0].value
    return "parameters"
