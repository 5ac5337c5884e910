"""The check of a project before it is exported: sentences about the composited maps, with what mends them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import U8, U16, Bool
from lucky_fern.core.checking.found import Found, Looked, Read
from lucky_fern.core.checking.project_checks import PROJECT_CHECKS
from lucky_fern.core.checking.sheet_checks import SHEET_CHECKS
from lucky_fern.core.compositing.compositor import Finished, composite_sheet, written_maps
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.sheets.grid import SheetKey


def maps_read(sources: Sources, project: Project, finished: Finished | None = None) -> Read:
    """Whole maps of a project with 8 bits, out of ``finished`` ones where they are there (see the exporter)."""

    def read(key: SheetKey, name: str) -> U8 | U16:
        sheet = sources.surface.sheet(key, project.size_of(key))
        return composite_sheet(sources, project, name, sheet, 8, finished=finished)

    return read


def check_result(
    sources: Sources, project: Project, read: Read, setups: tuple[ExportSetup, ...], stem: str,
    shared: Bool | None = None, budget: int | None = None, cancelled: Callable[[], bool] | None = None,
    finished: Finished | None = None,
) -> list[Found]:  # fmt: skip
    """Everything that is known, what is to worry about first.

    Parameters
    ----------
    read : a whole map of a sheet, (size, size, n) uint8 or uint16, padded.
    shared : (T,) bool, faces that share their texels with others.
    budget : bytes that all files together may have on disk; None for any. It takes as long as an export.
    finished : maps that are composited already, for that (see the exporter).
    """
    found: list[Found] = []
    surface = sources.surface
    shows: dict[str, bool] = {}
    for key in surface.keys:
        if cancelled is not None and cancelled():
            return []
        sheet = surface.sheet(key, project.size_of(key))
        maps = {name: read(key, name) for name in written_maps(sources, project, sheet)}
        for name, pixels in maps.items():
            shows[name] = shows.get(name, False) or _shows(pixels, name, sheet.covered)
        for check in SHEET_CHECKS if sheet.covered.any() else ():
            if maps.keys() >= set(check.needs):
                found += check.look(sheet, maps)
    looked = Looked(sources, project, setups, stem, shows, shared, budget, cancelled, finished)
    for look in PROJECT_CHECKS:
        found += look(looked)
    kept = list({one.sentence: one for one in found}.values())
    return sorted(kept, key=lambda one: not one.worry)


def _shows(pixels: U8 | U16, name: str, inside: Bool) -> bool:
    """Whether a map is anything but its starting value on some island."""
    start = np.floor(np.array(MAPS[name].start) * np.iinfo(pixels.dtype).max + 0.5)
    return bool((pixels[inside] != start).any()) or not inside.any()
