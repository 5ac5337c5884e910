"""OpenGL calls that moderngl does not offer, or that wait under the interpreter's lock there: these release it."""

from __future__ import annotations

import ctypes
from ctypes import c_int, c_uint, c_void_p
from typing import Any

import moderngl
import numpy as np

from lucky_fern.core.arrays import U8, Array

_TEXTURE_2D = 0x0DE1
_RGB, _RGBA = 0x1907, 0x1908
_KINDS = {np.dtype(np.uint8): 0x1401, np.dtype(np.float16): 0x140B}
_MAX_LEVEL, _UNPACK_ALIGNMENT = 0x813D, 0x0CF5
_BGRA, _BYTES = 0x80E1, 0x1401


class Calls:
    """The calls of one context, which must be current whenever one is made."""

    def __init__(self, context: moderngl.Context) -> None:
        # The package that found the context tells the addresses of functions.
        load: Any = context.mglo._context.load_opengl_function

        def call(name: str, *kinds: Any) -> Any:
            return ctypes.CFUNCTYPE(None, *kinds)(load(name))

        self.finish = call("glFinish")
        self._bind = call("glBindTexture", c_uint, c_uint)
        self._image = call("glTexImage2D", c_uint, *[c_int] * 5, c_uint, c_uint, c_void_p)
        self._part = call("glTexSubImage2D", c_uint, *[c_int] * 5, c_uint, c_uint, c_void_p)
        self._parameter = call("glTexParameteri", c_uint, c_uint, c_int)
        self._store = call("glPixelStorei", c_uint, c_int)
        self._program = call("glUseProgram", c_uint)
        self._array = call("glBindVertexArray", c_uint)
        self._draw = call("glDrawArrays", c_uint, c_int, c_int)
        self._read = call("glReadPixels", *[c_int] * 4, c_uint, c_uint, c_void_p)

    def add_levels(self, texture: moderngl.Texture, internal_format: int, levels: int) -> None:
        """Give a texture room for mips 1 … ``levels``; what they hold is not defined."""
        self._bind(_TEXTURE_2D, texture.glo)
        for level in range(1, levels + 1):
            wide, tall = max(texture.width >> level, 1), max(texture.height >> level, 1)
            kind = _KINDS[np.dtype(np.uint8)]  # of the pixels that are not there
            self._image(_TEXTURE_2D, level, internal_format, wide, tall, 0, _RGBA, kind, None)
        self._parameter(_TEXTURE_2D, _MAX_LEVEL, levels)

    def write(self, texture: moderngl.Texture, level: int, x: int, y: int, pixels: Array) -> None:
        """Write (rows, columns, 3 or 4) uint8 or float16 pixels, contiguous, into a level of a texture."""
        self._bind(_TEXTURE_2D, texture.glo)
        self._store(_UNPACK_ALIGNMENT, 1)
        rows, columns, components = pixels.shape
        layout = _RGB if components == 3 else _RGBA
        self._part(_TEXTURE_2D, level, x, y, columns, rows, layout, _KINDS[pixels.dtype], pixels.ctypes.data)

    def draw(self, array: moderngl.VertexArray, mode: int) -> None:
        """Draw all vertices of an array, by its own program, as triangles, lines … (moderngl's numbers)."""
        self._program(array.program.glo)
        self._array(array.glo)
        self._draw(mode, 0, array.vertices)

    def read(self, target: moderngl.Framebuffer) -> U8:
        """(rows, columns, 4) uint8 pixels of a framebuffer, the highest row first: blue, green, red, alpha."""
        columns, rows = target.size
        pixels = np.empty((rows, columns, 4), np.uint8)
        target.use()
        self._read(0, 0, columns, rows, _BGRA, _BYTES, pixels.ctypes.data)
        return np.ascontiguousarray(pixels[::-1])


def calls_of(context: moderngl.Context) -> Calls:
    """The calls of a context, found once."""
    if not isinstance(context.extra, Calls):
        context.extra = Calls(context)
    return context.extra
