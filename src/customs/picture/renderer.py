"""Drawing a scene to a numpy image with OpenGL; a software driver will do."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np
import numpy.typing as npt

from customs.errors import ToolError
from customs.motion.posing.bounds import world_bounds
from customs.motion.posing.posing import posing
from customs.picture.appearance import appearance
from customs.picture.figure import standing_figure
from customs.picture.insides import draw_insides
from customs.picture.items import Item, items
from customs.picture.layered import layer_uniforms
from customs.picture.lines import box_lines, dimension_lines, grid
from customs.picture.look import DAY, EVENING, SHADINGS, Look, Shot, lit_by
from customs.picture.programs import CLIP_DISTANCE, LAYER_SLOTS, SLOTS, Programs, shader_text, uv_matrix
from customs.picture.rows import Group, marked_rows, placed_triangles
from customs.picture.sketch import Sketcher
from customs.picture.unlocked import Unlocked
from customs.picture.upload import Part, Store
from customs.scene.model import Material, Primitive, Scene

F64 = npt.NDArray[np.float64]
PLAIN_UV = (1, 0, 0, 0, 1, 0, 0, 0, 1)
PLAIN_BASE = (0.60, 0.60, 0.58, 1.0)
IDENTITY = np.eye(4)
FEW_TRIANGLES = 24_000
"""As many as a software driver draws in a thirtieth of a second or so, while things move."""
MANY_TRIANGLES = 8 * FEW_TRIANGLES
"""More than this are sketched before they are drawn: at rest they take a second or more."""
MOST_PLACED = 48_000
"""Triangles of placements while something moves, on a driver without a graphics card."""
MOST_AT_REST = 1_000_000
"""Triangles of placements while nothing moves, from which on only the largest on the screen are drawn with all they have."""
FEW_RANGES = 16
"""Runs of marked faces that are drawn one by one."""
FEW_ENOUGH = 300
"""Triangles of a part that is never thinned."""
SOFTWARE = ("llvmpipe", "softpipe", "swr", "software")
DARK_LINE, LIGHT_LINE = (0.05, 0.08, 0.1, 0.5), (0.93, 0.96, 0.96, 0.55)
"""Colours of the wire, with how much they cover."""


def _context() -> Any:
    try:
        make: Any = moderngl.create_standalone_context
        return make(require=330, backend="egl")
    except Exception as problem:  # noqa: BLE001 (drivers raise anything)
        raise ToolError(
            f"no OpenGL here ({problem})", "OpenGL 3.3 over EGL", "Install a graphics driver or Mesa."
        ) from None


class Renderer:
    """Owns a context; all calls must come from the thread that made it. Raises ToolError where there is no
    OpenGL.
    """

    def __init__(self) -> None:
        self.context = _context()
        self.software = any(word in str(self.context.info["GL_RENDERER"]).lower() for word in SOFTWARE)
        self.programs = Programs(self.context)
        self.mesh: Any = self.programs.get()
        self.halved = 0
        self.unlocked = Unlocked()
        self.line: Any = self.context.program(shader_text("lines.vert"), shader_text("lines.frag"))
        self.sky: Any = self.context.program(shader_text("sky.vert"), shader_text("sky.frag"))
        self.sky_array = self.context.vertex_array(self.sky, [])
        self.store, self.sketcher = Store(self.context), Sketcher(self.context)
        self.targets: dict[tuple[int, int, int], tuple[Any, Any]] = {}

    def render(self, shot: Shot) -> npt.NDArray[np.uint8]:
        """The picture (H, W, 4) uint8, rows from the top, alpha not multiplied in."""
        drawn, plain = self._target(shot.width, shot.height, 4 if shot.look.smooth else 0)
        drawn.use()
        self.context.viewport = (0, 0, shot.width, shot.height)
        self.context.clear(0, 0, 0, 0)
        self._sky(shot.look)
        orbit = shot.orbit
        vp = orbit.projection(shot.width / shot.height) @ orbit.view()
        self._frame(shot, vp)
        if shot.look.grid:
            self._lines(
                grid(orbit.distance, orbit.target, shot.look.evening), vp, orbit.eye, orbit.distance * 7
            )
        self._scene(shot)
        if shot.look.figure is not None:
            self._figure(shot.look.figure)
        if shot.look.dimensions:
            self._dimensions(shot, vp)
        self.unlocked.finish()
        self.sketcher.finished()
        if drawn is not plain:
            self.unlocked.resolve(drawn, plain, shot.width, shot.height)
            self.unlocked.finish()
        raw = plain.read(components=4)
        image = np.frombuffer(raw, np.uint8).reshape(shot.height, shot.width, 4)[::-1]
        if not shot.look.transparent:
            image = image.copy()
            image[:, :, 3] = 255
        return np.ascontiguousarray(image)

    def release(self) -> None:
        """Give the context back."""
        self.store.release()
        # It is gone when no thread has it any more, and a thread that ends does not let go of it by itself.
        self.context.__exit__(None, None, None)
        self.context.release()

    def _target(self, width: int, height: int, samples: int) -> tuple[Any, Any]:
        key = (width, height, samples)
        if key not in self.targets:
            if len(self.targets) > 6:
                for a, b in self.targets.values():
                    a.release()
                    if b is not a:
                        b.release()
                self.targets.clear()
            size = (width, height)
            plain = self.context.framebuffer(
                [self.context.renderbuffer(size)], self.context.depth_renderbuffer(size)
            )
            drawn = plain
            if samples:
                drawn = self.context.framebuffer(
                    [self.context.renderbuffer(size, samples=samples)],
                    self.context.depth_renderbuffer(size, samples=samples),
                )
            self.targets[key] = (drawn, plain)
        return self.targets[key]

    def _sky(self, look: Look) -> None:
        if look.transparent:
            return
        above, below = EVENING if look.evening else DAY
        self.sky["above"], self.sky["below"] = above, below
        self.context.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        self.sky_array.render(moderngl.TRIANGLES, 3)

    def _frame(self, shot: Shot, vp: F64) -> None:
        self.context.enable(moderngl.DEPTH_TEST)
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = (
            moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA,
        )  # fmt: skip
        lit = shot.lit or lit_by(shot.look.light, shot.orbit.back().tolist())
        self.programs.start(vp, tuple(shot.orbit.eye), lit, shot.cut, shot.below)

    def _set(self, name: str, m: F64) -> None:
        self.mesh[name].write(np.ascontiguousarray(m.T, dtype=np.float32).tobytes())

    def _scene(self, shot: Shot) -> None:
        self.cut(shot)
        near = self._vast(shot) if self._is_vast(shot) else None
        solid, clear, textures = items(shot, self.store, near)
        self.halved = self._halved(shot.look, [item.prim for item in solid + clear])
        for item in solid + clear:
            self._primitive(shot, item)
        if shot.look.wire:
            self._wire(shot, solid + clear)
        for texture in textures:
            texture.release()
        self.unlocked.finish()
        self.context.disable_direct(CLIP_DISTANCE)

    def cut(self, shot: Shot) -> None:
        """What is drawn from here on ends at the height a shot is cut at."""
        if shot.cut is not None:
            self.context.enable_direct(CLIP_DISTANCE)

    def _is_vast(self, shot: Shot) -> bool:
        """True where placements are so many that a software driver cannot draw each."""
        most = MOST_PLACED if self._thins(shot.look) else MOST_AT_REST
        return self.software and shot.look.shading == "surface" and placed_triangles(shot.scene) > most

    def _vast(self, shot: Shot) -> npt.NDArray[np.bool_]:
        """Placements of a level sketched, but for those (N,) that are near enough to be drawn with all they have."""
        clip = None if shot.clip is None else shot.scene.clips[shot.clip]
        world = posing(shot.scene, clip).world(shot.seconds)
        return self.sketcher.draw(shot, world, self._thins(shot.look))

    def takes_long(self, shot: Shot) -> bool:
        """True where so much of a picture has not been drawn yet that a sketch of it would be there long before."""
        if not self.software or self._thins(shot.look):
            return False
        if self._is_vast(shot):
            return True
        new = [p for mesh in shot.scene.meshes for p in mesh.primitives if not self.store.holds(p)]
        return (
            sum(len(p.indices if p.indices is not None else p.positions) // 3 for p in new) > MANY_TRIANGLES
        )

    def _thins(self, look: Look) -> bool:
        """True where fewer triangles are drawn than there are: never on a graphics card."""
        return self.software and (look.sketched or not look.smooth)

    def _halved(self, look: Look, prims: list[Primitive]) -> int:
        """How often triangles are halved."""
        if not self._thins(look):
            return 0
        parts = [self.store.part(p) for p in prims]
        total = sum(part.count // 3 for part in parts if part.mode == moderngl.TRIANGLES)
        return max(0, int(np.ceil(np.log2(max(total, 1) / FEW_TRIANGLES))))

    def _primitive(self, shot: Shot, item: Item) -> None:
        prim, group = item.prim, item.group
        part = self.bind(item, shot.look.dual)
        self._material(shot.scene, shot.look, prim, item.material)
        self.mesh["mirrored"] = item.mirrored != shot.mirrored
        if shot.below is not None and not item.two_sided:
            draw_insides(self, item.mirrored != shot.mirrored, lambda: self.draw(part, group))
        self.cull(item, part, shot)
        ranges = shot.marks.get(str(prim.key))
        own = group is None and shot.marks.get(str(shot.scene.nodes[item.node].key)) == ()
        # Of what stands in many places the whole is marked.
        self.mesh["marked"] = own or ranges == () or bool(ranges and group is not None)
        self.draw(part, group)
        if ranges and group is None:
            self._marks(prim, part, ranges)
        if group is not None and shot.marks:
            self._marked_rows(part, group.only(marked_rows(shot.scene, shot.marks)))

    def cull(self, item: Item, part: Part, shot: Shot) -> None:
        """Backs of faces are left out where the picture shows materials as they are and this one has one
        side.
        """
        if item.two_sided or shot.look.shading != "surface" or part.mode != moderngl.TRIANGLES:
            self.context.disable(moderngl.CULL_FACE)
        else:
            self.context.enable(moderngl.CULL_FACE)
            self.context.front_face = "cw" if item.mirrored != shot.mirrored else "ccw"

    def _marked_rows(self, part: Part, group: Group) -> None:
        """Picked rows drawn over, in the colour of a mark."""
        if not len(group.rows):
            return
        self.mesh["marked"] = True
        self.context.depth_func = "<="
        self.draw(part, group)
        self.context.depth_func = "<"
        self.mesh["marked"] = False

    def _marks(self, prim: Primitive, part: Part, ranges: tuple[tuple[int, int], ...]) -> None:
        """Faces of a picked place drawn over, in the colour of a mark."""
        self.mesh["marked"] = True
        self.context.disable(moderngl.CULL_FACE)
        self.context.depth_func = "<="
        if len(ranges) <= FEW_RANGES:
            array, _ = self.store.array(part, self.mesh)
            for a, b in ranges:
                self.unlocked.draw(self.mesh, array, part.mode, (b - a) * 3, a * 3)
        else:
            array, buffer, count = self.store.some(part, self.mesh, prim, ranges)
            self.unlocked.draw(self.mesh, array, part.mode, count)
            array.release()
            buffer.release()
        self.context.depth_func = "<"
        self.mesh["marked"] = False

    def draw(self, part: Part, group: Group | None = None, whole: bool = False) -> None:
        """Draw a part, at each place of a group; with `whole` all its triangles, whatever moves."""
        if group is not None:
            places = self.context.buffer(group.matrices.tobytes())
            array, count = self.store.placed(part, self.mesh, places)
            self.unlocked.draw_placed(self.mesh, array, part.mode, count, len(group.matrices))
            array.release()
            places.release()
            return
        small = part.mode != moderngl.TRIANGLES or part.count < 3 * FEW_ENOUGH
        array, count = self.store.array(part, self.mesh, 0 if small or whole else self.halved)
        self.unlocked.draw(self.mesh, array, part.mode, count)

    def bind(self, item: Item, dual: bool = False, ids: bool = False) -> Part:
        """The part of an item on the card, `mesh` the program for it, all set that places its vertices."""
        prim, joints, weights = item.prim, item.joints, item.weights
        part = self.store.part(prim)
        layered = item.material is not None and bool(item.material.layers)
        self.mesh = self.programs.get(
            part.rigged, part.eight, dual and joints is not None, item.group is not None, ids, layered
        )
        self._set("model", item.model)
        if not part.rigged:
            return part
        skinned = joints is not None and prim.joints is not None
        self.mesh["skinned"] = skinned
        if skinned:
            joints.use(5)
        count = min(len(prim.targets), 16) if part.morphs is not None and weights is not None else 0
        self.mesh["morph_count"] = count
        self.mesh["vertex_count"] = len(prim.positions)
        if count:
            values = np.zeros(16, dtype=np.float32)
            values[:count] = weights[:count]
            self.mesh["morph_weights"].write(values.tobytes())
            part.morphs.use(6)
        return part

    def _material(self, scene: Scene, look: Look, prim: Primitive, material: Material | None) -> None:
        p = self.mesh
        p["shading"] = SHADINGS[look.shading]
        p["has_normals"], p["has_tangents"] = prim.normals is not None, prim.tangents is not None
        old = material is not None and material.model == "specular_glossiness"
        p["base_factor"] = (
            PLAIN_BASE if material is None else (material.diffuse if old else material.base_colour)
        )
        p["unlit"] = material is not None and material.model == "unlit"
        seen = appearance(material, scene.images) if material is not None else None
        p["metallic_factor"] = seen.metallic if seen else 0.0
        p["roughness_factor"] = seen.roughness if seen else 0.8
        strength = material.emissive_strength if material else 1.0
        p["emissive_factor"] = (
            tuple(min(e * strength, 8.0) for e in material.emissive) if material else (0, 0, 0)
        )
        p["alpha_mode"] = {"opaque": 0, "mask": 1, "blend": 2}[material.alpha_mode] if material else 0
        p["alpha_cutoff"] = material.alpha_cutoff if material else 0.5
        layered = "all_coat" in p
        if layered:
            for name, value in layer_uniforms(material).items():
                p[name] = value
        slots = second = 0
        p["normal_strength"] = p["occlusion_strength"] = 1.0
        p["detail_strength"] = p["green"] = 1.0
        p["texels"] = (0.0, 0.0)
        places = SLOTS | LAYER_SLOTS if layered else SLOTS
        maps = np.tile(np.array(PLAIN_UV, dtype=np.float32), (len(places), 1))
        for place, (slot, (bit, unit, _)) in enumerate(places.items()):
            if seen is None or slot not in seen.uses or seen.uses[slot][1].texcoord >= len(prim.texcoords):
                continue
            image, use = seen.uses[slot]
            texture = self.store.image(image)
            texture.repeat_x, texture.repeat_y = use.sampler.wrap_s != 33071, use.sampler.wrap_t != 33071
            texture.use(unit)
            slots |= bit
            second |= bit if use.texcoord == 1 else 0
            if use.transformed:
                maps[place] = uv_matrix(use)
            if slot == "base_colour" or not any(p["texels"].value):
                p["texels"] = self.store.texels(image)
            if slot == "normal":
                p["normal_strength"] = use.strength
                p["green"] = -1.0 if (image.green or scene.convention.green) == "down" else 1.0
            elif slot in ("occlusion", "detail"):
                p[f"{slot}_strength"] = use.strength
        p["uv_maps"].write(maps.tobytes())
        p["slots"], p["second_set"] = slots, second

    def _wire(self, shot: Shot, drawn: list[Item]) -> None:
        self.context.wireframe = True
        self.context.disable(moderngl.CULL_FACE)
        self.context.depth_func = "<="
        self.context.polygon_offset = (-1.0, -1.0)
        # A light line with a dark one beside it can be seen on dark surfaces and on light ones.
        for shift, tone in ((1, DARK_LINE), (0, LIGHT_LINE)):
            self.context.viewport = (shift, -shift, shot.width, shot.height)
            for item in drawn:
                part = self.bind(item, shot.look.dual)
                if part.mode != moderngl.TRIANGLES:
                    continue
                self._material(shot.scene, Look(shading="surface"), item.prim, None)
                self.mesh["unlit"], self.mesh["base_factor"] = True, tone
                self.mesh["alpha_mode"], self.mesh["slots"] = 2, 0
                self.draw(part, item.group)
        self.context.viewport = (0, 0, shot.width, shot.height)
        self.context.wireframe = False
        self.context.polygon_offset = (0.0, 0.0)
        self.context.depth_func = "<"

    def _figure(self, x: float) -> None:
        model = np.eye(4)
        model[0, 3] = x
        prim = standing_figure()
        part = self.bind(Item(prim, None, model, None, None, None, -1))
        self._material(Scene("", ""), Look(shading="plain"), prim, None)
        self.mesh["mirrored"], self.mesh["marked"], self.mesh["tint"] = False, False, (0.86, 0.88, 0.88)
        self.context.disable(moderngl.CULL_FACE)
        self.draw(part)
        self.mesh["tint"] = (1.0, 1.0, 1.0)

    def _dimensions(self, shot: Shot, vp: F64) -> None:
        box = world_bounds(shot.scene)
        if box is None:
            return
        low, high = box[0] * shot.unit, box[1] * shot.unit
        ends, _ = dimension_lines(low, high, shot.look.evening)
        self._lines(np.concatenate([ends, box_lines(low, high, shot.look.evening)]), vp, shot.orbit.eye, 0.0)

    def _lines(self, ends: npt.NDArray[np.float32], vp: F64, eye: F64, fade: float) -> None:
        self.context.disable(moderngl.CULL_FACE)
        self.line["view_projection"].write(np.ascontiguousarray(vp.T, dtype=np.float32).tobytes())
        self.line["eye"], self.line["fade"] = tuple(eye), fade
        buffer = self.context.buffer(ends.astype(np.float32).tobytes())
        array = self.context.vertex_array(self.line, [(buffer, "3f 4f", "in_position", "in_colour")])
        array.render(moderngl.LINES, len(ends))
        array.release()
        buffer.release()
