"""Looking into images: header facts without decoding, pixels on demand."""

from __future__ import annotations

import io
import threading
import warnings
import weakref
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import PIL.Image

from customs.errors import CustomsError, LimitError, ReadError
from customs.scene.content import Encoded
from customs.scene.model import Image
from customs.tolerances import IMAGE_PIXELS

PIL.Image.MAX_IMAGE_PIXELS = None  # our own limit is checked before anything is decoded

FORMS = {"PNG": "png", "JPEG": "jpeg", "TGA": "tga", "BMP": "bmp", "DIB": "bmp", "WEBP": "webp", "MPO": "jpeg"}
MIMES = {"png": "image/png", "jpeg": "image/jpeg", "tga": "image/x-tga", "bmp": "image/bmp", "webp": "image/webp"}
ENDINGS = {"png": ".png", "jpeg": ".jpg", "tga": ".tga", "bmp": ".bmp", "webp": ".webp"}


@dataclass(frozen=True)
class ImageInfo:
    """Header facts: size in pixels, channel count, bits a channel, file format (`png`, `jpeg`, …)."""

    width: int
    height: int
    channels: int
    bits: int
    form: str

    @property
    def has_alpha(self) -> bool:
        """True with two or four channels."""
        return self.channels in (2, 4)


_infos: weakref.WeakKeyDictionary[Encoded, ImageInfo] = weakref.WeakKeyDictionary()
_pixels: weakref.WeakKeyDictionary[Encoded, npt.NDArray[Any]] = weakref.WeakKeyDictionary()
_lock = threading.Lock()
CHANNELS = {"1": 1, "L": 1, "P": 4, "RGB": 3, "RGBA": 4, "LA": 2, "CMYK": 3, "YCbCr": 3, "I": 1, "I;16": 1, "I;16B": 1}
KNOWN_FORMATS = ("PNG", "JPEG", "TGA", "BMP", "WEBP")


def _open(content: Encoded) -> PIL.Image.Image:
    try:
        data = content.read()
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return PIL.Image.open(io.BytesIO(data), formats=KNOWN_FORMATS)
    except OSError as problem:
        raise ReadError(f"not a readable image ({problem})", "PNG, JPEG, TGA, BMP or WebP") from None
    except (ValueError, SyntaxError, TypeError, EOFError, ZeroDivisionError, OverflowError) as problem:
        raise ReadError(f"image header is broken ({problem})", "PNG, JPEG, TGA, BMP or WebP") from None


def content_info(content: Encoded) -> ImageInfo:
    """Header facts of encoded bytes. Raises ReadError, LimitError."""
    with _lock:
        if content in _infos:
            return _infos[content]
    picture = _open(content)
    width, height = picture.size
    if width * height > IMAGE_PIXELS:
        raise LimitError(f"image of {width} × {height} pixels", f"at most {IMAGE_PIXELS:,} pixels")
    channels = CHANNELS.get(picture.mode, 3)
    if picture.mode == "P" and "transparency" not in picture.info:
        channels = 3
    bits = 16 if picture.mode.startswith("I") else 8
    info = ImageInfo(width, height, channels, bits, FORMS.get(picture.format or "", "unknown"))
    with _lock:
        _infos[content] = info
    return info


def image_info(image: Image) -> ImageInfo | None:
    """Header facts of an image as it stands, or None when it has neither pixels nor readable bytes."""
    if image.pixels is not None:
        height, width, channels = image.pixels.shape
        form = image.form or (content_info(image.content).form if image.content is not None else "png")
        return ImageInfo(width, height, channels, image.pixels.dtype.itemsize * 8, form)
    if image.content is None or image.problem:
        return None
    return content_info(image.content)


def _decode(content: Encoded) -> npt.NDArray[Any]:
    info = content_info(content)
    picture = _open(content)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            if info.bits == 16:
                raw = np.asarray(picture)
                return raw.astype(np.uint16).reshape(info.height, info.width, -1)
            mode = {1: "L", 2: "LA", 3: "RGB", 4: "RGBA"}[info.channels]
            return np.asarray(picture.convert(mode)).reshape(info.height, info.width, -1)
    except (OSError, ValueError, SyntaxError, EOFError, IndexError, OverflowError) as problem:
        raise ReadError(f"image data is broken ({problem})", "a whole image") from None


def image_pixels(image: Image) -> npt.NDArray[Any]:
    """Pixels (H, W, C) uint8 or uint16, read-only, rows from the top. Raises ReadError, LimitError."""
    if image.pixels is not None:
        return image.pixels
    if image.content is None:
        raise ReadError(image.problem or "no image data", file=image.uri or image.name)
    with _lock:
        known = _pixels.get(image.content)
    if known is not None:
        return known
    out = _decode(image.content)
    out = np.ascontiguousarray(out)
    out.flags.writeable = False
    with _lock:
        _pixels[image.content] = out
    return out


def pixels_or_none(image: Image) -> npt.NDArray[Any] | None:
    """Pixels, or None when the image is missing or broken."""
    try:
        return image_pixels(image)
    except CustomsError:
        return None


def probe(image: Image) -> str:
    """Why the image cannot be used, or "" when its header reads well."""
    if image.problem or image.content is None:
        return image.problem
    try:
        content_info(image.content)
    except CustomsError as problem:
        return str(problem)
    return ""
