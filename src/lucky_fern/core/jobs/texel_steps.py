"""Steps of a job about single texels: canvases of sheets, blocks and texels set exactly."""

from __future__ import annotations

from typing import Literal

import msgspec

from lucky_fern.core.easel import bring_to_size
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.changing_steps import the_layer
from lucky_fern.core.jobs.sizes import Sizing, sized
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import SetPixelArt, SetSheetSize
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import Studio, read_picture_file
from lucky_fern.core.texels.canvas import Anchor, reframe
from lucky_fern.core.texels.setting import Texel, set_block, set_single, turned
from lucky_fern.words import tr


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
    """``texels``: texels of a painted layer set exactly, from a picture or one by one."""

    layer: str
    sheet: str
    map: str = "colour"
    at: tuple[int, int] = (0, 0)
    picture: str | None = None
    flip: bool = False
    turn: int = 0
    draw: list[Texel] = []


def sheet_called(studio: Studio, name: str) -> SheetKey:
    """The sheet of that name (``MATERIAL:TILE``).

    Raises
    ------
    CommandError
        If there is none.
    """
    known = {str(key): key for key in studio.surface.keys}
    if name not in known:
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


def do_texels(here: Here, step: TexelsStep) -> str:
    studio, key, layer = here.studio, sheet_called(here.studio, step.sheet), the_layer(here.studio, step.layer)
    if step.map not in MAPS:
        raise CommandError(
            tr("there is no map called {map_name!r}; the maps are {MAPS}", map_name=step.map, MAPS=", ".join(MAPS))
        )
    if step.picture is None and not step.draw:
        raise CommandError(tr("'texels' takes a 'picture' to be set, or single texels to 'draw'"))
    bring_to_size(studio, layer.id)
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
