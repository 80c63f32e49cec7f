"""Facts about pixels, found once and kept as long as the pixels live."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from customs.scene.kept import kept
from customs.scene.model import Image

Fact = TypeVar("Fact")


def kept_of_pixels(name: str, image: Image, find: Callable[[], Fact]) -> Fact:
    """The fact `name` of an image's pixels; `find` is asked when it is not known yet."""
    holder = image.pixels if image.pixels is not None else image.content
    return kept(name, holder, find) if holder is not None else find()
