"""What lies in the lamp's shadow, and what is closed to the light from all around: depths drawn beforehand."""

from __future__ import annotations

from collections.abc import Callable

import moderngl
import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.render.camera import Camera
from lucky_fern.render.shaders import source
from lucky_fern.render.textures import is_software
from lucky_fern.render.uniforms import uniform
from lucky_fern.render.whole import Whole

_REACH = 0.06  # of the model's size: how far round a place things close it
_SIDES = (1024, 2048)  # texels of the lamp's depths, drawn by the processor or by a card


class Shadows:
    """Two textures for the model's program: depths as the lamp sees them, and how open each pixel is.

    ``draw`` draws all faces with the program given to it (positions only, ``to_clip``). Owns what it makes.
    """

    def __init__(self, context: moderngl.Context, bounds: F64, draw: Callable[[moderngl.Program], None]) -> None:
        self.context = context
        self._draw = draw
        self._middle = np.asarray(bounds).mean(axis=0)
        self._radius = float(np.linalg.norm(np.asarray(bounds)[1] - self._middle)) * 1.001 + 1e-9
        self._depths = context.program(source("depth.vert"), source("depth.frag"))
        self._whole = Whole(context, "crevice.frag")
        self._crevices = self._whole.program
        side = _SIDES[0] if is_software(context) else _SIDES[1]
        self.lamp_depth = _depth_texture(context, (side, side))
        self._lamp_target = context.framebuffer(depth_attachment=self.lamp_depth)
        self._lamp: tuple[float, ...] | None = None
        self.to_lamp: F64 = np.eye(4)
        self.texel = 2 * self._radius / side  # of the lamp's depths, in units
        self._depth: moderngl.Texture | None = None
        self.open: moderngl.Texture | None = None
        self._targets: list[moderngl.Framebuffer] = []

    def forget(self) -> None:
        """Draw the lamp's depths anew: other faces are shown."""
        self._lamp = None

    def prepare(self, camera: Camera, aspect: float, lamp: tuple[float, float, float]) -> None:
        """Draw both for a picture of the framebuffer in use, which stays in use."""
        target, viewport, scissor = self.context.fbo, self.context.fbo.viewport, self.context.fbo.scissor
        self.context.enable(moderngl.DEPTH_TEST)
        if lamp != self._lamp:
            self._lamp, self.to_lamp = lamp, self._lamp_matrix(np.array(lamp))
            self._lamp_target.use()
            self._lamp_target.clear(depth=1.0)
            _write(self._depths, self.to_lamp)
            self._draw(self._depths)
        depth, opened = self._of_size((max(viewport[2] // 2, 1), max(viewport[3] // 2, 1)))
        projection = camera.projection(aspect, 2 * self._radius)
        depth.use()
        depth.clear(depth=1.0)
        _write(self._depths, projection @ camera.view())
        self._draw(self._depths)
        self.context.disable(moderngl.DEPTH_TEST)
        opened.use()
        assert self._depth is not None
        self._depth.use(0)
        uniform(self._crevices, "depth").value = 0
        uniform(self._crevices, "to_place").write(_columns(np.asarray(np.linalg.inv(projection), np.float64)))
        uniform(self._crevices, "reach").value = _REACH * 2 * self._radius
        uniform(self._crevices, "scale").value = (float(projection[0, 0]), float(projection[1, 1]))
        uniform(self._crevices, "parallel").value = camera.parallel
        self._whole.draw()
        target.use()
        target.viewport = viewport
        target.scissor = scissor

    def _lamp_matrix(self, towards: F64) -> F64:
        """From the model's space to the lamp's clip space, parallel, all of the model in it."""
        away = towards / np.linalg.norm(towards)
        aside = np.cross((0.0, 1.0, 0.0) if abs(away[1]) < 0.99 else (1.0, 0.0, 0.0), away)
        aside /= np.linalg.norm(aside)
        turn = np.stack([aside, np.cross(away, aside), -away])  # depth grows away from the lamp
        made = np.eye(4)
        made[:3, :3] = turn / self._radius
        made[:3, 3] = -turn @ self._middle / self._radius
        return made

    def _of_size(self, size: tuple[int, int]) -> list[moderngl.Framebuffer]:
        if not self._targets or self._targets[0].size != size:
            self._let_go()
            self._depth = _depth_texture(self.context, size)
            self.open = self.context.texture(size, 1)
            self.open.repeat_x = self.open.repeat_y = False
            self._targets = [
                self.context.framebuffer(depth_attachment=self._depth),
                self.context.framebuffer([self.open]),
            ]
        return self._targets

    def _let_go(self) -> None:
        for item in (*self._targets, self._depth, self.open):
            if item is not None:
                item.release()
        self._targets, self._depth, self.open = [], None, None

    def release(self) -> None:
        self._let_go()
        made = (self._lamp_target, self.lamp_depth, self._whole, self._depths)
        for item in made:
            item.release()


def _depth_texture(context: moderngl.Context, size: tuple[int, int]) -> moderngl.Texture:
    made = context.depth_texture(size)
    made.compare_func = ""  # read as numbers
    made.filter = (moderngl.NEAREST, moderngl.NEAREST)
    made.repeat_x = made.repeat_y = False
    return made


def _write(program: moderngl.Program, matrix: F64) -> None:
    uniform(program, "to_clip").write(_columns(matrix))


def _columns(matrix: F64) -> bytes:
    """A matrix as OpenGL reads it."""
    return np.ascontiguousarray(np.asarray(matrix).T, np.float32).tobytes()
