"""Frames at a pace that can be afforded: coarse while things move, fine once they do not.

A card draws every frame whole and smooth. A processor that stands in for one takes a tenth of a second for a frame
and a half for one with smooth edges: there, what moves is drawn with fewer pixels, as many as it manages in time, and
what has come to rest is drawn strip by strip, so that nothing else has to wait for it.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import moderngl
import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.render.calls import calls_of
from lucky_fern.render.textures import is_software
from lucky_fern.render.whole import Whole, let_go

Box = tuple[int, int, int, int]  # x, y, width, height in pixels
Draw = Callable[[moderngl.Framebuffer, Box], None]
_IN_TIME = 0.03  # seconds for a frame in motion
_STRIP = 0.02  # seconds for a strip of one at rest
# Rows of a strip come by so many: a processor draws in tiles (64 wide in Mesa's llvmpipe), and smooth edges come out
# otherwise where a box ends inside one.
_TILE = 64
_COARSEST = 4.0  # pixels of the screen across one that is drawn
_SAMPLES = 4


class Frames:
    """The last picture of a view, and how the next one comes about. Owns what it makes in one context.

    Drawing is left to a function that is given a framebuffer in use and the box of it that is wanted.
    """

    def __init__(self, context: moderngl.Context) -> None:
        self.context = context
        self.software = is_software(context)
        self.coarseness = 1.0
        self._calls = calls_of(context)
        self._whole = Whole(context, "picture.frag")
        self._targets: dict[tuple[tuple[int, int], int, bool], moderngl.Framebuffer] = {}
        self._size = (0, 0)
        self._shown: moderngl.Texture | None = None
        self._fine: moderngl.Framebuffer | None = None  # what strips are drawn into
        self._row = 0
        self._rows = _TILE  # of the next strip
        self.cost = 0.0  # seconds that the last piece of work took

    def fit(self, size: tuple[int, int]) -> bool:
        """Draw for a screen of so many pixels from now on; whether that is another size than before."""
        if size == self._size:
            return False
        self._size = size
        self._let_go()
        return True

    @property
    def empty(self) -> bool:
        """Whether there is no picture yet."""
        return self._shown is None

    # --- in motion --------------------------------------------------------------------------------------------

    def draw_now(self, draw: Draw, smooth: bool, coarse: bool) -> None:
        """Draw a whole frame: with smooth edges, or ``coarse`` if it takes too long otherwise."""
        self._fine = None
        factor = self.coarseness if coarse and not smooth else 1.0
        size = (max(round(self._size[0] / factor), 1), max(round(self._size[1] / factor), 1))
        begin = time.perf_counter()
        target = self._target(size, _SAMPLES if smooth else 0)
        target.use()
        draw(target, (0, 0, *size))
        self._take(target)
        if self.software:
            self._calls.finish()
        self.cost = time.perf_counter() - begin
        if coarse and not smooth:
            self._learn(self.cost, factor)

    def _learn(self, cost: float, factor: float) -> None:
        """How coarse the next frame in motion is to be, if it costs as much a pixel as this one."""
        wanted = factor * (cost / _IN_TIME) ** 0.5
        # In steps: every size is a framebuffer of its own.
        step = float(np.clip(2.0 ** (np.ceil(np.log2(max(wanted, 1e-3)) * 2) / 2), 1.0, _COARSEST))
        if step > self.coarseness or wanted < self.coarseness * 0.6:
            self.coarseness = step

    # --- at rest ----------------------------------------------------------------------------------------------

    def begin_fine(self, smooth: bool) -> None:
        """Begin a picture at full size, with smooth edges or without; what is shown stays until it is done."""
        target = self._target(self._size, _SAMPLES if smooth else 0)
        if self._shown is not None and self._shown in target.color_attachments:
            target = self._target(self._size, 0, other=True)
        self._fine, self._row = target, 0

    @property
    def under_way(self) -> bool:
        """Whether a picture at rest has been begun and is not done."""
        return self._fine is not None

    def give_up(self) -> None:
        """Forget the picture that was begun: there is something else to be seen."""
        self._fine = None

    def go_on(self, draw: Draw) -> bool:
        """Draw a strip more; whether the picture is done, and shown from now on."""
        assert self._fine is not None
        begin = time.perf_counter()
        rows = min(self._rows, self._size[1] - self._row)
        self._fine.use()
        draw(self._fine, (0, self._row, self._size[0], rows))
        self._row += rows
        done = self._row >= self._size[1]
        if done:
            self._take(self._fine)
            self._fine = None
        if self.software:
            self._calls.finish()
        self.cost = max(time.perf_counter() - begin, 1e-4)
        wanted = self._rows * np.clip(_STRIP / self.cost, 0.5, 2.0)
        self._rows = int(np.clip(wanted // _TILE, 1, 4096 // _TILE)) * _TILE
        return done

    # --- the picture ------------------------------------------------------------------------------------------

    def picture(self) -> U8:
        """(rows, columns, 4) uint8 the last picture at the screen's size, from the top: blue, green, red, alpha."""
        shown = self._shown
        assert shown is not None
        if shown.size == self._size:
            screen = next(made for made in self._targets.values() if shown in made.color_attachments)
        else:
            screen = self._target(self._size, 0, other=True)
            screen.use()
            self.context.disable(moderngl.BLEND | moderngl.DEPTH_TEST | moderngl.CULL_FACE)
            shown.use(0)
            self._whole.draw()
        return self._calls.read(screen)

    def _take(self, target: moderngl.Framebuffer) -> None:
        """Have a framebuffer's picture shown from now on."""
        if target.samples:
            if self.software:
                self._calls.finish()  # the interpreter is not held while it waits
            plain = self._target(target.size, 0)
            plain.use()  # or the last strip's box would bound what is copied
            self.context.copy_framebuffer(plain, target)
            target = plain
        texture = target.color_attachments[0]
        assert isinstance(texture, moderngl.Texture)
        self._shown = texture

    def _target(self, size: tuple[int, int], samples: int, other: bool = False) -> moderngl.Framebuffer:
        """A framebuffer, kept while the screen keeps its size; there is an ``other`` one of each size."""
        place = (size, samples, other)
        if place not in self._targets:
            if samples:
                colour: moderngl.Texture | moderngl.Renderbuffer = self.context.renderbuffer(size, 4, samples=samples)
            else:
                colour = self.context.texture(size, 4)
                colour.repeat_x = colour.repeat_y = False
            depth = self.context.depth_renderbuffer(size, samples=samples)
            self._targets[place] = self.context.framebuffer([colour], depth)
        made = self._targets[place]
        made.viewport = (0, 0, *size)
        made.scissor = None  # type: ignore[assignment]  # takes it off
        return made

    def _let_go(self) -> None:
        self._shown = self._fine = None
        let_go(self._targets.values())
        self._targets.clear()

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        self._let_go()
        self._whole.release()
