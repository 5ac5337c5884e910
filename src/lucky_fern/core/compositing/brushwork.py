"""Painted pixels as chunks of a sheet, resampled where the sheet has another size than they were painted at."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import U16, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.kept import Kept
from lucky_fern.core.maps import MAPS
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.pictures.pyramid import Flavour, build_pyramid
from lucky_fern.core.placing.lay import draw_laid
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.painted import MASK, chunk_layout, decode_chunk, encode_chunk, place_name, place_of
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, shape
from lucky_fern.core.sheets.region import Rect, chunks_in, gathered, rect_of
from lucky_fern.core.sheets.sheet import Sheet

_MARGIN = 4  # texels of the painted sheet around what is resampled


def painted_chunks(painted: PaintedSheet, map_name: str, size: Extent) -> set[Chunk]:
    """The chunks of a sheet that painted pixels reach."""
    places = [place_of(name) for name in painted.maps.get(map_name, {})]
    if painted.size == size:
        return set(places)
    found: set[Chunk] = set()
    scales = size.height / painted.size.height, size.width / painted.size.width
    for place in places:
        low = [int((at * CHUNK * scale - 1) // CHUNK) for at, scale in zip(place, scales, strict=True)]
        high = [int(((at + 1) * CHUNK * scale + 1) // CHUNK) for at, scale in zip(place, scales, strict=True)]
        for row in range(max(low[0], 0), min(high[0], size.down - 1) + 1):
            for column in range(max(low[1], 0), min(high[1], size.across - 1) + 1):
                found.add(Chunk(row, column))
    return found


def changed_paint(old: dict[str, PaintedSheet], new: dict[str, PaintedSheet], sheet: Sheet, name: str) -> set[Chunk]:
    """The chunks whose painted pixels differ."""
    was, now = old.get(str(sheet.key)), new.get(str(sheet.key))
    if was == now:
        return set()
    if was is None or now is None or was.size != now.size:
        return {chunk for one in (was, now) if one is not None for chunk in painted_chunks(one, name, sheet.size)}
    first, second = was.maps.get(name, {}), now.maps.get(name, {})
    differing = {place: "" for place in {*first, *second} if first.get(place) != second.get(place)}
    return painted_chunks(PaintedSheet(now.size, {name: differing}), name, sheet.size)


def draw_painted(
    painted: PaintedSheet,
    map_name: str,
    size: Extent,
    chunk: Chunk,
    blobs: Blobs,
    kept: Kept,
    nearest: bool = False,
) -> U16 | None:
    """(r, c, 4) uint16 straight RGBA of a chunk; scalar maps in all three colours; None where nothing is painted.

    At another size than it was painted at it is resampled: smoothly, or ``nearest``.
    """

    def piece(place: Chunk) -> U16 | None:
        digest = painted.maps.get(map_name, {}).get(place_name(place))
        if digest is None:
            return None
        # Decoding costs about as much as blending; kept, the chunks of a large project would fill all room.
        whole = _rgba(decode_chunk(blobs[digest], map_name), map_name)
        rows, columns = shape(place, painted.size)
        return whole[:rows, :columns]

    nothing = np.zeros(4, np.uint16)
    if painted.size == size:
        return piece(chunk)
    own, across, down = rect_of(chunk, size), painted.size.width / size.width, painted.size.height / size.height
    wanted = Rect(
        int(own.top * down), int(np.ceil(own.bottom * down)), int(own.left * across), int(np.ceil(own.right * across))
    ).grown(_MARGIN + int(max(across, down)), painted.size)
    region = gathered(wanted, painted.size, nothing, piece)
    if region is None:
        return None
    flavour: Flavour = "colour" if map_name != MASK and MAPS[map_name].encoded else "data"
    rows, columns = wanted.shape
    affine = np.array([[across / columns, 0, -wanted.left / columns], [0, down / rows, -wanted.top / rows]])

    def resample() -> U16:
        pyramid = build_pyramid(Picture("painted", region, True), flavour)
        return draw_laid(affine, size, chunk, pyramid, nearest, flavour == "colour", repeat=False)

    touched = tuple(painted.maps.get(map_name, {}).get(place_name(place)) for place in chunks_in(wanted))
    key = ("resampled", touched, map_name, painted.size, size, chunk, nearest)
    return kept.get(key, resample, lambda made: made.nbytes)


def resized(painted: PaintedSheet, size: Extent, blobs: Blobs, kept: Kept, nearest: bool = False) -> PaintedSheet:
    """A painted sheet resampled to another size, its chunks among the contents."""
    maps: dict[str, dict[str, str]] = {}
    for name in painted.maps:
        dtype, count = chunk_layout(name)
        chunks: dict[str, str] = {}
        for chunk in painted_chunks(painted, name, size):
            rgba = draw_painted(painted, name, size, chunk, blobs, kept, nearest)
            if rgba is None or not rgba[..., 3].any():
                continue
            whole = np.zeros((CHUNK, CHUNK, 4), np.uint16)
            whole[: rgba.shape[0], : rgba.shape[1]] = rgba
            parts = whole[..., 3:] if count == 1 else whole[..., [0, 3]] if count == 2 else whole
            texels = parts if dtype == np.uint16 else (parts // 257).astype(np.uint8)
            chunks[place_name(chunk)] = blobs.add(encode_chunk(texels))
        if chunks:
            maps[name] = chunks
    return PaintedSheet(size, maps)


def _rgba(texels: Array, map_name: str) -> U16:
    """A stored chunk as (256, 256, 4) uint16: colours or the scalar thrice, then coverage."""
    out = np.empty((CHUNK, CHUNK, 4), np.uint16)
    _widened(texels, 257 if texels.itemsize == 1 else 1, out)
    return out


@kernel
def _widened(texels: Array, by: int, out: U16) -> None:
    count = texels.shape[2]
    for r in range(texels.shape[0]):
        for k in range(texels.shape[1]):
            for c in range(3):
                out[r, k, c] = 65535 if count == 1 else texels[r, k, min(c, count - 2)] * by
            out[r, k, 3] = texels[r, k, count - 1] * by
