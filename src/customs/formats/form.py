"""The form of a file that can be text or binary."""

from __future__ import annotations

from pydantic import Field

from customs.scene.settings import Settings


class TextOrBinary(Settings):
    """Which of the two."""

    text: bool = Field(default=False, description="written as text")


def as_text(settings: Settings) -> bool:
    """True where text is asked for."""
    return isinstance(settings, TextOrBinary) and settings.text
