"""Loans: a box of a sheet goes to another program as a file, and what was changed there comes back.

What comes back is held against what went out, texel by texel, so only what is other becomes paint, and what lay below
is never doubled, however often the file is saved.
"""

from __future__ import annotations

import dataclasses
import io
import zipfile
from collections.abc import Mapping
from pathlib import Path, PurePath
from typing import Any, cast
from xml.etree import ElementTree

import cv2
import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F32, F64, U8, U16, Array, Bool
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.exporting.openraster import encode_layers
from lucky_fern.core.files import read_file
from lucky_fern.core.limits import MOST_FILE, MOST_PIXELS, MOST_SMALL_FILE, unpacked_too_large
from lucky_fern.core.maps import MAPS
from lucky_fern.core.markup import check_markup
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.core.preparing.run import encoded, prepared
from lucky_fern.core.project.commands import Lend, TakeBack
from lucky_fern.core.project.loans import Box, Loan
from lucky_fern.core.project.painted import chunk_layout, encode_chunk, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.preparations import PictureStep, Size
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

KINDS = (".ora", ".png", ".tif", ".tiff")
_DEEPEST = 100  # stacks in stacks
_ROUNDED = 4.0 / 255  # what layers laid over each other again may differ by from what was composited
_RESAMPLED = 3.0 / 255  # what a picture of another size may differ by without having been changed


def lend(studio: Studio, name: str, sheet: str, box: Box | None, maps: tuple[str, ...], file: str = "") -> Lend:
    """The edit that notes a loan: maps of a box of a sheet (all of it, if none is given) as they are now.

    Raises
    ------
    CommandError
        If there is no such sheet or map, or the box lies beyond.
    """
    key = _key(studio, sheet)
    size = studio.project.size_of(key)
    top = studio.project.layers[-1].id if studio.project.layers else None
    loan = Loan(sheet, size, box or (0, 0, size, size), dict.fromkeys(maps, ""), file, None, top)
    loan.check()
    before = studio.project.loans.get(name)
    lent = {one: studio.blobs.add(encoded(_texels(studio, key, one, loan.box))) for one in maps}
    layer = before.layer if before is not None and before.sheet == sheet else None
    return Lend(name, replace(loan, lent=lent, layer=layer))


def files_of(studio: Studio, loan: Loan, out: Path) -> dict[Path, bytes]:
    """The files of a loan: ``out``, or one for each map, named behind its stem, where there are several.

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
    return {file_of(loan, out, name): _file(studio, loan, name, suffix) for name in loan.lent}


def file_of(loan: Loan, out: Path, map_name: str) -> Path:
    """Where a map of a loan lies, if ``out`` names all of it."""
    return out if len(loan.lent) == 1 else out.with_name(f"{out.stem}_{map_name}{out.suffix}")


def _file(studio: Studio, loan: Loan, name: str, suffix: str) -> bytes:
    if suffix == ".png":
        return studio.blobs[loan.lent[name]]
    pixels = _lent(studio, loan, name)
    if suffix == ".ora":
        key = _key(studio, loan.sheet)
        return encode_layers(studio.sources, studio.project, studio.surface.sheet(key, loan.size), name, loan.box)
    import tifffile

    out = io.BytesIO()
    kind = "rgb" if pixels.shape[2] == 3 else "minisblack"
    planes = pixels if pixels.shape[2] == 3 else pixels[..., 0]
    tifffile.imwrite(out, planes, photometric=kind, compression="zlib", metadata=None, software="Lucky Fern")
    return out.getvalue()


def take_back(studio: Studio, name: str, files: Mapping[str, tuple[str, bytes]], feather: float = 0.0) -> TakeBack:
    """The edit that takes in what changed: ``files`` are map → file name and bytes as they came back.

    ``feather`` texels along the border of what changed it fades in.

    Raises
    ------
    CommandError, PictureError
        If there is no such loan, or a file is damaged or of other proportions.
    """
    loan = loan_of(studio, name)
    _key(studio, loan.sheet)
    found: dict[str, dict[str, str]] = {}
    for map_name, (file, data) in files.items():
        sent = _lent(studio, loan, map_name)
        values, changed = difference(sent, returned(data, file), file, map_name)
        laid = None if changed.any() else layers_laid(data, file)
        if laid is not None:  # a program that left the merged picture as it was
            values, changed = difference(sent, laid, file, map_name, _ROUNDED)
        if changed.any():
            found[map_name] = _chunks(studio, loan, map_name, values, _share(changed, feather))
    sheets = {loan.sheet: PaintedSheet(loan.size, found)} if found else {}
    return TakeBack(name, sheets)


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
    made = np.ascontiguousarray(whole.reshape(sheet.size, sheet.size, -1)[upper:lower, left:right])
    return cast("U8 | U16", made)


def _lent(studio: Studio, loan: Loan, name: str) -> U8 | U16:
    """(rows, columns, n) what went out."""
    if name not in loan.lent:
        raise CommandError(tr("{name!r} was not lent; lent are {known}", name=name, known=", ".join(loan.lent)))
    found: Any = cv2.imdecode(np.frombuffer(studio.blobs[loan.lent[name]], np.uint8), cv2.IMREAD_UNCHANGED)
    return cast("U8 | U16", found[..., ::-1] if found.ndim == 3 else found[..., None])


# --- what came back ---------------------------------------------------------------------------------------------


def returned(data: bytes, file: str) -> Picture:
    """A file that came back, its numbers as stored.

    Raises
    ------
    PictureError
        If it is damaged, half written, or none.
    """
    if PurePath(file).suffix.lower() != ".ora" and not data.startswith(b"PK"):
        return read_picture(data, file, "data")
    broken = tr("{name} cannot be read; it may be half written: save it again in the other program.", name=file)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return _merged(archive, file)
    except PictureError:
        raise
    except (zipfile.BadZipFile, KeyError, ValueError, OSError, ElementTree.ParseError, NotImplementedError) as error:
        raise PictureError(broken) from error


def layers_laid(data: bytes, file: str) -> Picture | None:
    """The layers of an OpenRaster archive laid over each other; None for other files, and where they are blended
    otherwise.
    """
    if not data.startswith(b"PK"):
        return None
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return _laid(archive, file) if "stack.xml" in archive.namelist() else None


def _member(archive: zipfile.ZipFile, name: str, most: int, file: str) -> bytes:
    info = archive.getinfo(name)
    if info.file_size > most or unpacked_too_large(info.compress_size, info.file_size):
        raise PictureError(tr("{name} would unpack to {size:.0f} MB; save it again, smaller.", name=file,
                              size=info.file_size / 1e6))  # fmt: skip
    return archive.read(info)


def _merged(archive: zipfile.ZipFile, file: str) -> Picture:
    """What an OpenRaster archive shows: its merged picture, which the specification asks of every program, else its
    layers.
    """
    if "mergedimage.png" in archive.namelist():
        return read_picture(_member(archive, "mergedimage.png", MOST_FILE, file), f"{file} (mergedimage.png)", "data")
    found = _laid(archive, file)
    if found is None:
        raise PictureError(tr("{name} has no merged picture; save it again as OpenRaster or PNG.", name=file))
    return found


def _laid(archive: zipfile.ZipFile, file: str) -> Picture | None:
    text = _member(archive, "stack.xml", MOST_SMALL_FILE, file)
    check_markup(text, _DEEPEST)
    root = ElementTree.fromstring(text)
    wide, high = int(root.get("w", "0")), int(root.get("h", "0"))
    if not (0 < wide * high <= MOST_PIXELS):
        raise PictureError(tr("{name} is said to have {wide} × {high} pixels; save it again.", name=file, wide=wide,
                              high=high))  # fmt: skip
    whole = np.zeros((high, wide, 4), np.float64)
    for layer in reversed(list(root.iter("layer"))):
        if layer.get("visibility", "visible") != "visible":
            continue
        if layer.get("composite-op", "svg:src-over") != "svg:src-over":
            return None
        name = layer.get("src", "")
        picture = read_picture(_member(archive, name, MOST_FILE, file), name, "data")
        _lay(whole, picture, int(layer.get("x", "0")), int(layer.get("y", "0")), float(layer.get("opacity", "1")))
    alpha = whole[..., 3:]
    whole[..., :3] = np.divide(whole[..., :3], alpha, out=np.zeros_like(whole[..., :3]), where=alpha > 0)
    return Picture(file, np.rint(whole * 65535).astype(np.uint16), True, taken="data")


def _lay(whole: F64, picture: Picture, x: int, y: int, opacity: float) -> None:
    """A picture over what is there, premultiplied, in place."""
    rows, columns = picture.rgba.shape[:2]
    top, left, bottom, right = max(y, 0), max(x, 0), min(y + rows, whole.shape[0]), min(x + columns, whole.shape[1])
    if top >= bottom or left >= right:
        return
    part = picture.rgba[top - y : bottom - y, left - x : right - x] / float(np.iinfo(picture.rgba.dtype).max)
    alpha = part[..., 3:] * opacity
    under = whole[top:bottom, left:right]
    under *= 1 - alpha
    under[..., :3] += part[..., :3] * alpha
    under[..., 3:] += alpha


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
    if map_name == "height":
        after = after - _off_level(after - before, max(step, 1.0 / min(own, other)))
    changed = np.abs(after - before).max(axis=2) > step
    values: Any = np.rint(np.clip(after, 0, 1) * own).astype(sent.dtype)
    return values, np.asarray(changed)


def _as_of(picture: Picture, map_name: str) -> Picture:
    """As it is to be filtered: colours as light."""
    taken: Taken = "colour" if MAPS[map_name].kind == "colour" else "data"
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
