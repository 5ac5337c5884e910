"""The shine round what glows, as eyes and lenses make it: blurred light put over the picture."""

from __future__ import annotations

from collections.abc import Callable

import moderngl

from lucky_fern.render.uniforms import uniform
from lucky_fern.render.whole import Whole, let_go

_SMALLER = 4  # times, so that the blur reaches far for little
_ROUNDS = (1.0, 2.5)  # texels between two places that are looked at


class Bloom:
    """Owns what it makes in one context."""

    def __init__(self, context: moderngl.Context) -> None:
        self.context = context
        self._whole = Whole(context, "bloom.frag")
        self._targets: list[moderngl.Framebuffer] = []

    def put_over(self, draw_glow: Callable[[], None], strength: float) -> None:
        """Put the shine of what ``draw_glow`` draws (linear light on black) over the framebuffer in use."""
        target, viewport, scissor = self.context.fbo, self.context.fbo.viewport, self.context.fbo.scissor
        small = (max(viewport[2] // _SMALLER, 1), max(viewport[3] // _SMALLER, 1))
        first, second = self._of_size(small)
        first.use()
        self.context.clear(0.0, 0.0, 0.0, 1.0, depth=1.0)
        self.context.enable(moderngl.DEPTH_TEST)
        draw_glow()
        self.context.disable(moderngl.DEPTH_TEST)
        for reach in _ROUNDS:
            for source_, into, way in (
                (first, second, (reach / small[0], 0.0)),
                (second, first, (0.0, reach / small[1])),
            ):
                into.use()
                self._blur(source_, way, 1.0)
        target.use()
        target.viewport = viewport
        target.scissor = scissor
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = (moderngl.ONE, moderngl.ONE_MINUS_SRC_COLOR)  # as light adds up, without a limit
        self._blur(first, (0.0, 0.0), strength)
        self.context.disable(moderngl.BLEND)

    def _blur(self, light: moderngl.Framebuffer, way: tuple[float, float], strength: float) -> None:
        texture = light.color_attachments[0]
        assert isinstance(texture, moderngl.Texture)
        texture.use(0)
        program = self._whole.program
        uniform(program, "light").value = 0
        uniform(program, "way").value = way
        uniform(program, "strength").value = strength
        self._whole.draw()

    def _of_size(self, size: tuple[int, int]) -> list[moderngl.Framebuffer]:
        if not self._targets or self._targets[0].size != size:
            let_go(self._targets)
            self._targets.clear()
            for _ in range(2):
                texture = self.context.texture(size, 4, dtype="f2")
                texture.repeat_x = texture.repeat_y = False
                depth = self.context.depth_renderbuffer(size)
                self._targets.append(self.context.framebuffer([texture], depth))
        return self._targets

    def release(self) -> None:
        let_go(self._targets)
        self._targets.clear()
        self._whole.release()
