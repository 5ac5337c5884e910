"""Steps of a job about single texels: canvases of sheets, blocks and texels set exactly."""

from __future__ import annotations

from typing import Literal

import msgspec
import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.easel import bring_to_size
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.changing_steps import the_layer
from lucky_fern.core.jobs.sizes import Sizing, sized
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import PaintPixels, SetPixelArt, SetSheetSize
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import Studio, read_picture_file
from lucky_fern.core.texels.blocks import cleared, stamped, taken
from lucky_fern.core.texels.canvas import Anchor, reframe
from lucky_fern.core.texels.reworking import fewer, nearest_of, rework_all, shifted, swapped
from lucky_fern.core.texels.setting import Texel, one_texel, set_block, set_single, turned
from lucky_fern.words import tr

Box = tuple[int, int, int, int]  # left, upper, right, lower (not included)


class _Step(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    do: str


class SheetStep(_Step, frozen=True, kw_only=True):
    """``sheet``: another canvas of one sheet, or all of it resampled; whether its texels are meant to be seen."""

    of: str
    size: Sizing | None = None
    anchor: Anchor = "upper-left"
    how: Literal["grow", "resample"] = "grow"
    pixel_art: bool | None = None


class TexelsStep(_Step, frozen=True, kw_only=True):
    """``texels``: texels of a painted layer set exactly, from a picture or one by one; or those there made otherwise.

    First ``shift`` (to the right, down; round the edge), ``swap``, ``colours`` (how many, or which), ``clear`` of the
    ``box`` (left, upper, right, lower; left out: all of the sheet); then ``copy`` (a box of ``source``, else of the
    sheet) to ``at``, ``picture``, ``draw``.
    """

    layer: str
    sheet: str
    map: str = "colour"
    at: tuple[int, int] = (0, 0)
    picture: str | None = None
    flip: bool = False
    turn: int = 0
    draw: list[Texel] = []
    box: Box | None = None
    shift: tuple[int, int] | None = None
    swap: tuple[str, str] | None = None
    colours: int | list[str] | None = None
    clear: bool = False
    copy: Box | None = None
    source: str | None = None


def sheet_called(studio: Studio, name: str) -> SheetKey:
    """The sheet of that name (``MATERIAL:TILE``).

    Raises
    ------
    CommandError
        If there is none.
    """
    known = {str(key): key for key in studio.surface.keys}
    if name not in known:
        if not known:
            raise CommandError(tr("there is no sheet {name!r}: nothing has UVs yet; lay it out first", name=name))
        raise CommandError(tr("there is no sheet {name!r}; there are {known}", name=name, known=", ".join(known)))
    return known[name]


def do_sheet(here: Here, step: SheetStep) -> str:
    studio, key = here.studio, sheet_called(here.studio, step.of)
    if step.size is None and step.pixel_art is None:
        raise CommandError(tr("'sheet' takes a 'size' ([width, height] in texels), or 'pixel_art'"))
    if step.pixel_art is not None:
        studio.execute(SetPixelArt(step.of, step.pixel_art))
    if step.size is None:
        return step.of
    if step.how == "resample":
        studio.execute(SetSheetSize(sized(step.size), step.of))
        return step.of
    command, notes = reframe(studio, key, sized(step.size), step.anchor)
    studio.execute(command)
    studio.notes += [f"{step.of}: {note}" for note in notes]
    return step.of


def area_of(studio: Studio, key: SheetKey, box: Box | None) -> Bool:
    """(rows, columns) the texels of a box (left, upper, right, lower) of a sheet; all of it for None.

    Raises
    ------
    CommandError
        If the box is none, or does not lie on the sheet.
    """
    size = studio.project.size_of(key)
    left, upper, right, lower = box or (0, 0, size.width, size.height)
    if not (0 <= left < right <= size.width and 0 <= upper < lower <= size.height):
        raise CommandError(
            tr("a box runs from left and upper to right and lower, within the {size} texels of {sheet}", size=size,
               sheet=key)
        )  # fmt: skip
    area = np.zeros(size.shape, np.bool_)
    area[upper:lower, left:right] = True
    return area


def _rework(studio: Studio, layer: int, key: SheetKey, step: TexelsStep) -> None:
    """What is painted there shifted, swapped, brought to few colours, cleared."""
    area, maps = {key: area_of(studio, key, step.box)}, (step.map,)
    if step.shift is not None:
        columns, rows = step.shift
        _do(studio, rework_all(studio, layer, area, lambda texels, _: shifted(texels, columns, rows), True, maps))
    if step.swap is not None:
        one, other = (one_texel(value, step.map) for value in step.swap)
        _do(studio, rework_all(studio, layer, area, lambda texels, _: swapped(texels, one, other), maps=maps))
    if step.colours is not None:
        wanted = step.colours
        if MAPS[step.map].components != 3:
            raise CommandError(tr("{map} has no colours", map=step.map))
        if isinstance(wanted, int):
            edits = rework_all(studio, layer, area, lambda texels, _: fewer(texels, wanted), maps=maps)
        else:
            edits = rework_all(studio, layer, area, lambda texels, _: nearest_of(texels, wanted), maps=maps)
        _do(studio, edits)
    if step.clear:
        _do(studio, cleared(studio, layer, key, area[key]))


def _do(studio: Studio, edits: list[PaintPixels]) -> None:
    for edit in edits:
        studio.execute(edit)


def do_texels(here: Here, step: TexelsStep) -> str:
    studio, key, layer = here.studio, sheet_called(here.studio, step.sheet), the_layer(here.studio, step.layer)
    if step.map not in MAPS:
        raise CommandError(
            tr("there is no map called {map_name!r}; the maps are {MAPS}", map_name=step.map, MAPS=", ".join(MAPS))
        )
    if not (step.picture or step.draw or step.shift or step.swap or step.colours or step.clear or step.copy):
        raise CommandError(
            tr("'texels' takes a 'picture' to be set, single texels to 'draw', or 'shift', 'swap', 'colours', "
               "'clear' or 'copy'")
        )  # fmt: skip
    bring_to_size(studio, layer.id)
    _rework(studio, layer.id, key, step)
    if step.copy is not None:
        origin = key if step.source is None else sheet_called(studio, step.source)
        block = taken(studio, layer.id, origin, area_of(studio, origin, step.copy))
        if block is None:
            raise CommandError(tr("{layer} has nothing painted there that could be copied", layer=step.layer))
        block = block.flipped() if step.flip else block
        if step.turn % 90:
            raise CommandError(tr("blocks are turned by 0, 90, 180 or 270 degrees, not {turn}", turn=step.turn))
        _do(studio, stamped(studio, layer.id, key, step.at, block.turned(step.turn // 90), block.maps))
    if step.picture is not None:
        _, picture = read_picture_file(here.folder / step.picture)
        command = set_block(studio, layer.id, key, step.map, step.at, turned(picture.rgba, step.turn, step.flip))
        if command is not None:
            studio.execute(command)
    if step.draw:
        command = set_single(studio, layer.id, key, step.map, step.draw)
        if command is not None:
            studio.execute(command)
    return step.layer
