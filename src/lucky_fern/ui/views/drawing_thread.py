"""The thread that draws for both views, with Qt's context on it and Qt's signals to it."""

from __future__ import annotations

import moderngl
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QOffscreenSurface, QOpenGLContext, QSurfaceFormat

from lucky_fern.render.drawing import Drawing, Stock
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.mishaps import LOG
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

NO_GL = tr(
    "The views need OpenGL 3.3, which this computer's graphics driver does not offer. Update the "
    "driver, or start with LIBGL_ALWAYS_SOFTWARE=1 to have the processor draw. Jobs (lucky-fern "
    "run) need no graphics."
)


class DrawingThread(QObject):
    """Views add their canvases to ``drawing``."""

    idle = Signal()  # there is nothing left to draw
    failed = Signal(str)  # nothing can be drawn here; why, and what to do

    def __init__(self, work: Work, maps: Maps, comparing: Comparing) -> None:
        super().__init__()
        self.work, self.maps, self.comparing = work, maps, comparing
        self._place = QOffscreenSurface()  # what a context is current on; Qt has it made by the window's thread
        self._place.setFormat(QSurfaceFormat.defaultFormat())
        self._place.create()
        self._context: QOpenGLContext | None = None
        self.drawing = Drawing(
            self._make_context, self._end_context, lambda: maps.settled, self.idle.emit, self._tell,
            lambda: maps.seen_is_done,
        )  # fmt: skip
        maps.arrived.connect(self.drawing.wake)
        maps.rested.connect(self.drawing.show_news)
        maps.seen_done.connect(self.drawing.show_news)
        comparing.pinned_changed.connect(self.drawing.wake)
        self.failed.connect(work.warn)

    def start(self) -> None:
        """Begin to draw, once the views listen."""
        self.drawing.start()

    def stocks(self) -> tuple[Stock | None, Stock | None]:
        """What textures are made of now: of the project, and of a pinned state."""
        maps, pinned = self.maps, self.comparing.pinned
        stock = None
        if maps.store is not None and maps.packing is not None:
            stock = Stock(maps.store, maps.packing, self.work.sheet_sizes(), self.work.pixel_art())
        return stock, None if pinned is None else Stock(
            pinned.levels.store, pinned.packing, pinned.sizes, self.work.pixel_art()
        )

    def close(self) -> None:
        """End the thread; nothing is drawn any more."""
        self.drawing.close()

    # --- on the thread ----------------------------------------------------------------------------------------

    def _make_context(self) -> moderngl.Context:
        made = QOpenGLContext()
        made.setFormat(self._place.requestedFormat())
        if not made.create() or not made.makeCurrent(self._place):
            raise RuntimeError("the driver gives no OpenGL context")
        self._context = made
        return moderngl.create_context(require=330)

    def _end_context(self) -> None:
        if self._context is not None:
            self._context.doneCurrent()
            self._context = None

    def _tell(self, error: Exception) -> None:
        LOG.warning("no OpenGL 3.3: %s", error)
        self._end_context()
        self.failed.emit(NO_GL)
