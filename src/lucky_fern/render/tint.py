"""Triangles coloured over a scene: findings of the layout check, heat maps, selections."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from lucky_fern.core.arrays import F64, I32
from lucky_fern.render.calls import calls_of
from lucky_fern.render.shaders import source
from lucky_fern.render.uniforms import uniform


@dataclass(frozen=True)
class Coloured:
    """Triangles (N,) that are coloured over a scene, (N, 4) red to alpha, 0…1."""

    triangles: I32
    colours: F64


class Tint:
    """Owns its program and its buffer; give both back with :meth:`release`."""

    def __init__(self, context: moderngl.Context) -> None:
        self.context = context
        self._program = context.program(source("tint.vert"), source("tint.frag"))
        self._owned: list[Any] = []
        self._array: moderngl.VertexArray | None = None

    def show(self, corners: F64, colours: F64) -> None:
        """Show triangles (N, 3, 3) in colours (N, 4), red to alpha, 0…1; none for no tint."""
        self._drop()
        if not len(corners):
            return
        data = np.empty((len(corners), 3, 7), np.float32)
        data[..., :3], data[..., 3:] = corners, colours[:, None]
        buffer = self.context.buffer(data.tobytes())
        self._array = self.context.vertex_array(self._program, [(buffer, "3f 4f", "in_position", "in_colour")])
        self._owned = [buffer, self._array]

    def draw(self, to_clip: bytes) -> None:
        """Draw into the framebuffer in use; what lies behind the scene's own surfaces stays hidden."""
        if self._array is None:
            return
        uniform(self._program, "to_clip").write(to_clip)
        self.context.enable(moderngl.BLEND)
        # The frame stays opaque: what is drawn half transparent must not let the window shine through.
        keep: Any = (moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE)
        self.context.blend_func = keep
        self.context.depth_func = "<="
        calls_of(self.context).draw(self._array, moderngl.TRIANGLES)
        self.context.depth_func = "<"
        self.context.disable(moderngl.BLEND)

    def _drop(self) -> None:
        for item in self._owned:
            item.release()
        self._owned, self._array = [], None

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        self._drop()
        self._program.release()
