"""What lies under a place of a picture: one pixel drawn with numbers in the place of colours."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from customs.picture.items import Item, items
from customs.picture.look import Shot, lit_by
from customs.picture.programs import CLIP_DISTANCE, uv_matrix
from customs.picture.renderer import Renderer
from customs.picture.rows import under_pixel
from customs.scene.folding import row_key
from customs.scene.key import Key
from customs.scene.model import Material, Mesh, Primitive, Scene


@dataclass(frozen=True, eq=False)
class Met:
    """What was met: the Key and name of the node or row, its mesh, primitive and material, and the triangle
    of the primitive (its number in `triangles_of`). Keys, as the scene it was met in need not be the one that
    is decided about.
    """

    key: Key
    name: str
    mesh: Mesh
    prim: Primitive
    material: Material | None
    face: int

    def subjects(self) -> set[str]:
        """Everything that was met, and what it was made from, as settings and rows name it."""
        parts = (self.mesh, self.prim, *((self.material,) if self.material is not None else ()))
        return {str(k) for k in (self.key, *(k for x in parts for k in (x.key, *x.made_from)))}

    def words(self) -> str:
        """For a person."""
        mesh = f" · mesh {self.mesh.name}" if self.mesh.name != self.name else ""
        return f"{self.name}{mesh} · triangle {self.face + 1:,}"


def pick(renderer: Renderer, shot: Shot, x: int, y: int) -> Met | None:
    """What the picture of `shot` shows at pixel `x`, `y` (from its upper left), or None for nothing. On the
    renderer's own thread.
    """
    context = renderer.context
    found = items(shot, renderer.store, under_pixel(shot, x, y))
    listed = [*found.solid, *found.clear]
    texture = context.texture((1, 1), 4, dtype="i4")
    depth = context.depth_renderbuffer((1, 1))
    frame = context.framebuffer([texture], depth)
    frame.use()
    # The whole picture is laid so that the one pixel wanted falls on the one there is.
    context.viewport = (-x, y - shot.height + 1, shot.width, shot.height)
    frame.clear()
    context.enable_only(moderngl.DEPTH_TEST)
    orbit = shot.orbit
    seen = orbit.projection(shot.width / shot.height) @ orbit.view()
    renderer.programs.start(seen, tuple(orbit.eye), lit_by(shot.look.light, orbit.back().tolist()), shot.cut)
    renderer.cut(shot)
    for number, item in enumerate(listed):
        _draw(renderer, shot, item, number)
    renderer.unlocked.finish()
    context.disable_direct(CLIP_DISTANCE)
    element, instance, face, there = np.frombuffer(texture.read(), np.int32).tolist()
    for thing in (frame, depth, texture, *found.textures):
        thing.release()
    return _found(shot.scene, listed[element], instance, face) if there else None


def _draw(renderer: Renderer, shot: Shot, item: Item, number: int) -> None:
    part = renderer.bind(item, shot.look.dual, ids=True)
    program, m = renderer.mesh, item.material
    renderer.cull(item, part, shot)
    program["element"] = number
    old = m is not None and m.model == "specular_glossiness"
    program["base_factor"] = (1.0, 1.0, 1.0, 1.0) if m is None else (m.diffuse if old else m.base_colour)
    program["alpha_mode"] = 1 if m is not None and m.alpha_mode == "mask" else 0
    program["alpha_cutoff"] = m.alpha_cutoff if m is not None else 0.5
    use = None if m is None else m.textures.get("diffuse" if old else "base_colour")
    textured = use is not None and use.texcoord < len(item.prim.texcoords)
    program["slots"], program["second_set"] = int(textured), int(use is not None and use.texcoord == 1)
    if textured and use is not None:
        image: Any = renderer.store.image(shot.scene.images[use.image])
        image.repeat_x, image.repeat_y = use.sampler.wrap_s != 33071, use.sampler.wrap_t != 33071
        image.use(0)
        program["uv_map"] = uv_matrix(use)
    renderer.draw(part, item.group, whole=True)


def _found(scene: Scene, item: Item, instance: int, face: int) -> Met:
    if item.group is not None:
        row = int(item.group.rows[instance])
        key, name, mesh = row_key(scene, row), scene.placements.names[row], scene.meshes[item.group.mesh]
    else:
        node = scene.nodes[item.node]
        key, name, mesh = node.key, node.name, scene.meshes[node.mesh or 0]
    return Met(key, name, mesh, item.prim, item.material, face)
