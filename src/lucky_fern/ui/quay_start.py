"""Opening the quay from the command line, with a virtual screen where there is none."""

from __future__ import annotations

import argparse
import sys
import time

_LONGEST = 20.0  # seconds to wait for a picture of the window


def start(options: argparse.Namespace) -> int:
    """Show a folder's maps; with ``--shot`` save a picture and end."""
    for path, what in ((options.folder, "folder"), (options.model, "model")):
        if path is not None and not path.exists():
            print(f"lucky-fern: there is no {what} {path}; check the path", file=sys.stderr)
            return 2
    from lucky_fern.ui.start import ensure_screen

    screen = ensure_screen()
    try:
        return _show(options)
    finally:
        if screen is not None:
            screen.terminate()
            screen.wait()


def _show(options: argparse.Namespace) -> int:
    import shiboken6

    from lucky_fern.ui.quay_window import Quay
    from lucky_fern.ui.start import make_application

    app = make_application()
    quay = Quay(options.folder, options.model, options.normal_y == "-")
    quay.resize(1280, 800)
    quay.show()
    result = 0
    if quay.cargo is None:
        print(f"lucky-fern: {quay.said.text()}", file=sys.stderr)
        result = 2
    elif options.shot is None:
        result = int(app.exec())
    else:
        end = time.monotonic() + _LONGEST
        while not quay.verdict.text() and time.monotonic() < end:
            app.processEvents()
        if not quay.grab().save(str(options.shot)):
            print(f"lucky-fern: {options.shot} cannot be written; choose another place.", file=sys.stderr)
            result = 1
    quay.close()
    # Qt lets go of the screen before the screen goes away.
    for thing in (quay, app):
        shiboken6.delete(thing)
    return result
