"""A screen if there is none, and the Qt application with what the views need."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

_TURN = 0.0003  # seconds that a thread may keep the interpreter while the window waits for it
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


def make_application(look: str = "light", numbers: str = "point", text: int = 100) -> QApplication:
    """The Qt application with the surface format that the views need.

    ``look`` is light, dark or system; ``numbers`` are written with a point or a comma, or as the system has them;
    ``text`` is its size in percent, 0 as the system has it.
    """
    from PySide6.QtCore import QLocale, Qt
    from PySide6.QtGui import QSurfaceFormat
    from PySide6.QtWidgets import QApplication

    from lucky_fern.ui.widgets.style import choose, desktop_text, load_fonts, palette, tones
    from lucky_fern.ui.widgets.tidying import Tidying

    kind = QSurfaceFormat()
    kind.setVersion(3, 3)
    kind.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
    kind.setDepthBufferSize(24)
    QSurfaceFormat.setDefaultFormat(kind)
    # While the window is made nothing is looked for either: it would take a tenth of the time.
    application = QApplication(["lucky-fern"])
    sys.setswitchinterval(_TURN)
    Tidying(application)
    if numbers != "system":
        locale = QLocale(QLocale.Language.English if numbers == "point" else QLocale.Language.German)
        locale.setNumberOptions(QLocale.NumberOption.OmitGroupSeparator)
        QLocale.setDefault(locale)
    application.setStyle("Fusion")
    desktop = QApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark
    share = text / 100 if text else desktop_text(application.font().pointSizeF())
    choose(look == "dark" or (look == "system" and desktop), share)
    application.setPalette(palette(tones()))
    application.setApplicationName("Lucky Fern")
    load_fonts()
    return application
