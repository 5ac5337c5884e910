"""What a stroke leaves: new chunks of painted pixels from those before it and its coverage."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lucky_fern.core.arrays import F32, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.core.painting.paint import Paint
from lucky_fern.core.painting.stroke import Place
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import PaintMask, PaintPixels
from lucky_fern.core.project.painted import MASK, chunk_layout, decode_chunk, encode_chunk, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import CHUNK

Coverage = Mapping[Place, F32]


def paint_mask(
    sheets: Mapping[str, PaintedSheet], coverage: Coverage, sizes: Mapping[Place, int], value: float, opacity: float,
    blobs: Blobs, mask: int, at: int,
) -> tuple[PaintMask, ...]:  # fmt: skip
    """Commands that bring covered texels of a painted mask entry towards a value (1 shows, 0 hides).

    ``sheets`` are those before the stroke, ``sizes`` the sizes of the sheets that the coverage is of.
    """
    found: dict[tuple[str, int], dict[str, str]] = {}
    for place, covered in coverage.items():
        before = _before(sheets, place, MASK, blobs)
        share = _whole(covered) * opacity
        after = before[..., 0] * (1 - share) + value * 255 * share
        found.setdefault((str(place.sheet), sizes[place]), {})[place_name(place.chunk)] = _kept(
            np.rint(after).astype(np.uint8)[..., None], blobs
        )
    return tuple(PaintMask(mask, at, sheet, size, chunks) for (sheet, size), chunks in found.items())


def paint_layer(
    sheets: Mapping[str, PaintedSheet], coverage: Coverage, sizes: Mapping[Place, int], paint: Paint,
    opacity: float, blobs: Blobs, layer: int,
) -> tuple[PaintPixels, ...]:  # fmt: skip
    """Commands that put paint onto covered texels of a brushwork layer, over what is painted there."""
    found: dict[tuple[str, int], dict[str, dict[str, str]]] = {}
    for place, covered in coverage.items():
        whole = _whole(covered)
        for name in paint.maps:
            before = _before(sheets, place, name, blobs)
            top = 255.0 if before.dtype == np.uint8 else 65535.0
            after = np.empty_like(before)
            _over(before, whole, opacity, paint.at(place, name), top, after)
            chunks = found.setdefault((str(place.sheet), sizes[place]), {}).setdefault(name, {})
            chunks[place_name(place.chunk)] = _kept(after, blobs) if after[..., -1].any() else ""
    return tuple(PaintPixels(layer, sheet, size, maps) for (sheet, size), maps in found.items())


def erase_layer(
    sheets: Mapping[str, PaintedSheet], coverage: Coverage, sizes: Mapping[Place, int], opacity: float,
    blobs: Blobs, layer: int,
) -> tuple[PaintPixels, ...]:  # fmt: skip
    """Commands that take paint away from covered texels of all maps of a brushwork layer."""
    found: dict[tuple[str, int], dict[str, dict[str, str]]] = {}
    for place, covered in coverage.items():
        share = _whole(covered) * opacity
        known = sheets.get(str(place.sheet))
        for name, chunks_before in ({} if known is None else known.maps).items():
            if place_name(place.chunk) not in chunks_before:
                continue
            after = _before(sheets, place, name, blobs).copy()
            after[..., -1] = np.rint(after[..., -1] * (1 - share))
            chunks = found.setdefault((str(place.sheet), sizes[place]), {}).setdefault(name, {})
            chunks[place_name(place.chunk)] = _kept(after, blobs) if after[..., -1].any() else ""
    return tuple(PaintPixels(layer, sheet, size, maps) for (sheet, size), maps in found.items())


@kernel
def _over(before: Array, covered: F32, opacity: float, value: F32, top: float, after: Array) -> None:
    """Put values over painted texels (256, 256, n: components and coverage, straight) as far as they are covered.

    ``value`` (1, 1, n − 1) is the same everywhere, or (r, c, n − 1).
    """
    last, rows, columns = before.shape[2] - 1, value.shape[0] - 1, value.shape[1] - 1
    for r in range(before.shape[0]):
        for k in range(before.shape[1]):
            share = covered[r, k] * opacity
            if share <= 0.0:
                for c in range(last + 1):
                    after[r, k, c] = before[r, k, c]
                continue
            kept = before[r, k, last] / top * (np.float32(1.0) - share)
            total = share + kept
            for c in range(last):
                mixed = (value[min(r, rows), min(k, columns), c] * top * share + before[r, k, c] * kept) / total
                after[r, k, c] = int(mixed + np.float32(0.5))
            after[r, k, last] = int(min(total, np.float32(1.0)) * top + np.float32(0.5))


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
