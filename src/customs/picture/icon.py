"""Pictures a kit asks for: an icon or a thumbnail at its exact size, framed by the mesh itself."""

from __future__ import annotations

import functools
import io
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt
from PIL import Image as Pictures
from PIL import ImageDraw, ImageFont

from customs.motion.posing.pose import posed_scene_points
from customs.picture.camera import Orbit, framing, project
from customs.picture.look import Look, Shot
from customs.picture.renderer import Renderer
from customs.scene.folding import unfolded
from customs.scene.model import Scene
from customs.scene.wishes import Angle, PictureWish

Pixels = npt.NDArray[np.uint8]
Answer = TypeVar("Answer")
ANGLES: dict[Angle, tuple[float, float]] = {
    "three-quarter": (-35.0, 16.0), "front": (0.0, 0.0), "side": (90.0, 0.0), "back": (180.0, 0.0), "above": (0.0, 89.0),
}  # fmt: skip
"""Degrees of yaw and pitch (common practice: an icon shows a thing from a little above, turned to its side)."""
BACKDROPS: dict[str, tuple[int, int, int]] = {
    "paper": (243, 239, 228),
    "white": (255, 255, 255),
    "dark": (45, 54, 58),
}
TWICE = 1024
"""Edge up to which a picture is drawn twice as large and halved."""
SMALL = 256
"""Edge up to which a software driver draws fewer triangles of many: they are smaller than its pixels."""
DIRECTIONS = 400
CHUNK = 100_000
"""Vertices looked at at a time."""
ROUNDS = 5
"""Times the camera is set anew to what it sees: perspective makes each nearly right."""


def icon_shot(scene: Scene, wish: PictureWish, width: int, height: int) -> Shot:
    """The picture to be drawn, on a clear ground, as large as it is drawn."""
    factor = 2 if max(width, height) <= TWICE else 1
    orbit = framed(scene, wish, width, height)
    small = max(width, height) * factor <= SMALL
    return Shot(
        scene,
        orbit,
        width * factor,
        height * factor,
        Look(grid=False, transparent=True, sketched=small, light=wish.light or "sky"),
    )


def framed(scene: Scene, wish: PictureWish, width: int, height: int) -> Orbit:
    """A camera in the wished direction that shows every vertex with a margin around, and no more."""
    yaw, pitch = wish.turn if wish.turn is not None else ANGLES[wish.angle]
    whole = unfolded(scene) if len(scene.placements) else scene
    points = np.concatenate([np.zeros((0, 3)), *posed_scene_points(whole)])
    points = points[np.isfinite(points).all(axis=1)]
    if not len(points):
        return Orbit(yaw=yaw, pitch=pitch)
    orbit = framing(points.min(axis=0), points.max(axis=0), width / height, Orbit(yaw=yaw, pitch=pitch))
    room = 1 - 2 * wish.margin
    for _ in range(ROUNDS):
        flat = project(points, orbit, width, height)
        low, high = np.nanmin(flat, axis=0), np.nanmax(flat, axis=0)
        middle, size = (low + high) / 2, np.maximum(high - low, 1e-9)
        shift = (middle - [width / 2, height / 2]) / height
        orbit = orbit.moved(float(shift[0]), float(-shift[1]))
        orbit = orbit.nearer(float(min(width * room / size[0], height * room / size[1])))
    return orbit


def outermost(scene: Scene) -> npt.NDArray[np.float64]:
    """(K, 3) the vertices that lie farthest out in one of many directions: as a frame around them is one around all."""
    whole = unfolded(scene) if len(scene.placements) else scene
    points = np.concatenate([np.zeros((0, 3)), *posed_scene_points(whole)])
    points = points[np.isfinite(points).all(axis=1)]
    if not len(points):
        return points
    # Directions spread evenly over a sphere by the golden angle (common practice).
    k = np.arange(DIRECTIONS) + 0.5
    turn, height = k * np.pi * (3 - np.sqrt(5)), 1 - 2 * k / DIRECTIONS
    wide = np.sqrt(1 - height**2)
    ways = np.stack([np.cos(turn) * wide, height, np.sin(turn) * wide])
    best, far = np.zeros(DIRECTIONS, np.intp), np.full(DIRECTIONS, -np.inf)
    for first in range(0, len(points), CHUNK):
        along = (points[first : first + CHUNK] - points[0]) @ ways
        most = along.argmax(axis=0)
        reach = along[most, np.arange(DIRECTIONS)]
        best, far = np.where(reach > far, most + first, best), np.maximum(reach, far)
    return np.asarray(points[np.unique(best)], np.float64)


def frame_on(
    points: npt.NDArray[np.float64],
    orbit: Orbit,
    view: tuple[int, int],
    picture: tuple[int, int],
    margin: float,
) -> tuple[float, float, float, float]:
    """(x, y, width, height) in pixels of a view (width, height) of the frame a picture (width, height) takes of points (K, 3) with
    a share of `margin` around them; NaN where there are none.
    """
    flat = project(points, orbit, *view)
    flat = flat[np.isfinite(flat).all(axis=1)]
    if not len(flat):
        return (float("nan"),) * 4
    low, high = flat.min(axis=0), flat.max(axis=0)
    size = np.array(picture, np.float64)
    scale = float(np.max((high - low) / (size * (1 - 2 * margin))))
    x, y = (low + high) / 2 - size * scale / 2
    return float(x), float(y), float(size[0] * scale), float(size[1] * scale)


def finished(pixels: Pixels, width: int, height: int, wish: PictureWish, clear: bool) -> Pixels:
    """(height, width, 4) of what was drawn: brought to its size, on its backdrop unless it stays clear."""
    if pixels.shape[0] > height:
        # Colours are weighed by how much they cover, or clear ground would shine through at the rim.
        wide = pixels.astype(np.float32)
        cover = wide[..., 3:] / 255
        parts = (
            np.concatenate([wide[..., :3] * cover, wide[..., 3:]], axis=2)
            .reshape(height, 2, width, 2, 4)
            .mean(axis=(1, 3))
        )
        colours = parts[..., :3] / np.maximum(parts[..., 3:] / 255, 1e-6)
        pixels = np.concatenate([np.minimum(colours, 255), parts[..., 3:]], axis=2).round().astype(np.uint8)
    if wish.backdrop == "clear" and clear:
        return pixels
    ground = np.array(BACKDROPS.get(wish.backdrop, BACKDROPS["white"]), np.float32)
    cover = pixels[..., 3:].astype(np.float32) / 255
    flat = pixels[..., :3] * cover + ground * (1 - cover)
    return np.concatenate([flat.round().astype(np.uint8), np.full_like(pixels[..., 3:], 255)], axis=2)


def placeholder(text: str, width: int, height: int, wish: PictureWish) -> Pixels:
    """(height, width, 4) words on a backdrop, as large as they fit."""
    tone = BACKDROPS.get(wish.backdrop, BACKDROPS["paper"])
    card = Pictures.new("RGBA", (width, height), (*tone, 255))
    pen, size = ImageDraw.Draw(card), max(height // 3, 6)
    while size > 5:
        left, top, right, bottom = pen.textbbox((0, 0), text, font=ImageFont.load_default(size))
        if right - left <= width * 0.9 and bottom - top <= height * 0.9:
            break
        size -= max(size // 8, 1)
    ink = (31, 45, 51, 255) if sum(tone) > 380 else (243, 239, 228, 255)
    pen.text((width / 2, height / 2), text, font=ImageFont.load_default(size), fill=ink, anchor="mm")
    return np.asarray(card)


def drawn(scene: Scene, wish: PictureWish, width: int, height: int, clear: bool = True) -> Pixels:
    """(height, width, 4) the picture of a scene. Raises ToolError where there is no OpenGL."""
    if wish.text:
        return placeholder(wish.text, width, height, wish)
    shot = icon_shot(scene, wish, width, height)
    return finished(aside(lambda renderer: renderer.render(shot)), width, height, wish, clear)


def encoded(pixels: Pixels, form: str) -> bytes:
    """A picture as the bytes of a PNG or JPEG file."""
    out = io.BytesIO()
    if form == "jpeg":
        Pictures.fromarray(pixels[..., :3]).save(out, "JPEG", quality=92)
    else:
        plain = pixels if (pixels[..., 3] < 255).any() else pixels[..., :3]
        Pictures.fromarray(np.ascontiguousarray(plain)).save(out, "PNG", optimize=True)
    return out.getvalue()


@functools.cache
def _drawer() -> ThreadPoolExecutor:
    """One thread that owns the context deliveries are drawn with, whoever asks."""
    return ThreadPoolExecutor(1, "icons")


_renderer: list[Renderer] = []


def aside(work: Callable[[Renderer], Answer]) -> Answer:
    """What `work` makes with the renderer of that thread. Raises ToolError where there is no OpenGL."""

    def run() -> Any:
        if not _renderer:
            _renderer.append(Renderer())
        return work(_renderer[0])

    answer: Answer = _drawer().submit(run).result()
    return answer
