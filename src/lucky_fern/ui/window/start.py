"""Starting the program: a screen if there is none, the application, the window, a picture if asked for."""

from __future__ import annotations

import argparse
import os
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

from lucky_fern.ui.widgets.application import ensure_screen, make_application

if TYPE_CHECKING:
    from lucky_fern.ui.window.main import Window

_UNSEEN = 1000  # milliseconds after which the window is furnished though nobody saw it yet
_PICTURE = 1280, 800  # pixels of the window for a picture, if nobody says


def start(options: argparse.Namespace) -> int:
    """Open the window for ``demo`` or ``open``; the exit code."""
    if os.environ.get("QT_QPA_PLATFORM", "").split(":")[0] in ("offscreen", "minimal", "vnc"):
        print(
            "lucky-fern: Qt's platform without OpenGL is chosen (QT_QPA_PLATFORM); the views need OpenGL. "
            "Unset it: without a display the program opens a virtual screen of its own.",
            file=sys.stderr,
        )
        return 1
    size: tuple[int, int] | None = None
    if options.size is not None:
        try:
            width, height = (int(number) for number in options.size.lower().split("x"))
        except ValueError:
            print(
                f"lucky-fern: --size takes WIDTHxHEIGHT, for example 1280x800, not {options.size}",
                file=sys.stderr,
            )
            return 2
        size = width, height
    screen = ensure_screen()
    try:
        return _run(options, size)
    finally:
        if screen is not None:
            screen.terminate()
            screen.wait()


def _run(options: argparse.Namespace, size: tuple[int, int] | None) -> int:
    from lucky_fern.ui.window.remembered import recall, remember

    remembered = recall()
    application = make_application(remembered.look, remembered.numbers, remembered.text)
    import shiboken6
    from PySide6.QtCore import Qt, QTimer

    from lucky_fern.ui.window.main import Window

    window = Window(remembered=remembered)
    if size is None and options.shot:
        size = _PICTURE
    window.resize(*(size or remembered.size))
    # The window shows first; what stands in it, and what it is to show, come right after.
    once = Qt.ConnectionType(Qt.ConnectionType.QueuedConnection.value | Qt.ConnectionType.SingleShotConnection.value)
    window.start_page.painted.connect(lambda: furnish(), once)
    QTimer.singleShot(_UNSEEN, window, lambda: furnish())
    if remembered.whole_screen and size is None:
        window.showMaximized()
    else:
        window.show()
    result = [0]

    def furnish() -> None:
        if window.furnished:
            return
        from lucky_fern.ui.window.parts import Parts

        parts = Parts()
        window.furnish(parts)
        parts.mishaps.listen()
        if options.station:
            parts.looking.go_to(options.station)
        if options.shot:
            parts.errands.failed.connect(told)
        else:
            QTimer.singleShot(0, window, parts.keeping.look_for_lost)
        QTimer.singleShot(0, window, open_what_was_asked)

    def open_what_was_asked() -> None:
        which, path = getattr(options, "which", None), getattr(options, "file", None)
        if which is not None:
            window.parts.work.open_demo(which)
        elif path is not None:
            window.parts.work.open(path)
        if options.shot:
            QTimer.singleShot(0, take_shot)

    def told(sentence: str) -> None:
        print(f"lucky-fern: {sentence}", file=sys.stderr)
        result[0] = 1

    def take_shot() -> None:
        settle(window)
        if not save_shot(window, options.shot):
            print(f"lucky-fern: {options.shot} cannot be written; choose another place.", file=sys.stderr)
            result[0] = 1
        studio = window.parts.work.studio
        if studio is not None:
            studio.saved = studio.project
        window.close()
        application.quit()

    application.exec()
    if window.furnished:
        window.parts.close()
    if not options.shot:
        remember(remembered)
    # Qt lets go of the screen before the screen goes away.
    for thing in (window, application):
        shiboken6.delete(thing)
    return result[0]


def settle(window: Window, seconds: float = 60.0) -> bool:
    """Let the window work until everything is composited and drawn; whether it came to that."""
    from PySide6.QtWidgets import QApplication

    done = window.rest.wait(seconds)
    end = time.monotonic() + seconds
    while window.tray.drawing and time.monotonic() < end:  # a picture of the window has them
        QApplication.processEvents()
        time.sleep(0.01)
    window.board.refresh_thumbnails()
    return done


def save_shot(window: Window, path: Path) -> bool:
    """A picture of the window as it is drawn now."""
    path.parent.mkdir(parents=True, exist_ok=True)
    for view in (window.model_view, window.sheet_view):
        view.draw_smooth_next()
    window.rest.wait(20)
    done: bool = window.grab().save(str(path))
    return done
