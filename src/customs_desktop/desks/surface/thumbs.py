"""Small pictures of textures, made in the background and kept."""

from __future__ import annotations

from collections import OrderedDict
from typing import Any

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap

from customs.scene.model import Image
from customs.surface.pixels import pixels_or_none

EDGE, KEPT = 44, 6000


def as_eight(pixels: npt.NDArray[Any]) -> npt.NDArray[np.uint8]:
    """(H, W, 4) uint8 of pixels (H, W, C) of eight or sixteen bits."""
    p = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
    out = np.full((*p.shape[:2], 4), 255, np.uint8)
    out[:, :, :3] = p[:, :, :3] if p.shape[2] >= 3 else p[:, :, :1]
    if p.shape[2] in (2, 4):
        out[:, :, 3] = p[:, :, -1]
    return out


def qimage(rgba: npt.NDArray[np.uint8]) -> QImage:
    """A QImage of (H, W, 4) uint8 that owns its bytes."""
    height, width = rgba.shape[:2]
    flat = np.ascontiguousarray(rgba)
    return QImage(flat.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()


def thinned(pixels: npt.NDArray[Any], edge: int) -> npt.NDArray[Any]:
    """At most `edge` pixels each way, picked evenly."""
    height, width = pixels.shape[:2]
    scale = max(height, width) / edge
    if scale <= 1:
        return pixels
    rows = (np.arange(max(1, int(height / scale))) * scale).astype(int)
    columns = (np.arange(max(1, int(width / scale))) * scale).astype(int)
    return pixels[np.ix_(rows, columns)]


class _Job(QRunnable):
    def __init__(self, owner: Thumbs, image: Image, key: int) -> None:
        super().__init__()
        self.owner, self.image, self.key = owner, image, key

    def run(self) -> None:
        """Decode and thin; a closed window no longer asks."""
        pixels = pixels_or_none(self.image)
        made = qimage(as_eight(thinned(pixels, EDGE * 2))) if pixels is not None else QImage()
        try:
            self.owner.made.emit(self.key, made)
        except RuntimeError:
            return


class Thumbs(QObject):
    """Pictures by the pixels or bytes an image holds. `ready` tells that some have come."""

    made = pyqtSignal(object, object)
    ready = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.pool = QThreadPool(self)
        self.pool.setMaxThreadCount(1)
        self.kept: OrderedDict[int, tuple[Any, QPixmap | None]] = OrderedDict()
        self.made.connect(self._made)

    def get(self, image: Image) -> QPixmap | None:
        """The picture, or None while it is made or where there is none."""
        holder = image.pixels if image.pixels is not None else image.content
        if holder is None or image.problem:
            return None
        key = id(holder)
        known = self.kept.get(key)
        if known is not None and known[0] is holder:
            return known[1]
        self.kept[key] = (holder, None)
        while len(self.kept) > KEPT:
            self.kept.popitem(last=False)
        self.pool.start(_Job(self, image, key))
        return None

    def _made(self, key: int, picture: QImage) -> None:
        known = self.kept.get(key)
        if known is not None and not picture.isNull():
            self.kept[key] = (known[0], QPixmap.fromImage(picture))
            self.ready.emit()

    def close(self) -> None:
        """Wait for what is being made."""
        self.pool.clear()
        self.pool.waitForDone()
