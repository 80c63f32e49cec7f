"""Encoding textures for delivery."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable

import numpy as np

from customs.errors import WriteError
from customs.scene.model import COLOUR_SLOTS, NORMAL_SLOTS, Image, Scene
from customs.scene.wishes import Delivery, Wishes
from customs.surface.files.base import SUPERCOMPRESSED, Coding, Pixels, texture_format, texture_formats
from customs.surface.files.mips import four_channels
from customs.surface.mipmap import Kind, chain
from customs.surface.pixels import image_info, image_pixels, stated_space

KEPT_BYTES = 512 * 1024**2
"""Encoded textures kept by content, so that a slow compression is done once (bytes)."""
PLAIN = Kind()


def delivered_form(image: Image, wishes: Wishes) -> str:
    """The file format an image will be written in."""
    if wished := wishes.first(image.key):
        return wished.form
    info = image_info(image)
    return info.form if info else "png"


def deliveries(image: Image, wishes: Wishes) -> tuple[Delivery, ...]:
    """All files an image is written as, the one a model names first."""
    return wishes.of(image.key) or (Delivery(delivered_form(image, wishes)),)


def texture_kinds(scene: Scene) -> dict[int, Kind]:
    """What the numbers of each used image are, by what it is used for; a cut-out's cutoff goes with its
    colour.
    """
    roles: dict[int, set[str]] = {}
    cutoffs: dict[int, float] = {}
    for m in scene.materials:
        for role, use in m.textures.items():
            roles.setdefault(use.image, set()).add(role)
            if role in ("base_colour", "diffuse") and m.alpha_mode == "mask":
                cutoffs[use.image] = m.alpha_cutoff
    return {
        i: Kind(bool(r & set(COLOUR_SLOTS)), bool(r & NORMAL_SLOTS), cutoffs.get(i)) for i, r in roles.items()
    }


def untouched(image: Image, delivery: Delivery) -> bool:
    """True when the source bytes can go out as they are."""
    if image.pixels is not None or image.content is None:
        return False
    info = image_info(image)
    same = (
        info is not None
        and info.form == delivery.form
        and (info.block == delivery.block if delivery.block or info.block in SUPERCOMPRESSED else True)
    )
    if info is None or not same or (delivery.mips and info.levels == 1 and max(info.width, info.height) > 1):
        return False
    return not image.space or image.space == info.space


def encode(
    image: Image, delivery: Delivery, kind: Kind = PLAIN, tick: Callable[[float], None] = lambda share: None
) -> bytes:
    """The image as bytes of a file. Source bytes go out untouched when nothing about them changed.

    Raises ReadError for an image that cannot be decoded, WriteError for a format that cannot be written.
    """
    if untouched(image, delivery) and image.content is not None:
        return image.content.read()
    entry = texture_formats().get(delivery.form)
    if entry is None or entry.encode is None:
        known = ", ".join(f.title for f in texture_formats().values() if f.encode)
        raise WriteError(
            f"{delivery.form} cannot be written", known, "Add Formats to the route.", image.uri or image.name
        )
    if delivery.block and delivery.block not in entry.blocks:
        known = ", ".join(b.upper() for b in entry.blocks) or "no block compression"
        raise WriteError(
            f"{delivery.block.upper()} in {entry.title}", known, "Change Formats.", image.uri or image.name
        )
    pixels = image_pixels(image)
    if pixels.dtype == np.uint16 and pixels.shape[2] not in entry.sixteen:
        pixels = (pixels >> 8).astype(np.uint8)
    coding = Coding(
        delivery.block, delivery.quality, stated_space(image), delivery.header, delivery.zstd, tick
    )
    if not entry.mips:
        return entry.encode([pixels], coding)
    return _kept(pixels, delivery, coding, kind)


def _kept(pixels: Pixels, delivery: Delivery, coding: Coding, kind: Kind) -> bytes:
    """Encoded levels, looked up by content first."""
    state = hashlib.sha256(repr((pixels.shape, pixels.dtype.str, delivery, coding.space, kind)).encode())
    state.update(np.ascontiguousarray(pixels).data)
    key = state.digest()
    known = _cache.get(key)
    if known is None:
        levels = chain(pixels, kind) if delivery.mips else [pixels]
        encoder = texture_format(delivery.form).encode
        assert encoder is not None
        known = encoder([four_channels(p) for p in levels], coding)
        _cache.put(key, known)
    return known


class _Cache:
    """Encoded bytes by content, the oldest let go first."""

    def __init__(self) -> None:
        self.items: OrderedDict[bytes, bytes] = OrderedDict()
        self.lock = threading.Lock()

    def get(self, key: bytes) -> bytes | None:
        """The bytes of a key, or None."""
        with self.lock:
            if key in self.items:
                self.items.move_to_end(key)
            return self.items.get(key)

    def put(self, key: bytes, value: bytes) -> None:
        """Keep bytes, letting the oldest go."""
        with self.lock:
            self.items[key] = value
            while len(self.items) > 1 and sum(map(len, self.items.values())) > KEPT_BYTES:
                self.items.popitem(last=False)


_cache = _Cache()
