"""OpenGL calls that take long, made with the interpreter lock let go.

moderngl keeps the lock while a draw call runs, and a software driver may run it for a tenth of a second: the
window would stand still. ctypes lets it go. The objects stay moderngl's; only their numbers are used.
"""

from __future__ import annotations

import ctypes
from typing import Any

from customs.errors import ToolError

UNSIGNED_INT, COLOUR_BIT, NEAREST = 0x1405, 0x4000, 0x2600
READ_FRAMEBUFFER, DRAW_FRAMEBUFFER = 0x8CA8, 0x8CA9
LIBRARIES = ("libOpenGL.so.0", "libGL.so.1", "libGL.so")


class Unlocked:
    """The few calls that are needed, from the library the system offers. Raises ToolError where there is
    none.
    """

    def __init__(self) -> None:
        self._gl = self._library()
        self._gl.glDrawElements.argtypes = [ctypes.c_uint, ctypes.c_int, ctypes.c_uint, ctypes.c_void_p]
        self._gl.glDrawElementsInstanced.argtypes = [
            ctypes.c_uint,
            ctypes.c_int,
            ctypes.c_uint,
            ctypes.c_void_p,
            ctypes.c_int,
        ]
        self._gl.glBlitFramebuffer.argtypes = [ctypes.c_int] * 8 + [ctypes.c_uint, ctypes.c_uint]

    @staticmethod
    def _library() -> Any:
        for name in LIBRARIES:
            try:
                return ctypes.CDLL(name)
            except OSError:
                continue
        raise ToolError("no OpenGL library", " or ".join(LIBRARIES), "Install Mesa (libopengl0).")

    def draw(self, program: Any, array: Any, mode: int, count: int, first: int = 0) -> None:
        """Draw `count` indices (uint32) of a vertex array from index `first` on."""
        self._gl.glUseProgram(program.glo)
        self._gl.glBindVertexArray(array.glo)
        self._gl.glDrawElements(mode, count, UNSIGNED_INT, first * 4)
        self._gl.glBindVertexArray(0)

    def draw_placed(self, program: Any, array: Any, mode: int, count: int, times: int) -> None:
        """Draw `count` indices (uint32) of a vertex array `times` over, each with its own place."""
        self._gl.glUseProgram(program.glo)
        self._gl.glBindVertexArray(array.glo)
        self._gl.glDrawElementsInstanced(mode, count, UNSIGNED_INT, None, times)
        self._gl.glBindVertexArray(0)

    def resolve(self, source: Any, target: Any, width: int, height: int) -> None:
        """Copy the colours of a framebuffer with samples into one without."""
        self._gl.glBindFramebuffer(READ_FRAMEBUFFER, source.glo)
        self._gl.glBindFramebuffer(DRAW_FRAMEBUFFER, target.glo)
        self._gl.glBlitFramebuffer(0, 0, width, height, 0, 0, width, height, COLOUR_BIT, NEAREST)

    def finish(self) -> None:
        """Wait until all is drawn."""
        self._gl.glFinish()
