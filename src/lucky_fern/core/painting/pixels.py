"""What a stroke leaves: new chunks of painted pixels from those before it and its coverage."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from lucky_fern.core.arrays import F32, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.painting.paint import Paint
from lucky_fern.core.painting.stroke import Place
from lucky_fern.core.parallel import for_each
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import PaintMask, PaintPixels
from lucky_fern.core.project.painted import MASK, chunk_layout, decode_chunk, encode_chunk, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import CHUNK, Extent

Coverage = Mapping[Place, F32]


def paint_mask(
    sheets: Mapping[str, PaintedSheet], coverage: Coverage, sizes: Mapping[Place, Extent], value: float,
    opacity: float,
    blobs: Blobs, mask: int, at: int,
) -> tuple[PaintMask, ...]:  # fmt: skip
    """Commands that bring covered texels of a painted mask entry towards a value (1 shows, 0 hides).

    ``sheets`` are those before the stroke, ``sizes`` the sizes of the sheets that the coverage is of.
    """

    def painted(place: Place) -> str:
        before = _before(sheets, place, MASK, blobs)
        share = _whole(coverage[place]) * np.float32(opacity)
        after = before[..., 0] * (1 - share) + np.float32(value * 255) * share
        texels = np.rint(after).astype(np.uint8)[..., None]
        return _kept(texels, blobs) if texels.any() else ""

    found: dict[tuple[str, Extent], dict[str, str]] = {}
    places = list(coverage)
    for place, digest in zip(places, for_each(painted, places), strict=True):
        found.setdefault((str(place.sheet), sizes[place]), {})[place_name(place.chunk)] = digest
    return tuple(PaintMask(mask, at, sheet, size, chunks) for (sheet, size), chunks in found.items())


def mask_chunk(share: F32) -> bytes:
    """A chunk of a painted mask from how much it shows ((r, c) 0…1), as bytes to keep."""
    return encode_chunk(np.rint(_whole(share) * 255).astype(np.uint8)[..., None])


def paint_layer(
    sheets: Mapping[str, PaintedSheet], coverage: Coverage, sizes: Mapping[Place, Extent], paint: Paint,
    opacity: float, blobs: Blobs, layer: int,
) -> tuple[PaintPixels, ...]:  # fmt: skip
    """Commands that put paint onto covered texels of a brushwork layer, over what is painted there."""

    def painted(one: tuple[Place, str]) -> str:
        place, name = one
        before = _before(sheets, place, name, blobs)
        after = np.empty_like(before)
        _over(before, _whole(coverage[place]), np.float32(opacity), paint.at(place, name), _top(before), after)
        return _kept(after, blobs) if after[..., -1].any() else ""

    return _on_layer([(place, name) for place in coverage for name in paint.maps], painted, sizes, layer)


def erase_layer(
    sheets: Mapping[str, PaintedSheet], coverage: Coverage, sizes: Mapping[Place, Extent], opacity: float,
    blobs: Blobs, layer: int,
) -> tuple[PaintPixels, ...]:  # fmt: skip
    """Commands that take paint away from covered texels of all maps of a brushwork layer."""

    def erased(one: tuple[Place, str]) -> str:
        place, name = one
        after = _before(sheets, place, name, blobs).copy()
        after[..., -1] = np.rint(after[..., -1] * (1 - _whole(coverage[place]) * np.float32(opacity)))
        return _kept(after, blobs) if after[..., -1].any() else ""

    there = [
        (place, name)
        for place in coverage
        if str(place.sheet) in sheets
        for name, chunks in sheets[str(place.sheet)].maps.items()
        if place_name(place.chunk) in chunks
    ]
    return _on_layer(there, erased, sizes, layer)


def _on_layer(
    todo: list[tuple[Place, str]], work: Callable[[tuple[Place, str]], str], sizes: Mapping[Place, Extent], layer: int
) -> tuple[PaintPixels, ...]:
    """Work through chunks of maps on all cores; the commands that give the layer what came of it."""
    found: dict[tuple[str, Extent], dict[str, dict[str, str]]] = {}
    for (place, name), digest in zip(todo, for_each(work, todo), strict=True):
        maps = found.setdefault((str(place.sheet), sizes[place]), {})
        maps.setdefault(name, {})[place_name(place.chunk)] = digest
    return tuple(PaintPixels(layer, sheet, size, maps) for (sheet, size), maps in found.items())


def _top(texels: Array) -> np.float32:
    return np.float32(np.iinfo(texels.dtype).max)


@kernel
def _over(before: Array, covered: F32, opacity: np.float32, value: F32, top: np.float32, after: Array) -> None:
    """Put values over painted texels (256, 256, n: components and coverage, straight) as far as they are covered.

    ``value`` (1, 1, n − 1) is the same everywhere, or (r, c, n − 1).
    """
    last, rows, columns = before.shape[2] - 1, value.shape[0] - 1, value.shape[1] - 1
    one, half, part = np.float32(1.0), np.float32(0.5), np.float32(1.0) / top
    for r in range(before.shape[0]):
        for k in range(before.shape[1]):
            share = covered[r, k] * opacity
            if share <= np.float32(0.0):
                for c in range(last + 1):
                    after[r, k, c] = before[r, k, c]
                continue
            if before[r, k, last] == 0:  # nothing was there
                for c in range(last):
                    after[r, k, c] = int(value[min(r, rows), min(k, columns), c] * top + half)
                after[r, k, last] = int(min(share, one) * top + half)
                continue
            kept = np.float32(before[r, k, last]) * part * (one - share)
            mine = share / (share + kept)
            for c in range(last):
                new = value[min(r, rows), min(k, columns), c] * top
                old = np.float32(before[r, k, c])
                after[r, k, c] = int(old + (new - old) * mine + half)
            after[r, k, last] = int(min(share + kept, one) * top + half)


def _whole(covered: F32) -> F32:
    """Coverage of a chunk at the sheet's edge, as large as every chunk is stored."""
    if covered.shape == (CHUNK, CHUNK):
        return covered
    out = np.zeros((CHUNK, CHUNK), np.float32)
    out[: covered.shape[0], : covered.shape[1]] = covered
    return out


def _before(sheets: Mapping[str, PaintedSheet], place: Place, map_name: str, blobs: Blobs) -> Array:
    dtype, count = chunk_layout(map_name)
    painted = sheets.get(str(place.sheet))
    digest = None if painted is None else painted.maps.get(map_name, {}).get(place_name(place.chunk))
    if digest is None:
        return np.zeros((CHUNK, CHUNK, count), dtype)
    return decode_chunk(blobs[digest], map_name)


def _kept(texels: Array, blobs: Blobs) -> str:
    return blobs.add(encode_chunk(texels))
