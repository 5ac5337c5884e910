"""Filling at once: faces, outlines drawn on a sheet, texels of one colour; evenly, or as a gradient."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, Array, Bool
from lucky_fern.core.painting.stroke import Place
from lucky_fern.core.parallel import for_each
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey, shape, span, to_texels
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of

Owners = Callable[[Sheet, Chunk], I32]
SizeOf = Callable[[SheetKey], Extent]
_FINER = 8  # parts of a texel, for the edges of outlines


def fill_faces(surface: Surface, size_of: SizeOf, owners: Owners, chosen: Bool) -> dict[Place, F32]:
    """Coverage of all texels of chosen faces ((T,) bool)."""
    found: dict[Place, F32] = {}
    for key in surface.keys:
        sheet = surface.sheet(key, size_of(key))
        mine = chosen[sheet.triangle]
        for chunk in sheet.chunks_of(mine) if mine.any() else ():
            owner = owners(sheet, chunk)
            inside = (owner >= 0) & (sheet.owners(chunk, mine) >= 0)  # those that they share with others, too
            if inside.any():
                found[Place(key, chunk)] = inside.astype(np.float32)
    return found


def fill_outline(surface: Surface, key: SheetKey, size: Extent, owners: Owners, outline: F64) -> dict[Place, F32]:
    """Coverage of the texels of a sheet inside an outline (N, 2) in its UV space (0…1, v up), soft by one texel."""
    sheet = surface.sheet(key, size)
    points = to_texels(outline, size)
    found: dict[Place, F32] = {}
    for chunk in sheet.chunks_of(np.ones(len(sheet.triangle), np.bool_)):
        rows, columns = span(chunk, size)
        fine = np.zeros(tuple(_FINER * n for n in shape(chunk, size)), np.uint8)
        # The parts' middles lie at whole numbers there.
        moved = np.rint(((points - [columns.start, rows.start]) * _FINER - 0.5) * 16).astype(np.int64)
        cv2.fillPoly(fine, [np.clip(moved, -(2**30), 2**30).astype(np.int32)], 255, cv2.LINE_8, 4)
        if not fine.any():
            continue
        tall, wide = shape(chunk, size)
        covered = fine.reshape(tall, _FINER, wide, _FINER).mean(axis=(1, 3), dtype=np.float32) / np.float32(255)
        covered[owners(sheet, chunk) < 0] = 0
        if covered.any():
            found[Place(key, chunk)] = covered
    return found


def fill_alike(
    surface: Surface, size_of: SizeOf, owners: Owners, read: Callable[[SheetKey], Array],
    key: SheetKey, row: int, column: int, tolerance: float, joined: bool,
) -> dict[Place, F32]:  # fmt: skip
    """Coverage of texels whose value lies within a tolerance (0…1) of that of one texel.

    ``read`` gives a sheet's whole map (r, c, n). ``joined`` takes only texels of that sheet that hang together
    with the one; otherwise all sheets are searched.
    """
    start = read(key)
    top = float(np.iinfo(start.dtype).max)
    wanted = start[row, column].astype(np.float64)
    found: dict[Place, F32] = {}
    for one in (key,) if joined else surface.keys:
        values = read(one)
        alike = np.abs(values - wanted).max(axis=2) <= tolerance * top + 0.5
        sheet = surface.sheet(one, size_of(one))
        if joined:
            alike &= sheet.covered
            _, labels = cv2.connectedComponents(alike.astype(np.uint8), connectivity=4)
            alike &= labels == labels[row, column]
        for chunk in sheet.chunks_of(np.ones(len(sheet.triangle), np.bool_)):
            inside = alike[span(chunk, sheet.size)] & (owners(sheet, chunk) >= 0)
            if inside.any():
                found[Place(one, chunk)] = inside.astype(np.float32)
    return found


def shaded(
    surface: Surface, size_of: SizeOf, owners: Owners, coverage: dict[Place, F32], start: F64, end: F64,
    radial: bool = False,
) -> dict[Place, F32]:  # fmt: skip
    """Coverage that runs out from full at a point to nothing at another: along a line, or round the first.

    Points (3,) lie in space, points (2,) in UV space (in tiles, v up).
    """
    way = end - start
    length = max(float(np.linalg.norm(way)), 1e-300)

    def work(place: Place) -> F32:
        sheet = surface.sheet(place.sheet, size_of(place.sheet))
        if len(start) == 2:
            rows, columns = span(place.chunk, sheet.size)
            v, u = np.mgrid[rows, columns] + 0.5
            across, up = corner_of(place.sheet.tile)
            away = np.stack([across + u / sheet.size.width, up + 1 - v / sheet.size.height], axis=2) - start
        else:
            away = sheet.positions(place.chunk, owners(sheet, place.chunk)) - start
        share = np.linalg.norm(away, axis=2) / length if radial else away @ way / length**2
        return np.asarray(coverage[place] * np.clip(1 - share, 0, 1), np.float32)

    places = list(coverage)
    return {place: made for place, made in zip(places, for_each(work, places), strict=True) if made.any()}
