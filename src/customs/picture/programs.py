"""The shaders meshes are drawn with, one for each thing a mesh may need."""

from __future__ import annotations

from importlib import resources
from typing import Any

import numpy as np
import numpy.typing as npt

from customs.picture.look import Lit, lit_by

SLOTS = {"base_colour": (1, 0, "tex_base"), "metallic_roughness": (2, 1, "tex_metal"), "normal": (4, 2, "tex_normal"),
         "occlusion": (8, 3, "tex_occlusion"), "emissive": (16, 4, "tex_emissive"), "detail": (32, 7, "tex_detail"),
         "detail_normal": (64, 8, "tex_detail_normal")}  # fmt: skip
"""Bit, texture unit and sampler of each place; units 5 and 6 hold joints and morph targets."""
LAYER_SLOTS = {role: (128 << k, 9 + k, f"tex_{role}") for k, role in enumerate((
    "specular_strength", "specular_tint", "clearcoat", "clearcoat_roughness", "transmission", "sheen_tint", "iridescence",
))}  # fmt: skip
"""The same of LAYERED: OpenGL 3.3 promises sixteen units, so further textures of layers are not drawn."""

CLIP_DISTANCE, UNCUT = 0x3000, 1e30
"""GL_CLIP_DISTANCE0 (OpenGL 3.3, table of tokens), and a height nothing reaches."""


def shader_text(name: str) -> str:
    """The text of a shader file."""
    return (resources.files("customs.picture") / "shaders" / name).read_text("utf-8")


class Programs:
    """Mesh programs by the words they are compiled with, each made when first asked for.

    Software drivers run both sides of a branch, so what a mesh does not need is not in its shader: RIGGED
    skins and morphs by four influences, EIGHT adds four more, DUAL skins by dual quaternions; PLACED takes a
    place for each of many; IDS draws numbers, LAYERED materials beyond the core.
    """

    def __init__(self, context: Any) -> None:
        self._context = context
        self._made: dict[tuple[str, ...], Any] = {}
        self._view: tuple[bytes, tuple[float, ...]] = (np.eye(4, dtype=np.float32).tobytes(), (0.0, 0.0, 1.0))
        self._lit = lit_by("sky", (0.0, 0.0, 1.0))
        self._cut, self._below = UNCUT, -UNCUT

    def start(
        self,
        view_projection: npt.NDArray[np.float64],
        eye: tuple[float, ...],
        lit: Lit,
        cut: float | None = None,
        below: float | None = None,
    ) -> None:
        """Begin a picture: what is the same for all its meshes."""
        self._lit, self._cut = lit, UNCUT if cut is None else cut
        self._below = -UNCUT if below is None else below
        self._view = (np.ascontiguousarray(view_projection.T, dtype=np.float32).tobytes(), eye)
        for program in self._made.values():
            self._see(program)

    def get(
        self,
        rigged: bool = False,
        eight: bool = False,
        dual: bool = False,
        placed: bool = False,
        ids: bool = False,
        layered: bool = False,
    ) -> Any:
        """The program for a mesh."""
        words = (
            *(["RIGGED"] if rigged else []),
            *(["EIGHT"] if rigged and eight else []),
            *(["DUAL"] if rigged and dual else []),
            *(["PLACED"] if placed else []),
            *(["IDS"] if ids else ["LAYERED"] if layered else []),
        )
        if words not in self._made:
            self._made[words] = self._compile(words)
        return self._made[words]

    def _compile(self, words: tuple[str, ...]) -> Any:
        defined = "".join(f"#define {w}\n" for w in words)
        parts = ("mesh.vert", "ids.frag" if "IDS" in words else "mesh.frag")
        program = self._context.program(*(shader_text(p).replace("\n", f"\n{defined}", 1) for p in parts))
        for _, unit, name in (*SLOTS.values(), *LAYER_SLOTS.values()):
            if name in program:
                program[name] = unit
        if "tint" in program:
            program["tint"] = (1.0, 1.0, 1.0)
        if "RIGGED" in words:
            program["joint_matrices"], program["morph_offsets"] = 5, 6
        self._see(program)
        return program

    def _see(self, program: Any) -> None:
        program["view_projection"].write(self._view[0])
        program["cut"] = self._cut
        if "below" in program:
            program["below"] = self._below
        if "eye" in program:
            program["eye"] = self._view[1]
        if "sun" in program:
            program["sun"], program["lights"] = self._lit


def uv_matrix(use: Any) -> tuple[float, ...]:
    """Column-major (9,) matrix of KHR_texture_transform: translation · rotation · scale."""
    c, s = np.cos(use.rotation), np.sin(use.rotation)
    (ox, oy), (sx, sy) = use.offset, use.scale
    return (c * sx, -s * sx, 0, s * sy, c * sy, 0, ox, oy, 1)
