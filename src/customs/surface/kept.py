"""Facts about pixels, found once and kept as long as the pixels live."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from customs.scene.kept import kept, kept_weakly
from customs.scene.model import Image

Fact = TypeVar("Fact")


def kept_of_pixels(name: str, image: Image, find: Callable[[], Fact]) -> Fact:
    """The fact `name` of an image's pixels; `find` is asked when it is not known yet."""
    holder = image.pixels if image.pixels is not None else image.content
    return kept(name, holder, find) if holder is not None else find()


def made_of_pixels(
    name: tuple[object, ...], image: Image, make: Callable[[], npt.NDArray[np.generic]]
) -> npt.NDArray[Any]:
    """Pixels made of an image's, the very same ones while they are still held somewhere: a route that is run
    anew because of another stop makes no picture twice. `name` says how they are made.
    """
    holder = image.pixels if image.pixels is not None else image.content
    return kept_weakly(name, holder, make) if holder is not None else make()
