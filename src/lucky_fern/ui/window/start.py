"""Starting the program: a screen if there is none, the application, the window, a picture if asked for."""

from __future__ import annotations

import argparse
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from lucky_fern.ui.widgets.application import ensure_screen, make_application

if TYPE_CHECKING:
    from lucky_fern.ui.window.main import Window

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
    from PySide6.QtCore import QTimer

    from lucky_fern.ui.window.main import Window
    from lucky_fern.ui.window.parts import Parts

    parts = Parts()
    window = Window(parts, remembered)
    parts.mishaps.listen()
    if size is None and options.shot:
        size = _PICTURE
    window.resize(*(size or remembered.size))
    if options.station:
        parts.looking.go_to(options.station)
    if remembered.whole_screen and size is None:
        window.showMaximized()
    else:
        window.show()
    result = [0]

    def open_what_was_asked() -> None:
        which, path = getattr(options, "which", None), getattr(options, "file", None)
        if which is not None:
            parts.work.open_demo(which)
        elif path is not None:
            parts.work.open(path)
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
        if parts.work.studio is not None:
            parts.work.studio.saved = parts.work.studio.project
        window.close()
        application.quit()

    if options.shot:
        parts.errands.failed.connect(told)
    else:
        QTimer.singleShot(0, parts.keeping.look_for_lost)
    # The window shows first; what it is to show comes right after its first frame.
    QTimer.singleShot(0, open_what_was_asked)
    application.exec()
    parts.close()
    if not options.shot:
        remember(remembered)
    # Qt lets go of the screen before the screen goes away.
    for thing in (window, application):
        shiboken6.delete(thing)
    return result[0]


def settle(window: Window, seconds: float = 60.0) -> bool:
    """Let the window work until everything is composited and drawn; whether it came to that."""
    done = window.rest.wait(seconds)
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
