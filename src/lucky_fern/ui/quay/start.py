"""Opening the quay from the command line, with a virtual screen where there is none."""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lucky_fern.core.project.presets import Preset
    from lucky_fern.quay.delivery import Delivery

_LONGEST = 60.0  # seconds to wait for a picture of the window


def start(options: argparse.Namespace) -> int:
    """Show a folder's maps; with ``--shot`` save a picture and end."""
    from lucky_fern.core.errors import ExportError, LuckyFernError

    named = ((options.folder, "folder"), (options.model, "model"), (options.project, "project"),
             *((path, "preset") for path in options.preset))  # fmt: skip
    for path, what in named:
        if path is not None and not path.exists():
            print(f"lucky-fern: there is no {what} {path}; check the path", file=sys.stderr)
            return 2
    screen = None
    try:
        if options.notes:
            return _write_notes(options)
        from lucky_fern.ui.widgets.application import ensure_screen  # notes need no window

        screen = ensure_screen()
        return _show(options, _delivery(options))
    except ExportError as error:
        print(f"lucky-fern: {error}", file=sys.stderr)
        return 1
    except LuckyFernError as error:
        print(f"lucky-fern: {error}", file=sys.stderr)
        return 2
    finally:
        if screen is not None:
            screen.terminate()
            screen.wait()


def _write_notes(options: argparse.Namespace) -> int:
    """How each file must be read, as a text beside the maps."""
    from lucky_fern.core.files import write_whole
    from lucky_fern.quay.advice import NOTES, import_notes
    from lucky_fern.quay.cargo import open_cargo

    given = _delivery(options)
    with tempfile.TemporaryDirectory(prefix="fern-quay-") as place:
        model = given.model(Path(place)) if callable(given.model) else given.model
        cargo = open_cargo(given.folder, model, given.normal_down, given.presets, pixel_art=given.pixel_art)
    write_whole(options.folder / NOTES, import_notes(cargo, given.numbers).encode())
    print(f"wrote {options.folder / NOTES}")
    return 0


def _presets(options: argparse.Namespace) -> list[Preset]:
    from lucky_fern.core.errors import CommandError
    from lucky_fern.core.files import read_file
    from lucky_fern.core.project.presets import LARGEST_PRESET, preset_from_json

    return [preset_from_json(read_file(path, CommandError, LARGEST_PRESET), path.name) for path in options.preset]


def _delivery(options: argparse.Namespace) -> Delivery:
    """What is to be shown.

    Raises
    ------
    LuckyFernError
        If a preset or the project cannot be read.
    """
    from lucky_fern.core import taking
    from lucky_fern.core.exporting.model_files import write_model
    from lucky_fern.core.lighting import light_of
    from lucky_fern.core.studio import Studio
    from lucky_fern.quay.delivery import Delivery
    from lucky_fern.quay.numbers import numbers_beside

    presets = _presets(options)
    down = options.normal_y == "-"
    if options.project is None:
        return Delivery(options.folder, options.model, down, presets, numbers=numbers_beside(options.folder))
    studio = Studio.open(options.project)
    model = partial(write_model, studio.model, f"{options.project.stem}.obj")
    presets += [setup.own for setup in studio.project.exports if setup.own is not None]
    light = studio.project.light
    own = None if light is None else light.panorama
    return Delivery(options.folder, options.model or model, down, presets, studio.pixel_art,
                    lambda: (studio.surface, taking.written(studio)), light, None if own is None else
                    lambda: light_of(studio.blobs, own), studio.project.numbers)  # fmt: skip


def _show(options: argparse.Namespace, delivery: Delivery) -> int:
    import shiboken6

    from lucky_fern.ui.quay.window import Quay
    from lucky_fern.ui.widgets.application import make_application

    app = make_application()
    quay = Quay(delivery)
    quay.resize(1280, 800)
    quay.show()
    result = 0
    if options.shot is None:
        result = int(app.exec())
    else:
        end = time.monotonic() + _LONGEST
        while not quay.verdict.text() and not quay.failed and time.monotonic() < end:
            app.processEvents()
        if quay.failed:
            print(f"lucky-fern: {quay.said.text()}", file=sys.stderr)
            result = 2
        elif not quay.grab().save(str(options.shot)):
            print(f"lucky-fern: {options.shot} cannot be written; choose another place.", file=sys.stderr)
            result = 1
    quay.close()
    # Qt lets go of the screen before the screen goes away.
    for thing in (quay, app):
        shiboken6.delete(thing)
    return result
