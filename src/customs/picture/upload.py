"""Arrays and images on their way to the graphics card, kept while they are in use."""

from __future__ import annotations

import weakref
from collections import Counter, OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import moderngl
import numpy as np
import numpy.typing as npt

from customs.geometry.triangles import flat_indices, triangles_of
from customs.motion.posing.dual import dual_quaternions
from customs.picture.thin import sides, thinned
from customs.scene.model import Image, Primitive
from customs.scene.selection import rows_in
from customs.surface.pixels import image_info, pixels_or_none

MOST_PRIMITIVES, MOST_TEXTURES, LARGEST = 4000, 200, 2048
PIECE = 1 << 20
"""Bytes copied to the card at a time."""
MODES = {
    "points": moderngl.POINTS,
    "lines": moderngl.LINES,
    "line_loop": moderngl.LINE_LOOP,
    "line_strip": moderngl.LINE_STRIP,
}


@dataclass
class Part:
    """A primitive on the card."""

    rigged: bool
    eight: bool
    """True when some vertex has more than four influences."""
    mode: int
    count: int
    content: list[tuple[Any, str, str]]
    indices: dict[int, tuple[Any, int]]
    """Index buffer and how many it holds, by how often the triangles were halved."""
    morphs: Any
    alive: weakref.ref[Primitive]
    arrays: dict[tuple[int, int], Any] = field(default_factory=dict)

    @property
    def buffers(self) -> list[Any]:
        """All its buffers; one that stands for the same array may be another part's too."""
        return [buffer for buffer, _, _ in self.content] + [buffer for buffer, _ in self.indices.values()]


class Store:
    """Primitives and textures by identity, the oldest let go first."""

    def __init__(self, context: moderngl.Context) -> None:
        self.context = context
        self.parts: OrderedDict[int, Part] = OrderedDict()
        self._held: Counter[int] = Counter()
        self.textures: OrderedDict[int, tuple[Any, Any]] = OrderedDict()
        self.missing = self._texture(missing_weave())
        self.white = self._texture(np.full((1, 1, 4), 255, np.uint8))

    def holds(self, prim: Primitive) -> bool:
        """True where a primitive is on the card."""
        known = self.parts.get(id(prim))
        return known is not None and known.alive() is prim

    def part(self, prim: Primitive) -> Part:
        """The primitive's buffers."""
        known = self.parts.get(id(prim))
        if known is not None and self.holds(prim):
            self.parts.move_to_end(id(prim))
            return known
        for gone in [k for k, part in self.parts.items() if part.alive() is None]:
            self._let_go(self.parts.pop(gone))
        made = self.parts[id(prim)] = self._upload(prim)
        self._held.update(id(buffer) for buffer in made.buffers)
        while len(self.parts) > MOST_PRIMITIVES:
            self._let_go(self.parts.popitem(last=False)[1])
        return made

    def _let_go(self, part: Part) -> None:
        """Give back what no other part has."""
        for buffer in part.buffers:
            self._held[id(buffer)] -= 1
            if not self._held[id(buffer)]:
                del self._held[id(buffer)]
                buffer.release()
        for thing in (*part.arrays.values(), *([part.morphs] if part.morphs else [])):
            thing.release()

    def _kin(self, prim: Primitive) -> tuple[Primitive, Part] | None:
        """A part of the same faces whose vertices may stand elsewhere: what is dragged is drawn many times a second."""
        if prim.indices is None:
            return None
        for part in reversed(self.parts.values()):
            other = part.alive()
            if (
                other is not None
                and other.indices is prim.indices
                and len(other.positions) == len(prim.positions)
            ):
                return other, part
        return None

    def _upload(self, prim: Primitive) -> Part:
        count = len(prim.positions)
        named: dict[str, npt.NDArray[Any]] = {"in_position": prim.positions}
        if prim.normals is not None:
            named["in_normal"] = prim.normals
        if prim.tangents is not None:
            named["in_tangent"] = prim.tangents
        for i, values in enumerate(prim.texcoords[:2]):
            named[f"in_uv{i}"] = values
        named["in_colour"] = prim.colours[0] if prim.colours else np.ones((count, 4), dtype=np.float32)
        if prim.joints is not None and prim.weights is not None:
            # An attribute that is not given reads (0, 0, 0, 1), which would be a whole weight: the second set
            # is always there.
            joints, weights = np.zeros((2, count, 8), dtype=np.float32)
            width = min(8, prim.joints.shape[1])
            joints[:, :width], weights[:, :width] = prim.joints[:, :width], prim.weights[:, :width]
            for i in range(2):
                named[f"in_joints{i}"], named[f"in_weights{i}"] = (
                    joints[:, 4 * i : 4 * i + 4],
                    weights[:, 4 * i : 4 * i + 4],
                )
        kin = self._kin(prim)
        shared = _shared(prim, *kin) if kin is not None else {}
        content = []
        for name, values in named.items():
            buffer = shared.get(name)
            if buffer is None:
                buffer = self._buffer(np.ascontiguousarray(np.nan_to_num(values), dtype=np.float32))
            content.append((buffer, f"{values.shape[1]}f", name))
        faces = triangles_of(prim)
        mode = moderngl.TRIANGLES if len(faces) else MODES.get(prim.mode, moderngl.POINTS)
        flat = faces.reshape(-1) if len(faces) else flat_indices(prim)
        eight = prim.weights is not None and bool(prim.weights[:, 4:].any())
        rigged = prim.joints is not None or bool(prim.targets)
        return Part(
            rigged,
            eight,
            mode,
            len(flat),
            content,
            dict(kin[1].indices) if kin is not None else {0: self._index(flat)},
            self._morphs(prim, count),
            weakref.ref(prim),
        )

    def _index(self, flat: npt.NDArray[Any]) -> tuple[Any, int]:
        return self._buffer(np.ascontiguousarray(flat, dtype=np.uint32)), flat.size

    def _buffer(self, values: npt.NDArray[Any]) -> Any:
        """On the card, piece by piece: the interpreter is held while one is copied, and the window wants its turn."""
        data = values.reshape(-1).view(np.uint8)
        buffer = self.context.buffer(reserve=max(len(data), 4))
        for at in range(0, len(data), PIECE):
            buffer.write(data[at : at + PIECE], offset=at)
        return buffer

    def array(self, part: Part, program: Any, halved: int = 0) -> tuple[Any, int]:
        """The part's vertex array for a program, and how many indices to draw: all, or about 1 / 2^`halved`
        of them.
        """
        prim = part.alive()
        if halved not in part.indices and prim is not None:
            target = part.count // 3 >> halved
            apart = sides(prim.normals, prim.texcoords[0] if prim.texcoords else None)
            part.indices[halved] = self._index(thinned(prim.positions, triangles_of(prim), target, apart))
            self._held[id(part.indices[halved][0])] += 1
        buffer, count = part.indices[halved]
        key = (program.glo, halved)
        if key not in part.arrays:
            part.arrays[key] = self.context.vertex_array(program, part.content, buffer, skip_errors=True)
        return part.arrays[key], count

    def some(
        self, part: Part, program: Any, prim: Primitive, ranges: Sequence[tuple[int, int]]
    ) -> tuple[Any, Any, int]:
        """(vertex array, index buffer, how many indices) of the faces in some runs. The caller releases both."""
        faces = triangles_of(prim)
        buffer, count = self._index(faces[rows_in(np.asarray(ranges, np.int64), len(faces))].reshape(-1))
        return self.context.vertex_array(program, part.content, buffer, skip_errors=True), buffer, count

    def placed(self, part: Part, program: Any, places: Any) -> tuple[Any, int]:
        """A vertex array that draws the part at each of `places` (a buffer of M rows of 12 floats), and how
        many indices. The caller releases it."""
        buffer, count = part.indices[0]
        content = [*part.content, (places, "4f 4f 4f/i", "in_place0", "in_place1", "in_place2")]
        return self.context.vertex_array(program, content, buffer, skip_errors=True), count

    def _morphs(self, prim: Primitive, count: int) -> Any:
        """Position offsets of up to 16 targets as a float texture 1024 wide."""
        offsets = [
            t.positions if t.positions is not None else np.zeros((count, 3), np.float32)
            for t in prim.targets[:16]
        ]
        if not offsets:
            return None
        flat = np.concatenate(offsets)
        rows = -(-len(flat) // 1024)
        table = np.zeros((rows * 1024, 4), dtype=np.float32)
        table[: len(flat), :3] = flat
        texture = self.context.texture((1024, rows), 4, table.tobytes(), dtype="f4")
        texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        return texture

    def joints(self, matrices: npt.NDArray[Any]) -> Any:
        """Joint matrices (J, 4, 4) as a float texture: a row a joint, a texel a column. The caller releases
        it.

        Behind the four columns stand the real and the dual quaternion and the three columns of the stretch.
        """
        real, dual, stretch = dual_quaternions(np.asarray(matrices, dtype=np.float64))
        rows = np.zeros((len(matrices), 9, 4), dtype=np.float32)
        rows[:, :4] = matrices.transpose(0, 2, 1)
        rows[:, 4], rows[:, 5], rows[:, 6:, :3] = real, dual, stretch.transpose(0, 2, 1)
        texture = self.context.texture((9, len(matrices)), 4, rows.tobytes(), dtype="f4")
        texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        return texture

    def image(self, image: Image) -> Any:
        """The image's texture; the twill weave where it is missing or broken."""
        holder = image.pixels if image.pixels is not None else image.content
        if holder is None:
            return self.missing
        known = self.textures.get(id(holder))
        if known is not None and known[0] is holder:
            self.textures.move_to_end(id(holder))
            return known[1]
        pixels = pixels_or_none(image)
        texture = self.missing if pixels is None else self._texture(_rgba(pixels))
        self.textures[id(holder)] = (holder, texture)
        while len(self.textures) > MOST_TEXTURES:
            old = self.textures.popitem(last=False)[1][1]
            if old is not self.missing:
                old.release()
        return texture

    def texels(self, image: Image) -> tuple[float, float]:
        """(width, height) in pixels, zeros when unreadable."""
        info = image_info(image) if image.there and not image.problem else None
        return (float(info.width), float(info.height)) if info is not None else (0.0, 0.0)

    def _texture(self, rgba: npt.NDArray[np.uint8]) -> Any:
        height, width = rgba.shape[:2]
        texture = self.context.texture((width, height), 4, rgba.tobytes())
        texture.build_mipmaps()
        texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        return texture

    def release(self) -> None:
        """Give everything back."""
        while self.parts:
            self._let_go(self.parts.popitem()[1])
        self.textures.clear()


def _rgba(pixels: npt.NDArray[Any]) -> npt.NDArray[np.uint8]:
    """Pixels as (H, W, 4) uint8, thinned to at most LARGEST on an edge (a picture on screen shows no
    more).
    """
    step = -(-max(pixels.shape[:2]) // LARGEST)
    p = pixels[::step, ::step]
    if p.dtype == np.uint16:
        p = (p >> 8).astype(np.uint8)
    channels = p.shape[2]
    out = np.full((*p.shape[:2], 4), 255, dtype=np.uint8)
    if channels <= 2:
        out[:, :, :3] = p[:, :, :1]
    else:
        out[:, :, :3] = p[:, :, :3]
    if channels in (2, 4):
        out[:, :, 3] = p[:, :, -1]
    return np.ascontiguousarray(out)


def missing_weave(size: int = 64) -> npt.NDArray[np.uint8]:
    """Grey twill weave with a small question mark: what a missing texture is drawn as. (size, size, 4)
    uint8.
    """
    y, x = np.mgrid[0:size, 0:size]
    twill = ((x + y) // 4) % 2 == 0
    tone = np.where(twill, 168, 148).astype(np.uint8)
    mark = ["0111110", "1100011", "0000011", "0001110", "0011000", "0000000", "0011000"]
    for r, row in enumerate(mark):
        for c, bit in enumerate(row):
            if bit == "1":
                tone[22 + 3 * r : 25 + 3 * r, 21 + 3 * c : 24 + 3 * c] = 96
    return np.dstack([tone, tone, tone, np.full_like(tone, 255)])


def _shared(prim: Primitive, other: Primitive, part: Part) -> dict[str, Any]:
    """Buffers of another part, by name, that hold this primitive's very arrays."""
    same = {
        "in_normal": prim.normals is other.normals,
        "in_tangent": prim.tangents is other.tangents,
        "in_colour": (not prim.colours and not other.colours)
        or bool(prim.colours and other.colours and prim.colours[0] is other.colours[0]),
        **{f"in_uv{i}": a is b for i, (a, b) in enumerate(zip(prim.texcoords, other.texcoords))},
    }
    bound = prim.joints is other.joints and prim.weights is other.weights
    same |= {f"in_{what}{i}": bound for what in ("joints", "weights") for i in range(2)}
    return {name: buffer for buffer, _, name in part.content if same.get(name)}
