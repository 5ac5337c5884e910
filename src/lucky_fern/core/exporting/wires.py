"""Which part of which written file gives what to a material, for descriptions of materials that name files."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from lucky_fern.core.maps import MAPS, directs
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.presets import MapFile
from lucky_fern.core.sheets.grid import SheetKey

_PARTS = ("r", "g", "b")
_FLOATS = ("exr",)  # formats that hold colours as light


@dataclass(frozen=True)
class Wire:
    """``part`` (rgb, r, g, b or a) of a file with so many ``components``.

    ``file`` holds ``<UDIM>`` in place of the tile where a material has several. ``encoded``: sRGB has to be undone;
    ``inverted``: 1 minus it is meant; ``down``: green of normals points down.
    """

    file: str
    part: str
    components: int
    encoded: bool = False
    inverted: bool = False
    down: bool = False


def wires(
    files: Iterable[tuple[str, MapFile, tuple[str, ...], SheetKey]], setup: ExportSetup
) -> dict[str, dict[str, Wire]]:
    """Material → what is given (a map; diffuse, specular) → its wire; the first file that has it.

    ``files`` are names, what they hold, the maps put in, and their sheets. What is levelled or is only a part of a
    colour is not to be had back by wires and left out; gloss comes as roughness, inverted.
    """
    every = list(files)
    tiles: dict[str, set[int]] = {}
    for _, _, _, key in every:
        tiles.setdefault(key.material, set()).add(key.tile)
    found: dict[str, dict[str, Wire]] = {}
    for name, file, maps, key in every:
        mine = found.setdefault(key.material, {})
        # One sheet speaks for all of its material's: their names differ in the tile only.
        before, tile, after = name.rpartition(str(key.tile))
        marked = f"{before}<UDIM>{after}" if tile and len(tiles[key.material]) > 1 else name
        own = setup.of(file)
        with_alpha = file.alpha is not None and file.alpha.of in maps and file.blend in (None, "straight")
        count = len(file.channels) + with_alpha
        encoded = file.encoded and setup.format_of(file) not in _FLOATS and not own.full
        for what, part, inverted in _parts(file):
            down = directs(what) and own.normal_y == "-"
            mine.setdefault(what, Wire(marked, part, count, encoded and part == "rgb", inverted, down))
        if with_alpha and file.alpha is not None and file.alpha.plain:
            mine.setdefault(file.alpha.of, Wire(marked, "a", count))
    return found


def _parts(file: MapFile) -> list[tuple[str, str, bool]]:
    """What a file's channels give: what, its part of the file, whether inverted."""
    first = file.channels[0].of if file.channels else ""
    if len(file.channels) == 3 and all(
        pick.of == first and pick.level and not pick.invert and pick.part == part
        for pick, part in zip(file.channels, _PARTS, strict=True)
    ):
        return [(first, "rgb", False)]
    found = []
    for at, pick in enumerate(file.channels):
        if pick.level and pick.part == "r" and pick.of in MAPS and MAPS[pick.of].single:
            found.append((pick.of, _PARTS[at], pick.invert))
        elif pick.level and pick.of == "gloss":
            found.append(("roughness", _PARTS[at], not pick.invert))
    return found
