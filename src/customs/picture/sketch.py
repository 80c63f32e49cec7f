"""A level while the camera moves: the largest things on the screen first, coarser the smaller they are, what is small as a spot, what
cannot be seen not at all.
"""

from __future__ import annotations

import time
import weakref
from dataclasses import dataclass, replace
from typing import Any

import moderngl
import numpy as np
import numpy.typing as npt

from customs.picture.baked import Baked, Palette, baked
from customs.picture.look import Shot, lit_by
from customs.picture.programs import UNCUT, shader_text
from customs.picture.rows import marked_rows
from customs.scene.folding import rows_under
from customs.scene.model import Scene

F64 = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Mask = npt.NDArray[np.bool_]
WIDE = 1024
BUDGET, LEAST_BUDGET, MOST_BUDGET = 150_000, 20_000, 600_000
"""Triangles of one picture while things move: of the first, and how few and how many it may come to."""
AT_REST = 500_000
"""Triangles of things that are drawn with all they have, while nothing moves."""
MEANT = 1 / 16
"""Seconds a picture may take while things move."""
SPOT, NOTHING_SEEN = 7.0, 1.6
"""Pixels across below which a thing is a spot, and below which it is not drawn."""
NEAR, FURTHER = 110.0, 34.0
"""Pixels across from which a mesh is drawn as near, and as further off; below that as far."""
MOST_SPOTS = 60_000
MOST_CARDS = 4


@dataclass(frozen=True, eq=False)
class Chosen:
    """What of a level is drawn: for each (mesh, level) the `rows`, and rows that are `spots` with their `pixels`."""

    draws: list[tuple[int, int, Ints]]
    spots: Ints
    pixels: npt.NDArray[np.float32]
    triangles: int


class Level:
    """What is known of the rows of one scene: `middle` (N, 3), `radius` (N,), in metres, `mesh` (N,)."""

    def __init__(self, scene: Scene, worlds: F64, unit: float) -> None:
        self.baked, self.palette = baked(scene), Palette(scene)
        rows = scene.placements
        self.placed = rows_under(scene, worlds) * unit
        self.mesh = np.where(rows.shows, rows.of, 0).astype(np.intp)
        scale = np.linalg.norm(self.placed[:, :, :3], axis=1).max(axis=1)
        self.radius = np.where(rows.shows, self.baked.radius[self.mesh] * scale, 0.0)
        turned = np.einsum("nij,nj->ni", self.placed[:, :, :3], self.baked.middle[self.mesh])
        self.middle = turned + self.placed[:, :, 3]

    def means(self) -> npt.NDArray[np.float32]:
        """(M, 3) colour of each mesh, by the areas of its materials."""
        out = np.full((len(self.baked.shares), 3), 0.5, np.float32)
        for m, (materials, areas) in enumerate(self.baked.shares):
            if len(materials) and areas.sum() > 0:
                out[m] = areas @ self.palette.colours[materials, :3] / areas.sum()
        return out

    def choose(self, vp: F64, height: int, budget: int | None, hidden: Mask | None = None) -> Chosen:
        """What is drawn of it by a camera; with a `budget` of triangles the largest, else all that can be seen. Rows `hidden` (N,) are
        not.
        """
        clip = self.middle @ vp[:3, :3].T + vp[:3, 3]
        w = self.middle @ vp[3, :3] + vp[3, 3]
        # Lengths of the rows say how far a ball reaches over each edge of the picture.
        reach = np.linalg.norm(vp[:2, :3], axis=1)
        r = self.radius
        inside = (
            (w > -r)
            & (np.abs(clip[:, 0]) <= w + r * reach[0] + r)
            & (np.abs(clip[:, 1]) <= w + r * reach[1] + r)
        )
        pixels = r * reach[1] * height / np.maximum(w, 1e-6)
        if vp[3, :3].any():
            # With perspective, what reaches behind the eye is as large as can be.
            pixels = np.where(w < r, 1e6, pixels)
        inside &= r > 0 if hidden is None else (r > 0) & ~hidden
        seen = np.flatnonzero(inside & (pixels >= NOTHING_SEEN))
        size = pixels[seen]
        large = size >= SPOT
        some, size = seen[large], size[large]
        level = np.where(size >= NEAR, 0, np.where(size >= FURTHER, 1, 2))
        counts = self.baked.ranges[self.mesh[some], level, 1] // 3
        if budget is not None and int(counts.sum()) > budget:
            some, level, counts, size = self._fewer(some, level, counts, size, budget)
        spots = seen if not len(some) else seen[~np.isin(seen, some)]
        if len(spots) > MOST_SPOTS:
            spots = spots[np.argsort(-pixels[spots], kind="stable")[:MOST_SPOTS]]
        key = self.mesh[some] * 4 + level
        order = np.argsort(key, kind="stable")
        found, starts = np.unique(key[order], return_index=True)
        draws = [(k // 4, k % 4, rows) for k, rows in zip(found.tolist(), np.split(some[order], starts[1:]))]
        return Chosen(
            draws if len(some) else [],
            spots,
            np.minimum(pixels[spots], 24).astype(np.float32),
            int(counts.sum()),
        )

    def without_near(self, chosen: Chosen, near: npt.NDArray[np.bool_]) -> Chosen:
        """Without the meshes drawn as near whose triangles are at most AT_REST, which are marked in `near` (N,)."""
        left, room = [], AT_REST
        for m, level, rows in chosen.draws:
            count = len(rows) * int(self.baked.whole[m])
            if level == 0 and count <= room:
                near[rows] = True
                room -= count
            else:
                left.append((m, level, rows))
        return replace(chosen, draws=left)

    def _fewer(
        self, some: Ints, level: Ints, counts: Ints, size: F64, budget: int
    ) -> tuple[Ints, Ints, Ints, F64]:
        """The largest first, each as it should be while that leaves half of the budget, then as coarse as there is."""
        order = np.argsort(-size, kind="stable")
        some, level, counts, size = some[order], level[order], counts[order], size[order]
        late = np.cumsum(counts) > budget // 2
        level = np.where(late, 2, level)
        counts = self.baked.ranges[self.mesh[some], level, 1] // 3
        kept = int(np.searchsorted(np.cumsum(counts), budget))
        return some[:kept], level[:kept], counts[:kept], size[:kept]


class Sketcher:
    """Draws levels as they are sketched; what is known of the last few stays on the card."""

    def __init__(self, context: Any) -> None:
        self.context = context
        self.program: Any = context.program(shader_text("sketch.vert"), shader_text("sketch.frag"))
        self.spots: Any = context.program(shader_text("spots.vert"), shader_text("sketch.frag"))
        self._cards: list[_Card] = []
        self.drawn, self.budget = 0, BUDGET
        """Triangles of the last picture, and how many the next may have while things move."""
        self._began = 0.0

    def draw(self, shot: Shot, worlds: F64, moving: bool) -> Mask:
        """Draw the rows of a scene whose nodes stand at `worlds`; while things move, as many as there is time for. While nothing moves
        the largest (N,) are left to be drawn with all they have.
        """
        scene, veil = shot.scene, shot.veil
        vp = shot.orbit.projection(shot.width / shot.height) @ shot.orbit.view()
        lit = shot.lit or lit_by(shot.look.light, shot.orbit.back().tolist())
        card = self._card(scene, worlds, shot.unit)
        card.colours()
        self._began = time.monotonic() if moving else 0.0
        if veil is not None and len(veil.hidden_rows) != len(card.level.mesh):
            veil = None
        hidden = veil.hidden_rows if veil is not None else None
        chosen = card.level.choose(vp, shot.height, self.budget if moving else None, hidden)
        near = np.zeros(len(card.level.mesh), bool)
        if not moving:
            chosen = card.level.without_near(chosen, near)
        self.drawn = chosen.triangles
        marked = marked_rows(scene, shot.marks) if shot.marks else np.zeros(0, np.intp)
        self.context.disable(moderngl.CULL_FACE | moderngl.BLEND)
        self.context.enable(moderngl.PROGRAM_POINT_SIZE)
        for program in (self.program, self.spots):
            program["view_projection"].write(np.ascontiguousarray(vp.T, np.float32).tobytes())
            program["lights"] = lit[1]
            program["cut"] = UNCUT if shot.cut is None else shot.cut
        self.program["sun"] = lit[0]
        card.draw(self.program, chosen, marked, veil.faint_rows if veil is not None else None)
        card.draw_spots(self.spots, chosen)
        self.context.enable(moderngl.BLEND)
        return near

    def finished(self) -> None:
        """All is drawn: the next picture may have more triangles, or fewer, by how long this one took."""
        if self._began:
            share = MEANT / max(time.monotonic() - self._began, 1e-3)
            if share < 1 or self.drawn > self.budget // 2:
                self.budget = int(np.clip(self.budget * np.clip(share, 0.7, 1.2), LEAST_BUDGET, MOST_BUDGET))
            self._began = 0.0

    def _card(self, scene: Scene, worlds: F64, unit: float) -> _Card:
        for card in [c for c in self._cards if c.rows() is None]:
            self._cards.remove(card)
            card.release()
        found = next((c for c in self._cards if c.shows(scene, worlds, unit)), None)
        if found is not None:
            self._cards.remove(found)
        card = found or _Card(self.context, scene, worlds, unit, self.program, self.spots)
        self._cards.append(card)
        while len(self._cards) > MOST_CARDS:
            self._cards.pop(0).release()
        return card


class _Card:
    """The rows of one scene on the card."""

    def __init__(
        self, context: Any, scene: Scene, worlds: F64, unit: float, program: Any, spots: Any
    ) -> None:
        self.context, self.rows = context, weakref.ref(scene.placements)
        self._of = scene.meshes, scene.materials, scene.images, unit
        self._worlds = worlds
        self.level = Level(scene, worlds, unit)
        made: Baked = self.level.baked
        self.buffers = [
            context.buffer(made.vertices.tobytes() or b"\0" * 28),
            context.buffer(made.indices.tobytes() or b"\0" * 4),
        ]
        self.array = context.vertex_array(
            program,
            [(self.buffers[0], "3f 3f 1f", "in_position", "in_normal", "in_material")],
            self.buffers[1],
        )
        self.places = self._texture(self.level.placed.astype(np.float32).reshape(-1, 4), 3 * WIDE, 4)
        self.palette = self._texture(self.level.palette.colours, WIDE, 4)
        self.means = self.level.means()
        self.chosen = self._texture(np.zeros((max(len(self.level.mesh), 1), 2), np.float32), WIDE, 2)
        self.spot_buffer = context.buffer(reserve=28 * MOST_SPOTS)
        self.spot_array = context.vertex_array(spots, [(self.spot_buffer, "4f 3f", "in_place", "in_colour")])

    def shows(self, scene: Scene, worlds: F64, unit: float) -> bool:
        """True where it is what a scene shows: the same rows of the same meshes in the same looks, at the same places."""
        meshes, materials, images, metres = self._of
        alike = meshes is scene.meshes and materials is scene.materials and images is scene.images
        return (
            alike
            and self.rows() is scene.placements
            and metres == unit
            and np.array_equal(self._worlds, worlds)
        )

    def _texture(self, rows: npt.NDArray[np.float32], width: int, parts: int) -> Any:
        height = max(-(-len(rows) // width), 1)
        whole = np.zeros((height * width, parts), np.float32)
        whole[: len(rows)] = rows
        texture = self.context.texture((width, height), parts, whole.tobytes(), dtype="f4")
        texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        return texture

    def colours(self) -> None:
        """Further colours of textures, as far as there is time."""
        if self.level.palette.more():
            self.palette.release()
            self.palette = self._texture(self.level.palette.colours, WIDE, 4)
            self.means = self.level.means()

    def draw(self, program: Any, chosen: Chosen, marked: Ints, faint: Mask | None) -> None:
        """All that is drawn as meshes."""
        if not chosen.draws:
            return
        rows = np.concatenate([rows for _, _, rows in chosen.draws])
        height = -(-len(rows) // WIDE)
        told = np.zeros((height * WIDE, 2), np.float32)
        told[: len(rows), 0] = rows
        if len(marked):
            told[: len(rows), 1] = np.isin(rows, marked)
        if faint is not None:
            told[: len(rows), 1] += 2 * faint[rows]
        self.chosen.write(told.tobytes(), (0, 0, WIDE, height))
        for name, texture, unit in (
            ("places", self.places, 0),
            ("chosen", self.chosen, 1),
            ("palette", self.palette, 2),
        ):
            texture.use(unit)
            program[name] = unit
        first = 0
        for m, level, some in chosen.draws:
            start, count = self.level.baked.ranges[m, level]
            program["first"] = first
            if count:
                self.array.render(moderngl.TRIANGLES, int(count), first=int(start), instances=len(some))
            first += len(some)

    def draw_spots(self, program: Any, chosen: Chosen) -> None:
        """What is small."""
        spots = chosen.spots
        if not len(spots):
            return
        rows = np.concatenate(
            [self.level.middle[spots], chosen.pixels[:, None], self.means[self.level.mesh[spots]]], axis=1
        )
        self.spot_buffer.write(rows.astype(np.float32).tobytes())
        self.spot_array.render(moderngl.POINTS, len(spots))

    def release(self) -> None:
        """Give everything back."""
        for thing in (
            self.array,
            self.spot_array,
            self.spot_buffer,
            *self.buffers,
            self.places,
            self.palette,
            self.chosen,
        ):
            thing.release()
