"""Opening the quay from the command line, with a virtual screen where there is none."""

from __future__ import annotations

import argparse
import sys
import time


def start(options: argparse.Namespace) -> int:
    """Show a folder's maps; with ``--shot`` save a picture and end."""
    from lucky_fern.ui.start import ensure_screen, make_application

    if not options.folder.is_dir():
        print(
            f"lucky-fern: there is no folder {options.folder}; name the one that maps were exported to",
            file=sys.stderr,
        )
        return 2
    screen = ensure_screen()
    app = make_application()
    from lucky_fern.ui.quay_window import Quay

    quay = Quay(options.folder, options.model, options.normal_y == "-")
    quay.resize(1280, 800)
    quay.show()
    try:
        if options.shot is None:
            return int(app.exec())
        end = time.monotonic() + 2.0
        while time.monotonic() < end:
            app.processEvents()
        return 0 if quay.grab().save(str(options.shot)) else 1
    finally:
        quay.close()
        if screen is not None:
            screen.terminate()
