"""A thread that draws what several views want, each at a pace that can be afforded.

It has the one context and everything in it. Who shows pictures says what is wanted, and is handed pixels.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, fields, is_dataclass
from enum import Enum, auto
from functools import partial
from typing import Any, Protocol

import moderngl

from lucky_fern.core.arrays import U8
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.render.frames import Box, Frames
from lucky_fern.render.parcels import Parcel
from lucky_fern.render.textures import SheetTextures

_NEWS = 0.2  # seconds between pictures that bring new chunks, while what is seen is worked out
_NO_NEWS = 5.0  # the same while all that is seen is there already, only not halved from its own size
_STILL = 0.16  # seconds until what does not move any more is drawn as well as can be
_RECEIVING = 0.006  # seconds at a time
_FIRST = 0.4  # seconds that the first picture of maps waits for what is there of them: nobody is shown a bare model
_LIGHT = 0.04  # seconds until what could not be drawn yet is tried again
_ENDING = 10.0  # seconds that the end is waited for
LOG = logging.getLogger(__name__)


class Parcels(Protocol):
    """Packed chunks in the order in which they are to be taken; asked from the thread that draws."""

    @property
    def waiting(self) -> bool:
        """Whether there are more to come of what is there already."""

    def want_all(self, keys: Iterable[SheetKey]) -> None: ...

    def first(self) -> Parcel | None: ...

    def taken(self) -> None: ...


@dataclass(frozen=True)
class Stock:
    """What textures are made of: composited maps, what is packed of them, how large sheets are, and whose texels are
    meant to be seen.
    """

    store: MapStore
    parcels: Parcels
    sizes: Mapping[SheetKey, Extent]
    pixel_art: frozenset[SheetKey] = frozenset()


@dataclass(frozen=True)
class Wanted:
    """A picture of ``size`` pixels.

    Left of the share ``wipe`` of its width it shows what is pinned, if anything, as ``left`` says, if given.
    """

    size: tuple[int, int]
    picture: Any  # what the canvas's painter knows how to draw
    stock: Stock | None
    pinned: Stock | None = None
    wipe: float = 0.5
    left: Any = None

    @property
    def stocks(self) -> list[Stock]:
        return [stock for stock in (self.stock, self.pinned) if stock is not None]


class Painter(Protocol):
    """Draws one kind of picture into the framebuffer in use. Owns what it makes in one context."""

    def draw(self, picture: Any, textures: SheetTextures | None, sizes: Mapping[SheetKey, Extent]) -> bool:
        """Draw; False if it could not draw all of it yet."""

    def release(self) -> None: ...


class Step(Enum):
    """What there is to do for a canvas, the most urgent first."""

    FRAME = auto()  # a frame was asked for
    NEWS = auto()  # what came in is to be seen
    FINE = auto()  # nothing moves any more: all pixels are to be drawn, smoothly if it stays as it is now
    STRIP = auto()  # a picture under way goes on


class Canvas:
    """The pictures of one view. It may be told things from any thread; its frames belong to the one that draws."""

    def __init__(
        self, drawing: Drawing, make_painter: Callable[[moderngl.Context], Painter], show: Callable[[U8], object],
        moving: Callable[[], bool],
    ) -> None:  # fmt: skip
        """``show`` is handed what :meth:`.Frames.picture` gives; ``moving`` says whether a hand is at work."""
        self._drawing, self.make_painter, self.show, self.moving = drawing, make_painter, show, moving
        self.frames: Frames | None = None
        self.painter: Painter | None = None
        self.wanted: Wanted | None = None
        self.visible = False
        self.smooth = False  # whether the next frame is to have smooth edges, however slow it is
        self.due: dict[Step, float] = {}  # what is to be done, and from when on (monotonic seconds)
        self.drawn = 0.0  # when its last picture was begun
        self.last: Wanted | None = None  # what that showed

    def want(self, wanted: Wanted, smooth: bool = False) -> None:
        """A picture is wanted at once, as quickly as can be or with smooth edges."""
        with self._drawing.news:
            self.wanted, self.smooth = wanted, self.smooth or smooth
            self.due[Step.FRAME] = 0.0
            self._drawing.news.notify()

    def set_visible(self, on: bool) -> None:
        """Nothing is drawn that nobody sees, nor held on to; who is seen again says anew what is wanted."""
        with self._drawing.news:
            self.visible = on
            if not on:
                self.wanted = self.last = None
                self.due.clear()
            self._drawing.news.notify()

    @property
    def seen(self) -> bool:
        return self.visible and self.wanted is not None

    @property
    def busy(self) -> bool:
        """Whether a picture is still to be drawn, or to be drawn better."""
        with self._drawing.news:
            return self.seen and not self._drawing.failed and (bool(self.due) or self._drawing.at is self)


class Drawing:
    """The thread. Where ``paced`` is off, every frame is drawn whole and at once."""

    paced = True

    def __init__(
        self, make_context: Callable[[], moderngl.Context], end_context: Callable[[], object],
        settled: Callable[[], bool], idle: Callable[[], object], told: Callable[[Exception], object],
        seen: Callable[[], bool] = lambda: True,
    ) -> None:  # fmt: skip
        """The context is made and ended on the thread; if that fails, ``told`` is told why and nothing is drawn.

        ``settled`` says whether no maps are being composited, ``seen`` whether those that are looked at are there as
        finely as they are seen; ``idle`` is called when there is nothing left to draw.
        """
        self._make_context, self._end_context = make_context, end_context
        self._settled, self._seen, self._idle, self._told = settled, seen, idle, told
        self.news = threading.Condition()
        self.failed = False
        self.at: Canvas | None = None  # whose picture is being drawn
        self._canvases: list[Canvas] = []
        self._textures: dict[MapStore, SheetTextures] = {}
        self._received = True  # whether chunks were brought to the card since the last frame
        self._stop = False
        self._context: moderngl.Context | None = None
        self._thread = threading.Thread(target=self._work, name="fern-drawing", daemon=True)
        self._acts = {
            Step.FRAME: self._draw_asked, Step.NEWS: self._draw_news, Step.FINE: self._begin_fine,
            Step.STRIP: self._draw_strip,
        }  # fmt: skip

    def start(self) -> None:
        """Make the context and begin to draw."""
        self._thread.start()

    def add(self, canvas: Canvas) -> None:
        """Draw for one more view."""
        with self.news:
            self._canvases.append(canvas)

    def wake(self) -> None:
        """Something was packed."""
        with self.news:
            self.news.notify()

    def show_news(self) -> None:
        """Nothing is composited any more: what came in is to be seen."""
        with self.news:
            for canvas in self._canvases:
                self._tell_news(canvas)
            self.news.notify()

    def close(self) -> None:
        """Give everything back and end."""
        with self.news:
            self._stop = True
            self.news.notify()
        if self._thread.is_alive():
            self._thread.join(_ENDING)

    # --- what is next -----------------------------------------------------------------------------------------

    def _work(self) -> None:
        try:
            self._context = self._make_context()
        except Exception as error:  # noqa: BLE001  # drivers fail in many ways; the person can mend all of them alike
            self.failed = True
            self._told(error)
            return
        told = True  # that there is nothing to do
        while True:
            with self.news:
                self.at = None
                while not self._stop and (piece := self._next()) is None:
                    wait = self._wait()
                    if wait is None and not told:
                        break
                    self.news.wait(wait)
                if self._stop:
                    break
            told = piece is None
            if piece is None:
                self._idle()
            else:
                self._do(piece)
        self._release()

    def _do(self, piece: Callable[[], None]) -> None:
        try:
            piece()
        except Exception:  # a defect of ours must not end the thread: nothing more would show
            LOG.exception("A view could not be drawn.")
            with self.news:
                if self.at is not None:
                    self.at.due.clear()

    def _next(self) -> Callable[[], None] | None:
        """The next piece of work, if there is any now."""
        now = time.monotonic()
        seen = [canvas for canvas in self._canvases if canvas.seen]
        asked = any(Step.FRAME in canvas.due for canvas in seen)
        # Frames that follow each other must not keep chunks from coming in.
        if not (asked and self._received) and any(stock.parcels.first() is not None for stock in _stocks(seen)):
            self._received = True
            return partial(self._receive, seen)
        for step in Step:
            for canvas in seen:
                if canvas.due.get(step, now + 1) <= now:
                    del canvas.due[step]
                    self._canvases.remove(canvas)
                    self._canvases.append(canvas)  # another one is next
                    self.at, self._received = canvas, False
                    assert canvas.wanted is not None  # as it is seen; it may be let go of while it is drawn
                    return partial(self._acts[step], canvas, canvas.wanted)
        return None

    def _wait(self) -> float | None:
        """Seconds until something is due."""
        times = [at for canvas in self._canvases if canvas.seen for at in canvas.due.values()]
        return max(min(times) - time.monotonic(), 0.0) if times else None

    def _plan(self, canvas: Canvas, step: Step, seconds: float) -> None:
        with self.news:
            canvas.due[step] = time.monotonic() + seconds

    # --- frames -----------------------------------------------------------------------------------------------

    def _frames(self, canvas: Canvas, wanted: Wanted) -> Frames:
        assert self._context is not None
        if canvas.frames is None:
            canvas.frames = Frames(self._context)
        canvas.frames.fit(wanted.size)
        return canvas.frames

    def _draw_asked(self, canvas: Canvas, wanted: Wanted) -> None:
        """A picture was asked for: at once, unless it shows what is shown already."""
        same = canvas.last is not None and _alike(canvas.last, wanted)
        if same and not canvas.smooth and not canvas.moving():
            self._draw_news(canvas, wanted)
        else:
            self._draw_now(canvas, wanted)

    def _draw_now(self, canvas: Canvas, wanted: Wanted) -> None:
        frames = self._frames(canvas, wanted)
        with self.news:
            smooth, canvas.smooth = canvas.smooth or not frames.software, False
        canvas.drawn, canvas.last = time.monotonic(), wanted
        frames.draw_now(self._drawer(canvas, wanted), smooth, self.paced)
        canvas.show(frames.picture())
        if not smooth and self.paced:
            self._plan(canvas, Step.FINE, _STILL)

    def _draw_news(self, canvas: Canvas, wanted: Wanted) -> None:
        frames = self._frames(canvas, wanted)
        if not frames.software or not self.paced or frames.empty or canvas.moving():
            self._draw_now(canvas, wanted)
        elif frames.under_way:
            self._plan(canvas, Step.NEWS, _STILL)  # one thing after the other
        else:
            self._begin_fine(canvas, wanted)

    def _begin_fine(self, canvas: Canvas, wanted: Wanted) -> None:
        if canvas.moving():
            self._plan(canvas, Step.FINE, _STILL)
            return
        canvas.drawn = time.monotonic()
        self._frames(canvas, wanted).begin_fine(self._settled() or self._seen())
        self._plan(canvas, Step.STRIP, 0.0)

    def _draw_strip(self, canvas: Canvas, wanted: Wanted) -> None:
        frames = self._frames(canvas, wanted)
        if not frames.under_way:
            return
        if frames.go_on(self._drawer(canvas, wanted)):
            canvas.show(frames.picture())
        else:
            self._plan(canvas, Step.STRIP, 0.0)

    def _drawer(self, canvas: Canvas, wanted: Wanted) -> Callable[[moderngl.Framebuffer, Box], None]:
        """Draws a box of what a canvas is to show as it is now."""
        assert self._context is not None
        if canvas.painter is None:
            canvas.painter = canvas.make_painter(self._context)
        painter = canvas.painter
        self._let_go()

        def put(stock: Stock | None, picture: Any) -> None:
            textures = None if stock is None else self._ready(stock)
            if not painter.draw(picture, textures, {} if stock is None else stock.sizes):
                self._plan(canvas, Step.NEWS, _LIGHT)

        def draw(target: moderngl.Framebuffer, box: Box) -> None:
            target.scissor = box
            put(wanted.stock, wanted.picture)
            if wanted.pinned is not None or wanted.left is not None:
                # The left part is drawn over; nothing else of the frame is touched.
                target.use()
                x, y, width, height = box
                target.scissor = (x, y, max(int(width * wanted.wipe), 1), height)
                put(wanted.pinned or wanted.stock, wanted.picture if wanted.left is None else wanted.left)

        return draw

    def _let_go(self) -> None:
        """Give back what belongs to maps that nobody shows any more, or to views that nobody sees."""
        with self.news:
            kept = {stock.store for stock in _stocks(self._canvases)}
            hidden = [canvas for canvas in self._canvases if not canvas.visible and canvas.painter is not None]
        for store in [store for store in self._textures if store not in kept]:
            self._textures.pop(store).release()
        for canvas in hidden:
            assert canvas.painter is not None
            canvas.painter.release()
            canvas.painter = None

    # --- chunks -----------------------------------------------------------------------------------------------

    def _ready(self, stock: Stock) -> SheetTextures:
        """The textures with what was brought to them so far."""
        assert self._context is not None
        if stock.store not in self._textures:
            self._textures[stock.store] = SheetTextures(self._context, stock.store)
        textures = self._textures[stock.store]
        textures.set_pixel_art(stock.pixel_art)
        for key, size in stock.sizes.items():
            textures.of(key, size)
        first = set(textures.fresh)
        textures.fresh.clear()
        if first:
            stock.parcels.want_all(first)
        if len(first) == len(stock.sizes) > 0:
            self._await(stock, textures)
        textures.unsent.clear()
        textures.finish()
        return textures

    def _await(self, stock: Stock, textures: SheetTextures) -> None:
        """Bring to the card what is there of maps that were not shown yet, for as long as a person hardly notices."""
        end = time.monotonic() + _FIRST
        while stock.parcels.waiting and time.monotonic() < end:
            self._take_in(stock, textures, end)
            time.sleep(0.002)

    def _take_in(self, stock: Stock, textures: SheetTextures, end: float) -> None:
        """Bring to the card what is packed, until a time (monotonic seconds)."""
        while (parcel := stock.parcels.first()) is not None:
            try:
                done = textures.put(parcel)
            except Exception:  # it would come again and again
                LOG.exception("A piece of a map could not be brought to the card.")
                done = True
            if done:
                stock.parcels.taken()
            if time.monotonic() > end:
                break

    def _receive(self, seen: list[Canvas]) -> None:
        """Bring what was packed to the card for a moment."""
        end = time.monotonic() + _RECEIVING
        for stock in _stocks(seen):
            self._take_in(stock, self._ready(stock), end)
        with self.news:
            for canvas in seen:
                self._tell_news(canvas)

    def _tell_news(self, canvas: Canvas) -> None:
        """What was brought to the card is to be seen: at once if nothing is worked out any more, else now and then.

        What comes in several times is drawn once, and a picture is never older than half a second.
        """
        now = time.monotonic()
        wait = 0.0 if self._settled() or canvas.moving() else _NO_NEWS if self._seen() else _NEWS
        at = now if not wait else max(now, canvas.drawn + wait)
        canvas.due[Step.NEWS] = min(canvas.due.get(Step.NEWS, at), at)

    def _release(self) -> None:
        for canvas in self._canvases:
            for made in (canvas.painter, canvas.frames):
                if made is not None:
                    made.release()
        for textures in self._textures.values():
            textures.release()
        self._end_context()


def _alike(one: Any, other: Any) -> bool:
    """Whether two pictures that are wanted are the same; arrays and surfaces only where they are the very same."""
    if one is other:
        return True
    if type(one) is not type(other):
        return False
    if is_dataclass(one):
        return all(_alike(getattr(one, each.name), getattr(other, each.name)) for each in fields(one))
    if isinstance(one, tuple):
        return len(one) == len(other) and all(map(_alike, one, other))
    return isinstance(one, bool | int | float | str | frozenset | dict) and bool(one == other)


def _stocks(canvases: list[Canvas]) -> list[Stock]:
    """What textures of these canvases are made of, each once."""
    wanted = [each for canvas in canvases if (each := canvas.wanted) is not None]
    return list({stock.store: stock for each in wanted for stock in each.stocks}.values())
