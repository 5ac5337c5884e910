"""Whether there is a place for an export: a folder that can be written to, and room on its disk."""

from __future__ import annotations

import os
import shutil
from collections.abc import Sequence
from pathlib import Path

from lucky_fern.core.errors import ExportError
from lucky_fern.core.exporting.plans import Plans, resized
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.words import tr

_LEAST = 0.05  # of what maps take unpacked; no livery packs better


def check_folder(folder: Path, names: Sequence[str] = ()) -> None:
    """Refuse a folder that cannot be written to, or names that are taken in it, before anything is touched.

    Raises
    ------
    ExportError
        With a sentence that names it.
    """
    first = next((part for part in (folder, *folder.parents) if os.path.exists(part)), folder)
    if not os.path.isdir(first):
        raise ExportError(tr("{first} is a file, not a folder; choose another place for the maps.", first=first))
    if not os.access(first, os.W_OK | os.X_OK):
        raise ExportError(
            tr("{first} cannot be written to; choose another folder, or have its rights changed.", first=first)
        )
    taken = next((folder / name for name in names if os.path.isdir(folder / name)), None)
    if taken is not None:
        raise ExportError(
            tr(
                "{taken} is a folder, and a file of that name is to be written; move it, or go elsewhere.",
                taken=taken,
            )
        )


def check_room(project: Project, setup: ExportSetup, plans: Plans, folder: Path) -> None:
    """Refuse a disk that is as good as full, before anything is touched.

    Raises
    ------
    ExportError
        With what is needed and what there is.
    """
    first = next((part for part in (folder, *folder.parents) if os.path.exists(part)), folder)
    raw = 0
    for plan in plans.files:
        if plan.file is not None and plan.sheet is not None:
            size = resized(project, setup, plan.file).size_of(plan.sheet)
            raw += size.texels * len(plan.file.channels) * setup.bits_of(plan.file) // 8
    free = shutil.disk_usage(first).free
    if free < raw * _LEAST:
        raise ExportError(
            tr(
                "{first} has {free:.0f} MB left, too little for maps of {raw:.0f} MB unpacked: make room, or "
                "choose another folder.",
                first=first,
                free=free / 1e6,
                raw=raw / 1e6,
            )
        )
