"""Loans: a box of a sheet goes to another program as a file, and what was changed there comes back.

What comes back is held against what went out, texel by texel, so only what is other becomes paint, and what lay below
is never doubled, however often the file is saved.
"""

from __future__ import annotations

import dataclasses
import io
from collections.abc import Mapping
from pathlib import Path, PurePath
from typing import Any, cast

import cv2
import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F32, F64, U8, U16, Array, Bool
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.stack import composite_alone
from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.exporting.openraster import encode_layers
from lucky_fern.core.files import read_file
from lucky_fern.core.layout.guide import GuideLook, draw_guide
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.maps import LOOK, MAPS, raises
from lucky_fern.core.openraster_files import OVER, RasterLayer, layers_laid, layers_of, over_each_other, returned
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.preparing.run import encoded, prepared
from lucky_fern.core.project.commands import Lend, TakeBack
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.loans import Box, Loan
from lucky_fern.core.project.painted import chunk_layout, encode_chunk, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.preparations import PictureStep, Size
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey, all_chunks, span, to_texels
from lucky_fern.core.sheets.region import rect_of
from lucky_fern.core.studio import Studio
from lucky_fern.core.udim import corner_of
from lucky_fern.words import tr

KINDS = (".ora", ".png", ".tif", ".tiff")
_LAID = 1.5 / 255  # the same layers laid over each other twice
_ROUNDED = 4.0 / 255  # what layers laid over each other again may differ by from what was composited
_RESAMPLED = 3.0 / 255  # what a picture of another size may differ by without having been changed


def lend(
    studio: Studio, name: str, sheet: str, box: Box | None, maps: tuple[str, ...], file: str = "",
    feather: float = 0.0, apart: bool = False,
) -> Lend:  # fmt: skip
    """The edit that notes a loan: maps of a box of a sheet (all of it, if none is given) as they are now.

    ``feather`` texels along the border of what comes back it fades in; with ``apart``, layers that are added there
    come back as layers.

    Raises
    ------
    CommandError
        If there is no such sheet or map, or the box lies beyond.
    """
    key = _key(studio, sheet)
    size = studio.project.size_of(key)
    top = studio.project.layers[-1].id if studio.project.layers else None
    loan = Loan(
        sheet, size, box or (0, 0, size.width, size.height), dict.fromkeys(maps, ""), file, None, top, feather, apart
    )
    loan.check()
    before = studio.project.loans.get(name)
    lent = {one: studio.blobs.add(encoded(_texels(studio, key, one, loan.box))) for one in maps}
    loan = replace(loan, lent=lent)
    if before is not None and before.sheet == sheet:
        loan = replace(loan, layer=before.layer, added=before.added)
    if apart and LOOK in maps and PurePath(file).suffix.lower() == ".ora":
        went = layers_of(_file(studio, loan, LOOK, ".ora"), file)
        laid = None if went is None else over_each_other(went[0], *went[1], file)
        if went is not None and laid is not None:
            marks = tuple(mark for layer in went[0] for mark in layer.marks)
            shown, _ = difference(_lent(studio, loan, "colour"), laid, file, "colour")
            loan = replace(loan, sent=marks, laid=studio.blobs.add(encoded(shown)))
    return Lend(name, loan)


def boxed(studio: Studio, key: SheetKey, triangles: Bool, room: int = 4) -> Box:
    """The box round faces (T,) on a sheet, with ``room`` texels more on all sides.

    Raises
    ------
    CommandError
        If none of them lies there.
    """
    rows = studio.surface.placement.triangles[key]
    rows = rows[triangles[rows]]
    if not len(rows):
        raise CommandError(tr("nothing of that lies on {sheet}", sheet=str(key)))
    size, uv = studio.project.size_of(key), studio.model.uv[rows].reshape(-1, 2) - corner_of(key.tile)
    at = to_texels(uv, size)
    return size.box_round(at.min(axis=0) - room, at.max(axis=0) + room)


def boxed_layer(studio: Studio, layer: Layer, room: int = 4) -> tuple[SheetKey, Box]:
    """The sheet on which a layer shows most of its colour, and the box round that.

    Raises
    ------
    CommandError
        If it shows nowhere.
    """
    best: tuple[int, SheetKey, Box] | None = None
    for key in studio.surface.keys:
        shows = where_shown(studio, key, layer)
        rows, columns = np.nonzero(shows.any(axis=1))[0], np.nonzero(shows.any(axis=0))[0]
        count = int(shows.sum())
        if count and (best is None or count > best[0]):
            size = studio.project.size_of(key)
            box = size.box_round(np.array([columns[0], rows[0]]) - room, np.array([columns[-1], rows[-1]]) + 1 + room)
            best = count, key, box
    if best is None:
        raise CommandError(tr("'{name}' shows no colour on any sheet", name=layer.name))
    return best[1], best[2]


def where_shown(studio: Studio, key: SheetKey, layer: Layer) -> Bool:
    """(rows, columns) where a layer shows colour on the islands of a sheet."""
    size = studio.project.size_of(key)
    sheet = studio.surface.sheet(key, size)
    shows = np.zeros(size.shape, np.bool_)
    for chunk in all_chunks(size):
        alpha = composite_alone(studio.sources, studio.project, "colour", sheet, rect_of(chunk, size), layer)[1]
        shows[span(chunk, size)] = (alpha > 0) & sheet.covered[span(chunk, size)]
    return shows


def files_of(studio: Studio, loan: Loan, out: Path, guides: bool = False) -> dict[Path, bytes]:
    """The files of a loan: ``out``, or one for each map, named behind its stem, where there are several.

    With ``guides`` OpenRaster has the layout's wires and the islands as hidden layers on top.

    Raises
    ------
    CommandError
        If the file is to be of a kind that is not known.
    """
    suffix = out.suffix.lower()
    if suffix not in KINDS:
        raise CommandError(
            tr("a loan goes out as {kinds}, not {suffix!r}", kinds=", ".join(KINDS), suffix=out.suffix)
        )
    return {file_of(loan, out, name): _file(studio, loan, name, suffix, guides) for name in loan.lent}


def file_of(loan: Loan, out: Path, map_name: str) -> Path:
    """Where a map of a loan lies, if ``out`` names all of it."""
    return out if len(loan.lent) == 1 else out.with_name(f"{out.stem}_{map_name}{out.suffix}")


def _file(studio: Studio, loan: Loan, name: str, suffix: str, guides: bool = False) -> bytes:
    if suffix == ".png":
        return studio.blobs[loan.lent[name]]
    pixels = _lent(studio, loan, name)
    if suffix == ".ora":
        key = _key(studio, loan.sheet)
        sheet, hidden = studio.surface.sheet(key, loan.size), _guides(studio, key, loan) if guides else ()
        return encode_layers(studio.sources, studio.project, sheet, name, loan.box, hidden)
    import tifffile

    out = io.BytesIO()
    kind = "rgb" if pixels.shape[2] == 3 else "minisblack"
    planes = pixels if pixels.shape[2] == 3 else pixels[..., 0]
    tifffile.imwrite(out, planes, photometric=kind, compression="zlib", metadata=None, software="Lucky Fern")
    return out.getvalue()


def _guides(studio: Studio, key: SheetKey, loan: Loan) -> list[tuple[str, U8]]:
    """The layout's wires, and the islands in white, on a loan's box."""
    left, upper, right, lower = loan.box
    part = slice(upper, lower), slice(left, right)
    look = GuideLook(size=loan.size.longest, line=1.0, fill="none", numbers=False)
    islands = np.where(studio.surface.sheet(key, loan.size).covered, np.uint8(255), np.uint8(0))
    white = np.dstack([islands] * 3 + [np.full_like(islands, 255)])
    wires = draw_guide(studio.surface, key, look, loan.size)
    return [(tr("UV wires"), np.ascontiguousarray(wires[part])), (tr("Islands"), np.ascontiguousarray(white[part]))]


def take_back(studio: Studio, name: str, files: Mapping[str, tuple[str, bytes]], feather: float | None = None) -> (
    TakeBack
):  # fmt: skip
    """The edit that takes in what changed: ``files`` are map → file name and bytes as they came back.

    ``feather`` texels along the border of what changed it fades in (None: as it was lent).

    Raises
    ------
    CommandError, PictureError
        If there is no such loan, or a file is damaged or of other proportions.
    """
    loan = loan_of(studio, name)
    _key(studio, loan.sheet)
    feather = loan.feather if feather is None else feather
    found: dict[str, dict[str, str]] = {}
    added: dict[str, dict[str, PaintedSheet]] = {}
    for map_name, (file, data) in files.items():
        sent = _lent(studio, loan, map_name)
        parted = _parted(loan, data, file, sent.shape) if loan.apart and map_name == LOOK else None
        if parted is not None:  # what was added comes apart from what was changed
            below, own = parted
            values, changed = difference(_decoded(studio.blobs[loan.laid]), below, file, map_name, _LAID)
            for layer in own:
                chunks = _chunks(studio, loan, map_name, *_pixels_of(layer, loan.box))
                title, number = layer.name.strip() or tr("Layer"), 2
                while title in added:
                    title, number = f"{layer.name.strip()} {number}", number + 1
                added[title] = {loan.sheet: PaintedSheet(loan.size, {map_name: chunks})}
        else:
            values, changed = difference(sent, returned(data, file), file, map_name)
            laid = None if changed.any() else layers_laid(data, file)
            if laid is not None:  # a program that left the merged picture as it was
                values, changed = difference(sent, laid, file, map_name, _ROUNDED)
        if changed.any():
            found[map_name] = _chunks(studio, loan, map_name, values, _share(changed, feather))
    sheets = {loan.sheet: PaintedSheet(loan.size, found)} if found else {}
    return TakeBack(name, sheets, added)


def _parted(loan: Loan, data: bytes, file: str, shape: tuple[int, ...]) -> (
    tuple[Picture, list[RasterLayer]] | None
):  # fmt: skip
    """What an archive shows without the layers that were added on top of it there, and those; None without any.

    A layer was added if neither its name nor what it shows went out, and it lies over all that did.
    """
    found = layers_of(data, file)
    if found is None or not loan.sent or (found[1][1], found[1][0]) != shape[:2]:
        return None
    layers, (wide, high) = found
    sent, at = set(loan.sent), len(layers)
    while at > 0 and layers[at - 1].operator == OVER and not sent.intersection(layers[at - 1].marks):
        at -= 1
    below = over_each_other(layers[:at], wide, high, file)
    if at == len(layers) or at == 0 or below is None:
        return None
    return below, layers[at:]


def _pixels_of(layer: RasterLayer, box: Box) -> tuple[U8, F32]:
    """(rows, columns, 3) colours of a layer over a loan's box, and (rows, columns) how far they cover."""
    high, wide = box[3] - box[1], box[2] - box[0]
    alone = over_each_other([layer], wide, high, layer.name)
    assert alone is not None
    rgba = alone.rgba
    return np.asarray((rgba[..., :3].astype(np.uint32) + 128) // 257, np.uint8), (
        rgba[..., 3].astype(np.float32) / np.float32(65535)
    )


def loan_of(studio: Studio, name: str) -> Loan:
    """A loan by its name (CommandError, naming those that there are, if it is none)."""
    loan = studio.project.loans.get(name)
    if loan is None:
        known = ", ".join(studio.project.loans) or tr("none")
        raise CommandError(tr("nothing is lent as {name!r}; on loan are {known}", name=name, known=known))
    return loan


def read_back(loan: Loan, path: Path) -> dict[str, tuple[str, bytes]]:
    """The files of a loan as they are on disk now, map → name and bytes; of several maps those that are there.

    Raises
    ------
    PictureError
        If none is there, or one cannot be read.
    """
    places = {name: file_of(loan, path, name) for name in loan.lent}
    there = {name: place for name, place in places.items() if len(places) == 1 or place.is_file()}
    if not there:
        raise PictureError(tr("{name} is not there; save it again in the other program.", name=path.name))
    return {name: (place.name, read_file(place, PictureError, MOST_FILE)) for name, place in there.items()}


# --- what went out ----------------------------------------------------------------------------------------------


def _key(studio: Studio, sheet: str) -> SheetKey:
    for key in studio.surface.keys:
        if str(key) == sheet:
            return key
    known = ", ".join(str(key) for key in studio.surface.keys)
    raise CommandError(tr("there is no sheet {sheet!r}; there are {known}", sheet=sheet, known=known))


def _texels(studio: Studio, key: SheetKey, name: str, box: Box) -> U8 | U16:
    """(rows, columns, n) a box of a map as it is composited now, at the depth that is painted in."""
    left, upper, right, lower = box
    bits = 16 if MAPS[name].wide else 8
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    whole: Any = composite_sheet(studio.sources, studio.project, name, sheet, bits)
    made = np.ascontiguousarray(whole.reshape(*sheet.size.shape, -1)[upper:lower, left:right])
    return cast("U8 | U16", made)


def _lent(studio: Studio, loan: Loan, name: str) -> U8 | U16:
    """(rows, columns, n) what went out."""
    if name not in loan.lent:
        raise CommandError(tr("{name!r} was not lent; lent are {known}", name=name, known=", ".join(loan.lent)))
    return _decoded(studio.blobs[loan.lent[name]])


def _decoded(data: bytes) -> U8 | U16:
    """(rows, columns, n) a PNG of ours."""
    found: Any = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    return cast("U8 | U16", found[..., ::-1] if found.ndim == 3 else found[..., None])


# --- what came back ---------------------------------------------------------------------------------------------


def difference(sent: U8 | U16, back: Picture, file: str, map_name: str, least: float = 0.0) -> tuple[U8 | U16, Bool]:
    """What came back at the size and depth of what went out, and where it is other than that.

    A height that came back at another level is brought back to it: the median of what did not change. What came back
    clear shows what went out. What differs by no more than ``least`` counts as the same.

    Raises
    ------
    PictureError
        If it has other proportions.
    """
    rows, columns, count = sent.shape
    resized = (back.height, back.width) != (rows, columns)
    if resized:
        if abs(back.width * rows - back.height * columns) > max(back.width, back.height, rows, columns):
            raise PictureError(
                tr("{name} has {wide} × {high} pixels; lent were {columns} × {rows}, of other proportions. Bring it "
                   "to those in the other program.", name=file, wide=back.width, high=back.height, columns=columns,
                   rows=rows)
            )  # fmt: skip
        state = prepared(_as_of(back, map_name), (PictureStep(Size((columns, rows))),))
        rgba = state.rgba
    else:
        rgba = back.rgba
    own, other = float(np.iinfo(sent.dtype).max), float(np.iinfo(rgba.dtype).max)
    before = sent.astype(np.float64) / own
    colours = rgba[..., :3] if count == 3 else rgba[..., :1]
    alpha = rgba[..., 3:] / other
    after = colours / other * alpha + before * (1 - alpha)
    step = max(least, _RESAMPLED if resized else 0.5 / own if own == other else 0.75 / min(own, other))
    if raises(map_name):
        after = after - _off_level(after - before, max(step, 1.0 / min(own, other)))
    changed = np.abs(after - before).max(axis=2) > step
    values: Any = np.rint(np.clip(after, 0, 1) * own).astype(sent.dtype)
    return values, np.asarray(changed)


def _as_of(picture: Picture, map_name: str) -> Picture:
    """As it is to be filtered: colours as light."""
    taken: Taken = "colour" if MAPS[map_name].encoded else "data"
    return dataclasses.replace(picture, taken=taken)


def _off_level(off: F64, near: float) -> float:
    """How far all of a height was moved: the median of what lies near the median of all."""
    middle = float(np.median(off))
    same = off[np.abs(off - middle) <= near]
    level = float(np.median(same)) if same.size else middle
    return level if np.mean(np.abs(off - level) <= near) >= 0.1 else 0.0


def _share(changed: Bool, feather: float) -> F32:
    """How much of what changed shows: all of it, or fading in along its border."""
    if feather <= 0:
        return changed.astype(np.float32)
    inside = np.pad(changed, 1).astype(np.uint8)
    distance = cv2.distanceTransform(inside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1]
    return np.asarray(np.clip(distance / np.float32(feather + 1), 0, 1), np.float32)


def _chunks(studio: Studio, loan: Loan, map_name: str, values: Array, share: F32) -> dict[str, str]:
    """Painted chunks of what changed, by their places."""
    kind, count = chunk_layout(map_name)
    left, upper, right, lower = loan.box
    found = {}
    for row in range(upper // CHUNK, (lower - 1) // CHUNK + 1):
        for column in range(left // CHUNK, (right - 1) // CHUNK + 1):
            y0, x0 = max(upper, row * CHUNK), max(left, column * CHUNK)
            y1, x1 = min(lower, (row + 1) * CHUNK), min(right, (column + 1) * CHUNK)
            mine = (slice(y0 - upper, y1 - upper), slice(x0 - left, x1 - left))
            if not share[mine].any():
                continue
            texels: Array = np.zeros((CHUNK, CHUNK, count), kind)
            there = texels[y0 - row * CHUNK : y1 - row * CHUNK, x0 - column * CHUNK : x1 - column * CHUNK]
            there[..., :-1] = np.where(share[mine][..., None] > 0, values[mine], 0)
            there[..., -1] = np.rint(share[mine] * np.iinfo(texels.dtype).max)
            found[place_name(Chunk(row, column))] = studio.blobs.add(encode_chunk(texels))
    return found
