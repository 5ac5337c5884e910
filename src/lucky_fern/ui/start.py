"""Starting the program: a screen if there is none, the application, the window, a picture if asked for."""

from __future__ import annotations

import argparse
import gc
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

    from lucky_fern.ui.window import Window

_MADE = 2000  # milliseconds after which everything is there
_VIRTUAL = "1600x1000x24"


def ensure_screen() -> subprocess.Popen[bytes] | None:
    """Start a virtual screen if there is no display; the process to end afterwards."""
    if os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"):
        return None
    if os.environ.get("QT_QPA_PLATFORM", "xcb").split(":")[0] != "xcb":
        return None  # somebody knows a screen of another kind
    if shutil.which("Xvfb") is None:
        sys.exit("lucky-fern: there is no display, and no Xvfb to stand in. Run: sudo apt-get install -y xvfb")
    read, write = os.pipe()
    command = ["Xvfb", "-displayfd", str(write), "-screen", "0", _VIRTUAL, "-nolisten", "tcp"]
    screen = subprocess.Popen(command, pass_fds=(write,), stderr=subprocess.DEVNULL)
    os.close(write)
    with os.fdopen(read) as answer:
        number = answer.readline().strip()
    if not number:
        sys.exit("lucky-fern: there is no display, and Xvfb did not start.")
    os.environ["DISPLAY"] = f":{number}"
    os.environ.setdefault("QT_QPA_PLATFORM", "xcb")
    print(
        f"lucky-fern: no display is set; opened on a virtual screen of its own (Xvfb :{number}).",
        file=sys.stderr,
    )
    return screen


def make_application() -> QApplication:
    """The Qt application with the surface format that the views need."""
    from PySide6.QtCore import QCoreApplication, Qt, QTimer
    from PySide6.QtGui import QSurfaceFormat
    from PySide6.QtWidgets import QApplication

    from lucky_fern.ui.style import LIGHT, load_fonts, palette

    kind = QSurfaceFormat()
    kind.setVersion(3, 3)
    kind.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    kind.setDepthBufferSize(24)
    QSurfaceFormat.setDefaultFormat(kind)
    QCoreApplication.setAttribute(Qt.ApplicationAttribute.AA_ShareOpenGLContexts)
    # Nothing is thrown away while the window is made; looking for it would take a tenth of the time.
    gc.disable()
    application = QApplication(["lucky-fern"])
    QTimer.singleShot(_MADE, application, gc.enable)
    application.setStyle("Fusion")
    application.setPalette(palette(LIGHT))
    application.setApplicationName("Lucky Fern")
    load_fonts()
    return application


def start(options: argparse.Namespace) -> int:
    """Open the window for ``demo`` or ``open``; the exit code."""
    if os.environ.get("QT_QPA_PLATFORM", "").split(":")[0] in ("offscreen", "minimal", "vnc"):
        print(
            "lucky-fern: Qt's platform without OpenGL is chosen (QT_QPA_PLATFORM); the views need OpenGL. "
            "Unset it: without a display the program opens a virtual screen of its own.",
            file=sys.stderr,
        )
        return 1
    try:
        width, height = (int(number) for number in options.size.lower().split("x"))
    except ValueError:
        print(
            f"lucky-fern: --size takes WIDTHxHEIGHT, for example 1280x800, not {options.size}",
            file=sys.stderr,
        )
        return 2
    screen = ensure_screen()
    try:
        return _run(options, width, height)
    finally:
        if screen is not None:
            screen.terminate()
            screen.wait()


def _run(options: argparse.Namespace, width: int, height: int) -> int:
    application = make_application()
    import shiboken6
    from PySide6.QtCore import QTimer

    from lucky_fern.ui.desk import Desk
    from lucky_fern.ui.window import Window

    desk = Desk()
    window = Window(desk)
    window.resize(width, height)
    if options.station:
        desk.go_to(options.station)
    window.show()
    result = [0]

    def open_what_was_asked() -> None:
        which, path = getattr(options, "which", None), getattr(options, "file", None)
        if which is not None:
            desk.open_demo(which)
        elif path is not None:
            desk.open(path)
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
        if desk.studio is not None:
            desk.studio.saved = desk.studio.project
        window.close()
        application.quit()

    if options.shot:
        desk.errands.failed.connect(told)
    # The window shows first; what it is to show comes right after its first frame.
    QTimer.singleShot(0, open_what_was_asked)
    application.exec()
    desk.close()
    # Qt lets go of the screen before the screen goes away.
    for thing in (window, application):
        shiboken6.delete(thing)
    return result[0]


def settle(window: Window, seconds: float = 60.0) -> None:
    """Let the window work until everything is composited, thumbnails are there, and it is drawn."""
    from PySide6.QtWidgets import QApplication

    end = time.monotonic() + seconds
    quiet = 0
    while time.monotonic() < end and quiet < 12:
        QApplication.processEvents()
        thread = window.desk.compositing
        done = (thread is None or thread.settled.is_set()) and not window.desk.errands.busy
        moving = any(view.still_timer.isActive() for view in (window.model_view, window.sheet_view))
        quiet = quiet + 1 if done and not window.desk.pending and not moving else 0
        time.sleep(0.03)
    window.board.refresh_thumbnails()
    QApplication.processEvents()


def save_shot(window: Window, path: Path) -> bool:
    """A picture of the window as it is drawn now."""
    path.parent.mkdir(parents=True, exist_ok=True)
    for view in (window.model_view, window.sheet_view):
        view.draw_smooth_next()
    done: bool = window.grab().save(str(path))
    return done
