"""What a stroke leaves: new chunks of painted pixels from those before it and its coverage."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lucky_fern.core.arrays import F32, Array
from lucky_fern.core.maps import parse_value
from lucky_fern.core.painting.stroke import Place
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import PaintMask, PaintPixels
from lucky_fern.core.project.painted import MASK, chunk_layout, decode_chunk, encode_chunk, place_name
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import CHUNK

Coverage = Mapping[Place, F32]
Values = Mapping[str, str | float]


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
    sheets: Mapping[str, PaintedSheet], coverage: Coverage, sizes: Mapping[Place, int], values: Values,
    opacity: float, blobs: Blobs, layer: int,
) -> tuple[PaintPixels, ...]:  # fmt: skip
    """Commands that put values onto covered texels of a brushwork layer, over what is painted there."""
    found: dict[tuple[str, int], dict[str, dict[str, str]]] = {}
    for place, covered in coverage.items():
        share = _whole(covered) * opacity
        for name, value in values.items():
            before = _before(sheets, place, name, blobs)
            dtype, _ = chunk_layout(name)
            top = 255.0 if dtype == np.uint8 else 65535.0
            kept = before[..., -1] / top * (1 - share)
            total = share + kept
            colour = np.array(parse_value(name, value)) * top
            with np.errstate(invalid="ignore"):
                mixed = (colour * share[..., None] + before[..., :-1] * kept[..., None]) / total[..., None]
            after = np.concatenate([np.where(total[..., None] > 0, mixed, 0), total[..., None] * top], axis=2)
            chunks = found.setdefault((str(place.sheet), sizes[place]), {}).setdefault(name, {})
            chunks[place_name(place.chunk)] = _kept(np.rint(after).astype(dtype), blobs)
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
