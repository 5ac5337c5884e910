"""What the quay is handed: where exported files lie, and what is known about them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from lucky_fern.core.arrays import F32, U8
from lucky_fern.core.project.light import Light, Numbers
from lucky_fern.core.project.presets import Preset
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.surface import Surface

Scene = tuple[Surface, dict[SheetKey, dict[str, U8]]]


@dataclass(frozen=True)
class Delivery:
    """Where the files lie, and what is known about them.

    ``model`` is its file, or writes it into a folder it is given and names it; None: the first one among the maps.
    ``presets`` are ones of one's own that gave the files their names, ``pixel_art`` sheets whose texels are meant
    to be seen. ``painted`` answers, beside the window, with the program's own surface and maps; without it the left
    side is what the files hold, rightly read. ``light`` is the project's, ``panorama`` reads its own surroundings;
    ``numbers`` are those of its materials for older games, ``keep`` puts others into the project.
    """

    folder: Path
    model: Path | Callable[[Path], Path] | None = None
    normal_down: bool = False
    presets: Sequence[Preset] = ()
    pixel_art: frozenset[SheetKey] = frozenset()
    painted: Callable[[], Scene] | None = None
    light: Light | None = None
    panorama: Callable[[], F32] | None = None
    numbers: Mapping[str, Numbers] = field(default_factory=dict)
    keep: Callable[[str, Numbers], object] | None = None
