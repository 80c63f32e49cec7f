"""What block compression does to a texture, for a person to look at before it leaves."""

from __future__ import annotations

from typing import Any

import numpy.typing as npt

from customs.errors import CustomsError
from customs.formats.image_write import PLAIN, encode
from customs.job import Job
from customs.scene.model import Image
from customs.scene.wishes import Delivery
from customs.surface.files.base import recognise
from customs.surface.mipmap import Kind
from customs.surface.pixels import image_pixels


def compressed_look(
    image: Image, delivery: Delivery, kind: Kind | None, job: Job | None = None
) -> tuple[npt.NDArray[Any], npt.NDArray[Any]]:
    """(pixels as the destination will read them, pixels as they are). Raises CustomsError, Cancelled."""
    job = job or Job()

    def tick(share: float) -> None:
        job.check()
        job.progress(share, image.name)

    original = image_pixels(image)
    if not delivery.block:
        raise CustomsError(
            f"{image.name} is delivered without block compression", "a block compression", "Change Formats."
        )
    data = encode(image, delivery, kind or PLAIN, tick)
    return recognise(data).decode(data), original
