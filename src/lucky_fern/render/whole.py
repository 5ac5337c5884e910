"""Drawing over the whole of a framebuffer, and letting framebuffers go."""

from __future__ import annotations

from collections.abc import Iterable

import moderngl
import numpy as np

from lucky_fern.render.calls import calls_of
from lucky_fern.render.shaders import source


class Whole:
    """A program that runs for every pixel of the framebuffer in use. Owns what it makes in one context.

    The fragment shader is given ``place``, from -1 to 1 each way.
    """

    def __init__(self, context: moderngl.Context, fragment: str, vertex: str = "whole.vert") -> None:
        self._calls = calls_of(context)
        self.program = context.program(source(vertex), source(fragment))
        self._corners = context.buffer(np.array([-1, -1, 1, -1, -1, 1, 1, 1], np.float32))
        self._array = context.vertex_array(self.program, [(self._corners, "2f", "in_position")])

    def draw(self) -> None:
        self._calls.draw(self._array, moderngl.TRIANGLE_STRIP)

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        for made in (self._array, self._corners, self.program):
            made.release()


def let_go(targets: Iterable[moderngl.Framebuffer]) -> None:
    """Give framebuffers back to the card, with one colour and the depth that was made for each."""
    for target in targets:
        target.color_attachments[0].release()
        target.depth_attachment.release()
        target.release()
