"""What a check of a project finds: a sentence, and what mends it; and what checks are given to look at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from lucky_fern.core.arrays import U8, U16, Bool
from lucky_fern.core.compositing.compositor import Finished
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.project.commands import SetSheetSize, Several
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.words import tr

Kind = Literal["empty", "range", "normals", "padding", "rims", "twins", "size", "budget", "names", "glow", "licence"]
Mend = Literal["padding", "rims"]  # what a change of the export's set-up mends
Read = Callable[[SheetKey, str], U8 | U16]


@dataclass(frozen=True)
class Found:
    """One sentence. ``worry`` False is only good to know; ``command`` or ``mend`` is what a click does about it."""

    kind: Kind
    sentence: str
    worry: bool = True
    sheet: SheetKey | None = None
    map: str | None = None
    layer: int | None = None
    title: str = ""
    command: SetSheetSize | Several | None = None
    mend: Mend | None = None


@dataclass(frozen=True)
class Looked:
    """What checks of a whole project are given (see :func:`~.result.check_result`).

    ``shows`` says of each map that is written whether anything shows on it, on any sheet.
    """

    sources: Sources
    project: Project
    setups: tuple[ExportSetup, ...]
    stem: str
    shows: dict[str, bool]
    shared: Bool | None = None
    budget: int | None = None
    cancelled: Callable[[], bool] | None = None
    finished: Finished | None = None


def many(share: float) -> str:
    return f"{share:.0%}" if share >= 0.01 else tr("a little")


def told(count: int) -> str:
    """Bytes in words."""
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{max(count / 1e3, 0.1):.1f} kB"
