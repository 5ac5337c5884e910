"""When a view draws: at once, soon, or bit by bit once nothing moves; and when it brings new chunks to the card."""

from __future__ import annotations

from collections.abc import Callable

import moderngl
from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtOpenGLWidgets import QOpenGLWidget

from lucky_fern.render.frames import Draw, Frames
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.views.shared_textures import SharedTextures

_LONGEST_WAIT = 3000  # milliseconds between pictures that only bring new chunks
_PATIENCE = 20.0  # times what a piece of drawing takes, between two of them while maps are composited
_STILL = 160  # milliseconds until what does not move any more is drawn as well as can be
_BREATH = 4  # milliseconds for the window between two strips
_RECEIVING = 0.006  # seconds at a time


class Pace(QObject):
    """The frames of one view. Where ``paced`` is off, every frame is drawn whole and at once."""

    drawn = Signal()
    paced = True

    def __init__(
        self, view: QOpenGLWidget, maps: Maps, textures: tuple[SharedTextures, ...], draw: Draw,
        moving: Callable[[], bool],
    ) -> None:  # fmt: skip
        """``draw`` draws the view as it is now; ``moving`` says whether a hand is at work on it."""
        super().__init__(view)
        self._view, self._maps, self._textures, self._draw, self._moving = view, maps, textures, draw, moving
        self._frames: Frames | None = None
        self._due = False  # whether a frame was asked for and not drawn yet
        self._smooth = False  # whether the next one is to have smooth edges, however slow it is
        self._still = QTimer(self, singleShot=True, interval=_STILL)
        self._still.timeout.connect(self._begin_fine)
        self._strips = QTimer(self, singleShot=True)
        self._strips.timeout.connect(self._draw_strip)
        self._soon = QTimer(self, singleShot=True)
        self._soon.timeout.connect(self._draw_news)
        self._receiving = QTimer(self, singleShot=True, interval=0)
        self._receiving.timeout.connect(self._receive)
        for one in textures:
            one.changed.connect(self.news)

    def start(self, context: moderngl.Context) -> None:
        """There is a context to draw in."""
        self._frames = Frames(context)
        self.receive()

    @property
    def due(self) -> bool:
        """Whether what the view shows is still to be drawn, or to be drawn better."""
        timers = (self._still, self._strips, self._soon, self._receiving)
        return self._view.isVisible() and (self._due or any(timer.isActive() for timer in timers))

    # --- asking -----------------------------------------------------------------------------------------------

    def ask(self, smooth: bool = False) -> None:
        """A frame is wanted at once, as quickly as can be or with smooth edges; the caller updates the widget."""
        self._due = True
        self._smooth = self._smooth or smooth
        self._strips.stop()
        if self._frames is not None:
            self._frames.give_up()

    def ask_after(self, milliseconds: int) -> None:
        """A frame is wanted after a while."""
        self._soon.start(milliseconds)

    def receive(self) -> None:
        """Something came in that is to be brought to the card."""
        if self._frames is not None and not self._receiving.isActive():
            self._receiving.start()

    def news(self) -> None:
        """What was brought to the card is to be seen: at once if nothing is worked out any more, else with patience.

        Drawing takes a small share of the time while maps are composited: what comes in several times is drawn once.
        """
        cost = self._frames.cost if self._frames is not None else 0.0
        at_once = self._maps.settled or self._moving()
        wait = 0 if at_once else min(int(_PATIENCE * 1000 * cost), _LONGEST_WAIT)
        if not self._soon.isActive() or self._soon.remainingTime() > wait:
            self._soon.start(wait)

    # --- drawing ----------------------------------------------------------------------------------------------

    def paint(self, context: moderngl.Context, framebuffer: int, size: tuple[int, int]) -> None:
        """Paint the widget: with a frame that was asked for, or with the last picture."""
        frames = self._frames
        assert frames is not None
        screen = context.detect_framebuffer(framebuffer)
        if frames.fit(size) or self._due or frames.empty:
            smooth, self._due, self._smooth = self._smooth or not frames.software, False, False
            frames.draw_now(self._draw, smooth, self.paced)
            if not smooth and self.paced:
                self._still.start()
        frames.show(screen)
        self.drawn.emit()

    def _draw_news(self) -> None:
        frames = self._frames
        if frames is None or not frames.software or not self.paced or frames.empty or self._moving():
            self._view.update()
        elif self._due or frames.under_way:
            self._soon.start(_STILL)  # one thing after the other
        else:
            self._begin_fine()

    def _begin_fine(self) -> None:
        """Nothing moves any more: draw all pixels, smoothly if it stays as it is now."""
        if self._frames is None or not self._view.isVisible():
            return
        if self._moving():
            self._still.start()
            return
        self._still.stop()
        self._view.makeCurrent()
        self._frames.begin_fine(self._maps.settled)
        self._view.doneCurrent()
        self._strips.start(_BREATH)

    def _draw_strip(self) -> None:
        frames = self._frames
        if frames is None or not frames.under_way:
            return
        self._view.makeCurrent()
        done = frames.go_on(self._draw)
        self._view.doneCurrent()
        if done:
            QOpenGLWidget.update(self._view)  # shows it; nothing is to be drawn anew
        else:
            self._strips.start(_BREATH if self._maps.settled else max(int(_PATIENCE * 1000 * frames.cost), _BREATH))

    # --- bringing chunks to the card ----------------------------------------------------------------------------

    def _receive(self) -> None:
        """Bring what was packed to the card for a moment, and go on in the next one."""
        if self._frames is None or not self._view.isVisible():
            return
        context = self._frames.context
        self._view.makeCurrent()
        for textures in self._textures:
            textures.receive(context, _RECEIVING)
        self._view.doneCurrent()
        if any(one.waiting for one in self._textures):
            self._receiving.start()
