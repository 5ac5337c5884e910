"""Painted texels of a brushwork layer read and set exactly: no brush, no blending, nothing beside them touched."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lucky_fern.core.arrays import I64, Array, Bool
from lucky_fern.core.colour import from_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import PaintPixels
from lucky_fern.core.project.commands.painting import painted_on
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.painted import chunk_layout, decode_chunk, encode_chunk, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey, shape
from lucky_fern.core.sheets.region import Rect, chunks_in, gathered, rect_of
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

Texel = tuple[int, int, str | float | None]  # column, row, what it becomes (None: nothing is painted there any more)


def block_texels(rgba: Array, map_name: str) -> Array:
    """A picture (r, c, 4), straight, 8 or 16 bits, as painted texels of a map: its components, then the coverage.

    Scalar maps take its luminance as stored (Rec. 709 weights); a grey picture stays exactly what it is.
    """
    dtype, count = chunk_layout(map_name)
    deep = rgba.astype(np.uint32) * (257 if rgba.dtype == np.uint8 else 1)
    if count == 2:
        grey = deep[..., 0] == deep[..., 1]
        grey &= deep[..., 1] == deep[..., 2]
        weighed = np.rint(deep[..., :3] @ np.array([0.2126, 0.7152, 0.0722])).astype(np.uint32)
        deep = np.stack([np.where(grey, deep[..., 0], weighed), deep[..., 3]], axis=-1)
    if dtype == np.uint8 and rgba.dtype == np.uint8 and count == 4:
        return np.ascontiguousarray(rgba)
    return (deep if dtype == np.uint16 else (deep + 128) // 257).astype(dtype)


def turned(block: Array, turn: int, flip: bool) -> Array:
    """A block mirrored left to right, if that is asked for, then turned counter-clockwise by quarters.

    Raises
    ------
    CommandError
        If ``turn`` is no multiple of 90 degrees.
    """
    if turn % 90:
        raise CommandError(tr("blocks are turned by 0, 90, 180 or 270 degrees, not {turn}", turn=turn))
    return np.ascontiguousarray(np.rot90(block[:, ::-1] if flip else block, turn // 90 % 4))


def one_texel(value: str | float | None, map_name: str) -> Array:
    """(n,) a painted texel of a value as jobs write it.

    Raises
    ------
    CommandError
        If the map takes no such value.
    """
    dtype, count = chunk_layout(map_name)
    if value is None:
        return np.zeros(count, dtype)
    top = 65535 if dtype == np.uint16 else 255
    if MAPS[map_name].components == 3:
        if not isinstance(value, str):
            raise CommandError(tr("{map} takes colours like #cc3311, not {value}", map=map_name, value=value))
        parts = np.array(from_hex(value), np.float64)
    else:
        if isinstance(value, str) or not 0 <= value <= 1:
            raise CommandError(tr("{map} takes numbers from 0 to 1, not {value}", map=map_name, value=value))
        parts = np.array([value], np.float64)
    return np.append(np.rint(parts * top), top).astype(dtype)


def read_texels(studio: Studio, painted: PaintedSheet, map_name: str, rect: Rect) -> Array:
    """(r, c, n) a copy of what is painted on a rectangle, at the size that it was painted at."""
    dtype, count = chunk_layout(map_name)
    digests = painted.maps.get(map_name, {})

    def piece(chunk: Chunk) -> Array | None:
        digest = digests.get(place_name(chunk))
        if digest is None:
            return None
        rows, columns = shape(chunk, painted.size)
        return decode_chunk(studio.blobs[digest], map_name)[:rows, :columns]

    found = gathered(rect, painted.size, np.zeros(count, dtype), piece)
    return np.zeros((*rect.shape, count), dtype) if found is None else found.copy()


def put_texels(
    studio: Studio, layer_id: int, key: SheetKey, map_name: str, rect: Rect, texels: Array, where: Bool | None = None,
    begun: Project | None = None,
) -> PaintPixels | None:  # fmt: skip
    """The edit that sets texels (r, c, n) of a rectangle, all or where ``where`` (r, c) says; None if none changes.

    They are set on what was there as it was ``begun``; left out: as it is now.

    Raises
    ------
    CommandError
        If the layer cannot be painted on.
    """
    size = studio.project.size_of(key)
    nothing = PaintedSheet(size)
    now = painted_on(studio.project.layer(layer_id)).get(str(key), nothing)
    painted = now if begun is None else painted_on(begun.layer(layer_id)).get(str(key), nothing)
    chunks: dict[str, str] = {}
    dtype, count = chunk_layout(map_name)
    for chunk in chunks_in(rect):
        own = rect_of(chunk, size)
        whole = np.zeros((CHUNK, CHUNK, count), dtype)
        inner = whole[: own.shape[0], : own.shape[1]]
        inner[:] = read_texels(studio, painted, map_name, own)
        both = Rect(max(own.top, rect.top), min(own.bottom, rect.bottom), max(own.left, rect.left),
                    min(own.right, rect.right))  # fmt: skip
        into, new = inner[both.within(own)], texels[both.within(rect)]
        if where is None:
            into[:] = new
        else:
            some = where[both.within(rect)]
            into[some] = new[some]
        if not np.array_equal(inner, read_texels(studio, now, map_name, own)):
            chunks[place_name(chunk)] = studio.blobs.add(encode_chunk(whole)) if whole[..., -1].any() else ""
    return PaintPixels(layer_id, str(key), size, {map_name: chunks}) if chunks else None


def set_block(
    studio: Studio, layer_id: int, key: SheetKey, map_name: str, at: tuple[int, int], block: Array
) -> PaintPixels | None:
    """The edit that sets a block (r, c, 4) with its upper left texel at a column and row; clear ones are left out.

    Raises
    ------
    CommandError
        If it does not fit onto the sheet.
    """
    size, (column, row) = studio.project.size_of(key), at
    high, wide = block.shape[:2]
    if column < 0 or row < 0 or column + wide > size.width or row + high > size.height:
        raise CommandError(
            tr("a block of {wide} × {high} texels at {column}, {row} does not fit onto {sheet}, which has {size}",
               wide=wide, high=high, column=column, row=row, sheet=key, size=size)
        )  # fmt: skip
    rect = Rect(row, row + high, column, column + wide)
    return put_texels(studio, layer_id, key, map_name, rect, block_texels(block, map_name), block[..., 3] > 0)


def set_single(
    studio: Studio, layer_id: int, key: SheetKey, map_name: str, texels: Sequence[Texel]
) -> PaintPixels | None:
    """The edit that sets single texels; of several for one place the last one stays.

    Raises
    ------
    CommandError
        If one lies beside the sheet, or has a value that the map does not take.
    """
    size = studio.project.size_of(key)
    for column, row, _ in texels:
        if not (0 <= column < size.width and 0 <= row < size.height):
            raise CommandError(
                tr("there is no texel {column}, {row} on {sheet}, which has {size}", column=column, row=row,
                   sheet=key, size=size)
            )  # fmt: skip
    if not texels:
        return None
    places = np.array([(row, column) for column, row, _ in texels], np.int64)
    known = {value: one_texel(value, map_name) for value in {value for _, _, value in texels}}
    values = np.stack([known[value] for _, _, value in texels])
    return put_places(studio, layer_id, key, map_name, places, values)


def put_places(
    studio: Studio, layer_id: int, key: SheetKey, map_name: str, places: I64, values: Array,
    begun: Project | None = None,
) -> PaintPixels | None:  # fmt: skip
    """The edit that sets texels at places (N, 2) (row, column), all on the sheet, to painted texels (N, n), or (n,).

    Of several for one place the last one stays. ``begun``: see :func:`put_texels`.
    """
    (top, left), (bottom, right) = places.min(axis=0), places.max(axis=0) + 1
    rect = Rect(int(top), int(bottom), int(left), int(right))
    dtype, count = chunk_layout(map_name)
    texels, where = np.zeros((*rect.shape, count), dtype), np.zeros(rect.shape, np.bool_)
    at = tuple((places - [top, left]).T)
    texels[at], where[at] = values, True
    return put_texels(studio, layer_id, key, map_name, rect, texels, where, begun)
